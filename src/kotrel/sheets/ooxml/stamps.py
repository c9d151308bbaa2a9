"""The stamp inside a workbook that says which export it is: a custom property, which spreadsheet programs keep."""

from __future__ import annotations

import zipfile
from pathlib import Path
from xml.etree import ElementTree

from kotrel.sheets.ooxml.archives import DAMAGED

_PLACES = {".xlsx": "docProps/custom.xml", ".xlsm": "docProps/custom.xml", ".ods": "meta.xml"}

OURS = "kotrel"
"""How the names of our stamps begin, in capitals or not."""
UNREADABLE = "(its stamp cannot be read)"
"""Stands for a damaged stamp: no export has this name, so it is reported."""


def stamp_of(path: Path, name: str) -> str | None:
    """The text of a workbook's property of that name, None if it has none or is another kind of file, or UNREADABLE."""
    found = _properties(path)
    return UNREADABLE if found is None else found.get(name)


def stamps_of(path: Path) -> dict[str, str]:
    """All stamps of ours in a workbook: a copy of it has the same."""
    return {name: text for name, text in (_properties(path) or {}).items() if name.casefold().startswith(OURS)}


def _properties(path: Path) -> dict[str, str] | None:
    """The names and texts of a workbook's properties; none of another kind of file, None where they are damaged."""
    part_name = _PLACES.get(path.suffix.lower())
    if part_name is None:
        return {}
    try:
        with zipfile.ZipFile(path) as book:
            if part_name not in book.namelist():
                return {}
            root = ElementTree.fromstring(book.read(part_name))
    except DAMAGED:
        return None
    properties: dict[str, str] = {}
    for element in root.iter():
        for key, name in element.attrib.items():
            if key.rpartition("}")[2] == "name" and (text := "".join(element.itertext()).strip()):
                properties.setdefault(name, text)
    return properties
