"""Dates as people type them → ISO dates; whether the day or the month comes first is decided from the whole column."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from typing import Literal

Order = Literal["day", "month"]

ISO = r"^[0-9]{4}-[0-9]{2}-[0-9]{2}$"

_ISO_WITH_TIME = re.compile(r"^(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})(?:[T ]00:00(?::00(?:\.0+)?)?)?$")
_PARTS = re.compile(r"^(\d{1,2})([-/. ])\s*(\d{1,2})\2\s*(\d{4}|\d{2})$")
_NAMED = re.compile(r"^(?:(\d{1,2})[-. ]*([A-Za-zäéûôáç]{3,})\.?|([A-Za-z]{3,})\.? (\d{1,2}),?)[-. ]*(\d{4}|\d{2})$")
MONTHS = {
    name: number
    for number, names in enumerate(
        ("jan", "feb fév fev", "mar mär mrz maa", "apr avr abr", "may mai mei", "jun jui", "jul", "aug aoû ago",
         "sep", "oct okt out", "nov", "dec dez déc dic"),
        start=1,
    )
    for name in names.split()
}  # fmt: skip
"""The first three letters of a month's name, in several languages → its number."""


@dataclass(frozen=True)
class ReadDate:
    """One text read as a date: ISO text, or why not. ``guessed_century`` marks a two-digit year."""

    value: str | None
    trouble: Literal["", "no-date", "impossible", "ambiguous", "other-order"] = ""
    guessed_century: bool = False


def order_of(values: Iterable[str]) -> tuple[Order | None, bool]:
    """Which comes first in a column's dates, if they prove it, and whether they contradict each other."""
    votes = {"day": 0, "month": 0}
    for value in values:
        if found := _PARTS.match(value.strip()):
            first, second = int(found[1]), int(found[3])
            if first > 12 >= second:
                votes["day"] += 1
            elif second > 12 >= first:
                votes["month"] += 1
    if all(votes.values()):
        return None, True
    return (None if not any(votes.values()) else "day" if votes["day"] else "month"), False


def _year(text: str, this_year: int) -> tuple[int, bool]:
    if len(text) == 4:
        return int(text), False
    # A two-digit year is the nearest one that is at most twenty years ahead.
    year = this_year // 100 * 100 + int(text)
    return (year - 100 if year > this_year + 20 else year), True


def read_date(text: str, order: Order | None, this_year: int) -> ReadDate:
    """Reads one date as typed.

    Args:
        text: the cell's text.
        order: what comes first in ``3/4/2026``, or None if not known.
        this_year: for two-digit years.
    """
    text = text.strip()
    guessed = False
    if found := _ISO_WITH_TIME.match(text):
        year, month, day = int(found[1]), int(found[2]), int(found[3])
    elif found := _PARTS.match(text):
        first, second = int(found[1]), int(found[3])
        year, guessed = _year(found[4], this_year)
        shown: Order | None = "day" if first > 12 else "month" if second > 12 else None
        if shown is None and order is None and first != second:
            return ReadDate(None, "ambiguous")
        if shown is not None and order is not None and shown != order and max(first, second) <= 31:
            return ReadDate(None, "other-order")
        day, month = (second, first) if (shown or order) == "month" else (first, second)
    elif found := _NAMED.match(text):
        name = (found[2] or found[3]).casefold()[:3]
        if name not in MONTHS:
            return ReadDate(None, "no-date")
        year, guessed = _year(found[5], this_year)
        month, day = MONTHS[name], int(found[1] or found[4])
    else:
        return ReadDate(None, "no-date")
    try:
        return ReadDate(date(year, month, day).isoformat(), guessed_century=guessed)
    except ValueError:
        return ReadDate(None, "impossible")
