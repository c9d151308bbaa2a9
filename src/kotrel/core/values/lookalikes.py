"""Characters that look alike, and the number that a spreadsheet makes of a code: what a damaged code may have been."""

from __future__ import annotations

import re
import unicodedata
from decimal import Decimal, InvalidOperation

import polars as pl

LOST = "\ufffd"
"""What stands for a character that a wrong encoding has lost."""

_LOOKALIKE = str.maketrans(
    "АВЕЅІЈКМНОРСТУХаеорсухіѕΑΒΕΖΗΙΚΜΝΟΡΤΥΧο‐‑‒–—−⁄∕“”„‘’´`",
    "ABESIJKMHOPCTYXaeopcyxisABEZHIKMNOPTYXo------//\"\"\"''''",
)
"""Cyrillic and Greek letters, dashes and quotes → the plain ones they look like."""

_WIDE = {number + 0xFEE0: number for number in range(0x21, 0x7F)}
"""Full-width characters → the usual ones."""

_UNSEEN = re.compile("[\u00a0\u200b-\u200f\u2060\ufeff\u00ad\u2007\u202f]")


def seen(code: str) -> str:
    """A code without invisible characters."""
    return re.sub(r"\s+", " ", _UNSEEN.sub("", code)).strip()


def without_lookalikes(code: str) -> str:
    """A code without invisible characters, and with plain letters, dashes and quotes for those that look alike."""
    return seen(usual_signs(code).translate(_LOOKALIKE))


_LATIN = "[A-Za-z\u00c0-\u024f]"
OTHER_ALPHABETS = "[\u0370-\u03ff\u0400-\u04ff]"
"""Greek and Cyrillic letters, of which many look like Latin ones."""


def is_latin(codes: pl.Series) -> bool:
    """True where a column of codes is written in Latin letters, so that a Greek or Cyrillic one in it is a slip.

    More codes have Latin letters than have others, and no code has a letter that looks like no Latin one.
    """
    distinct = codes.drop_nulls().unique()
    other = distinct.filter(distinct.str.contains(OTHER_ALPHABETS))
    if not len(other):
        return True
    if any(re.search(OTHER_ALPHABETS, without_lookalikes(code)) for code in other):
        return False
    latin = int(distinct.str.contains(_LATIN).sum())
    return latin > len(other) or all(re.search(_LATIN, code) for code in other)


def usual_signs(text: str) -> str:
    """Full-width characters and the digits of other scripts as the usual ones, and two-part letters as one."""
    if text.isascii():
        return text
    text = unicodedata.normalize("NFC", text.translate(_WIDE))
    if not any(each.isdecimal() and not each.isascii() for each in text):
        return text
    return "".join(str(unicodedata.decimal(each)) if each.isdecimal() else _SEPARATORS.get(each, each) for each in text)


_SEPARATORS = {"\u066b": ".", "\u066c": "'"}
"""The decimal and thousands marks beside the digits of other scripts."""


_QUOTED = re.compile("""^(?:"([^"']+)"|'([^"']+)'?)$""")


def unquoted(code: str) -> str:
    """A plain code without the quotes around it, or the apostrophe before it that keeps it a text,
    if it has no others.
    """
    found = _QUOTED.match(code)
    return (found[1] or found[2]).strip() if found else code


def as_digits(text: str) -> str | None:
    """A number in which the letters O, l and I stand for 0 and 1, in digits;
    None where it has none, or other letters.
    """
    usual = without_lookalikes(text)
    digits = usual.translate(str.maketrans("OolI|", "00111"))
    if digits == usual or not re.search("[0-9]", usual) or re.search(r"[^\W\d_]", digits):
        return None
    return digits


def shape(code: str) -> str:
    """A code as the eye sees it: the letter O is zero; l and I are one."""
    return without_lookalikes(code).upper().translate(str.maketrans("OQIL", "0011"))


def as_number(code: str) -> Decimal | None:
    """What a spreadsheet makes of a code that looks like a number, such as ``1E5`` or ``00120``."""
    if not re.fullmatch(r"[0-9]+(?:\.[0-9]+)?(?:[eE][-+]?[0-9]{1,3})?", code):
        return None
    try:
        return Decimal(code)
    except InvalidOperation:
        return None
