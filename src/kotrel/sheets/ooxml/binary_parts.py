"""The binary parts of an .xlsb workbook, as far as they tell what its reader gives as blank, hidden rows, and formats.

Source: [MS-XLSB], the records of its parts: a number and a length of seven bits a byte, then so many bytes.
"""

from __future__ import annotations

import zipfile
from collections.abc import Iterator, Mapping
from struct import unpack_from
from xml.etree import ElementTree

from kotrel.sheets.ooxml.archives import part_named
from kotrel.sheets.ooxml.sheet_xml import SheetMarkup, Special

_ROW, _ERROR, _FORMULA_ERROR, _FORMAT, _XF, _COLUMN, _END, _SHEET, _XFS, _XFS_END = (
    0,
    3,
    11,
    44,
    47,
    60,
    130,
    156,
    617,
    618,
)
_CELLS = range(1, 12)
_HIDDEN = 0x10

ERRORS: Mapping[int, str] = {
    0x00: "#NULL!",
    0x07: "#DIV/0!",
    0x0F: "#VALUE!",
    0x17: "#REF!",
    0x1D: "#NAME?",
    0x24: "#NUM!",
    0x2A: "#N/A",
    0x2B: "#GETTING_DATA",
}


def _records(part: bytes) -> Iterator[tuple[int, int, int]]:
    """Each record of a part: its number, where its bytes begin, and where they end.

    Raises:
        IndexError, ValueError: it is cut off.
    """
    at = 0
    while at < len(part):
        number = part[at]
        at += 1
        if number & 0x80:
            number = number & 0x7F | (part[at] & 0x7F) << 7
            at += 1
        length = shift = 0
        while True:
            byte = part[at]
            at += 1
            length |= (byte & 0x7F) << shift
            shift += 7
            if byte < 0x80 or shift > 21:
                break
        end = at + length
        if end > len(part):
            raise ValueError("a record is cut off")
        yield number, at, end
        at = end


def _text(part: bytes, at: int) -> tuple[str, int]:
    """A text of a record, and where it ends."""
    (length,) = unpack_from("<I", part, at)
    end = at + 4 + 2 * int(length)
    return part[at + 4 : end].decode("utf-16-le"), end


def sheet_bytes(book: zipfile.ZipFile, sheet: str) -> bytes:
    """The part with a sheet's cells.

    Raises:
        KeyError: there is none.
    """
    main = book.read(part_named(book, "xl/workbook.bin"))
    for number, start, _ in _records(main):
        if number == _SHEET:
            relation, after = _text(main, start + 8)
            if _text(main, after)[0] == sheet:
                relations = ElementTree.fromstring(book.read(part_named(book, "xl/_rels/workbook.bin.rels")))
                for each in relations:
                    if each.get("Id") == relation:
                        target = each.get("Target", "")
                        return book.read(part_named(book, target if target.startswith("/") else f"xl/{target}"))
    raise KeyError(sheet)


def search_binary_sheet(book: zipfile.ZipFile, sheet: str) -> SheetMarkup:
    """The cells with an error, and the hidden rows and columns.

    Raises:
        IndexError, KeyError, ValueError, struct.error: it is damaged.
    """
    part, markup, row, number = sheet_bytes(book, sheet), SheetMarkup(), 0, -1
    for number, start, _ in _records(part):
        if number == _ROW:
            (row,) = unpack_from("<I", part, start)
            if part[start + 11] & _HIDDEN:
                markup.hidden.append(row + 1)
        elif number == _COLUMN:
            first, last = unpack_from("<II", part, start)
            if part[start + 16] & 1:
                markup.columns.append((first, last))
        elif number in (_ERROR, _FORMULA_ERROR):
            (column,) = unpack_from("<I", part, start)
            markup.cells[row, column] = Special(ERRORS.get(part[start + 8], "#ERROR"), "error")
    if number != _END:
        raise ValueError("the sheet has no end")
    return markup


def extent(part: bytes) -> tuple[int, int, int]:
    """How many rows and columns a sheet's cells reach over, and how many cells there are.

    Raises:
        IndexError, ValueError, struct.error: it is damaged.
    """
    rows = columns = cells = row = 0
    for number, start, _ in _records(part):
        if number == _ROW:
            (row,) = unpack_from("<I", part, start)
        elif number in _CELLS:
            (column,) = unpack_from("<I", part, start)
            rows, columns, cells = max(rows, row + 1), max(columns, column + 1), cells + 1
    return rows, columns, cells


def cell_styles(book: zipfile.ZipFile, sheet: str) -> Iterator[tuple[int, int, int]]:
    """Row and column of each filled cell, from 0, and the number of its style."""
    part, row = sheet_bytes(book, sheet), 0
    for number, start, _ in _records(part):
        if number == _ROW:
            (row,) = unpack_from("<I", part, start)
        elif number in _CELLS:
            column, style = unpack_from("<II", part, start)
            yield row, column, style & 0xFFFFFF


def style_formats(book: zipfile.ZipFile) -> tuple[list[int], dict[int, str]]:
    """The number of the format of each cell style, and the formats that the workbook spells out."""
    part = book.read(part_named(book, "xl/styles.bin"))
    styles: list[int] = []
    custom_formats: dict[int, str] = {}
    of_cells = False
    for number, start, _ in _records(part):
        if number == _FORMAT:
            custom_formats[unpack_from("<H", part, start)[0]] = _text(part, start + 2)[0]
        elif number in (_XFS, _XFS_END):
            of_cells = number == _XFS
        elif number == _XF and of_cells:
            styles.append(unpack_from("<H", part, start + 2)[0])
    return styles, custom_formats
