"""Finds the table in a sheet: the headings, the rows, and what is around them."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.tables.about_columns import heading_lines
from kotrel.core.tables.heading_words import is_heading
from kotrel.core.tables.headings import headings_within
from kotrel.core.tables.table import ABOVE, Column, Grid, Table
from kotrel.core.tables.totals import below_the_table, groups_within, totals_within

LOOK_AT = 60
"""The heading row is searched for in this many rows from the top."""


def find_table(grid: Grid, heading_row: int | None = None, ends: bool = True) -> Table:
    """The table of a sheet.

    The heading row is the first of the top rows that is about as full as the fullest of them and holds only texts.

    Args:
        grid: the sheet.
        heading_row: the row with the headings, if the user named it; 0 if there are none, so that columns are known by
            their letters alone.
        ends: the sheet ends here; else other parts of it follow.

    Raises:
        WrongData: the sheet is empty.
        WrongUse: it has no such row, or its headings are so far down that the user must say where.
    """
    lines = (
        grid.lines if grid.lines is not None else pl.int_range(1, grid.cells.height + 1, dtype=pl.UInt32, eager=True)
    )
    where = f"sheet “{grid.name}” of {grid.file}" if grid.name else grid.file
    if grid.cells.width == 0 or grid.cells.height == 0:
        raise WrongData(f"{where} is empty", "Check that it is the right file and that it has been saved.", "empty")
    if heading_row == 0:
        return _without_headings(grid, lines)
    if heading_row is None:
        at = _heading_index(grid)
        if at is None and (below := _first_filled(grid)) is not None:
            raise WrongUse(
                f"{where} has nothing in its first {LOOK_AT} rows",
                f"Name the row of the headings, such as --heading-row {lines[below]}.",
                "no-such-row",
            )
        if at is None:
            raise WrongData(f"{where} is empty", "Check that it is the right file and that it has been saved.", "empty")
    else:
        found = lines.index_of(heading_row)
        if found is None:
            raise WrongUse(f"{where} has no row {heading_row}", "Correct --heading-row.", "no-such-row")
        at = found
    return _table(grid, lines, at, ends)


def _without_headings(grid: Grid, lines: pl.Series) -> Table:
    """All rows of a sheet as rows of its table; blank ones are left out."""
    full = grid.cells.select(~pl.all_horizontal(pl.all().str.strip_chars().fill_null("") == "")).to_series()
    letters = [letter for letter in grid.cells.columns if grid.cells[letter].null_count() < grid.cells.height]
    kinds = {name: kind if isinstance(kind, str) else kind.filter(full) for name, kind in grid.kinds.items()}
    blank = int((~full).sum())
    left = [f"{blank} blank row{'s' if blank > 1 else ''} left out"] if blank else []
    return Table(
        file=grid.file,
        sheet=grid.name,
        heading_row=0,
        columns=tuple(Column(letter, "") for letter in letters),
        cells=grid.cells.filter(full).select(letters).insert_column(0, lines.filter(full).cast(pl.UInt32).rename(ROW)),
        kinds={letter: kinds[letter] for letter in letters if letter in kinds},
        remarks=(*grid.remarks, *left),
        ragged=grid.ragged,
        usual_width=grid.usual_width,
        swallowed=grid.swallowed,
        formats=grid.formats,
        unquoted=grid.unquoted,
        hidden=grid.hidden,
    )


def _heading_index(grid: Grid) -> int | None:
    top = grid.cells.head(LOOK_AT)
    filled = top.select(pl.sum_horizontal(pl.all().str.strip_chars().str.len_chars().fill_null(0) > 0)).to_series()
    fullest = filled.max()
    if not isinstance(fullest, int) or fullest == 0:
        return None
    for index, count in enumerate(filled.to_list()):
        # A heading row is nearly as full as the rows below it; title lines are not.
        if count * 2 >= fullest and (count > 1 or fullest == 1):
            return _better_headings(top, index, count)
    return None


def _better_headings(top: pl.DataFrame, first: int, count: int) -> int:
    """The first full row; or a later one where most of its cells are words for headings, and of the first one few are.

    An address and a date above a table may fill as many cells as its headings.
    """
    if _share_of_headings(top.row(first)) >= 50:
        return first
    for place in range(first + 1, min(top.height, first + LOOK_AT)):
        texts = [text for text in top.row(place) if text and text.strip()]
        if len(texts) >= max(count, 3) and _share_of_headings(texts) >= 60:
            return place
    return first


def _share_of_headings(cells: Sequence[str | None]) -> int:
    """How many of the filled cells are words that headings have, in per cent."""
    texts = [text.strip() for text in cells if text and text.strip()]
    return 100 * sum(map(is_heading, texts)) // len(texts) if texts else 0


def _first_filled(grid: Grid) -> int | None:
    """The index of the first row that is not blank."""
    filled = grid.cells.select(pl.any_horizontal(pl.all().str.strip_chars().str.len_bytes() > 0)).to_series()
    return filled.arg_true().min()  # type: ignore[return-value]


def is_data(
    body: pl.DataFrame,
    rows: pl.Series,
    headings: Sequence[Sequence[str | None]],
    remarks: list[str],
    ends: bool,
    begins: bool = True,
) -> pl.Series | None:
    """Boolean for each row of a table: no heading again, total or note; each of those is a remark. None where all are
    data.

    Args:
        rows: the row of each in the sheet.
        headings: the rows of the headings.
        begins: the table begins with these rows.
        ends: the table ends with these rows; else what stands below it may come in another part of the file.
    """
    kept = pl.Series([True], dtype=pl.Boolean).new_from_index(0, body.height)
    again = headings_within(body, rows, headings, remarks)
    if again is not None:
        kept = ~again
    left, places = body.filter(kept), rows.filter(kept)
    if ends and (below := below_the_table(left, places, remarks)):
        kept = kept.scatter(kept.arg_true().tail(below), False)
        left, places = body.filter(kept), rows.filter(kept)
    groups = groups_within(left, places, remarks)
    if groups is not None:
        kept = kept.scatter(kept.arg_true().filter(groups), False)
        left, places = body.filter(kept), rows.filter(kept)
    totals = totals_within(left, places, remarks, begins)
    if totals is not None:
        kept = kept.scatter(kept.arg_true().filter(totals), False)
    return None if kept.all() else kept


def _filled_rows(body: pl.DataFrame, remarks: list[str]) -> pl.Series | None:
    """Boolean for each row: it has a value; None where all have one. Blank rows between others are reported."""
    # Only rows whose first cell is blank can be blank: the other columns are checked for those only.
    begins = (body[body.columns[0]].str.strip_chars() != "").fill_null(False)
    if begins.all():
        return None
    rest = body.filter(~begins).select(~pl.all_horizontal(pl.all().str.strip_chars().fill_null("") == ""))
    full = begins.scatter((~begins).arg_true(), rest.to_series())
    if full.all():
        return None
    last_full = int(full.arg_true().max() or 0) if full.any() else -1  # type: ignore[arg-type]
    between = int((~full.head(last_full + 1)).sum())
    if between:
        remarks.append(f"{between} blank row{'s' if between > 1 else ''} left out")
    return full


def _titles(grid: Grid, lines: pl.Series, at: int) -> dict[str, str]:
    """Cell → text of what stands above the headings."""
    return {
        f"{letter}{lines[place]}": text.strip()
        for place, row in enumerate(grid.cells.head(at).tail(LOOK_AT).iter_rows(), start=max(at - LOOK_AT, 0))
        for letter, text in zip(grid.cells.columns, row, strict=True)
        if text and text.strip()
    }


def _left_out_above(grid: Grid, lines: pl.Series, at: int) -> list[str]:
    above = grid.cells.head(at)
    if not above.height or above.null_count().transpose().to_series().eq(above.height).all():
        return []
    return [f"rows {ABOVE}: 1 to {lines[at] - 1}" if at > 1 else f"row 1 {ABOVE}"]


def _table(grid: Grid, lines: pl.Series, at: int, ends: bool) -> Table:
    remarks = [*grid.remarks, *_left_out_above(grid, lines, at)]
    raw = dict(zip(grid.cells.columns, grid.cells.row(at), strict=True))
    head = heading_lines(grid.cells, lines, at)
    headings, second, first_below = head.headings, head.lower, head.first_row
    remarks += head.remarks
    body = grid.cells.slice(first_below)
    kinds = {letter: kind if isinstance(kind, str) else kind.slice(first_below) for letter, kind in grid.kinds.items()}
    rows = lines.slice(first_below).cast(pl.UInt32)

    def keep(wanted: pl.Series) -> None:
        nonlocal body, rows, kinds
        body, rows = body.filter(wanted), rows.filter(wanted)
        kinds = {letter: kind if isinstance(kind, str) else kind.filter(wanted) for letter, kind in kinds.items()}

    full = _filled_rows(body, remarks)
    if full is not None:
        keep(full)
    data = is_data(body, rows, grid.cells.slice(at, first_below - at).rows(), remarks, ends)
    if data is not None:
        keep(data)
    titles = _titles(grid, lines, at)
    columns = [
        Column(letter, headings[letter], raw[letter] or "", second.get(letter, ""))
        for letter in grid.cells.columns
        if headings[letter] or body[letter].null_count() < body.height
    ]
    letters = [column.letter for column in columns]
    return Table(
        file=grid.file,
        sheet=grid.name,
        heading_row=int(lines[at]),
        columns=tuple(columns),
        cells=body.select(letters).insert_column(0, rows.rename(ROW)),
        kinds={letter: kinds[letter] for letter in letters if letter in kinds},
        remarks=tuple(remarks),
        ragged=grid.ragged,
        usual_width=grid.usual_width,
        swallowed=grid.swallowed,
        formats=grid.formats,
        unquoted=grid.unquoted,
        hidden=grid.hidden,
        above=titles,
    )
