"""Characters that look alike, and the number that a spreadsheet makes of a code: what a damaged code may have been."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable
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

_MOJIBAKE = re.compile(
    "[\u00c2-\u00f4][\u0080-\u00bf\u0152\u0153\u0160\u0161\u0178\u017d\u017e\u0192\u02c6\u02dc\u2013-\u203a\u20ac\u2122]"
)
"""A leading and a following byte of UTF-8, both read as Windows-1252."""
_PLAUSIBLE = re.compile(
    "^[\\s!-~\u00a0-\u017f\u0192\u0218-\u021b\u02c6\u02dc\u2010-\u2044\u2070-\u209f\u20a0-\u20bf\u2100-\u215f\u2190-\u2bff\U0001f000-\U0001faff]*$"
)
"""Latin letters and the signs that sheets have: nothing else is what a garbled text was."""


def seen(code: str) -> str:
    """A code without invisible characters."""
    return re.sub(r"\s+", " ", _UNSEEN.sub("", code)).strip()


def plain(code: str) -> str:
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
    if any(re.search(OTHER_ALPHABETS, plain(code)) for code in other):
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
    """A plain code without the quotes around it, or the apostrophe before it that keeps it a text, if it has no others."""
    found = _QUOTED.match(code)
    return (found[1] or found[2]).strip() if found else code


def as_digits(text: str) -> str | None:
    """A number in which the letters O, l and I stand for 0 and 1, in digits; None where it has none, or other letters."""
    usual = plain(text)
    digits = usual.translate(str.maketrans("OolI|", "00111"))
    if digits == usual or not re.search("[0-9]", usual) or re.search(r"[^\W\d_]", digits):
        return None
    return digits


def shape(code: str) -> str:
    """A code as the eye sees it: the letter O is zero; l and I are one."""
    return plain(code).upper().translate(str.maketrans("OQIL", "0011"))


_LETTER_AND_QUOTE = re.compile("[\u00c2-\u00f4][\u2013-\u203a\u02dc\u20ac\u2122]")
"""What a person may have typed as well: a letter before a closing quote or a dash."""


def right_code_pages(texts: Iterable[str]) -> dict[str, str]:
    """Text → what it was, for texts of one column that were UTF-8 read as Windows-1252.

    ``Ä“`` may be ``ē`` or a letter before a closing quote: it is converted only where another text of the column was surely garbled.
    """
    found = {text: before for text in texts if (before := right_code_page(text))}
    sure = any(_MOJIBAKE.search(_LETTER_AND_QUOTE.sub("", _three(text))) or _three(text) != text for text in found)
    return found if sure else {}


def _three(text: str) -> str:
    """The text without what three bytes of UTF-8 become, such as ``â€“``: nobody types that."""
    return re.sub("[\u00e0-\u00ef][\u0080-\u00bf\u0152-\u2122][\u0080-\u00bf\u0152-\u2122]", "", text)


def right_code_page(text: str) -> str | None:
    """The text as it was before UTF-8 was read as Windows-1252, once or more often; None if it does not convert back."""
    found = text
    while _MOJIBAKE.search(found):
        try:
            before = found.encode("cp1252").decode("utf-8")
        except UnicodeError:
            break
        if before == found or not before.isprintable() or not _is_plausible(before):
            break
        found = before
    return found if found != text else None


def _is_plausible(text: str) -> bool:
    """True for what a text may have been: Latin letters and usual signs, or whole words in Greek or Cyrillic."""
    return bool(_PLAUSIBLE.match(text)) or bool(re.search("[\u0370-\u03ff]{3}|[\u0400-\u04ff]{3}", text))


def as_number(code: str) -> Decimal | None:
    """What a spreadsheet makes of a code that looks like a number, such as ``1E5`` or ``00120``."""
    if not re.fullmatch(r"[0-9]+(?:\.[0-9]+)?(?:[eE][-+]?[0-9]{1,3})?", code):
        return None
    try:
        return Decimal(code)
    except InvalidOperation:
        return None
