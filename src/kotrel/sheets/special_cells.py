"""Cells that the workbook reader gives as blank although they are not: errors, and formulas that were never calculated.

``#N/A`` read as a blank would be a value lost silently, so the workbook's own XML is searched for them.
"""

from __future__ import annotations

import re
import zipfile
from dataclasses import dataclass, field
from pathlib import Path
from xml.etree import ElementTree

from kotrel.core.tables.table import index_of
from kotrel.sheets.archives import DAMAGED, damaged, part_named

_CELL = re.compile(rb"<(?:\w+:)?c\b([^>]*?)(?:/>|>(.*?)</(?:\w+:)?c>)", re.DOTALL)
_PLACE = re.compile(rb'\br="([A-Z]+)([0-9]+)"')
_VALUE = re.compile(rb"<(?:\w+:)?v\b[^>]*>([^<]+)</")
_HIDDEN_ROW = re.compile(rb'<(?:\w+:)?row\b[^>]*?\br="([0-9]+)"[^>]*\bhidden="1"')
_CHUNK = 1 << 22


@dataclass(frozen=True)
class Special:
    """What such a cell holds: the error's name or the formula, and its kind (``error`` or ``uncalculated``)."""

    text: str
    kind: str


@dataclass(frozen=True)
class Found:
    """What was found in one sheet: special cells by (row, column), counted from 0, and hidden rows, counted from 1."""

    cells: dict[tuple[int, int], Special] = field(default_factory=dict)
    hidden: list[int] = field(default_factory=list)


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
            return _in_sheet_xml(book, _part_of(book, sheet))
    if ending == ".ods":
        with zipfile.ZipFile(path) as book:
            return Found(_in_ods(book, sheet))
    if ending == ".xls":
        return Found(_in_xls(path, sheet))
    return Found()


def _part_of(book: zipfile.ZipFile, sheet: str) -> str:
    """The name of a sheet's XML inside the workbook."""
    space = {"r": "http://schemas.openxmlformats.org/officeDocument/2006/relationships"}
    workbook = ElementTree.fromstring(book.read(part_named(book, "xl/workbook.xml")))
    wanted = None
    for element in workbook.iter():
        if element.tag.endswith("}sheet") and element.get("name") == sheet:
            wanted = element.get(f"{{{space['r']}}}id") or next(
                (v for k, v in element.attrib.items() if k.endswith("}id")), None
            )
    for relation in ElementTree.fromstring(book.read(part_named(book, "xl/_rels/workbook.xml.rels"))):
        if relation.get("Id") == wanted:
            target = relation.get("Target", "")
            return part_named(book, target if target.startswith("/") else f"xl/{target}")
    raise KeyError(sheet)


def _in_sheet_xml(book: zipfile.ZipFile, part: str) -> Found:
    found = Found()
    rest = b""
    with book.open(part) as xml:
        while chunk := xml.read(_CHUNK):
            text = rest + chunk
            # Cut after the last whole cell, so that none is split.
            cut = text.rfind(b"</c>")
            text, rest = (text[: cut + 4], text[cut + 4 :]) if cut >= 0 else (b"", text)
            if b't="e"' in text or b"<f" in text:
                _look_through(text, found.cells)
            if b'hidden="1"' in text:
                found.hidden.extend(int(row) for row in _HIDDEN_ROW.findall(text))
    return found


def _look_through(text: bytes, found: dict[tuple[int, int], Special]) -> None:
    for attributes, inside in _CELL.findall(text):
        is_error = b't="e"' in attributes
        if not is_error and b"<f" not in inside:
            continue
        value = _VALUE.search(inside)
        if is_error:
            special = Special(value.group(1).decode() if value else "#ERROR", "error")
        elif value is None and b't="str"' not in attributes:
            special = Special("formula", "uncalculated")
        else:
            continue
        if place := _PLACE.search(attributes):
            found[int(place.group(2)) - 1, index_of(place.group(1).decode())] = special


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


def _in_ods(book: zipfile.ZipFile, sheet: str) -> dict[tuple[int, int], Special]:
    content = book.read("content.xml")
    if b"table:formula" not in content and b"#N/A" not in content:
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
                if cell.get(f"{_TABLE}formula") and (special := _ods_special(cell)):
                    for place in range(min(times, 1000)):
                        found[row, column + place] = special
                column += times
            row += int(line.get(f"{_TABLE}number-rows-repeated", "1"))
    return found


def _ods_special(cell: ElementTree.Element) -> Special | None:
    shown = " ".join("".join(text.itertext()) for text in cell.iter(f"{_TEXT}p"))
    kind = cell.get(f"{_MORE}value-type") or cell.get(f"{_OFFICE}value-type")
    if kind == "error" or re.match(r"^(#[A-Z0-9/]+[!?]?|Err:\d+)$", shown):
        return Special(shown or "#ERROR", "error")
    if kind is None and not shown:
        return Special("formula", "uncalculated")
    return None
