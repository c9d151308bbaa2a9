"""Checks: one file for each family, all with the same signature.

A check takes rows and what the system holds, and returns groups of findings. To add one, write it in the file of its
family (or a file of its own) and name it in :data:`CHECKS`.
"""

from __future__ import annotations

from collections.abc import Callable

import polars as pl
from msgspec.structs import replace

from kotrel.core.checking.alphabets import check_alphabets
from kotrel.core.checking.check_digits import check_codes
from kotrel.core.checking.circles import check_circles
from kotrel.core.checking.field_groups import check_field_groups
from kotrel.core.checking.filled_series import check_filled_series
from kotrel.core.checking.keys import check_keys
from kotrel.core.checking.left_out_units import check_units
from kotrel.core.checking.left_out_wide import check_left_out_wide
from kotrel.core.checking.list_currency import check_currency, check_left_out_currencies, check_list_decimals
from kotrel.core.checking.list_references import check_lists
from kotrel.core.checking.meaningless import check_meaningless
from kotrel.core.checking.named_files import check_named_files
from kotrel.core.checking.own_codes import check_own_codes
from kotrel.core.checking.required import NONE_LIKELY, check_present, likely_columns, lost_rows
from kotrel.core.checking.rules import check_rules
from kotrel.core.checking.shape import check_shape
from kotrel.core.checking.system_kept import check_kept
from kotrel.core.checking.unique import check_unique
from kotrel.core.columns import ROW
from kotrel.core.parallel import map_parallel
from kotrel.core.phrases import listed_and
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState

Check = Callable[[Rows, SystemState], list[FindingGroup]]

# Several run in parallel: the one that reads most from the system starts first.
CHECKS: tuple[Check, ...] = (
    check_unique,
    check_keys,
    check_present,
    check_shape,
    check_meaningless,
    check_alphabets,
    check_codes,
    check_lists,
    check_field_groups,
    check_kept,
    check_rules,
    check_circles,
    check_named_files,
    check_currency,
    check_list_decimals,
    check_left_out_currencies,
    check_own_codes,
    check_units,
    check_left_out_wide,
    check_filled_series,
)


def check_rows(rows: Rows, state: SystemState, checks: tuple[Check, ...] = CHECKS) -> Rows:
    """The rows with the findings of all checks added."""
    if not rows.values.height and any(source.of_field for source in rows.sources.values()):
        # All its rows wait for those of another record, which says what is wrong.
        return rows
    if not rows.has_key:
        missing = [rows.record.fields[name] for name in rows.record.key if name not in rows.fields]
        titles = listed_and([f"“{field.title}”" for field in missing])
        perhaps = "; ".join(likely_columns(rows, state, missing).values()) or NONE_LIKELY
        message = f"no column is headed {titles}, which identifies the rows; {perhaps}"
        finding = rows.sheet_finding("error", "no-key-column", "the key column is missing", message)
        return rows.with_findings([finding])
    groups = map_parallel(lambda check: check(rows, state), checks, rows.values.height)
    return rows.with_findings(_of_known_rows(rows, [group for found in groups for group in found]))


def _of_known_rows(rows: Rows, groups: list[FindingGroup]) -> list[FindingGroup]:
    """Leaves out findings on rows that could not be found in the system: another finding reports that."""
    lost = lost_rows(rows)
    if not len(lost):
        return groups
    left = [replace(group, cells=group.cells.filter(~pl.col(ROW).is_in(lost.implode()))) for group in groups]
    return [group for group in left if group.count]
