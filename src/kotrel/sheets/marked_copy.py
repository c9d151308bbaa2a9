"""Marks in a copy of the user's own workbook, which keeps everything else in it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from kotrel.core.tables.table import index_of, letter_of
from kotrel.sheets.cell_texts import put_text, writable
from kotrel.sheets.marks import (
    AUTHOR,
    COLOURS,
    COLUMN,
    MOST_COMMENTS,
    SUMMARY,
    WIDTHS,
    Mark,
    MarkedSheet,
    row_texts,
    summary_lines,
)
from kotrel.sheets.users_workbook import save_workbook, users_workbook


def mark_copy(source: Path, sheets: Sequence[MarkedSheet], path: Path) -> None:
    import openpyxl
    from openpyxl.worksheet.hyperlink import Hyperlink

    book = users_workbook(source)
    if SUMMARY in book.sheetnames:
        del book[SUMMARY]
    for each in sheets:
        _mark_sheet(book[each.rows.table.sheet], each)
    summary = book.create_sheet(SUMMARY, 0)
    for line, (values, link) in enumerate(summary_lines(sheets), start=1):
        for column, value in enumerate(values, start=1):
            put_text(summary.cell(line, column), value)
        if link:
            cell = summary.cell(line, 1)
            cell.hyperlink = Hyperlink(ref=cell.coordinate, location=link)
            cell.style = "Hyperlink"
    for letter, width in zip("ABCD", WIDTHS, strict=True):
        summary.column_dimensions[letter].width = width
    for line in (1, 5):
        for cell in summary[line]:
            cell.font = openpyxl.styles.Font(bold=True)
    summary.freeze_panes = "A6"
    book.active = 0
    for each_sheet in book.worksheets:
        each_sheet.sheet_view.tabSelected = each_sheet.title == SUMMARY
    save_workbook(book, path)


def _mark_sheet(sheet: Any, marked: MarkedSheet) -> None:
    """Colours and comments the bad cells of one sheet, and adds the column of findings."""
    from openpyxl.comments import Comment
    from openpyxl.styles import Font, PatternFill

    table = marked.rows.table
    last = max((index_of(column.letter) for column in table.every_column if column.heading != COLUMN), default=0)
    place = last + 2
    _take_old_marks_away(sheet, place)
    fills = {severity: PatternFill("solid", start_color=colour) for severity, colour in COLOURS.items()}
    by_cell: dict[tuple[int, str], list[Mark]] = {}
    for each in marked.marks:
        if each.letter is not None and each.row:
            by_cell.setdefault((each.row, each.letter), []).append(each)
    for number, ((row, letter), here) in enumerate(by_cell.items()):
        cell = sheet[f"{letter}{row}"]
        if type(cell).__name__ == "MergedCell":
            continue
        cell.fill = fills[here[0].severity]
        if number < MOST_COMMENTS:
            comment = Comment(writable("\n".join(each.text for each in here)), AUTHOR)
            comment.width, comment.height = 320, 90
            cell.comment = comment
    if table.heading_row:
        heading = sheet.cell(table.heading_row, place, COLUMN)
        heading.font = Font(bold=True)
    for row, (severity, text) in row_texts(marked.marks, marked.rows).items():
        if row > table.heading_row:
            cell = sheet.cell(row, place)
            put_text(cell, text)
            cell.fill = fills[severity]
    sheet.column_dimensions[letter_of(place - 1)].width = 60


def _take_old_marks_away(sheet: Any, column: int) -> None:
    """Removes the marks of an earlier check: the column, and comments and colours in cells."""
    from openpyxl.styles import PatternFill

    for line in sheet.iter_rows():
        for cell in line:
            if cell.comment is not None and cell.comment.author == AUTHOR:
                cell.comment = None
                cell.fill = PatternFill()
    for row in range(1, sheet.max_row + 1):
        cell = sheet.cell(row, column)
        if cell.value is not None:
            cell.value, cell.fill = None, PatternFill()
