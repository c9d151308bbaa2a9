"""Cells that people have struck through: the mark of many that a row is not to count, which no program reads."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path
from xml.etree import ElementTree

from kotrel.core.tables.table import letter_of

_LINE = "text-line-through-style"
_MOST = 1_000
"""A cell or row that is repeated more often, such as all to the end of the sheet, is looked at this many times."""


def struck_styles(styles: ElementTree.Element) -> frozenset[int]:
    """The cell styles of an .xlsx workbook whose font is struck through (ECMA-376, part 1, 18.8.22 and 18.4.10)."""
    parts = {part.tag.rpartition("}")[2]: part for part in styles}
    fonts, cells = parts.get("fonts"), parts.get("cellXfs")
    if fonts is None or cells is None:
        return frozenset()
    struck = {str(place) for place, font in enumerate(fonts) if any(_is_set(each) for each in font)}
    return frozenset(place for place, style in enumerate(cells) if style.get("fontId", "0") in struck)


def _is_set(about: ElementTree.Element) -> bool:
    return about.tag.rpartition("}")[2] == "strike" and about.get("val", "1") not in ("0", "false")


def struck_in_ods(path: Path, sheet: str) -> Iterator[tuple[str, int]]:
    """The struck-through cells of a sheet of an .ods workbook: their letters and rows."""
    with zipfile.ZipFile(path) as book:
        content = book.read("content.xml")
        named = book.read("styles.xml") if "styles.xml" in book.namelist() else b"<none/>"
    if b"line-through" not in content and b"line-through" not in named:
        return
    root = ElementTree.fromstring(content)
    struck: dict[str, bool] = {}
    for style in (*ElementTree.fromstring(named).iter(), *root.iter()):
        if style.tag.endswith("}style"):
            about = _plain(style)
            inherited = struck.get(about.get("parent-style-name", ""), False)
            own = (_plain(each).get(_LINE) for each in style if each.tag.endswith("}text-properties"))
            said = next((each for each in own if each is not None), None)
            struck[about.get("name", "")] = inherited if said is None else said != "none"
    if not any(struck.values()):
        return
    table = next(
        (each for each in root.iter() if each.tag.endswith("}table") and _plain(each).get("name") == sheet), None
    )
    row = 1
    columns: list[str] = []
    for part in () if table is None else table.iter():
        about = _plain(part)
        if part.tag.endswith("}table-column"):
            usual = about.get("default-cell-style-name", "")
            columns += [usual] * min(int(about.get("number-columns-repeated", "1")), _MOST)
        elif part.tag.endswith("}table-row"):
            times, place = int(about.get("number-rows-repeated", "1")), 0
            for cell in part:
                of_cell = _plain(cell)
                wide = int(of_cell.get("number-columns-repeated", "1"))
                for at in range(place, place + min(wide, _MOST)):
                    style_name = of_cell.get("style-name") or (columns[at] if at < len(columns) else "")
                    if struck.get(style_name, False):
                        yield from ((letter_of(at), row + each) for each in range(min(times, _MOST)))
                place += wide
            row += times


def _plain(part: ElementTree.Element) -> dict[str, str]:
    return {key.rpartition("}")[2]: value for key, value in part.attrib.items()}
