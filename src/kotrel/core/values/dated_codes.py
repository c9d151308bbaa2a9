"""Codes that a spreadsheet takes for dates, and the shapes in which such a date then stands in a sheet."""

from __future__ import annotations

import re
from datetime import date
from typing import NamedTuple

from kotrel.core.values.dates import MONTHS


class Day(NamedTuple):
    """A day; the year as its last two digits, or None where the code does not say one."""

    month: int
    day: int
    year: int | None = None


_NAMES = "|".join(sorted(MONTHS, key=len, reverse=True))
_GAP = r"[-. /]{1,2}"
_SHOWN = (
    re.compile(r"(?P<year>[0-9]{4})-(?P<month>[0-9]{2})-(?P<day>[0-9]{2})(?:[ T]00:00(?::00(?:\.0+)?)?)?"),
    re.compile(r"(?P<one>[0-9]{1,2})(?P<mark>[./-])(?P<two>[0-9]{1,2})(?P=mark)(?P<year>[0-9]{4})"),
    re.compile(
        rf"(?P<day>[0-9]{{1,2}}){_GAP}(?P<name>{_NAMES})[a-z]?\.?(?:{_GAP}(?P<year>[0-9]{{4}}|[0-9]{{2}}))?", re.I
    ),
    re.compile(rf"(?P<name>{_NAMES})[a-z]?\.?{_GAP}(?P<year>[0-9]{{4}}|[0-9]{{2}})", re.I),
)
SHAPED_LIKE_DATE = (
    "(?i)^(?:"
    + "|".join(re.sub(r"\?P(<\w+>|=mark)", r"?:", each.pattern).replace("(?:)", "[./-]") for each in _SHOWN)
    + ")$"
)
"""Pattern of the texts that :func:`days_shown` reads, for columns."""


def may_be_date(start: str) -> bool:
    """True where a text that begins so may be of the shape of a date."""
    begun = start.casefold()
    return not begun or begun[0].isdigit() or any(name.startswith(begun) or begun.startswith(name) for name in MONTHS)


def days_shown(text: str) -> set[Day]:
    """The days that a text may stand for where a spreadsheet shows a date: ``3-Jan``, ``Jan-03``, ``01.03.2026``.

    An ISO date too. A text without a year or a month's name, such as ``3-12``, is no such shape.
    """
    for pattern in _SHOWN:
        if found := pattern.fullmatch(text.strip()):
            parts = found.groupdict()
            year = int(parts["year"]) % 100 if parts.get("year") else None
            if parts.get("one"):
                one, two = int(parts["one"]), int(parts["two"])
                return _real({Day(one, two, year), Day(two, one, year)})
            month = int(parts["month"]) if parts.get("month") else MONTHS[parts["name"].casefold()]
            return _real({Day(month, int(parts.get("day") or 1), year)})
    return set()


DATE_LIKE = r"^[0-9]{1,4}[-/. ]?[A-Za-z0-9]{1,4}(?:[-/.][0-9]{1,4})?$|^[A-Za-z]{3}[-/. ]?[0-9]{1,4}$"
"""All codes that :func:`days_of` has days for have this shape, and some others."""


def days_of(code: str) -> set[Day]:
    """The days that a spreadsheet could take a code for, such as ``3-12``, ``MAR-5`` or ``1-2003``;
    day or month first.
    """
    if match := re.fullmatch(r"([0-9]{1,2})[-/.]([0-9]{1,2})(?:[-/.]([0-9]{2}|[0-9]{4}))?", code):
        first, second = int(match[1]), int(match[2])
        year = int(match[3]) % 100 if match[3] else None
        days = _real({Day(first, second, year), Day(second, first, year)})
        return days or (_real({Day(first, 1, second)}) if year is None else set())
    if match := re.fullmatch(r"([0-9]{1,2})[-/.]([0-9]{4})", code):
        return _real({Day(int(match[1]), 1, int(match[2]) % 100)})
    if match := re.fullmatch(r"([0-9]{4})[-/.]([0-9]{1,2})(?:[-/.]([0-9]{1,2}))?", code):
        return _real({Day(int(match[2]), int(match[3] or 1), int(match[1]) % 100)})
    if match := re.fullmatch(r"([A-Za-z]{3})[-/. ]?([0-9]{1,4})|([0-9]{1,2})[-/. ]?([A-Za-z]{3})", code):
        month, number = MONTHS.get((match[1] or match[4]).casefold(), 0), int(match[2] or match[3])
        return _real({Day(month, number)}) or _real({Day(month, 1, number % 100)})
    return set()


def could_be(code: Day, shown: Day) -> bool:
    """True where a spreadsheet could show the day that it took the code for so; a code without a year fits any year."""
    return (code[:2] == shown[:2] and None in (code.year, shown.year)) or code == shown


def became(code: str, shown: set[Day]) -> bool:
    """True where a spreadsheet could have turned a code into one of these days."""
    return bool(shown) and any_could_be(days_of(code), shown)


def any_could_be(days: set[Day], shown: set[Day]) -> bool:
    """True where a spreadsheet could show one of the days that it took a code for so."""
    return any(could_be(one, other) for one in days for other in shown)


def _real(days: set[Day]) -> set[Day]:
    return {each for each in days if _is_day(each.month, each.day)}


def _is_day(month: int, day: int) -> bool:
    try:
        date(2024, month, day)
    except ValueError:
        return False
    return True
