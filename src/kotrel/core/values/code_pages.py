"""Texts that were read in a wrong code page: those that prove themselves, and those that only look so."""

from __future__ import annotations

import re
from collections.abc import Iterable

_MOJIBAKE = re.compile(
    "[\u00c2-\u00f4][\u0080-\u00bf\u0152\u0153\u0160\u0161\u0178\u017d\u017e\u0192\u02c6\u02dc\u2013-\u203a\u20ac\u2122]"
)
"""A leading and a following byte of UTF-8, both read as Windows-1252 or Latin-1."""
_BOXES = re.compile("[┬├─┼╞╟╚╔╩╦╠═╬╧][^\\s!-~]|[ÔΓ]Ç")
"""The same two read in a code page of DOS, where a leading byte is a line of a box."""
MAY_BE_GARBLED = "[\u00c2-\u00f4][\u0080-\u2122]|[\u2500-\u257f]|[ÔΓ]Ç"
"""What every text has that was UTF-8 read in one of these code pages."""
_PLAUSIBLE = re.compile(
    "^[\\s!-~\u00a0-\u017f\u0192\u0218-\u021b\u02c6\u02dc\u2010-\u2044\u2070-\u209f\u20a0-\u20bf\u2100-\u215f\u2190-\u2bff\U0001f000-\U0001faff]*$"
)
"""Latin letters and the signs that sheets have: nothing else is what a garbled text was."""
_LETTER_AND_QUOTE = re.compile("[\u00c2-\u00f4][\u2013-\u203a\u02dc\u20ac\u2122]")
"""What a person may have typed as well: a letter before a closing quote or a dash."""


def right_code_pages(texts: Iterable[str]) -> dict[str, str]:
    """Text → what it was, for texts of one column that were UTF-8 read as Windows-1252, Latin-1 or a code page of DOS.

    ``Ä“`` may be ``ē`` or a letter before a closing quote: it is converted only where another text of the column was
    surely garbled.
    """
    original_texts = {text: before for text in texts if (before := right_code_page(text))}
    sure = any(
        _BOXES.search(text) or _MOJIBAKE.search(_LETTER_AND_QUOTE.sub("", _three(text))) or _three(text) != text
        for text in original_texts
    )
    return original_texts if sure else {}


def _three(text: str) -> str:
    """The text without what three bytes of UTF-8 become, such as ``â€“``: nobody types that."""
    return re.sub("[\u00e0-\u00ef][\u0080-\u00bf\u0152-\u2122][\u0080-\u00bf\u0152-\u2122]", "", text)


def right_code_page(text: str) -> str | None:
    """The text as it was before UTF-8 was read in another code page, once or more often;
    None if it does not convert back.
    """
    found = text
    while (before := _once_back(found)) is not None:
        found = before
    return found if found != text else None


def _once_back(text: str) -> str | None:
    pages = ("cp1252", "latin-1") if _MOJIBAKE.search(text) else ("cp850", "cp437") if _BOXES.search(text) else ()
    for page in pages:
        try:
            before = text.encode(page).decode("utf-8")
        except UnicodeError:
            continue
        if before != text and before.isprintable() and _is_plausible(before):
            return before
    return None


def _is_plausible(text: str) -> bool:
    """True for what a text may have been: Latin letters and usual signs, or whole words in Greek or Cyrillic."""
    return bool(_PLAUSIBLE.match(text)) or bool(re.search("[\u0370-\u03ff]{3}|[\u0400-\u04ff]{3}", text))


_LETTER = "[^\\W\\d_]"
_SIGNS = "[”“„‚÷±¤¶§¬¦¨¸¿¹³ª£\u2500-\u259f]+"
SIGN_IN_WORD = rf"\p{{L}}{_SIGNS}\p{{Ll}}"
"""A sign between letters that no language has there; code pages of one byte exchange letters with these."""
_PAIRS = (("cp1252", "cp850"), ("cp850", "cp1252"), ("cp1252", "cp1250"), ("cp437", "cp1252"), ("cp1252", "cp437"))
"""The code page in which a text was read, and the one in which it may have been written."""


def perhaps_meant(text: str) -> str | None:
    """What a text with signs within its words may have been, where another code page makes letters of all of them."""
    odd = re.compile(f"(?<={_LETTER}){_SIGNS}(?={_LETTER})")
    if not odd.search(text):
        return None
    for read, written in _PAIRS:
        try:
            before = text.encode(read).decode(written)
        except UnicodeError:
            continue
        if not odd.search(before) and re.fullmatch("[\\s!-~\u00c0-\u017f°º²³½¼®]*", before):
            return before
    return None
