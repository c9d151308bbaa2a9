"""Characters that look alike, and the number that a spreadsheet makes of a code: what a damaged code may have been."""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation

LOST = "\ufffd"
"""What stands for a character that a wrong encoding has lost."""

_LOOKALIKE = str.maketrans(
    "АВЕЅІЈКМНОРСТУХаеорсухіѕΑΒΕΖΗΙΚΜΝΟΡΤΥΧο‐‑‒–—−“”„‘’´`",
    "ABESIJKMHOPCTYXaeopcyxisABEZHIKMNOPTYXo------\"\"\"''''",
)
"""Cyrillic and Greek letters, dashes and quotes → the plain ones they look like."""

_UNSEEN = re.compile("[\u00a0\u200b-\u200f\u2060\ufeff\u00ad\u2007\u202f]")

_MOJIBAKE = re.compile(
    "[\u00c2-\u00f4][\u0080-\u00bf\u0152\u0153\u0160\u0161\u0178\u017d\u017e\u0192\u02c6\u02dc\u2013-\u203a\u20ac\u2122]"
)
"""A leading and a following byte of UTF-8, both read as Windows-1252."""


def seen(code: str) -> str:
    """A code without invisible characters."""
    return re.sub(r"\s+", " ", _UNSEEN.sub("", code)).strip()


def plain(code: str) -> str:
    """A code without invisible characters, and with plain letters, dashes and quotes for those that look alike."""
    return seen(code.translate(_LOOKALIKE))


def shape(code: str) -> str:
    """A code as the eye sees it: the letter O is zero; l and I are one."""
    return plain(code).upper().translate(str.maketrans("OQIL", "0011"))


def right_code_page(text: str) -> str | None:
    """The text as it was before UTF-8 was read as Windows-1252, or None if it does not convert back."""
    if not _MOJIBAKE.search(text):
        return None
    try:
        repaired = text.encode("cp1252").decode("utf-8")
    except UnicodeError:
        return None
    return repaired if repaired != text and repaired.isprintable() else None


def as_number(code: str) -> Decimal | None:
    """What a spreadsheet makes of a code that looks like a number, such as ``1E5`` or ``00120``."""
    if not re.fullmatch(r"[0-9]+(?:\.[0-9]+)?(?:[eE][-+]?[0-9]{1,3})?", code):
        return None
    try:
        return Decimal(code)
    except InvalidOperation:
        return None
