"""Tables → files: .xlsx and .ods with typed columns, .csv and tab-separated text."""

from __future__ import annotations

import html
import re
import zipfile
from collections.abc import Sequence
from datetime import date
from pathlib import Path
from typing import Any

import polars as pl

from kotrel.core.description.model import Field
from kotrel.core.errors import WrongUse
from kotrel.sheets.cell_texts import writable
from kotrel.sheets.new_workbook import new_workbook
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.sheets.print_layout import for_print
from kotrel.sheets.safe_writing import written_whole
from kotrel.sheets.tall_rows import TallColumn, TallRows, put_rows, require_room
from kotrel.sheets.text_writing import text_form, write_text

ENDINGS = (".xlsx", ".ods", ".csv", ".tsv", ".tab", ".txt")
EXACT_DIGITS = 15
_PLAIN = re.compile(r"-?[0-9]+(?:\.[0-9]+)?", re.ASCII)
_DAY = re.compile(r"^[0-9]{4}-[0-9]{2}-[0-9]{2}$", re.ASCII)
FIRST_DAY, DAY_ZERO = date(1900, 3, 1), date(1899, 12, 30)
"""The first day that all spreadsheets count alike, and the one that they count from."""
"""A spreadsheet keeps this many digits of a number; a longer one is written as text."""


def write_book(book: OutBook, path: Path) -> None:
    """Writes a file; its ending decides the kind.

    Raises:
        WrongUse: the ending is not known, or a text file would hold several sheets.
        OutOfReach: it cannot be written.
    """
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise WrongUse(
            f"{path}: “{ending}” is not a known file ending" if ending else f"{path} has no file ending",
            f"Use one of {', '.join(ENDINGS)}.",
            "unknown-ending",
        )
    if ending not in (".xlsx", ".ods") and len(book.sheets) > 1:
        raise WrongUse(
            f"{path} is a text file, which can hold only one record", "Use .xlsx or .ods for several.", "one-sheet-only"
        )
    if ending in (".xlsx", ".ods"):
        for sheet in book.sheets:
            require_room(
                sheet.rows.height, f"{path}: the sheet “{sheet.name}”", "Write it as .csv, or fewer of the rows."
            )
    with written_whole(path) as temporary:
        if ending == ".xlsx":
            _write_xlsx(book, temporary)
        elif ending == ".ods":
            _write_ods(book, temporary)
        else:
            write_text(book.sheets[0], temporary, text_form(ending))


def _write_xlsx(book: OutBook, path: Path) -> None:
    out = new_workbook(path)
    for name, value in book.stamp.items():
        out.set_custom_property(name, value)
    heading = out.add_format({"bold": True, "bottom": 1, "text_wrap": True, "valign": "top"})
    for sheet_table in book.sheets:
        sheet = out.add_worksheet(sheet_table.name)
        for_print(sheet)
        if sheet_table.printed:
            sheet.set_row(0, 32)  # room for a heading of two lines
        for index, column in enumerate(sheet_table.columns):
            sheet.write_string(0, index, writable(column.heading), heading)
            look = column_format(out, column.field, sheet_table.printed)
            longest = sheet_table.rows.to_series(index).head(200).str.len_chars().max()
            least, most = (_narrow(column), PRINTED_WIDTH) if sheet_table.printed else (9, 42)
            most = column.most or most
            width = min(max(longest if isinstance(longest, int) else 0, least), most) + 2
            sheet.set_column(index, index, width, look)
            sheet.write_blank(1, index, None, look)
        sheet.freeze_panes(1, 1)
        if sheet_table.rows.height and not sheet_table.printed:
            sheet.autofilter(0, 0, sheet_table.rows.height, len(sheet_table.columns) - 1)
    out.close()
    put_rows(
        path, {place: typed_rows(each.rows, [c.field for c in each.columns]) for place, each in enumerate(book.sheets)}
    )


PRINTED_WIDTH = 30
"""Characters of a column that is printed; longer texts are wrapped."""


def _narrow(column: OutColumn) -> int:
    """The least width of a printed column: its heading may be wrapped between words."""
    return max(len(word) for word in column.heading.split() or [""])


def typed_rows(rows: pl.DataFrame, fields: Sequence[Field | None]) -> TallRows:
    """Rows of canonical texts as cells: numbers and days as such, where a spreadsheet keeps them exactly; all else as
    texts.

    A text stays a text: "=1+1" does not become a formula, nor "00120" a number.
    """
    return TallRows(tuple(_typed(rows.to_series(place), about) for place, about in enumerate(fields)))


def _typed(values: pl.Series, about: Field | None) -> TallColumn:
    if about is not None and about.is_decimal:
        return TallColumn(values, exact_numbers(values))
    if about is not None and about.kind == "date":
        day = values.str.to_date("%Y-%m-%d", strict=False)
        known = (day >= FIRST_DAY).fill_null(False) & values.str.contains(_DAY.pattern).fill_null(False)
        count = (day - DAY_ZERO).dt.total_days().cast(pl.String)
        return TallColumn(count.zip_with(known, values), known)
    return TallColumn(values)


def column_format(out: Any, about: Field | None, printed: bool = False) -> Any:
    """The format of a column's cells; where they are printed, long texts are wrapped, and thousands set apart."""
    look: dict[str, Any] = {"valign": "top"} if printed else {}
    if about is not None and about.is_decimal:
        whole = "#,##0" if printed else "0"
        return out.add_format({**look, "num_format": whole + ("." + "0" * about.decimals if about.decimals else "")})
    if about is not None and about.kind == "date":
        return out.add_format({**look, "num_format": "yyyy-mm-dd"})
    return out.add_format({**look, "num_format": "@", **({"text_wrap": True} if printed else {})})


def exact_numbers(values: pl.Series) -> pl.Series:
    """:func:`is_exact_number` of each value; False for none."""
    digits = values.str.replace(".", "", literal=True).str.strip_chars("-0").str.len_chars()
    whole = values.str.extract("^([^.]*)").str.strip_chars_start("-0").str.len_chars()
    plain = values.str.contains(f"^(?:{_PLAIN.pattern})$")
    return (plain & (digits <= EXACT_DIGITS) & (whole <= EXACT_DIGITS)).fill_null(False)


def is_exact_number(value: str) -> bool:
    """True for a plain number that a spreadsheet keeps exactly."""
    if not _PLAIN.fullmatch(value):
        return False
    digits = value.replace(".", "").strip("-0")
    return len(digits) <= EXACT_DIGITS and len(value.partition(".")[0].lstrip("-0")) <= EXACT_DIGITS


def day_in_sheets(value: str) -> date | None:
    """An ISO date that every spreadsheet knows as a date, or None: they count days from 1900 on."""
    if not _DAY.fullmatch(value):
        return None
    try:
        day = date.fromisoformat(value)
    except ValueError:
        return None
    return day if day >= FIRST_DAY else None


# --- OpenDocument ----------------------------------------------------------------------------------------------------

_SPACES = " ".join(
    f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{space}:1.0"'
    for name, space in (
        ("office", "office"),
        ("table", "table"),
        ("text", "text"),
        ("meta", "meta"),
        ("manifest", "manifest"),
    )
)


def _write_ods(book: OutBook, path: Path) -> None:
    tables = "".join(_ods_table(sheet) for sheet in book.sheets)
    stamps = "".join(
        f"<meta:user-defined meta:name={_attribute(k)}>{_text(v)}</meta:user-defined>" for k, v in book.stamp.items()
    )
    parts = {
        "content.xml": f'<office:document-content {_SPACES} office:version="1.3"><office:body><office:spreadsheet>{tables}</office:spreadsheet></office:body></office:document-content>',
        "meta.xml": f'<office:document-meta {_SPACES} office:version="1.3"><office:meta>{stamps}</office:meta></office:document-meta>',
        "META-INF/manifest.xml": (
            f'<manifest:manifest {_SPACES} manifest:version="1.3">'
            '<manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>'
            '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/>'
            '<manifest:file-entry manifest:full-path="meta.xml" manifest:media-type="text/xml"/></manifest:manifest>'
        ),
    }
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as out:
        out.writestr(zipfile.ZipInfo("mimetype"), "application/vnd.oasis.opendocument.spreadsheet")
        for name, content in parts.items():
            out.writestr(name, '<?xml version="1.0" encoding="UTF-8"?>' + content)


def _text(text: str) -> str:
    """A text between XML tags."""
    return html.escape(text, quote=False)


def _attribute(text: str) -> str:
    """A text as the value of an XML attribute, with its quotes."""
    escaped = html.escape(text)
    for mark, code in (("\n", "&#10;"), ("\r", "&#13;"), ("\t", "&#9;")):
        escaped = escaped.replace(mark, code)
    return f'"{escaped}"'


def _ods_table(sheet: OutSheet) -> str:
    lines = ["".join(_ods_cell(column.heading, None) for column in sheet.columns)]
    fields = [column.field for column in sheet.columns]
    lines += ["".join(map(_ods_cell, values, fields)) for values in sheet.rows.iter_rows()]
    rows = "".join(f"<table:table-row>{line}</table:table-row>" for line in lines)
    return f"<table:table table:name={_attribute(sheet.name)}>{rows}</table:table>"


def _ods_cell(value: str | None, about: Field | None) -> str:
    if value is None:
        return "<table:table-cell/>"
    kind = ' office:value-type="string"'
    if about is not None and about.is_decimal and is_exact_number(value):
        kind = f' office:value-type="float" office:value="{value}"'
    elif about is not None and about.kind == "date" and day_in_sheets(value) is not None:
        kind = f' office:value-type="date" office:date-value="{value}"'
    paragraphs = "".join(f"<text:p>{_text(line)}</text:p>" for line in writable(value).split("\n"))
    return f"<table:table-cell{kind}>{paragraphs}</table:table-cell>"
