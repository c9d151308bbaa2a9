"""The marked copy: the user's own workbook with bad cells coloured and commented, a column of findings, a summary.

Where the workbook holds something that a copy through openpyxl would lose (charts, pictures, pivot tables, controls …),
the marks go into a workbook of their own instead, and that is said.
"""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import polars as pl

from kotrel.core.errors import WrongUse
from kotrel.core.findings import SEVERITIES, Severity, worst_first
from kotrel.core.rows import Rows
from kotrel.core.sheet import index_of, letter_of
from kotrel.sheets.writing import free_name, written_whole

COLUMN = "Kotrel findings"
SUMMARY = "Kotrel summary"
AUTHOR = "Kotrel"
COLOURS: dict[Severity, str] = {"error": "F8C9C4", "warning": "FCE8B2", "note": "D6E9F8"}
MOST_COMMENTS = 5_000
WIDTHS = (10, 24, 90, 34)
"""Of the summary's columns."""
SHEET_HOLDS = 1_048_576
CELL_HOLDS = 32_767
LARGE = 3_000_000
"""Cells beyond which the user's own workbook is not rewritten: it would take minutes."""

_LOST = {
    r"xl/charts/": "charts",
    r"xl/media/": "pictures",
    r"xl/pivot(Tables|Cache)/": "pivot tables",
    r"xl/(ctrlProps|activeX)/": "controls",
    r"xl/slicers?/": "slicers",
    r"xl/threadedComments/": "comment threads",
    r"xl/(diagrams|embeddings)/": "drawings",
    r"xl/externalLinks/": "links to other workbooks",
}


@dataclass(frozen=True)
class Mark:
    """What is wrong at one cell; ``letter`` is None where it concerns the whole row."""

    severity: Severity
    row: int
    letter: str | None
    text: str


@dataclass(frozen=True)
class Marked:
    """The marked copy: where it is, and what is to be said about it."""

    path: Path
    remarks: tuple[str, ...]


def marked_name(path: Path) -> Path:
    """Where the marked copy of a file goes when nothing is said: ``sheet.marked.xlsx`` beside it, or with a number."""
    stem = re.sub(r"\.marked(-\d+)?$", "", path.stem)
    ending = path.suffix if path.suffix.lower() in (".xlsx", ".xlsm") else ".xlsx"
    return free_name(path.with_name(f"{stem}.marked{ending}"))


def marks_of(rows: Rows) -> list[Mark]:
    """All marks of a checked sheet, in the order of its rows; row 0 becomes the heading row."""
    marks: list[Mark] = []
    for group in worst_first(rows.findings):
        for row, _, message, suggestion in group.cells.iter_rows():
            text = group.title if not message or message == group.title else f"{group.title}: {message}"
            if suggestion:
                text += f" (likely: {suggestion})"
            marks.append(Mark(group.severity, row or rows.table.heading_row, group.letter, text))
    marks.sort(key=lambda mark: mark.row)
    return marks


def mark(rows: Rows, target: Path) -> Marked:
    """Writes the marked copy.

    Raises:
        OutOfReach: it cannot be written.
        WrongUse: there are more rows than a sheet can hold.
    """
    source = Path(rows.table.file)
    if rows.table.last_row > SHEET_HOLDS:
        raise WrongUse(
            f"{source} has more rows than a sheet of a workbook can hold ({SHEET_HOLDS:,})",
            "kotrel check FILE --all lists each finding with its line.",
            "too-many-rows",
        )
    marks = marks_of(rows)
    reason = _why_not(source, rows)
    with written_whole(target) as path:
        if reason is None:
            _mark_copy(source, rows, marks, path)
            remarks = []
        else:
            _mark_anew(rows, marks, path)
            remarks = [reason] if reason else []
    if (
        reason is not None
        and rows.table.cells.select(pl.any_horizontal(pl.col(pl.String).str.len_chars() > CELL_HOLDS).any()).item()
    ):
        remarks.append(f"a value longer than a spreadsheet's cell can hold ({CELL_HOLDS:,} characters) was cut in it")
    if len(marks) > MOST_COMMENTS:
        remarks.append(f"only the first {MOST_COMMENTS:,} cells have a comment; the column “{COLUMN}” has all")
    return Marked(target, tuple(remarks))


def _why_not(source: Path, rows: Rows) -> str | None:
    """Why the user's own workbook cannot carry the marks; an empty text for a text file, None where it can."""
    if not rows.table.sheet:
        return ""
    if source.suffix.lower() not in (".xlsx", ".xlsm"):
        return f"{source.suffix} workbooks cannot be written: the marks are in a workbook of their own"
    if rows.table.rows * len(rows.table.columns) > LARGE:
        return "the workbook is too large to be rewritten: the marks are in a workbook of their own"
    try:
        with zipfile.ZipFile(source) as book:
            names = book.namelist()
            found = {what for pattern, what in _LOST.items() if any(re.match(pattern, name) for name in names)}
            for name in names:
                if re.match(r"xl/worksheets/sheet\d+\.xml", name) and b"x14:" in book.read(name)[-200_000:]:
                    found.add("newer formats or drop-downs")
    except (OSError, zipfile.BadZipFile):
        return "the workbook could not be read again: the marks are in a workbook of their own"
    if found:
        return f"the workbook has {' and '.join(sorted(found))}, which a copy would lose: the marks are in a workbook of their own"
    return None


def _row_texts(marks: Sequence[Mark], rows: Rows) -> dict[int, tuple[Severity, str]]:
    """Row → its worst severity and all its findings as one text."""
    headings = {column.letter: column.heading for column in rows.table.columns}
    found: dict[int, tuple[Severity, list[str]]] = {}
    for each in marks:
        told = f"{headings.get(each.letter or '', '')}: {each.text}" if headings.get(each.letter or "") else each.text
        severity, texts = found.setdefault(each.row, (each.severity, []))
        if SEVERITIES.index(each.severity) < SEVERITIES.index(severity):
            found[each.row] = (each.severity, texts)
        texts.append(told)
    return {row: (severity, "; ".join(texts)) for row, (severity, texts) in found.items()}


# --- into a copy of the user's workbook ------------------------------------------------------------------------------


def _mark_copy(source: Path, rows: Rows, marks: Sequence[Mark], path: Path) -> None:
    import openpyxl
    from openpyxl.comments import Comment
    from openpyxl.styles import PatternFill
    from openpyxl.worksheet.hyperlink import Hyperlink

    book = openpyxl.load_workbook(source, keep_vba=source.suffix.lower() == ".xlsm", rich_text=True)
    sheet = book[rows.table.sheet]
    last = max((index_of(column.letter) for column in rows.table.columns if column.heading != COLUMN), default=0)
    place = last + 2
    _take_old_marks_away(book, sheet, place)
    fills = {severity: PatternFill("solid", start_color=colour) for severity, colour in COLOURS.items()}
    by_cell: dict[tuple[int, str], list[Mark]] = {}
    for each in marks:
        if each.letter is not None:
            by_cell.setdefault((each.row, each.letter), []).append(each)
    for number, ((row, letter), here) in enumerate(by_cell.items()):
        cell = sheet[f"{letter}{row}"]
        if type(cell).__name__ == "MergedCell":
            continue
        cell.fill = fills[here[0].severity]
        if number < MOST_COMMENTS:
            comment = Comment("\n".join(each.text for each in here), AUTHOR)
            comment.width, comment.height = 320, 90
            cell.comment = comment
    heading = sheet.cell(rows.table.heading_row, place, COLUMN)
    heading.font = openpyxl.styles.Font(bold=True)
    for row, (severity, text) in _row_texts(marks, rows).items():
        if row != rows.table.heading_row:
            cell = sheet.cell(row, place, text)
            cell.fill = fills[severity]
    sheet.column_dimensions[letter_of(place - 1)].width = 60
    summary = book.create_sheet(SUMMARY, 0)
    for line, (values, link) in enumerate(_summary(rows, marks), start=1):
        for column, value in enumerate(values, start=1):
            summary.cell(line, column, value)
        if link:
            cell = summary.cell(line, 1)
            cell.hyperlink = Hyperlink(ref=cell.coordinate, location=f"{_in_quotes(rows.table.sheet)}!{link}")
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
    book.save(path)


def _in_quotes(sheet: str) -> str:
    """A sheet's name as links write it."""
    return "'" + sheet.replace("'", "''") + "'"


def _take_old_marks_away(book: Any, sheet: Any, place: int) -> None:
    """Marks of an earlier check: the summary, the column, and cells with a comment of Kotrel's."""
    from openpyxl.styles import PatternFill

    if SUMMARY in book.sheetnames:
        del book[SUMMARY]
    for line in sheet.iter_rows():
        for cell in line:
            if cell.comment is not None and cell.comment.author == AUTHOR:
                cell.comment = None
                cell.fill = PatternFill()
    for row in range(1, sheet.max_row + 1):
        cell = sheet.cell(row, place)
        if cell.value is not None:
            cell.value, cell.fill = None, PatternFill()


# --- into a workbook of its own --------------------------------------------------------------------------------------


def _mark_anew(rows: Rows, marks: Sequence[Mark], path: Path) -> None:
    import xlsxwriter

    table = rows.table
    book = xlsxwriter.Workbook(path, {"strings_to_formulas": False, "strings_to_urls": False, "constant_memory": False})
    formats = {
        severity: book.add_format({"bg_color": f"#{colour}", "num_format": "@"}) for severity, colour in COLOURS.items()
    }
    plain, bold, link = (
        book.add_format({"num_format": "@"}),
        book.add_format({"bold": True}),
        book.get_default_url_format(),
    )
    name = table.sheet or "Rows"
    summary, sheet = book.add_worksheet(SUMMARY), book.add_worksheet(name)
    for line, (texts, at) in enumerate(_summary(rows, marks)):
        summary.write_row(line, 0, texts, bold if line in (0, 4) else None)
        if at:
            summary.write_url(line, 0, f"internal:{_in_quotes(name)}!{at}", link, str(texts[0]))
    for column, width in enumerate(WIDTHS):
        summary.set_column(column, column, width)
    heading = table.heading_row - 1
    letters = [column.letter for column in table.columns if column.heading != COLUMN]
    for each in table.columns:
        if each.letter in letters:
            sheet.write_string(heading, index_of(each.letter), each.raw, bold)
    place = max(map(index_of, letters), default=0) + 1
    sheet.write_string(heading, place, COLUMN, bold)
    by_cell: dict[tuple[int, str], Severity] = {}
    for mark_here in reversed(marks):
        if mark_here.letter is not None:
            by_cell[mark_here.row, mark_here.letter] = mark_here.severity
    for values in table.cells.select("row", *letters).iter_rows():
        row = values[0]
        for letter, value in zip(letters, values[1:], strict=True):
            severity = by_cell.get((row, letter))
            if value is not None or severity:
                sheet.write_string(
                    row - 1, index_of(letter), (value or "")[:CELL_HOLDS], formats[severity] if severity else plain
                )
    for row, (severity, text) in _row_texts(marks, rows).items():
        if row != table.heading_row:
            sheet.write_string(row - 1, place, text[:CELL_HOLDS], formats[severity])
    for number, each_mark in enumerate(each for each in marks if each.letter):
        if number >= MOST_COMMENTS:
            break
        sheet.write_comment(
            each_mark.row - 1, index_of(each_mark.letter or "A"), each_mark.text, {"author": AUTHOR, "x_scale": 2}
        )
    sheet.freeze_panes(heading + 1, 0)
    sheet.set_column(0, max(place - 1, 0), 18)
    sheet.set_column(place, place, 60)
    book.close()


def _summary(rows: Rows, marks: Sequence[Mark]) -> Iterator[tuple[list[Any], str | None]]:
    """Lines of the summary sheet: values, and the cell the first of them links to."""
    titles = {column.letter: column.heading for column in rows.table.columns}
    counts = {severity: sum(each.severity == severity for each in marks) for severity in SEVERITIES}
    yield [f"Findings in {Path(rows.table.file).name}"], None
    yield (
        [
            ", ".join(f"{count:,} {severity}{'s' if count != 1 else ''}" for severity, count in counts.items() if count)
            or "nothing wrong"
        ],
        None,
    )
    yield ["Mend the coloured cells, save, and check this file again; these marks are ignored then."], None
    yield [], None
    yield ["cell", "column", "what is wrong", "value"], None
    stands: dict[tuple[int, str], Any] = {}
    letters = {each.letter for each in marks if each.letter}
    wanted = pl.Series([each.row for each in marks], dtype=pl.UInt32).unique()
    for line in rows.table.cells.filter(pl.col("row").is_in(wanted.implode())).iter_rows(named=True):
        for letter in letters & line.keys():
            stands[line["row"], letter] = line[letter]
    for each in sorted(marks, key=lambda one: SEVERITIES.index(one.severity)):
        at = f"{each.letter or 'A'}{each.row}"
        yield (
            [
                at,
                titles.get(each.letter or "", ""),
                f"{each.severity}: {each.text}",
                stands.get((each.row, each.letter or ""), ""),
            ],
            at,
        )
