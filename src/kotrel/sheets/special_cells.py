"""Cells that the workbook reader gives as blank although they are not: errors, and formulas that were never calculated.

``#N/A`` read as a blank would be a value lost silently, so the workbook's own XML is searched for them.
"""

from __future__ import annotations

import re
import zipfile
from pathlib import Path
from xml.etree import ElementTree

from kotrel.sheets.archives import DAMAGED, damaged, sheet_part, workbook_part
from kotrel.sheets.sheet_xml import Found, Special, search_sheet


def special_cells(path: Path, sheet: str) -> Found:
    """Special cells of one sheet, and the hidden rows of an .xlsx or .xlsm one; an .xlsb workbook is not searched.

    Raises:
        OutOfReach: it cannot be searched; read without the search, an error in a cell would pass as a blank.
    """
    try:
        return _searched(path, sheet)
    except DAMAGED:
        raise damaged(path) from None


def _searched(path: Path, sheet: str) -> Found:
    ending = path.suffix.lower()
    if ending in (".xlsx", ".xlsm"):
        with zipfile.ZipFile(path) as book:
            return _in_xlsx(book, sheet)
    if ending == ".ods":
        with zipfile.ZipFile(path) as book:
            return Found(_in_ods(book, sheet))
    if ending == ".xls":
        return Found(_in_xls(path, sheet))
    return Found()


def _in_xlsx(book: zipfile.ZipFile, sheet: str) -> Found:
    """What is special in a sheet of an .xlsx or .xlsm workbook."""
    main = workbook_part(book)
    workbook = ElementTree.fromstring(book.read(main))
    recalculated = any(
        element.tag.rpartition("}")[2] == "calcPr" and element.get("fullCalcOnLoad") in ("1", "true")
        for element in workbook.iter()
    )
    return search_sheet(book, sheet_part(book, main, workbook, sheet), recalculated)


def _in_xls(path: Path, sheet: str) -> dict[tuple[int, int], Special]:
    """Error cells of an old binary workbook."""
    import xlrd

    try:
        with xlrd.open_workbook(path, on_demand=True) as book:
            cells = book.sheet_by_name(sheet)
            return {
                (row, column): Special(xlrd.error_text_from_code.get(cells.cell_value(row, column), "#ERROR"), "error")
                for row in range(cells.nrows)
                for column, kind in enumerate(cells.row_types(row))
                if kind == xlrd.XL_CELL_ERROR
            }
    except (xlrd.XLRDError, KeyError, ValueError, IndexError, AssertionError):
        raise damaged(path) from None


_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_MORE = "{urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0}"


_REPEATED = 1_000
"""A special cell that is repeated more often is told this many times."""


def _in_ods(book: zipfile.ZipFile, sheet: str) -> dict[tuple[int, int], Special]:
    content = book.read("content.xml")
    if b"formula" not in content and b'"error"' not in content and b"'error'" not in content:
        return {}
    found: dict[tuple[int, int], Special] = {}
    for table in ElementTree.fromstring(content).iter(f"{_TABLE}table"):
        if table.get(f"{_TABLE}name") != sheet:
            continue
        row = 0
        for line in table.iter(f"{_TABLE}table-row"):
            column = 0
            for cell in line:
                times = int(cell.get(f"{_TABLE}number-columns-repeated", "1"))
                marked = cell.get(f"{_TABLE}formula") or cell.get(f"{_MORE}value-type") == "error"
                if marked and (special := _ods_special(cell)):
                    for place in range(min(times, _REPEATED)):
                        found[row, column + place] = special
                column += times
            row += int(line.get(f"{_TABLE}number-rows-repeated", "1"))
    return found


def _ods_special(cell: ElementTree.Element) -> Special | None:
    shown = " ".join("".join(text.itertext()) for text in cell.findall(f"{_TEXT}p"))
    kind = cell.get(f"{_MORE}value-type") or cell.get(f"{_OFFICE}value-type")
    if kind == "error" or re.match(r"^(#[A-Z0-9/]+[!?]?|Err:\d+)$", shown):
        return Special(shown or "#ERROR", "error")
    if kind is None and not shown:
        return Special("formula", "uncalculated")
    return None
