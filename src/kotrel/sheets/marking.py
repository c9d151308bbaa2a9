"""The marked copy: the user's own workbook with bad cells coloured and commented, a column of findings, a summary.

Where the workbook holds something that a copy through openpyxl would lose (charts, pictures, pivot tables, controls …),
the marks go into a separate workbook instead, with a remark.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import polars as pl
from msgspec import Struct

from kotrel.core.columns import ROW
from kotrel.core.errors import WrongUse
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.cell_formats import kinds_as_shown
from kotrel.core.tables.table import index_of
from kotrel.sheets.cell_texts import CELL_HOLDS, SHEET_HOLDS, writable
from kotrel.sheets.copied_cells import CellsAgain
from kotrel.sheets.lost_in_copies import lost_in_copy
from kotrel.sheets.marked_copy import mark_copy
from kotrel.sheets.marks import (
    AUTHOR,
    COLOURS,
    COLUMN,
    MOST_COMMENTS,
    SUMMARY,
    WIDTHS,
    Mark,
    MarkedSheet,
    marks_of,
    row_texts,
    summary_lines,
)
from kotrel.sheets.new_workbook import new_workbook
from kotrel.sheets.ooxml.archives import DAMAGED
from kotrel.sheets.ooxml.stamps import stamps_of
from kotrel.sheets.print_layout import for_print
from kotrel.sheets.safe_writing import free_name, written_whole

LARGE = 3_000_000
"""With more cells than this, the user's own workbook is not rewritten: it would take minutes."""


class Marked(Struct, frozen=True):
    """The marked copy: where it is, and remarks on it."""

    path: Path
    remarks: tuple[str, ...]


def marked_name(path: Path) -> Path:
    """The default path of a file's marked copy: ``sheet.marked.xlsx`` beside it, numbered if that exists."""
    stem = re.sub(r"\.marked(-\d+)?$", "", path.stem)
    ending = path.suffix if path.suffix.lower() in (".xlsx", ".xlsm") else ".xlsx"
    return free_name(path.with_name(f"{stem}.marked{ending}"))


def mark(sheets: Sequence[Rows], target: Path) -> Marked:
    """Writes the marked copy.

    Args:
        sheets: the checked rows of one file, one for each of its sheets.

    Raises:
        OutOfReach: it cannot be written.
        WrongUse: it has more rows than a sheet can hold.
    """
    source = Path(sheets[0].table.file)
    if any(rows.table.last_row > SHEET_HOLDS for rows in sheets):
        raise WrongUse(
            f"{source} has more rows than a sheet can hold ({SHEET_HOLDS:,})",
            "kotrel check FILE --all lists each finding with its line.",
            "too-many-rows",
        )
    marked = [MarkedSheet(rows, marks_of(rows)) for rows in sheets]
    reason = _why_not(source, sheets)
    with written_whole(target) as path:
        if reason is None and _marked_as_copy(source, marked, path):
            remarks = []
        else:
            reason = ODD if reason is None else reason
            _mark_anew(marked, path, stamps_of(source))
            remarks = [reason] if reason else []
    too_long = pl.any_horizontal(pl.col(pl.String).str.len_chars() > CELL_HOLDS).any()
    if reason is not None and any(rows.table.cells.select(too_long).item() for rows in sheets if rows.table.columns):
        remarks.append(f"a value longer than a cell can hold ({CELL_HOLDS:,} characters) is shortened there")
    if any(len(each.marks) > MOST_COMMENTS for each in marked):
        remarks.append(
            f"only the first {MOST_COMMENTS:,} cells have a comment; the column “{COLUMN}” has every finding"
        )
    return Marked(target, tuple(remarks))


ODD = "the workbook is written in a way that a copy would lose: the marks are in a separate workbook"


def _marked_as_copy(source: Path, marked: Sequence[MarkedSheet], path: Path) -> bool:
    """Marks a copy of the user's workbook; False where it cannot be read or written again as it is."""
    try:
        mark_copy(source, marked, path)
    except (*DAMAGED, TypeError, AttributeError):
        return False
    return True


def _why_not(source: Path, sheets: Sequence[Rows]) -> str | None:
    """Why the user's own workbook cannot be marked; an empty text for a text file, None if it can."""
    if not sheets[0].table.sheet:
        return ""
    if source.suffix.lower() not in (".xlsx", ".xlsm"):
        return f"{source.suffix} workbooks cannot be written: the marks are in a separate workbook"
    if sum(rows.table.rows * len(rows.table.columns) for rows in sheets) > LARGE:
        return "the workbook is too large to be rewritten: the marks are in a separate workbook"
    try:
        found = lost_in_copy(source)
    except DAMAGED:
        return "the workbook could not be read again: the marks are in a separate workbook"
    if found:
        return f"the workbook has {' and '.join(sorted(found))}, which a copy would lose: the marks are in a separate workbook"
    return None


def _mark_anew(sheets: Sequence[MarkedSheet], path: Path, stamps: Mapping[str, str]) -> None:
    book = new_workbook(path, sum(sheet.rows.table.rows for sheet in sheets))
    for name, value in stamps.items():
        book.set_custom_property(name, value)
    again = CellsAgain(book)
    bold, link = book.add_format({"bold": True}), book.get_default_url_format()
    summary = book.add_worksheet(SUMMARY)
    for_print(summary, headings=None)
    for line, (texts, at) in enumerate(summary_lines(sheets)):
        summary.write_row(line, 0, [writable(str(text)) for text in texts], bold if line in (0, 4) else None)
        if at:
            summary.write_url(line, 0, f"internal:{at}", link, writable(str(texts[0])))
    for column, width in enumerate(WIDTHS):
        summary.set_column(column, column, width)
    for each in sheets:
        sheet = book.add_worksheet(each.name)
        for_print(sheet, headings=None)
        _write_marked(sheet, each, again, bold)
    book.close()


def _write_comments(sheet: Any, marks: Sequence[Mark]) -> None:
    for mark in marks:
        at = (mark.row - 1, index_of(mark.letter or "A"))
        sheet.write_comment(*at, writable(mark.text), {"author": AUTHOR, "x_scale": 2})


def _write_marked(sheet: Any, marked: MarkedSheet, again: CellsAgain, bold: Any) -> None:
    """One sheet with its cells as they are read, the bad ones coloured and commented, and the column of findings."""
    table, marks = marked.rows.table, marked.marks
    heading = max(table.heading_row - 1, 0)
    letters = [column.letter for column in table.every_column if column.heading != COLUMN]
    for each in table.every_column:
        if each.letter in letters:
            sheet.write_string(heading, index_of(each.letter), each.raw, bold)
    place = max(map(index_of, letters), default=0) + 1
    sheet.write_string(heading, place, COLUMN, bold)
    by_cell = {(each.row, each.letter): each.severity for each in reversed(marks) if each.letter is not None}
    ground = {severity: f"#{colour}" for severity, colour in COLOURS.items()}
    rows = table.cells[ROW].to_list()
    for letter in letters:
        for row, value, kind in zip(rows, table.cells[letter], kinds_as_shown(table, letter), strict=True):
            severity = by_cell.get((row, letter))
            if value is not None or severity:
                colour = ground[severity] if severity else ""
                again.write(sheet, row - 1, index_of(letter), value, kind, colour, from_text=not table.sheet)
    for row, (severity, text) in row_texts(marks, marked.rows).items():
        if row > table.heading_row:
            sheet.write_string(row - 1, place, writable(text), again.look("@", ground[severity]))
    _write_comments(sheet, [each for each in marks if each.letter and each.row][:MOST_COMMENTS])
    sheet.freeze_panes(heading + 1, 0)
    sheet.set_column(0, max(place - 1, 0), 18)
    sheet.set_column(place, place, 60)
