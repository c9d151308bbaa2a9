"""What cells of .ods workbooks show, and which are struck through (OpenDocument 1.3, parts 3.9 and 3.16)."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from functools import lru_cache
from pathlib import Path
from xml.etree import ElementTree

from kotrel.core.tables.number_display import Shown, is_code_of
from kotrel.core.tables.table import letter_of

_LINE = "text-line-through-style"
_MOST = 1_000
"""A cell or row that is repeated more often, such as all to the end of the sheet, is looked at this many times."""


@lru_cache(maxsize=4)
def struck_in_ods(path: Path, version: tuple[int, int]) -> Mapping[str, Sequence[tuple[str, int]]]:
    """The struck-through cells of each sheet of a workbook: their letters and rows.

    All sheets are in one part, which is read once; ``version`` is that of the file.
    """
    with zipfile.ZipFile(path) as book:
        content = book.read("content.xml")
        named = book.read("styles.xml") if "styles.xml" in book.namelist() else b"<none/>"
    if b"line-through" not in content and b"line-through" not in named:
        return {}
    root = ElementTree.fromstring(content)
    struck = _struck_styles((*ElementTree.fromstring(named).iter(), *root.iter()))
    return {name: list(_struck_in(table, struck)) for name, table in _tables(root)} if struck else {}


@lru_cache(maxsize=4)
def shown_in_ods(path: Path, version: tuple[int, int]) -> Mapping[str, Sequence[tuple[str, int, Shown]]]:
    """What each number cell of each sheet of a workbook shows, with its letter and row: it stands beside the value."""
    with zipfile.ZipFile(path) as book:
        root = ElementTree.fromstring(book.read("content.xml"))
    return {name: list(_shown_on(table)) for name, table in _tables(root)}


def _tables(root: ElementTree.Element) -> list[tuple[str, ElementTree.Element]]:
    """The sheets with their names."""
    return [(_plain_attributes(each).get("name", ""), each) for each in root.iter() if each.tag.endswith("}table")]


def _struck_in(table: ElementTree.Element, struck: Collection[str]) -> Iterator[tuple[str, int]]:
    row = 1
    columns: list[str] = []
    for part in table.iter():
        about = _plain_attributes(part)
        if part.tag.endswith("}table-column"):
            usual = about.get("default-cell-style-name", "")
            columns += [usual] * min(int(about.get("number-columns-repeated", "1")), _MOST)
        elif part.tag.endswith("}table-row"):
            times = int(about.get("number-rows-repeated", "1"))
            for index in _struck_cells(part, columns, struck):
                yield from ((letter_of(index), row + each) for each in range(min(times, _MOST)))
            row += times


def _shown_on(table: ElementTree.Element) -> Iterator[tuple[str, int, Shown]]:
    row = 0
    for line in (each for each in table.iter() if each.tag.endswith("}table-row")):
        column = 0
        for cell in line:
            times = int(_plain_attributes(cell).get("number-columns-repeated", "1"))
            if times < _MOST and (how := _shown(cell)) is not None:
                for index in range(column, column + times):
                    yield letter_of(index), row + 1, how
            column += times
        row += int(_plain_attributes(line).get("number-rows-repeated", "1"))


def _shown(cell: ElementTree.Element) -> Shown | None:
    """What a number cell of an .ods workbook shows; None of another cell."""
    about = _plain_attributes(cell)
    kind = about.get("value-type")
    if kind not in ("float", "currency", "percentage"):
        return None
    shown = "".join("".join(each.itertext()) for each in cell)
    digits = re.search(r"[.,]([0-9]+)[^0-9.,]*$", shown)
    of_code = kind == "float" and is_code_of(shown, about.get("value", ""))
    decimals, sign = len(digits[1]) if digits else 0, about.get("currency", "")
    return Shown(decimals, kind == "percentage", currency=sign, text=shown if of_code else "")


def _struck_styles(elements: Iterable[ElementTree.Element]) -> set[str]:
    """The names of styles that strike their cells through, by themselves or by the style that they come from."""
    struck: set[str] = set()
    for style in elements:
        if style.tag.endswith("}style"):
            about = _plain_attributes(style)
            own = (_plain_attributes(each).get(_LINE) for each in style if each.tag.endswith("}text-properties"))
            said = next((each for each in own if each is not None), None)
            strikes = about.get("parent-style-name", "") in struck if said is None else said != "none"
            (struck.add if strikes else struck.discard)(about.get("name", ""))
    return struck


def _struck_cells(row: ElementTree.Element, columns: Sequence[str], struck: Collection[str]) -> Iterator[int]:
    """The indices of a row's cells that are struck through. ``columns``: the usual style of each column."""
    index = 0
    for cell in row:
        about = _plain_attributes(cell)
        wide = int(about.get("number-columns-repeated", "1"))
        for at in range(index, index + min(wide, _MOST)):
            if (about.get("style-name") or (columns[at] if at < len(columns) else "")) in struck:
                yield at
        index += wide


def _plain_attributes(part: ElementTree.Element) -> dict[str, str]:
    return {key.rpartition("}")[2]: value for key, value in part.attrib.items()}
