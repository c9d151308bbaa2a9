"""Cells that the workbook reader gives as blank although they are not: errors, and formulas that were never calculated.

``#N/A`` read as a blank would be a value lost silently, so the workbook's own XML is searched for them.
"""

from __future__ import annotations

import re
import zipfile
from pathlib import Path
from xml.etree import ElementTree

from msgspec.structs import replace

from kotrel.sheets.old_workbooks import old_sheet
from kotrel.sheets.ooxml.archives import DAMAGED, damaged, part_named, sheet_part, workbook_part
from kotrel.sheets.ooxml.binary_parts import ERRORS, cell_styles, search_binary_sheet
from kotrel.sheets.ooxml.sheet_xml import SheetMarkup, Special, search_sheet


def special_cells(path: Path, sheet: str) -> SheetMarkup:
    """Special cells and hidden rows of one sheet.

    Raises:
        OutOfReach: it cannot be searched; read without the search, an error in a cell would pass as a blank.
    """
    try:
        return _searched(path, sheet)
    except DAMAGED:
        raise damaged(path) from None


def _searched(path: Path, sheet: str) -> SheetMarkup:
    ending = path.suffix.lower()
    if ending in (".xlsx", ".xlsm"):
        with zipfile.ZipFile(path) as book:
            return _in_xlsx(book, sheet)
    if ending == ".ods":
        with zipfile.ZipFile(path) as book:
            return _in_ods(book, sheet)
    if ending == ".xlsb":
        with zipfile.ZipFile(path) as book:
            return _in_xlsb(book, sheet)
    return _in_xls(path, sheet)


def _in_xlsx(book: zipfile.ZipFile, sheet: str) -> SheetMarkup:
    """What is special in a sheet of an .xlsx or .xlsm workbook."""
    main = workbook_part(book)
    workbook = ElementTree.fromstring(book.read(main))
    recalculated = any(
        element.tag.rpartition("}")[2] == "calcPr" and element.get("fullCalcOnLoad") in ("1", "true")
        for element in workbook.iter()
    )
    part = sheet_part(book, main, workbook, sheet)
    unstyled = not _has_styles(book, main) and _STYLED.search(book.read(part)) is not None
    return replace(search_sheet(book, part, recalculated), unread=(_HOW_SHOWN,) if unstyled else ())


def _in_xlsb(book: zipfile.ZipFile, sheet: str) -> SheetMarkup:
    """What is special in a sheet of a binary workbook."""
    markup = search_binary_sheet(book, sheet)
    try:
        part_named(book, "xl/styles.bin")
        return markup
    except KeyError:
        unstyled = any(style for _, _, style in cell_styles(book, sheet))
        return replace(markup, unread=(_HOW_SHOWN,) if unstyled else ())


_HOW_SHOWN = "how its cells show their numbers"
_STYLED = re.compile(rb"<(?:\w+:)?c\b[^<>]*\ss\s*=\s*[\"'](?!0[\"'])")
"""A cell that refers to a style other than the first."""


def _has_styles(book: zipfile.ZipFile, main: str) -> bool:
    try:
        return b"cellXfs" in book.read(part_named(book, main.rpartition("/")[0] + "/styles.xml"))
    except KeyError:
        return False


def _in_xls(path: Path, sheet: str) -> SheetMarkup:
    """What is special in a sheet of an old binary workbook."""
    try:
        return _looked_through(path, sheet, True)
    except DAMAGED:
        # Formats that the reader does not know are no reason to refuse the cells.
        return replace(_looked_through(path, sheet, False), unread=(_HOW_SHOWN, "what is hidden"))


def _looked_through(path: Path, sheet: str, with_formats: bool) -> SheetMarkup:
    """Errors and formulas without a result; only with its formats does the reader keep what is hidden."""
    import xlrd

    markup = SheetMarkup()
    with old_sheet(path, sheet, with_formats) as (_, cells):
        markup.hidden.extend(sorted(row + 1 for row, about in cells.rowinfo_map.items() if about.hidden))
        markup.columns.extend((column, column) for column, about in cells.colinfo_map.items() if about.hidden)
        for row in range(cells.nrows):
            for column, kind in enumerate(cells.row_types(row)):
                if kind == xlrd.XL_CELL_ERROR:
                    name = ERRORS.get(cells.cell_value(row, column), "#ERROR")
                    markup.cells[row, column] = Special(name, "error")
                elif kind == xlrd.XL_CELL_TEXT and not cells.cell_value(row, column):
                    markup.empty.append((row, column))
    return markup


_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_MORE = "{urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0}"


_REPEATED = 1_000
"""A special cell that is repeated more often is told this many times."""


_ODS_SPECIAL = (b"formula", b'"error"', b"'error'", b"collapse", b"filter")


def _in_ods(book: zipfile.ZipFile, sheet: str) -> SheetMarkup:
    content, markup = book.read("content.xml"), SheetMarkup()
    if not any(sign in content for sign in _ODS_SPECIAL):
        return markup
    for table in ElementTree.fromstring(content).iter(f"{_TABLE}table"):
        if table.get(f"{_TABLE}name") != sheet:
            continue
        row = place = 0
        for about in table.iter(f"{_TABLE}table-column"):
            times = int(about.get(f"{_TABLE}number-columns-repeated", "1"))
            if about.get(f"{_TABLE}visibility") in ("collapse", "filter"):
                markup.columns.append((place, place + times - 1))
            place += times
        for line in table.iter(f"{_TABLE}table-row"):
            column = 0
            rows = int(line.get(f"{_TABLE}number-rows-repeated", "1"))
            if line.get(f"{_TABLE}visibility") in ("collapse", "filter"):
                # A program may hide all rows below the last one as one.
                markup.hidden.extend(row + 1 + each for each in range(min(rows, _REPEATED)))
            for cell in line:
                times = int(cell.get(f"{_TABLE}number-columns-repeated", "1"))
                marked = cell.get(f"{_TABLE}formula") or cell.get(f"{_MORE}value-type") == "error"
                if marked and (special := _ods_special(cell)):
                    for place in range(min(times, _REPEATED)):
                        markup.cells[row, column + place] = special
                column += times
            row += rows
    return markup


def _ods_special(cell: ElementTree.Element) -> Special | None:
    shown = " ".join("".join(text.itertext()) for text in cell.findall(f"{_TEXT}p"))
    kind = cell.get(f"{_MORE}value-type") or cell.get(f"{_OFFICE}value-type")
    if kind == "error" or re.match(r"^(#[A-Z0-9/]+[!?]?|Err:\d+)$", shown):
        return Special(shown or "#ERROR", "error")
    if kind is None and not shown:
        return Special("formula", "uncalculated")
    return None
