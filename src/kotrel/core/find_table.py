"""Finds the table in a sheet: where the headings are, where the rows begin, and what stands around them."""

from __future__ import annotations

import re

import polars as pl

from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.sheet import Column, Grid, Table

LOOK_AT = 60
"""Rows from the top among which the heading row is looked for."""


def find_table(grid: Grid, heading_row: int | None = None) -> Table:
    """The table of a sheet.

    The heading row is the first of the top rows that is about as full as the fullest of them and holds only texts.

    Args:
        grid: the sheet.
        heading_row: the row in the sheet that holds the headings, where the user says so.

    Raises:
        WrongData: the sheet is empty.
        WrongUse: it has no such row.
    """
    lines = (
        grid.lines if grid.lines is not None else pl.int_range(1, grid.cells.height + 1, dtype=pl.UInt32, eager=True)
    )
    where = f"sheet “{grid.name}” of {grid.file}" if grid.name else grid.file
    if grid.cells.width == 0 or grid.cells.height == 0:
        raise WrongData(f"{where} is empty", "Is it the right file, and was it saved?", "empty")
    if heading_row is None:
        at = _heading_index(grid)
        if at is None:
            raise WrongData(f"{where} is empty", "Is it the right file, and was it saved?", "empty")
    else:
        found = lines.index_of(heading_row)
        if found is None:
            raise WrongUse(f"{where} has no row {heading_row}", "Mend --heading-row.", "no-such-row")
        at = found
    return _table(grid, lines, at)


def _heading_index(grid: Grid) -> int | None:
    top = grid.cells.head(LOOK_AT)
    filled = top.select(pl.sum_horizontal(pl.all().str.strip_chars().str.len_chars().fill_null(0) > 0)).to_series()
    fullest = filled.max()
    if not isinstance(fullest, int) or fullest == 0:
        return None
    for place, count in enumerate(filled.to_list()):
        # A heading row is nearly as full as the rows below it; title lines are not.
        if count * 2 >= fullest and (count > 1 or fullest == 1):
            return place
    return None


def _table(grid: Grid, lines: pl.Series, at: int) -> Table:
    remarks = list(grid.remarks)
    raw = dict(zip(grid.cells.columns, grid.cells.row(at), strict=True))
    above = grid.cells.head(at)
    if above.height and above.select(pl.any_horizontal(pl.all().is_not_null().any())).item():
        remarks.append(
            f"rows above the headings left out: 1 to {lines[at] - 1}" if at > 1 else "row 1 above the headings left out"
        )
    body = grid.cells.slice(at + 1)
    kinds = {letter: kind if isinstance(kind, str) else kind.slice(at + 1) for letter, kind in grid.kinds.items()}
    rows = lines.slice(at + 1).cast(pl.UInt32)
    first = grid.cells.columns[0]
    if body[first].null_count():
        # Only rows whose first cell is blank can be blank: the other columns are looked at for those alone.
        full = body.select(~pl.all_horizontal(pl.all().str.strip_chars().fill_null("") == "")).to_series()
        if not full.all():
            last_full = int(full.arg_true().max() or 0) if full.any() else -1  # type: ignore[arg-type]
            between = int((~full.head(last_full + 1)).sum())
            if between:
                remarks.append(f"{between} blank row{'s' if between > 1 else ''} left out")
            body, rows = body.filter(full), rows.filter(full)
            kinds = {letter: kind if isinstance(kind, str) else kind.filter(full) for letter, kind in kinds.items()}
    columns = []
    for letter in grid.cells.columns:
        heading = one_line(raw[letter] or "")
        if heading or body[letter].null_count() < body.height:
            columns.append(Column(letter, heading, raw[letter] or ""))
    letters = [column.letter for column in columns]
    cells = body.select(letters).insert_column(0, rows.rename("row"))
    return Table(
        file=grid.file,
        sheet=grid.name,
        heading_row=int(lines[at]),
        columns=tuple(columns),
        cells=cells,
        kinds={letter: kinds[letter] for letter in letters if letter in kinds},
        remarks=tuple(remarks),
        ragged=grid.ragged,
        usual_width=grid.usual_width,
    )


def one_line(text: str) -> str:
    """A heading on one line: line breaks and runs of blanks become one blank."""
    return re.sub(r"[\s\u200b\ufeff]+", " ", text).strip()
