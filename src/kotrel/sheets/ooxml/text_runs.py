"""Texts of which a part is formatted apart: a raised 4 behind 74, or a part that is struck through."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path
from typing import Literal
from xml.etree import ElementTree

from kotrel.sheets.ooxml.archives import part_named, sheet_part, version_of, workbook_part

Apart = Literal["raised", "struck"]
_TEXT_CELL = re.compile(rb'<c r="([A-Z]{1,3})([0-9]+)"[^<>]*?\st="s"[^<>]*>\s*<v>([0-9]+)</v>')


def texts_apart(path: Path, sheet: str) -> Mapping[str, Mapping[int, Apart]]:
    """Letter → row → what is apart in the text of that cell of an .xlsx workbook (ECMA-376, part 1, 18.4.4 and 18.4.7).

    A text that is wholly struck through, or wholly raised, is none of these.
    """
    kinds = _kinds_in(path, version_of(path))
    if not kinds:
        return {}
    with zipfile.ZipFile(path) as book:
        main = workbook_part(book)
        content = book.read(sheet_part(book, main, ElementTree.fromstring(book.read(main)), sheet))
    found: dict[str, dict[int, Apart]] = {}
    for letters, row, place in _TEXT_CELL.findall(content):
        if (kind := kinds.get(int(place))) is not None:
            found.setdefault(letters.decode(), {})[int(row)] = kind
    return found


@lru_cache(maxsize=4)
def _kinds_in(path: Path, version: tuple[int, int]) -> Mapping[int, Apart]:
    """Which of the texts that all sheets of a workbook share have a part that is apart."""
    with zipfile.ZipFile(path) as book:
        try:
            raw = book.read(part_named(book, workbook_part(book).rpartition("/")[0] + "/sharedStrings.xml"))
        except KeyError:
            return {}
    if b"vertAlign" not in raw and b"strike" not in raw:
        return {}
    return {place: kind for place, text in enumerate(_items(raw)) if (kind := _kind_apart(text)) is not None}


def _items(raw: bytes) -> list[ElementTree.Element]:
    return [each for each in ElementTree.fromstring(raw) if each.tag.endswith("}si")]


def _kind_apart(text: ElementTree.Element) -> Apart | None:
    runs = [each for each in text if each.tag.endswith("}r")]
    kinds: list[Apart | None] = []
    for run in runs:
        said = "".join(each.text or "" for each in run if each.tag.endswith("}t"))
        if said.strip():
            kinds.append(_kind_of(run))
    odd = {kind for kind in kinds if kind is not None}
    if not odd or (len(odd) == 1 and None not in kinds):
        return None
    return "struck" if "struck" in odd else "raised"


def _kind_of(run: ElementTree.Element) -> Apart | None:
    for each in run.iter():
        name, value = each.tag.rpartition("}")[2], each.get("val", "1")
        if name == "strike" and value not in ("0", "false"):
            return "struck"
        if name == "vertAlign" and value in ("superscript", "subscript"):
            return "raised"
    return None
