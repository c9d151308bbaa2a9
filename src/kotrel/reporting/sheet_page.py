"""The page about a sheet: what is wrong with it, for oneself or for the supplier who sent it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.loading.load_model import Checked
from kotrel.core.phrases import count, listed_and
from kotrel.core.rows.finding_kinds import FOR_SENDER, KINDS
from kotrel.core.rows.findings import FindingGroup, count_by_severity, rows_with, worst_first
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.as_shown import as_shown
from kotrel.core.tables.table import Column
from kotrel.reporting.load_page import repair_rows
from kotrel.reporting.page import MOST_ROWS, Cell, Page, PageTable, Row, Section, Tone, number_cell
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.sheets.table_writing import write_book

AROUND = 3
"""Other columns of a row that are shown beside a bad cell, at most, so that the sender recognises it."""
TONES: dict[str, Tone] = {"error": "bad", "warning": "warn", "note": ""}


def _rows_of(sheets: Sequence[Checked]) -> tuple[int, int]:
    """How many rows have errors, and how many there are."""
    bad = sum(len(rows_with(each.rows.findings, "error")) for each in sheets)
    return bad, sum(each.rows.values.height for each in sheets)


def sheet_page(checked: Sequence[Checked], supplier: bool, rest: Path | None = None) -> Page:
    """The page of checked sheets.

    Args:
        supplier: it is sent to whoever made the sheet: it has the cells of that file and what the rules ask for, and
            none of our own values, codes or names.
        rest: of a page for the supplier: where a workbook with the rows to correct is written, if there are any.
    """
    sheets = [each for each in checked if each.consequence is None and not each.says_nothing]
    sheets = list(map(_for_sender, sheets)) if supplier else sheets
    files = ", ".join(dict.fromkeys(Path(each.rows.table.file).name for each in sheets))
    bad, total = _rows_of(sheets)
    written = _rows_to_correct(sheets, rest) if supplier and rest is not None and bad else None
    names = listed_and(list(dict.fromkeys(each.rows.table.sheet for each in sheets if each.rows.table.sheet)))
    facts = [("File", files), ("Rows", f"{total:,}"), ("To correct", count(bad, "row")), ("Sheets", names)]
    sections = [_summary(sheets, supplier), *_by_severity(sheets, supplier)]
    if not supplier:
        sections += _for_us(sheets)
    if written:
        words = (
            f"The rows to correct are also in the workbook {written}, each with what is wrong in its last column. "
            "Please correct them there or in your own file, and send the file again."
        )
        sections.append(Section("How to correct it", words=[words]))
    lead, tone = _lead(sheets, bad, total)
    return Page("Check report", files, lead, [each for each in facts if each[1]], sections, tone, rest=written)


def _lead(sheets: Sequence[Checked], bad: int, total: int) -> tuple[str, Tone]:
    """What the page says first: whether the rows can be used.

    Args:
        bad: rows with an error, of the ``total``.
    """
    groups = [group for each in sheets for group in each.rows.findings]
    counts = count_by_severity(groups)
    tone: Tone = "bad" if counts["error"] else "good"
    if not counts["error"]:
        lead = f"All {count(total, 'row')} can be used as they are."
    elif any((group.cells[ROW] == 0).any() for group in groups if group.severity == "error"):
        lead = f"The sheet cannot be used yet: {count(counts['error'], 'problem')} must be corrected first."
    else:
        lead = f"{bad:,} of {count(total, 'row')} must be corrected: {count(counts['error'], 'cell')}."
    if counts["warning"]:
        lead += f" {count(counts['warning'], 'warning')} to look at."
    return lead, tone


def _by_severity(sheets: Sequence[Checked], supplier: bool) -> list[Section]:
    """The cells of each sheet: what must be corrected, what to look at, and what is for information."""
    titles = {"error": "To correct", "warning": "To look at", "note": "For information"}
    sections = []
    for each in sheets:
        groups = worst_first(each.rows.findings)
        name = f" in sheet {each.rows.table.sheet}" if each.rows.table.sheet and len(sheets) > 1 else ""
        for severity, title in titles.items():
            tables = [_group(each.rows, group, supplier) for group in groups if group.severity == severity]
            if tables:
                sections.append(Section(f"{title}{name}", tables=tables))
    return sections


def _for_sender(checked: Checked) -> Checked:
    """Only the findings that lie in the sheet alone: others would tell what our system holds, or how we price."""
    groups = [group for group in checked.rows.findings if group.kind in FOR_SENDER and group.severity != "note"]
    return replace(checked, rows=replace(checked.rows, findings=tuple(groups)), remarks=())


def _summary(sheets: Sequence[Checked], supplier: bool) -> Section:
    rows: list[Row] = []
    for checked_sheet in sheets:
        for group in worst_first(checked_sheet.rows.findings):
            rows.append(
                [
                    Cell(group.severity, tone=TONES[group.severity]),
                    _column(checked_sheet.rows, group, supplier),
                    _title(group, supplier),
                    number_cell(group.count),
                ]
            )
    return Section(
        "In short",
        tables=[PageTable("Findings by kind", ["", "Column", "What is wrong", "Cells"], rows)] if rows else [],
    )


def _column(rows: Rows, group: FindingGroup, supplier: bool) -> str:
    """The column as the sender calls it; our own name of the field beside it, for ourselves."""
    heading = group.heading or _heading(rows, group.letter)
    title = rows.record.fields[group.field].title if group.field else ""
    if supplier:
        return heading or title or "the sheet"
    return (
        f"{title} (column “{heading}”)" if title and heading and heading != title else title or heading or "the sheet"
    )


def _heading(rows: Rows, letter: str | None) -> str:
    return next((column.heading for column in rows.table.columns if column.letter == letter), "")


def _title(group: FindingGroup, supplier: bool) -> str:
    """What is wrong; for the supplier in general words, which have none of our values."""
    if supplier:
        return KINDS[group.kind].means
    return f"{group.title[:1].upper()}{group.title[1:]}"


def _group(rows: Rows, group: FindingGroup, supplier: bool) -> PageTable:
    """The cells of one kind of finding, each with the values around it."""
    around = _columns_beside(rows, group.letter)
    heads = ["Cell", "Value", *(column.heading for column in around)] + ([] if supplier else ["What to do", "Perhaps"])
    cells = group.cells.head(MOST_ROWS)
    held = rows.table.cells.filter(pl.col(ROW).is_in(cells[ROW].implode()))
    texts = {
        column.letter: dict(zip(held[ROW].to_list(), held[column.letter].to_list(), strict=True)) for column in around
    }
    shown: list[Row] = []
    for row, value, message, suggestion in cells.iter_rows():
        place = rows.table.place(row, group.letter) if row else "the sheet"
        line: list[str | Cell] = [place, Cell("(blank)" if value is None else value, tone=TONES[group.severity])]
        line += [texts[column.letter].get(row) or "" for column in around]
        if not supplier:
            line += [message or "", suggestion or ""]
        shown.append(line)
    caption = f"{_column(rows, group, supplier)}: {_title(group, supplier)}"
    return PageTable(caption, heads, shown, total=group.count, searched=True)


def _columns_beside(rows: Rows, letter: str | None) -> list[Column]:
    """The columns by which a row is recognised: that of the key, and the first others that are filled."""
    key = [rows.letters[name] for name in rows.record.key if name in rows.letters]
    called = [rows.letters[rows.record.called]] if rows.record.called in rows.letters else []  # type: ignore[index]
    others = [column.letter for column in rows.table.columns if column.heading]
    wanted = [each for each in dict.fromkeys([*key, *called, *others]) if each != letter][:AROUND]
    by_letter = {column.letter: column for column in rows.table.columns}
    return [by_letter[each] for each in wanted if each in by_letter]


def _for_us(sheets: Sequence[Checked]) -> list[Section]:
    """What was left out, and what was corrected."""
    notes = list(dict.fromkeys(remark for each in sheets for remark in each.remarks))
    sections = [Section("About the sheets", notes=notes)] if notes else []
    repairs = [row for each in sheets for row in repair_rows(each.rows)]
    if repairs:
        table = PageTable(
            "Cells corrected on reading, each with its proof",
            ["Cell", "Field", "Was", "Is", "Proof"],
            repairs,
            searched=True,
        )
        sections.append(Section("Corrected automatically", tables=[table]))
    return sections


def _rows_to_correct(sheets: Sequence[Checked], path: Path) -> str:
    """A workbook with the sender's own rows that have errors, and what is wrong with each; its name."""
    out = []
    for index, each in enumerate(sheets, start=1):
        rows = each.rows
        wrong: dict[int, list[str]] = {}
        for group in worst_first(rows.findings):
            if group.severity == "error":
                for row in group.cells[ROW].to_list():
                    words = f"{_column(rows, group, True)}: {_title(group, True)}"
                    if row and words not in wrong.setdefault(row, []):
                        wrong[row].append(words)
        if not wrong:
            continue
        table = rows.table
        frame = pl.DataFrame({"row": table.cells[ROW]}).with_columns(
            as_shown(table, column.letter).alias(column.letter) for column in table.columns
        )
        frame = frame.filter(pl.col("row").is_in(list(wrong)))
        said = ["; ".join(wrong[row]) for row in frame["row"].to_list()]
        frame = frame.with_columns(pl.col("row").cast(pl.String), pl.Series("wrong", said, dtype=pl.String))
        columns = (
            OutColumn("Row"),
            *(OutColumn(column.heading or column.letter) for column in table.columns),
            OutColumn("What to correct", most=90),
        )
        out.append(OutSheet((table.sheet or f"Rows {index}")[:31], columns, frame.cast(pl.String), printed=True))
    write_book(OutBook(tuple(out)), path)
    return path.name
