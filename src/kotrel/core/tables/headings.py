"""Headings: on one line, over two rows, with technical names below them, and without what is said beside them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

import polars as pl

from kotrel.core.phrases import listed


def second_heading_row(cells: pl.DataFrame, at: int) -> dict[str, str] | None:
    """The row below the headings, if it continues them: it names columns that the first row leaves blank."""
    if at + 2 >= cells.height:
        return None
    below, after = texts_of(cells, at + 1), texts_of(cells, at + 2)
    blank = [letter for letter, text in texts_of(cells, at).items() if not text]
    words = list(filter(None, below.values()))
    if not blank or len(words) < 2 or _have_digits(words):
        return None
    return below if _have_digits(after.values()) and all(below[letter] for letter in blank) else None


def _have_digits(texts: Iterable[str]) -> bool:
    return any(re.search(r"[0-9]", text) for text in texts)


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


def texts_of(cells: pl.DataFrame, at: int) -> dict[str, str]:
    """Letter of the column → the text of a row's cell, on one line; empty for a blank cell."""
    return {letter: one_line(text or "") for letter, text in zip(cells.columns, cells.row(at), strict=True)}


def one_line(text: str) -> str:
    """A heading on one line: line breaks and runs of spaces become one space."""
    # The last three characters are a UTF-8 mark that was read in an old code page.
    return re.sub(r"[\s\u200b\ufeff]+|^ï»¿", " ", text).strip()


_IDENTIFIER = re.compile(r"^[A-Za-z][A-Za-z_.$]*$")


def technical_row(cells: pl.DataFrame, at: int) -> dict[str, str] | None:
    """The row below the headings, if it repeats them as technical names (``ITEM_NO`` below “Item number”): no data.

    Every cell is a different name without digits, and most of them are made of words or initials of their headings, or
    have underscores.
    """
    if at + 2 >= cells.height:
        return None
    above, below = texts_of(cells, at), texts_of(cells, at + 1)
    names = {letter: text for letter, text in below.items() if text}
    headed = len(list(filter(None, above.values())))
    different = len(set(map(str.casefold, names.values())))
    if not len(names) == different >= max(2, headed):
        return None
    if not all(_IDENTIFIER.match(name) for name in names.values()):
        return None
    technical = sum(1 for letter, name in names.items() if "_" in name or _is_short_for(name, above[letter]))
    return below if technical * 2 > len(names) else None


def _is_short_for(name: str, heading: str) -> bool:
    """True where a name is made of words of a heading, whole or cut short, or of its initials;
    but not the heading itself.
    """
    words = [word.casefold() for word in re.findall(r"[^\W\d_]+", heading)]
    parts = [part.casefold() for part in re.findall(r"[A-Z]?[a-z]+|[A-Z]+", name)]
    if not words or name.casefold() == heading.casefold():
        return False
    if name.casefold() == "".join(word[0] for word in words) and len(words) > 1:
        return True
    return any(word.startswith(part) for part in parts if len(part) > 2 for word in words)


_ASIDE = re.compile(r"\s*(?:\([^()]*\)|\[[^\[\]]*\]|[*:!]+|,\s*max\.?\s*\d+.*)\s*$", re.IGNORECASE)


_LONGEST = 300


def bare_heading(heading: str) -> str:
    """A heading without what is said about it at its end: ``Cost [EUR]``, ``Description (max. 80)``, ``Unit *``."""
    if len(heading) > _LONGEST:
        # No heading that anybody knows is so long, and searching its end would take longer with each letter.
        return heading
    while (shorter := _ASIDE.sub("", heading)) != heading and shorter.strip():
        heading = shorter
    return heading


def _rows_like(body: pl.DataFrame, texts: Sequence[str | None]) -> pl.Series | None:
    """Boolean for each row: its cells say what the texts say, one for each column. None where there is no column."""
    alike: pl.Series | None = None
    # The last column is hardly ever a value as its heading says, and settles it for nearly all sheets.
    for letter, text in reversed(list(zip(body.columns, texts, strict=True))):
        if text is None or not text.strip():
            same = body[letter].str.strip_chars().fill_null("") == ""
        else:
            same = body[letter].is_in([text, text.strip(), one_line(text)]).fill_null(False)
        alike = same if alike is None else alike & same
        if not alike.any():
            break
    return alike


def headings_within(
    body: pl.DataFrame, rows: pl.Series, headings: Sequence[Sequence[str | None]], remarks: list[str]
) -> pl.Series | None:
    """Boolean for each row: every cell of it that is filled, two at least, is the heading of its column. None where no
    row is.

    Args:
        rows: the row of each in the sheet.
        headings: the rows of the headings, one for each row that they take.
        remarks: what is left out is added.
    """
    again: pl.Series | None = None
    for texts in headings:
        if sum(1 for text in texts if text and text.strip()) < 2:
            continue
        alike = _rows_like(body, texts)
        if alike is not None and alike.any():
            again = alike if again is None else again | alike
    if again is None:
        return None
    numbers = [str(row) for row in rows.filter(again)]
    where = f"row {numbers[0]}" if len(numbers) == 1 else f"{len(numbers):,} rows: {listed(numbers, 5)}"
    remarks.append(f"the headings again, left out: {where}")
    return again
