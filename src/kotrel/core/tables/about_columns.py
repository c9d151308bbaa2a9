"""Lines that say something about the columns and are no rows:
below the headings of a sheet, and of another program's template.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

import polars as pl
from msgspec import Struct, field

from kotrel.core.languages.all_languages import words_of
from kotrel.core.tables.heading_words import plain_terms, terms_of
from kotrel.core.tables.headings import joined_headings, second_heading_row, technical_row, texts_of

_TYPE = re.compile(
    r"(?:(?:c|n|a|x|an|d|t|b|l|txt|text|char|varchar|string|str|alpha|alphanumeric|alphanum|num|number|numeric|int|integer|decimal|dec|"
    r"float|amount|code|date|bool|boolean|logical|yes/no|y/n|j/n|zahl|datum|texte?|nombre|tal|dato|liczba|data|texto|fecha)"
    r"[ .]*(?:\(?\s*[0-9]{1,4}(?:[.,][0-9]{1,2})?\s*\)?)?|(?:max|up to)\.? ?[0-9]{1,4}(?: (?:characters|chars|letters|digits))?)",
    re.IGNORECASE,
)
"""What a line of data types has in its cells."""
MUST = re.compile(
    r"\s*\(?(?:mandatory|required|must|obligatory|compulsory|pflicht(?:feld)?|muss|obligatoire|obligatorio|verplicht|wymagane|påkrævet)\)?\s*",
    re.IGNORECASE,
)
_MAY = re.compile(r"\s*\(?(?:optional|may|can|kann|facultatif|opcional|optioneel|conditional|-)\)?\s*", re.IGNORECASE)
_LETTERS = frozenset({"m", "o", "c", "k", "r"})
"""Mandatory, optional, conditional, key and required, where a line has nothing but such letters."""
_EXAMPLE = re.compile(
    rf"^\W*(?:{'|'.join(sorted(map(re.escape, words_of('examples')), key=len, reverse=True))})(?!\w)", re.IGNORECASE
)
_BESIDE_NUMBERS = re.compile(r"[A-Z]{3}|[€$£%]|kg|g|mm|cm|m|l|pcs|ea", re.IGNORECASE)
"""Currencies and units, as they stand alone below a heading."""
MOST_LINES = 3
"""Lines about the columns that a sheet may have below its headings."""


class HeadingLines(Struct):
    """The headings of a table, with what the lines below them say.

    Attributes:
        headings: by letter of the column.
        lower: what a second line calls the columns, where it does.
        first_row: the index of the first row of the table.
        remarks: what was used or left out, in words.
    """

    headings: dict[str, str]
    lower: dict[str, str] = field(default_factory=dict)
    first_row: int = 0
    remarks: list[str] = field(default_factory=list)


def heading_lines(cells: pl.DataFrame, lines: pl.Series, at: int) -> HeadingLines:
    """Reads the headings of a table and the lines about its columns.

    Args:
        lines: the row of each line in the sheet.
        at: the index of the headings.
    """
    top = texts_of(cells, at)
    done = HeadingLines(top, first_row=at + 1)
    if (second := second_heading_row(cells, at)) is not None:
        done.headings, done.lower = joined_headings(top, second), second
        done.remarks.append(f"headings over rows {lines[at]} and {lines[at + 1]}")
        done.first_row = at + 2
    elif (second := technical_row(cells, at)) is not None:
        done.lower, done.first_row = second, at + 2
        done.remarks.append(f"technical headings in row {lines[at + 1]} left out")
    while done.first_row < min(cells.height - 1, at + 1 + MOST_LINES) and _is_about_columns(cells, lines, done):
        done.first_row += 1
    return done


def _fills_most(filled: Mapping[str, str], headings: Mapping[str, str]) -> bool:
    return len(filled) >= 2 and len(filled) * 2 >= len(list(filter(None, headings.values())))


def _are_same_terms_of_most(filled: dict[str, str], headings: dict[str, str]) -> bool:
    return _fills_most(filled, headings) and _are_same_terms(filled, headings)


def _said_of_columns(filled: Mapping[str, str], headings: Mapping[str, str], row: int) -> str:
    """What a line says of most columns: what must be filled, what kind it is, or its number; empty for anything else."""
    texts = list(filled.values())
    if not _fills_most(filled, headings):
        return ""
    if is_must(texts):
        return f"row {row} says what must be filled: left out"
    if len(texts) > 2 and are_types(texts):
        return f"row {row} has data types: left out"
    headed = list(filter(None, headings.values()))
    if len(texts) > 2 and texts == [str(number) for number in range(1, len(headed) + 1)]:
        return f"the numbers of the columns in row {row} left out"
    return ""


def _is_about_columns(cells: pl.DataFrame, lines: pl.Series, done: HeadingLines) -> bool:
    """True where the line at ``first_row`` is no row of the table; what it is, and says, is noted in ``done``."""
    below = texts_of(cells, done.first_row)
    filled = {letter: text for letter, text in below.items() if text}
    row = lines[done.first_row]
    if _are_same_terms_of_most(filled, done.headings):
        done.remarks.append(f"headings in a second language in row {row} left out")
        done.lower = done.lower or below
        return True
    if said := _said_of_columns(filled, done.headings, row):
        done.remarks.append(said)
        return True
    if filled and _EXAMPLE.match(next(iter(filled.values()))):
        done.remarks.append(f"the example in row {row} left out: “{next(iter(filled.values()))[:40]}”")
        return True
    if _are_beside_numbers(cells, done.first_row, below):
        done.remarks.append(f"row {row} read with the headings: {', '.join(dict.fromkeys(filled.values()))}")
        done.headings = {
            letter: f"{text} ({below[letter]})" if below[letter] else text for letter, text in done.headings.items()
        }
        return True
    return False


def _are_same_terms(filled: dict[str, str], headings: dict[str, str]) -> bool:
    """True where most cells say in other words what their heading says, and all are words."""
    if any(re.search(r"[0-9]", text) for text in filled.values()):
        return False
    same = [
        letter
        for letter, text in filled.items()
        if text.casefold() != headings[letter].casefold()
        and terms_of(text) & terms_of(headings[letter]) & plain_terms()
    ]
    return len(same) >= 2 and len(same) * 5 >= len(filled) * 3


def _are_beside_numbers(cells: pl.DataFrame, at: int, below: dict[str, str]) -> bool:
    """True where the line has only currencies and units, each in a column with a number in one of the next rows."""
    first = next(iter(below))
    filled = {letter: text for letter, text in below.items() if text}
    next_rows = cells.slice(at + 1, 3)
    return (
        bool(filled)
        and first not in filled
        and all(
            _BESIDE_NUMBERS.fullmatch(text) and next_rows[letter].str.contains("[0-9]").any()
            for letter, text in filled.items()
        )
    )


def are_types(texts: Sequence[str]) -> bool:
    """True for a line of data types."""
    return all(_TYPE.fullmatch(each) for each in texts) and not all(each.isdigit() for each in texts)


def is_must(texts: Sequence[str]) -> bool:
    """True for a line that says of each column whether it must be filled."""
    filled = [each for each in texts if each]
    words = [bool(MUST.fullmatch(each) or _MAY.fullmatch(each)) for each in filled]
    if words and all(words) and any(MUST.fullmatch(each) for each in filled):
        return True
    return len(filled) > 1 and {each.casefold() for each in filled} <= _LETTERS


def must_by(text: str, letters: bool) -> bool:
    """True where such a cell says that its column must be filled."""
    return bool(MUST.fullmatch(text)) or (letters and text.strip().casefold() in ("m", "k", "r"))


def length_by(text: str) -> int | None:
    """The most characters that such a cell allows: C20, char(20), max 20."""
    match = re.fullmatch(
        r"\s*(?:c|a|x|an|t|txt|text|char|varchar|string|str|alpha|alphanumeric|alphanum|max|up to)\.?[ .]*\(?\s*([0-9]{1,4})\s*\)?(?: \w+)?\s*",
        text,
        re.IGNORECASE,
    )
    return int(match[1]) if match else None
