"""The XML of a worksheet (.xlsx, .xlsm), searched for what the workbook reader gives as blank, and for hidden rows.

Sheets as the common programs write them are searched by patterns, which takes little beside reading. Anything else
(prefixed names, cells without their place, other quotes) goes through a real parser: what cannot be searched is
damaged, never without errors.
"""

from __future__ import annotations

import re
import zipfile
from collections.abc import Mapping, Sequence
from xml.parsers import expat

from msgspec import Struct, field

from kotrel.core.tables.table import index_of


class Special(Struct, frozen=True):
    """What such a cell holds: the error's name or the formula, and its kind (``error`` or ``uncalculated``)."""

    text: str
    kind: str


class SheetMarkup(Struct, frozen=True):
    """What was found in one sheet: special cells by (row, column), counted from 0, and hidden rows, counted from 1.

    Attributes:
        columns: the first and the last of hidden columns, counted from 0.
        empty: the cells whose formula came with an empty text, where no program need have calculated it.
        part: the part of the archive that was read to its end, which proves its checksum; empty where there is none.
        unread: what cannot be read, although the cells can, in words.
    """

    cells: dict[tuple[int, int], Special] = field(default_factory=dict)
    hidden: list[int] = field(default_factory=list)
    columns: list[tuple[int, int]] = field(default_factory=list)
    empty: list[tuple[int, int]] = field(default_factory=list)
    part: str = ""
    unread: tuple[str, ...] = ()


_CELL = re.compile(rb"<c\b([^<>]*?)(?:/>|>(.*?)</c>)", re.DOTALL)
_EMPTY_CELL = re.compile(rb"<c\b([^<>]*)/>")
_PLACE = re.compile(rb'\sr="([A-Za-z]{1,3})([0-9]+)"')
_VALUE = re.compile(rb"<v\b[^<>]*>([^<]*)</v>|<v\s*/>")
_HIDDEN_ROW = re.compile(rb'<row\b[^<>]*?\sr="([0-9]+)"[^<>]*\shidden="(?:1|true)"')
_COLUMN = re.compile(rb"<col\s([^<>]*)>")
_SPECIAL = (b">#", b">&#", b"<f", b'"e"', b"'e'", b"<!", b"hidden=")
"""Without any of these, a part of a sheet has no error, no formula and no hidden row."""
_UNUSUAL = (b":sheetData", b"<!", b"='", b' ="', b'= "', b"= '", b'="&', b"<c>", b"<c/>", b"<c\n", b"<c\r", b"<c\t")
"""A sheet with one of these may be written in a way that the patterns do not know;
some texts in cells have them too.
"""
_CHUNK = 1 << 22


_RARE = b"!#'\n\r\t&"
"""Bytes that most sheets do not have: a single one is looked for thirty times as fast as two."""


def has_any(text: bytes, signs: Sequence[bytes]) -> bool:
    """True where a text has one of the signs."""
    lacking = {byte for byte in _RARE if byte not in text}
    return any(sign in text for sign in signs if not lacking or lacking.isdisjoint(sign))


def search_sheet(book: zipfile.ZipFile, part: str, recalculated: bool) -> SheetMarkup:
    """What is special in a worksheet.

    Args:
        recalculated: the workbook says that its formulas are to be calculated when it is opened: a result of 0 that
            came with it is no result.

    Raises:
        ExpatError, BadZipFile: it is damaged.
    """
    markup = SheetMarkup(part=part)
    rest, prefixed, first = b"", False, True
    with book.open(part) as xml:
        while rest or first:
            chunk = xml.read(_CHUNK)
            if first and b"\x00" in chunk[:4]:
                return _parsed(book, part, recalculated)
            text = rest + chunk
            # Cut before the last cell, so that none is split; at the end of the part, all that is left is whole.
            cut = text.rfind(b"<c ") if chunk else len(text)
            text, rest = (text[:cut], text[cut:]) if cut > 0 else (b"", text)
            # The element is at the head of the part, before all cells.
            prefixed = prefixed or (first and b":sheetData" in text + rest)
            first = False
            if prefixed or (not text and len(rest) > 4 * _CHUNK):
                return _parsed(book, part, recalculated)
            if has_any(text, _SPECIAL):
                if _is_unusual(text):
                    return _parsed(book, part, recalculated)
                _look_through(text, markup.cells, recalculated)
                if b" hidden=" in text:
                    markup.columns.extend(filter(None, map(_hidden_column, _COLUMN.findall(text))))
                    markup.hidden.extend(int(row) for row in _HIDDEN_ROW.findall(text))
    return markup


def _hidden_column(attributes: bytes) -> tuple[int, int] | None:
    given = {
        name.decode(): value.decode("utf-8", "replace")
        for name, value in re.findall(rb'([a-zA-Z]+)="([^"]*)"', attributes)
    }
    return _columns_of(given)


def _columns_of(given: Mapping[str, str]) -> tuple[int, int] | None:
    """The first and the last column, from 0, of an element that hides them; None where it does not."""
    first, last = given.get("min", ""), given.get("max", "")
    hides = given.get("hidden") in ("1", "true") and first.isdigit() and last.isdigit()
    return (int(first) - 1, int(last) - 1) if hides else None


def _is_unusual(text: bytes) -> bool:
    """True where the patterns might miss something. Searching for single words takes a fraction
    of one pattern's time.
    """
    if has_any(text, _UNUSUAL) or text.count(b"<c ") != text.count(b'<c r="'):
        return True
    return b"hidden=" in text and text.count(b"<row ") != text.count(b'<row r="')


def _look_through(text: bytes, specials: dict[tuple[int, int], Special], recalculated: bool) -> None:
    # Beyond the last end of a cell, none that is begun can end: looking for it from each would take the square of the
    # time.
    whole = text.rfind(b"</c>") + len(b"</c>") if b"</c>" in text else 0
    empty = ((attributes, b"") for attributes in _EMPTY_CELL.findall(text, whole))
    for attributes, inside in (*_CELL.findall(text, 0, whole), *empty):
        is_error = b't="e"' in attributes
        if not is_error and b"<f" not in inside:
            continue
        value = _VALUE.search(inside)
        held = None if value is None else (value.group(1) or b"").decode()
        special = _judged(is_error, True, b't="str"' in attributes, held, recalculated)
        if special and (place := _PLACE.search(attributes)):
            specials[int(place.group(2)) - 1, index_of(place.group(1).decode())] = special


def _judged(is_error: bool, has_formula: bool, is_text: bool, held: str | None, recalculated: bool) -> Special | None:
    """What a cell is, if it is special.

    Args:
        held: its kept value; empty where the element is there and empty, None where it is not there.
    """
    if is_error:
        return Special(held or "#ERROR", "error")
    if not has_formula:
        return None
    # A formula whose result is an empty text has an empty value; one that nobody calculated has none, or a bare 0.
    if held is None or (not held and not is_text) or (recalculated and held == "0"):
        return Special("formula", "uncalculated")
    return None


def _parsed(book: zipfile.ZipFile, part: str, recalculated: bool) -> SheetMarkup:
    """The same, by a parser."""
    search = _Search(recalculated, part)
    parser = expat.ParserCreate()
    parser.buffer_text = True
    parser.StartElementHandler = search.start
    parser.EndElementHandler = search.end
    parser.CharacterDataHandler = search.text
    with book.open(part) as xml:
        while chunk := xml.read(_CHUNK):
            parser.Parse(chunk, False)
        parser.Parse(b"", True)
    return search.found


class _Search:
    """Where the parser is, and what it has found."""

    def __init__(self, recalculated: bool, part: str) -> None:
        self.found = SheetMarkup(part=part)
        self.recalculated = recalculated
        self.row = self.column = 0
        self.kind = ""
        self.has_formula = self.in_value = False
        self.held: str | None = None

    def start(self, name: str, given: dict[str, str]) -> None:
        name = name.rpartition(":")[2]
        if name == "row":
            self.row = int(given["r"]) if given.get("r", "").isdigit() else self.row + 1
            self.column = 0
            if given.get("hidden") in ("1", "true"):
                self.found.hidden.append(self.row)
        elif name == "col":
            if columns := _columns_of(given):
                self.found.columns.append(columns)
        elif name == "c":
            place = re.fullmatch(r"([A-Za-z]{1,3})([0-9]+)", given.get("r", ""))
            self.column = index_of(place[1]) + 1 if place else self.column + 1
            if place:
                self.row = int(place[2])
            self.kind, self.has_formula, self.held = given.get("t", ""), False, None
        elif name == "f":
            self.has_formula = True
        elif name == "v":
            self.in_value, self.held = True, ""

    def text(self, text: str) -> None:
        if self.in_value:
            self.held = (self.held or "") + text

    def end(self, name: str) -> None:
        name = name.rpartition(":")[2]
        if name == "v":
            self.in_value = False
        elif name == "c":
            special = _judged(self.kind == "e", self.has_formula, self.kind == "str", self.held, self.recalculated)
            if special:
                self.found.cells[self.row - 1, self.column - 1] = special
