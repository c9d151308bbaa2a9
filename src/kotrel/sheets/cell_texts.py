"""Texts that a cell can hold and that never become a formula, whatever they say: the guard before every writer."""

from __future__ import annotations

import re
from typing import Any

SHEET_HOLDS = 1_048_576
"""Rows of a sheet (ECMA-376)."""
CELL_HOLDS = 32_767
"""Characters that a cell can hold (ECMA-376)."""
_NO_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")
"""Characters that XML, and so a workbook, cannot have."""


def writable(text: str) -> str:
    """The text with a visible sign for each character that no workbook can have, cut to what a cell can hold."""
    if _NO_XML.search(text):
        text = _NO_XML.sub(lambda found: chr(0x2400 + ord(found[0])) if ord(found[0]) < 32 else "\ufffd", text)
    return text if len(text) <= CELL_HOLDS else text[: CELL_HOLDS - 1] + "…"


def put_text(cell: Any, text: object) -> None:
    """Puts a text into an openpyxl cell as a text: ``=1+1`` does not become a formula."""
    if isinstance(text, str):
        cell.value = writable(text)
        cell.data_type = "s"
    else:
        cell.value = text
