"""Names of months and weekdays, whole or cut short, in the languages of the sheets that people send each other."""

from __future__ import annotations

import unicodedata

from kotrel.core.languages.all_languages import months, words_of

SHORTEST = 3
"""Letters that a month's name cut short must have."""


def plain_letters(text: str) -> str:
    """Small letters without accents."""
    text = text.casefold().replace("ł", "l").replace("ø", "o").replace("æ", "ae")
    return "".join(each for each in unicodedata.normalize("NFD", text) if not unicodedata.combining(each))


def _by_name() -> dict[str, int]:
    """Every name, and every beginning of one that means a single month, → its number."""
    meant: dict[str, set[int]] = {}
    for number, name in months():
        for end in range(SHORTEST, len(name) + 1):
            meant.setdefault(name[:end], set()).add(number)
    whole = {name: number for number, name in months()}
    return {name: next(iter(numbers)) for name, numbers in meant.items() if len(numbers) == 1} | whole


_MONTH = _by_name()
_WEEKDAYS = words_of("weekdays")


def month_of(name: str) -> int | None:
    """The number of a month by its name, or by a beginning of it that no other month has; None for any other word."""
    return _MONTH.get(plain_letters(name))


def is_weekday(name: str) -> bool:
    """True for the name of a weekday, whole or cut short to three letters or more."""
    word = plain_letters(name)
    return word in _WEEKDAYS or (len(word) >= SHORTEST and any(each.startswith(word) for each in _WEEKDAYS))
