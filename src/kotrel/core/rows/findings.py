"""Findings and repairs: what is wrong or doubtful, and what was repaired, each at its cell.

Both come in groups, because a sheet of a million rows can have the same error a million times: a group holds
once what its cells share, and a table of the cells.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Literal

import polars as pl
from msgspec import Struct

from kotrel.core.columns import ROW
from kotrel.core.rows.repair_kinds import REPAIRS

Severity = Literal["error", "warning", "note"]
SEVERITIES: tuple[Severity, ...] = ("error", "warning", "note")

CELLS = (ROW, "value", "message", "suggestion")
"""Columns of a finding group's table: the row as UInt32, text. The row is the sheet's (the line of a text file), counted from 1."""

REPAIRED = (ROW, "before", "after", "proof")
"""Columns of a repair group's table: the row as UInt32, text."""

AS_SHOWN = "as-shown"
"""The kind of repair where a code is what its cell shows, not the bare number that it holds."""


def cells_of(
    rows: pl.Series | Sequence[int],
    values: pl.Series | Sequence[str | None] | None = None,
    messages: pl.Series | Sequence[str | None] | str | None = None,
    suggestions: pl.Series | Sequence[str | None] | None = None,
) -> pl.DataFrame:
    """A finding group's table, from its columns; those not given are empty."""
    row = pl.Series(ROW, rows, dtype=pl.UInt32)
    count = len(row)

    def column(name: str, given: pl.Series | Sequence[str | None] | str | None) -> pl.Series:
        if given is None or isinstance(given, str):
            return pl.Series(name, [given], dtype=pl.String).new_from_index(0, count)
        return pl.Series(name, given, dtype=pl.String)

    return pl.DataFrame([row, column("value", values), column("message", messages), column("suggestion", suggestions)])


def repaired_cells(
    rows: pl.Series | Sequence[int],
    before: pl.Series | Sequence[str],
    after: pl.Series | Sequence[str],
    proofs: Sequence[str],
) -> pl.DataFrame:
    """A repair group's table, from its columns."""
    columns = zip(REPAIRED, (rows, before, after, proofs), (pl.UInt32, pl.String, pl.String, pl.String), strict=True)
    return pl.DataFrame([pl.Series(name, given, dtype=kind) for name, given, kind in columns])


class FindingGroup(Struct, frozen=True):
    """Cells with the same problem.

    Attributes:
        severity: ``error`` (the row cannot be loaded), ``warning`` or ``note``.
        kind: kebab-case name of the problem, stable.
        title: the problem in a few words, for lists.
        field: name of the field, or None where it concerns a whole row or the sheet.
        letter: the sheet's column, or None.
        heading: the column's heading, or an empty text.
        cells: table of :data:`CELLS`; one row for each cell. Where it concerns the whole sheet, one row with row 0.
        option: words of the command line that settle the group, if what they say is so.
    """

    severity: Severity
    kind: str
    title: str
    record: str
    field: str | None
    letter: str | None
    cells: pl.DataFrame
    heading: str = ""
    option: tuple[str, ...] = ()

    @property
    def count(self) -> int:
        return self.cells.height


class RepairGroup(Struct, frozen=True):
    """Cells that were repaired in the same way; ``cells`` is a table of :data:`REPAIRED`."""

    kind: str
    field: str
    letter: str
    cells: pl.DataFrame

    @property
    def title(self) -> str:
        """What was done to the cells."""
        return REPAIRS[self.kind].title

    @property
    def count(self) -> int:
        return self.cells.height


def count_by_severity(groups: Iterable[FindingGroup]) -> dict[str, int]:
    """``{"error": …, "warning": …, "note": …}``: the number of findings."""
    counts = dict.fromkeys(SEVERITIES, 0)
    for group in groups:
        counts[group.severity] += group.count
    return {str(severity): count for severity, count in counts.items()}


def worst_first(groups: Iterable[FindingGroup]) -> list[FindingGroup]:
    """Errors, then warnings, then notes; within each the most frequent first.

    Errors on whole lines or on the sheet come before those of fields, which they may explain.
    """

    def place(group: FindingGroup) -> tuple[int, bool, int, str, str]:
        of_field = group.severity != "error" or group.field is not None
        return SEVERITIES.index(group.severity), of_field, -group.count, group.field or "", group.kind

    return sorted(groups, key=place)


def rows_with(groups: Iterable[FindingGroup], severity: Severity) -> pl.Series:
    """The rows (UInt32, distinct, sorted) with a finding of that severity; row 0, the sheet itself, is left out."""
    found = [group.cells[ROW] for group in groups if group.severity == severity]
    if not found:
        return pl.Series(ROW, [], dtype=pl.UInt32)
    rows = pl.concat(found).unique().sort().rename(ROW)
    return rows.filter(rows > 0)


def concerns_sheet(groups: Iterable[FindingGroup]) -> Iterator[FindingGroup]:
    """The errors on the sheet as a whole: with one of them, no row can be loaded."""
    return (group for group in groups if group.severity == "error" and bool((group.cells[ROW] == 0).any()))
