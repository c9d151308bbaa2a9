"""Headings: on one line, over two rows, with technical names below them, and without what is said beside them."""

from __future__ import annotations

import re

import polars as pl


def second_heading_row(cells: pl.DataFrame, at: int) -> dict[str, str] | None:
    """The row below the headings, if it continues them: it names columns that the first row leaves blank."""
    if at + 2 >= cells.height:
        return None
    top = dict(zip(cells.columns, cells.row(at), strict=True))
    below = {letter: one_line(text or "") for letter, text in zip(cells.columns, cells.row(at + 1), strict=True)}
    blank = [letter for letter, text in top.items() if not one_line(text or "")]
    words = [text for text in below.values() if text]
    if not blank or len(words) < 2 or any(re.search(r"[0-9]", text) for text in words):
        return None
    after = cells.row(at + 2)
    looks_like_data = any(re.search(r"[0-9]", text or "") for text in after)
    return below if looks_like_data and all(below[letter] for letter in blank) else None


def joined_headings(top: dict[str, str], below: dict[str, str]) -> dict[str, str]:
    """Joins two heading rows: a heading above several columns applies to each of them."""
    joined: dict[str, str] = {}
    last = ""
    for letter, text in top.items():
        last = text or last
        own = below[letter]
        # A heading that is merged downwards stands in both rows.
        joined[letter] = f"{last} {own}".strip() if own and own != text else text
    return joined


def one_line(text: str) -> str:
    """A heading on one line: line breaks and runs of spaces become one space."""
    # The last three characters are a UTF-8 mark that was read in an old code page.
    return re.sub(r"[\s\u200b\ufeff]+|^ï»¿", " ", text).strip()


_IDENTIFIER = re.compile(r"^[A-Za-z][A-Za-z0-9_.$-]*$")
_NUMBER = r"^[-+(]?[€$£]?\s*[0-9][0-9.,'\s]*\)?\s*[€%]?$"


def technical_row(cells: pl.DataFrame, at: int) -> dict[str, str] | None:
    """The row below the headings, if it repeats them as technical names (``ITEM_NO``): no data.

    Every cell is one different identifier, and a name stands where the rows below have numbers, or most names have
    underscores.
    """
    if at + 2 >= cells.height:
        return None
    below = {letter: one_line(text or "") for letter, text in zip(cells.columns, cells.row(at + 1), strict=True)}
    headed = [letter for letter, text in zip(cells.columns, cells.row(at), strict=True) if one_line(text or "")]
    names = [text for text in below.values() if text]
    if len(names) < 2 or len(names) < len(headed) or len({name.casefold() for name in names}) < len(names):
        return None
    if not all(_IDENTIFIER.match(name) for name in names):
        return None
    after = cells.slice(at + 2, 50)
    over_numbers = any(
        bool(values.str.contains(_NUMBER).all())
        for letter in headed
        if len(values := after[letter].drop_nulls().str.strip_chars()) and below[letter]
    )
    return below if over_numbers or sum("_" in name for name in names) * 2 > len(names) else None


_ASIDE = re.compile(r"\s*(?:\([^()]*\)|\[[^\[\]]*\]|[*:!]+|,\s*max\.?\s*\d+.*)\s*$", re.IGNORECASE)


def bare_heading(heading: str) -> str:
    """A heading without what is said about it at its end: ``Cost [EUR]``, ``Description (max. 80)``, ``Unit *``."""
    while (shorter := _ASIDE.sub("", heading)) != heading and shorter.strip():
        heading = shorter
    return heading
