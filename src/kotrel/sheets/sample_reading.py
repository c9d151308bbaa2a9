"""Reads another program's template or example as it is, to write files like it."""

from __future__ import annotations

import codecs
import csv
import io
import re
from datetime import date, datetime
from pathlib import Path
from typing import Any, Literal

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.layouts.sample import BLANK, CellKind, Sample, SampleCell
from kotrel.core.tables.table import index_of
from kotrel.sheets.encodings import encoding_of
from kotrel.sheets.quotes_inside import has_quotes_inside
from kotrel.sheets.textfiles import separator_of
from kotrel.sheets.users_workbook import users_workbook

WORKBOOKS = (".xlsx", ".xlsm")


def read_sample(path: Path, sheet: str, encoding: str | None = None) -> Sample:
    """The file, as it is.

    Args:
        sheet: of a workbook.
        encoding: of a text file, or None to recognise it.

    Raises:
        OutOfReach: it cannot be read.
        WrongUse: it is a workbook of another kind.
    """
    if path.suffix.lower() in WORKBOOKS:
        return _workbook(path, sheet)
    if sheet:
        raise WrongUse(
            f"{path} is a workbook that Kotrel can read but not write",
            "Save it as .xlsx, and draft the layout from that.",
            "wrong-layout",
        )
    return _text(path, encoding)


def _decoded(raw: bytes, encoding: str, path: Path) -> tuple[str, str]:
    """The text, and its encoding as Python writes it: utf-16 with a mark by that name alone."""
    try:
        text = raw.decode(encoding)
    except UnicodeDecodeError as error:
        raise OutOfReach(f"{path} is not text in the encoding {encoding}: {error}", "", "not-text") from None
    marked = raw.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))
    return text, "utf-16" if encoding.startswith("utf-16") and marked else encoding


def _text_cell(text: str) -> SampleCell:
    return SampleCell(text, "text") if text else BLANK


def _text(path: Path, encoding: str | None) -> Sample:
    raw = path.read_bytes()
    text_encoding = encoding or encoding_of(raw)
    seen = {"separator", "line_end"} | (set() if text_encoding == "ascii" and encoding is None else {"encoding"})
    text, text_encoding = _decoded(raw, "utf-8" if text_encoding == "ascii" else text_encoding, path)
    end = next((each for each in ("\r\n", "\n", "\r") if each in text), "\r\n")
    separator = separator_of(re.sub("\r(?!\n)", "\n", text[:200_000]))
    quoted = '"' in text
    inside = quoted and has_quotes_inside(text.encode(), separator)
    rows = [line.split(separator) for line in text.split(end)] if inside else list(_rows(text, separator))
    while rows and not any(rows[-1]):
        rows.pop()
    quotes: Literal["needed", "all", "none"] = "none" if inside else _quotes(text, rows, separator, end)
    width = max(map(len, rows), default=0)
    return Sample(
        path,
        "text",
        tuple(_line(list(map(_text_cell, row)), width) for row in rows),
        encoding=text_encoding,
        separator=separator,
        line_end=end,
        quotes=quotes,
        ends=text.endswith(end),
        counts=tuple(map(len, rows)),
        seen=frozenset(seen | ({"quotes"} if quoted else set())),
    )


def _rows(text: str, separator: str) -> Any:
    csv.field_size_limit(2**31 - 1)
    return csv.reader(io.StringIO(text, newline=""), delimiter=separator)


def _quotes(text: str, rows: list[list[str]], separator: str, end: str) -> Literal["needed", "all"]:
    """``all`` where every value is in quotes."""
    if not text.startswith('"'):
        return "needed"
    written = end.join(separator.join('"' + each.replace('"', '""') + '"' for each in row) for row in rows)
    return "all" if text.startswith(written) else "needed"


def _line(cells: list[SampleCell], width: int) -> tuple[SampleCell, ...]:
    return (*cells, *([BLANK] * (width - len(cells))))


def _rules_of_columns(book: Any, sheet: Any, width: int) -> tuple[dict[int, tuple[str, ...]], dict[int, int]]:
    """What the sheet allows, by the index of the column: the words of drop-down lists, and the longest texts."""
    choices: dict[int, tuple[str, ...]] = {}
    lengths: dict[int, int] = {}
    for rule in sheet.data_validations.dataValidation:
        words = _words(book, sheet, str(rule.formula1 or "")) if rule.type == "list" else ()
        longest = str(rule.formula2 or rule.formula1 or "") if rule.type == "textLength" else ""
        for span in str(rule.sqref).split():
            ends = [index_of(re.sub(r"[^A-Z]", "", each)) for each in span.split(":")]
            columns = range(ends[0], min(ends[-1], width) + 1)
            if words:
                choices.update(dict.fromkeys(columns, words))
            elif longest.isdigit():
                lengths.update(dict.fromkeys(columns, int(longest)))
    return choices, lengths


def _workbook(path: Path, name: str) -> Sample:
    try:
        book = users_workbook(path)
    except (OSError, ValueError) as error:
        raise OutOfReach(f"{path} cannot be read: {error}", "", "file-not-readable") from None
    if name not in book.sheetnames:
        raise OutOfReach(
            f"the sheet “{name}” of {path} cannot be copied",
            "Open it in a spreadsheet program, save it anew, and draft the layout from that.",
            "file-not-readable",
        )
    sheet = book[name]
    lines = [[_cell(cell) for cell in row] for row in sheet.iter_rows(min_row=1, max_row=sheet.max_row)]
    while lines and all(cell.kind == "blank" for cell in lines[-1]):
        lines.pop()
    width = max((number for line in lines for number, cell in enumerate(line, 1) if cell.kind != "blank"), default=0)
    choices, lengths = _rules_of_columns(book, sheet, width)
    return Sample(
        path,
        "workbook",
        tuple(_line(line[:width], width) for line in lines),
        sheet=name,
        sheets=tuple(book.sheetnames),
        choices=choices,
        lengths=lengths,
    )


def _cell(cell: Any) -> SampleCell:
    value, bold = cell.value, bool(cell.font and cell.font.bold)
    kind: CellKind
    if value is None or value == "":
        return SampleCell("", "blank", cell.number_format, bold)
    if isinstance(value, bool) or cell.data_type in ("f", "e"):
        kind, text = "other", str(value)
    elif isinstance(value, datetime | date):
        whole = not isinstance(value, datetime) or value.time() == value.min.time()
        kind, text = ("date", f"{value:%Y-%m-%d}") if whole else ("other", str(value))
    elif isinstance(value, int | float):
        kind, text = "number", repr(int(value) if value == int(value) else value)
    else:
        kind, text = "text", str(value)
    return SampleCell(text, kind, cell.number_format, bold)


def _words(book: Any, sheet: Any, formula: str) -> tuple[str, ...]:
    """The words of a drop-down list: in the list itself, in a range, or in a name of the workbook."""
    if formula.startswith('"'):
        return tuple(each.strip() for each in formula.strip('"').split(",") if each.strip())
    if (named := book.defined_names.get(formula)) is not None:
        formula = str(named.attr_text)
    where, _, span = formula.rpartition("!")
    where, span = where.strip("'").replace("''", "'"), span.replace("$", "")
    if not re.fullmatch(r"[A-Z]+[0-9]+(:[A-Z]+[0-9]+)?", span) or (where and where not in book.sheetnames):
        return ()
    cells = (book[where] if where else sheet)[span]
    rows = cells if isinstance(cells, tuple) else ((cells,),)
    return tuple(str(cell.value) for row in rows for cell in row if cell.value not in (None, ""))
