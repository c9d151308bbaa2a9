"""Bytes → UTF-8, whatever code page they were written in; what was decided is told."""

from __future__ import annotations

import codecs
from pathlib import Path

from kotrel.core.errors import OutOfReach

_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
_CODE_PAGES = (
    "cp1252",
    "cp1250",
    "cp1251",
    "cp1253",
    "cp1254",
    "cp1257",
    "cp850",
    "cp437",
    "mac_roman",
    "shift_jis",
    "gb18030",
)


def as_utf8(raw: bytes, name: str) -> tuple[bytes, list[str]]:
    """The text as UTF-8 without a mark, and remarks about its code page.

    Raises:
        OutOfReach: it is no text in any code page.
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
    if _is_utf8(raw):
        if b"\x00" in raw[:4096]:
            return _without_mark(raw, name)
        return raw, []
    from charset_normalizer import from_bytes

    best = from_bytes(raw[: 512 * 1024], cp_isolation=list(_CODE_PAGES)).best()
    # Windows-1252 is what nearly all such files are; another page has to be clearly better.
    encoding = best.encoding if best is not None else "cp1252"
    if encoding != "cp1252" and not _clearly(raw, encoding):
        encoding = "cp1252"
    try:
        return raw.decode(encoding).encode(), [f"not UTF-8: read in the code page {_called(encoding)}"]
    except UnicodeDecodeError:
        return raw.decode("cp1252", errors="replace").encode(), [
            "not UTF-8: read in the code page Windows-1252; some letters were not readable"
        ]


CHECKED = 8 * 1024 * 1024
"""Bytes from the start of a large file that are looked at."""


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
    """Text full of zero bytes is UTF-16 whose mark was lost, or no text."""
    encoding = "utf-16-le" if raw[1:2] == b"\x00" else "utf-16-be"
    try:
        return raw.decode(encoding).encode(), [f"read as {encoding.upper()}, though it has no mark"]
    except UnicodeDecodeError:
        raise _no_text(name) from None


def _clearly(raw: bytes, encoding: str) -> bool:
    """True where the letters above 127 read as letters of that page, and not as Windows-1252's western ones."""
    sample = raw[: 64 * 1024]
    try:
        other = sample.decode(encoding, errors="strict")
    except UnicodeDecodeError:
        other = sample.decode(encoding, errors="ignore")
    foreign = [letter for letter in other if ord(letter) > 127]
    western = [letter for letter in sample.decode("cp1252", errors="replace") if ord(letter) > 127]
    odd = sum(not (letter.isalpha() or letter in "€£°²³µ×–—’‘“”…®©™½¼¾§·«»´") for letter in western)
    return bool(foreign) and odd * 3 > len(western) and all(letter.isprintable() for letter in foreign)


def _called(encoding: str) -> str:
    return f"Windows-{encoding[2:]}" if encoding.startswith("cp12") else encoding


def _no_text(name: str) -> OutOfReach:
    return OutOfReach(
        f"{name} is no text that Kotrel can read", "Save it again as a workbook, or as CSV in UTF-8.", "not-text"
    )
