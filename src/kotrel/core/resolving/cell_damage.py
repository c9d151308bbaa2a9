"""Could it have happened to this cell? Which values of a column a spreadsheet may have made of codes, as its cells show
it.

A cell that holds a number, or a date, can have been a code; a text in a workbook cannot: nobody's program turns
``0049E0`` into a text. In a text file every cell is a text, so there the column must show the damage: several values
that are all damaged in the same way, and none that is not.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

import polars as pl
from msgspec import Struct

from kotrel.core.rows.rows import Rows
from kotrel.core.values.dated_codes import SHAPED_LIKE_DATE, days_shown

ENOUGH = 3
"""Values of a text file that must be damaged in the same way before any of them is repaired."""
DIGITS = r"^[0-9]+$"
Candidates = Callable[[str], Sequence[str]]
"""Value → the codes on the list that could have become it."""


class Cells(Struct, frozen=True):
    """How the values of one column are kept in its cells.

    Attributes:
        numbers, dates: the values in cells that hold a number, or a date.
        texts: those in cells that hold a text.
        text_file: there are no kinds of cells: all are texts.
    """

    numbers: frozenset[str]
    dates: frozenset[str]
    texts: frozenset[str]
    text_file: bool = False


def cells_of_column(rows: Rows, name: str, values: pl.Series) -> Cells:
    """The cells of the column that feeds a field; what comes from elsewhere was typed."""
    letter = rows.letters.get(name)
    every = frozenset(values.drop_nulls().unique())
    if letter is None or not rows.table.sheet:
        return Cells(frozenset(), frozenset(), every, letter is not None)

    def of(kind: str) -> frozenset[str]:
        return frozenset(values.filter(rows.table.kind_is(letter, kind)).drop_nulls())

    numbers, dates = of("number"), of("date")
    return Cells(numbers, dates, every - numbers - dates)


def _once_number_cells(cells: Cells, words: Sequence[str], widths: set[int], candidates: Candidates) -> frozenset[str]:
    """The same of a workbook, whose cells say themselves which of them are numbers."""
    widths = widths | {len(text) for text in cells.texts if text.isdecimal()}
    found = {word: candidates(word) for word in words if word in cells.numbers}
    return frozenset(word for word, codes in found.items() if len(codes) == 1 and _is_unlike(word, codes[0], widths))


def once_numbers(cells: Cells, words: Sequence[str], listed: pl.Series, candidates: Candidates) -> frozenset[str]:
    """The words that the list lacks and that are codes of the list which became numbers.

    Args:
        listed: all codes of the list.
        candidates: by number.
    """
    widths = set(listed.filter(listed.str.contains(DIGITS)).str.len_chars().unique())
    if not cells.text_file:
        return _once_number_cells(cells, words, widths, candidates)
    digits = [word for word in words if re.match(DIGITS, word)]
    if len(digits) < ENOUGH or any(re.match("^0[0-9]", text) for text in cells.texts):
        return frozenset()
    meant = {word: candidates(word) for word in digits}
    if any(len(found) != 1 for found in meant.values()):
        return frozenset()
    padded = {len(code) for (code,) in meant.values() if code.isdecimal()}
    fits = len(padded) <= 1 and all(_is_unlike(word, code, widths) for word, (code,) in meant.items())
    return frozenset(digits) if fits else frozenset()


def _is_unlike(word: str, code: str, widths: set[int]) -> bool:
    """True where nothing else has the shape of the bare number, so that it is no code by itself."""
    return not any(width < len(code) for width in widths) if code.isdecimal() else len(word) not in widths


def once_dates(cells: Cells, words: Sequence[str], listed: pl.Series, candidates: Candidates) -> frozenset[str]:
    """The words that the list lacks and that are codes of the list which became dates.

    The first day of a month may also stand for a month and a year, as a new code may say them.

    Args:
        candidates: by the day.
    """
    if not cells.text_file:
        return frozenset(
            word
            for word in words
            if word in cells.dates and all(day.day != 1 for day in days_shown(word)) and len(candidates(word)) == 1
        )
    dated = [word for word in words if days_shown(word)]
    if len(dated) < ENOUGH or any(len(candidates(word)) != 1 for word in dated):
        return frozenset()
    return frozenset() if listed.str.contains(SHAPED_LIKE_DATE).any() else frozenset(dated)
