"""Bytes in any code page → UTF-8, with remarks on what was decided."""

from __future__ import annotations

import codecs
import re
import unicodedata
from pathlib import Path

from kotrel.core.errors import OutOfReach, WrongUse

_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
_WESTERN = ("cp1252", "cp1250", "iso8859_2", "cp850", "mac_roman", "cp437")
"""Code pages with Latin letters, the likeliest first."""
_CODE_PAGES = (*_WESTERN, "cp1251", "cp1253", "cp1254", "cp1257", "koi8_r", "shift_jis", "gb18030")
_SAMPLE = 64 * 1024
_SHOWN, _LONG_WORD = 3, 24
"""So many words show how a text is read, none longer than that."""


def encoding_of(raw: bytes) -> str:
    """The encoding of a text, as Python calls it; ``ascii`` where nothing tells one from another."""
    for mark, encoding in _MARKS:
        if raw.startswith(mark):
            return encoding
    if raw[:4096].count(0) * 4 > len(raw[:4096]):
        return "utf-16-le" if raw[1:2] == b"\x00" else "utf-16-be"
    if raw.isascii():
        return "ascii"
    return "utf-8" if _is_utf8(raw) else _page_of(raw[:_SAMPLE])


def as_utf8(raw: bytes, name: str) -> tuple[bytes, list[str]]:
    """The text as UTF-8 without a mark, and remarks about its code page.

    Raises:
        OutOfReach: it is not text in any code page.
    """
    for mark, encoding in _MARKS:
        if raw.startswith(mark):
            if encoding == "utf-8-sig":
                raw = raw[len(mark) :]
                break
            try:
                return raw.decode(encoding).encode(), [f"read as {encoding.upper()}"]
            except UnicodeDecodeError:
                raise _no_text(name) from None
    if raw[:4096].count(0) * 4 > len(raw[:4096]):
        return _without_mark(raw, name)
    if _is_utf8(raw):
        return raw, []
    page = _page_of(raw[:_SAMPLE])
    said = f"not UTF-8: read as {_encoding_name(page)}{_examples(raw[:_SAMPLE].decode(page, errors='replace'))}"
    try:
        return raw.decode(page).encode(), [said]
    except UnicodeDecodeError:
        return raw.decode(page, errors="replace").encode(), [f"{said}; some characters could not be read"]


def decoded_as(raw: bytes, encoding: str, name: str) -> tuple[bytes, list[str]]:
    """The text as UTF-8, read in the encoding that the user named.

    Raises:
        WrongUse: there is no such encoding.
        OutOfReach: the text is not in that encoding.
    """
    require_encoding(encoding)
    try:
        text = raw.decode(encoding)
    except UnicodeDecodeError as error:
        line = raw.count(b"\n", 0, error.start) + 1
        raise OutOfReach(
            f"{name} is not text in {encoding}: line {line} cannot be read so",
            "Name another encoding, or leave it out to have it recognised.",
            "not-text",
        ) from None
    return text.removeprefix("\ufeff").encode(), [f"read as {encoding}, as you said"]


def require_encoding(encoding: str) -> None:
    """Makes sure that there is an encoding of that name.

    Raises:
        WrongUse: there is none.
    """
    try:
        "a".encode(encoding)
    except (LookupError, UnicodeError, ValueError):
        raise WrongUse(
            f"there is no encoding “{encoding}”",
            "Some encodings are: utf-8, utf-16, cp1252 (western Windows), cp1250 (eastern Windows), mac-roman, cp850, latin-1.",
            "no-such-encoding",
        ) from None


def _page_of(sample: bytes) -> str:
    """The code page of a text that is not UTF-8.

    Where many letters are not ASCII, their frequencies reveal the page. Where few are, as in western texts, frequencies
    reveal little: then it is the page in which those few characters are where letters would be.
    """
    special = sum(byte > 127 for byte in sample)
    letters = special + sum(chr(byte).isalpha() for byte in sample if byte < 128)
    if special * 3 > letters:
        from charset_normalizer import from_bytes

        best = from_bytes(sample, cp_isolation=list(_CODE_PAGES)).best()
        if best is not None:
            return best.encoding
    return min(_WESTERN, key=lambda page: (_oddness(sample.decode(page, errors="replace")), _WESTERN.index(page)))


def _oddness(text: str) -> int:
    """How many special characters are where no letter would be: a capital or a symbol inside a word."""
    odd = 0
    for index, letter in enumerate(text):
        if letter < "\x80":
            continue
        before = text[index - 1] if index else " "
        after = text[index + 1] if index + 1 < len(text) else " "
        if letter.isalpha():
            odd += letter.isupper() and before.islower()
        else:
            inside = before.isalpha() and after.isalpha() and letter not in "’‘´–—·°\u00a0"
            odd += inside or unicodedata.category(letter) in ("Cc", "So") or letter == "\ufffd"
    return odd


_WORD = re.compile(r"[^\s,;|\"]+")


def _examples(text: str) -> str:
    """A few words that show whether the page is right, each with a character that those before it have not."""
    shown: list[str] = []
    known: set[str] = set()
    for word in _WORD.finditer(text):
        if word[0].isascii() or len(word[0]) > _LONG_WORD:
            continue
        special = {letter for letter in word[0] if letter > "\x7f"} - known
        if special:
            known |= special
            shown.append(f"“{word[0]}”")
        if len(shown) == _SHOWN:
            break
    return f" ({', '.join(shown)})" if shown else ""


CHECKED = 8 * 1024 * 1024
"""Bytes at the start of a large file that are checked."""


def is_utf8_file(path: Path, count: int) -> bool:
    """True where the first bytes of a file are UTF-8 text, without zero bytes."""
    with path.open("rb") as file:
        start = file.read(count)
    cut = start[: start.rfind(b"\n") + 1] or start
    return b"\x00" not in start[:4096] and _is_utf8(cut)


def _is_utf8(raw: bytes) -> bool:
    if raw.isascii():
        return True
    try:
        raw.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


def _without_mark(raw: bytes, name: str) -> tuple[bytes, list[str]]:
    """Text with every other byte zero is UTF-16 that has lost its mark, or not text at all."""
    encoding = "utf-16-le" if raw[1:2] == b"\x00" else "utf-16-be"
    try:
        return raw.decode(encoding).encode(), [f"read as {encoding.upper()}, although it has no mark"]
    except UnicodeDecodeError:
        raise _no_text(name) from None


def _encoding_name(encoding: str) -> str:
    return f"Windows-{encoding[2:]}" if encoding.startswith("cp12") else encoding


def _no_text(name: str) -> OutOfReach:
    return OutOfReach(
        f"{name} is not text that Kotrel can read", "Save it again as a workbook, or as CSV in UTF-8.", "not-text"
    )
