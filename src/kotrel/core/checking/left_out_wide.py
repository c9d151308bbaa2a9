"""Columns that are left out of a sheet although another record has them: one for each price list or warehouse."""

from __future__ import annotations

from kotrel.core.checking.left_out import left_out_columns
from kotrel.core.description.list_names import ListNames
from kotrel.core.matching.wide_sheets import FEWEST, Wide, find_groups, find_wide
from kotrel.core.phrases import listed
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.table import Column

NAMED = 6
"""At most this many of the columns are named."""


def check_left_out_wide(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """A warning where columns that are left out are headed with the codes of a list: rows of another record, such as
    the item's price on each list, which a mapping for that record reads.
    """
    columns = left_out_columns(rows) if rows.record.nature == "master" and len(rows.record.key) == 1 else []
    if len(columns) < FEWEST:
        return []
    for other in state.description.records.values():
        mine = [each.name for each in other.references if each.to == rows.record.name and not each.within]
        if len(mine) != 1 or len(other.key) < 2 or mine[0] not in other.key or other.nature != "master":
            continue

        def names(name: str) -> ListNames:
            to = state.description.records[name]
            return ListNames(state.listed(to), to, _words(columns))

        wide = find_groups(columns, other, mine, names) or find_wide(columns, other, mine, names)
        if wide is not None:
            return [_finding(rows, other.name, wide)]
    return []


def _words(columns: list[Column]) -> list[str]:
    """The words of the headings that may be codes or names."""
    return [word for column in columns for word in (column.heading, *column.heading.split())]


def _finding(rows: Rows, record: str, wide: Wide) -> FindingGroup:
    columns = sorted(wide.columns, key=lambda each: (len(each.letter), each.letter))
    named = listed([f"{column.letter} “{column.heading}”" for column in columns], NAMED)
    message = (
        f"columns {named} are headed with codes of {wide.by.title.lower()}, and are left out here: a mapping for the "
        f"record {record} reads them (kotrel map)"
    )
    return rows.sheet_finding("warning", "laid-out-wide", "columns for another record", message)
