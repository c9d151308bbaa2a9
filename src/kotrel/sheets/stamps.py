"""The stamp inside a workbook that says which export it is: a custom property, which spreadsheet programs keep."""

from __future__ import annotations

import zipfile
from pathlib import Path
from xml.etree import ElementTree

from kotrel.sheets.archives import DAMAGED

_PLACES = {".xlsx": "docProps/custom.xml", ".xlsm": "docProps/custom.xml", ".ods": "meta.xml"}

OURS = "kotrel"
"""How the names of our stamps begin, in capitals or not."""
UNREADABLE = "(its stamp cannot be read)"
"""Stands for a damaged stamp: no export has this name, so it is reported."""


def stamp_of(path: Path, name: str) -> str | None:
    """The text of a workbook's property of that name, None if it has none or is another kind of file, or UNREADABLE."""
    place = _PLACES.get(path.suffix.lower())
    if place is None:
        return None
    try:
        with zipfile.ZipFile(path) as book:
            if place not in book.namelist():
                return None
            root = ElementTree.fromstring(book.read(place))
    except DAMAGED:
        return UNREADABLE
    for element in root.iter():
        if any(value == name for key, value in element.attrib.items() if key.rpartition("}")[2] == "name"):
            return "".join(element.itertext()).strip() or None
    return None


def stamps_of(path: Path) -> dict[str, str]:
    """All stamps of ours in a workbook: a copy of it has the same."""
    place = _PLACES.get(path.suffix.lower())
    if place is None:
        return {}
    try:
        with zipfile.ZipFile(path) as book:
            root = ElementTree.fromstring(book.read(place)) if place in book.namelist() else ElementTree.Element("none")
    except DAMAGED:
        return {}
    found: dict[str, str] = {}
    for element in root.iter():
        name = next((value for key, value in element.attrib.items() if key.rpartition("}")[2] == "name"), "")
        if name.casefold().startswith(OURS) and (text := "".join(element.itertext()).strip()):
            found[name] = text
    return found
