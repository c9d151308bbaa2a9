"""Dates as people type them → ISO dates; whether the day or the month comes first is decided from the whole column."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from datetime import UTC, date, datetime
from typing import Literal

from msgspec import Struct

from kotrel.core.values.month_names import is_weekday, month_of

Order = Literal["day", "month"]
Pairs = Literal["clear", "dashes", "mixed"]

ISO = r"^[0-9]{4}-[0-9]{2}-[0-9]{2}$"
FIRST_DAY = "0001-01-01"
"""The calendar has no year 0."""

_TIME = r"(?:[T ]([0-2]?\d):([0-5]\d)(?::([0-5]\d)(?:[.,]\d+)?)?(?: ?([AaPp])\.?[Mm]\.?)?(?:Z|[+-]\d\d:?\d\d)?)?"
_YEAR_FIRST = re.compile(rf"^(\d{{4}})([-/.])(\d{{1,2}})\2(\d{{1,2}}){_TIME}$")
_COMPACT = re.compile(r"^((?:19|20)\d\d)(\d\d)(\d\d)$")
_PARTS = re.compile(rf"^(\d{{1,2}})([-/. ])\s*(\d{{1,2}})\2\s*(\d{{4}}|\d{{2}})(?:,?{_TIME})$")
_WORD = r"[^\W\d_]"
_DAY_FIRST = re.compile(
    rf"^(\d{{1,2}})(?:st|nd|rd|th|er|º|ª|°|:e)?[-. ]*(?:of |de |den )?({_WORD}{{3,}})\.?,?[-. ]*(?:de |del )?(\d{{4}}|\d{{2}})$",
    re.I,
)
_YEAR_NAME = re.compile(rf"^(\d{{4}})[-. /]({_WORD}{{3,}})\.?[-. /](\d{{1,2}})$", re.I)
_NAME_FIRST = re.compile(rf"^({_WORD}{{3,}})\.? (\d{{1,2}})(?:st|nd|rd|th)?,? (\d{{4}}|\d{{2}})$", re.I)
_WEEKDAY = re.compile(rf"^({_WORD}{{2,}})\.?,? +(?=\S)")
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


DateTrouble = Literal["", "no-date", "impossible", "ambiguous", "which-year", "other-order"]


class ReadDate(Struct, frozen=True):
    """One text read as a date: ISO text, or why not.

    Attributes:
        guessed_century: the year has two digits.
        time: a time of day stands beside it, other than midnight.
    """

    value: str | None
    trouble: DateTrouble = ""
    guessed_century: bool = False
    time: bool = False


def order_of(values: Iterable[str]) -> tuple[Order | None, bool]:
    """Which comes first in a column's dates, if they prove it, and whether they contradict each other.

    Three pairs of digits, such as ``28-02-27``, prove nothing where the year may come first (see :func:`pairs_of`).
    """
    votes = {"day": 0, "month": 0}
    texts = [value.strip() for value in values]
    clear = pairs_of(texts) == "clear"
    for value in texts:
        found = _PARTS.match(value)
        if found and (clear or not _is_pairs(found)):
            first, second = int(found[1]), int(found[3])
            if first > 12 >= second:
                votes["day"] += 1
            elif second > 12 >= first:
                votes["month"] += 1
    if all(votes.values()):
        return None, True
    return (None if not any(votes.values()) else "day" if votes["day"] else "month"), False


def pairs_of(values: Iterable[str]) -> Pairs:
    """What a column says of its days in three pairs of digits, such as ``28.02.27``.

    They end with the year, but for two cases: dashes are also written between year, month and day, and where other days
    of the column have four digits for the year, whoever wrote two may have written another order too.
    """
    parts = [found for value in values if (found := _PARTS.match(value.strip()))]
    if any(len(found[4]) == 4 for found in parts):
        return "mixed"
    return "dashes" if any(found[2] == "-" for found in parts) else "clear"


def habits_of(values: Iterable[str], said: Literal["auto", "day", "month"]) -> tuple[Order | None, Pairs]:
    """What comes first in a column's dates, and what it says of three pairs of digits.

    Args:
        said: what comes first, where the user says it.
    """
    texts = list(values)
    pairs = pairs_of(texts)
    if said == "auto":
        return order_of(texts)[0], pairs
    return said, "mixed" if pairs == "mixed" else "clear"


def _is_pairs(found: re.Match[str]) -> bool:
    """Three pairs of digits that could be year, month and day."""
    return len(found[4]) == 2 and len(found[1]) == 2 and 1 <= int(found[3]) <= 12 and 1 <= int(found[4]) <= 31


def _year(text: str, this_year: int) -> tuple[int, bool]:
    if len(text) == 4:
        return int(text), False
    # A two-digit year is the nearest one that is at most twenty years ahead.
    year = this_year // 100 * 100 + int(text)
    return (year - 100 if year > this_year + 20 else year), True


def _with_month_name(text: str, this_year: int) -> tuple[int, int, int, bool] | None:
    """Year, month, day of a date with the name of a month, and whether its century is a guess."""
    if (match := _YEAR_NAME.match(text)) and (month := month_of(match[2])):
        return int(match[1]), month, int(match[3]), False
    if (match := _DAY_FIRST.match(text)) and (month := month_of(match[2])):
        year, guessed = _year(match[3], this_year)
        return year, month, int(match[1]), guessed
    if (match := _NAME_FIRST.match(text)) and (month := month_of(match[1])):
        year, guessed = _year(match[3], this_year)
        return year, month, int(match[2]), guessed
    return None


def _doubt_of_parts(match: re.Match[str], order: Order | None, shown: Order | None, pairs: Pairs) -> DateTrouble:
    """Why nobody can say which of two numbers is the day; an empty text where it is clear."""
    first, second = int(match[1]), int(match[3])
    if pairs == "mixed" and _is_pairs(match):
        return "which-year"
    is_open = pairs == "dashes" and match[2] == "-" and _is_pairs(match)
    if is_open or (order is None and shown is None and first != second):
        return "ambiguous"
    if shown is not None and order is not None and shown != order and max(first, second) <= 31:
        return "other-order"
    return ""


def read_date(text: str, order: Order | None, this_year: int, pairs: Pairs = "dashes") -> ReadDate:
    """Reads one date as typed.

    Args:
        text: the cell's text.
        order: what comes first in ``3/4/2026``, or None if not known.
        this_year: for two-digit years.
        pairs: what the column says of three pairs of digits.
    """
    text = _without_weekday(text.strip())
    guessed = time = False
    if match := _YEAR_FIRST.match(text):
        year, month, day = int(match[1]), int(match[3]), int(match[4])
        time = _has_time(match.groups()[4:])
    elif match := _COMPACT.match(text):
        year, month, day = int(match[1]), int(match[2]), int(match[3])
    elif match := _PARTS.match(text):
        first, second = int(match[1]), int(match[3])
        year, guessed = _year(match[4], this_year)
        shown: Order | None = "day" if first > 12 else "month" if second > 12 else None
        if trouble := _doubt_of_parts(match, order, shown, pairs):
            return ReadDate(None, trouble)
        day, month = (second, first) if (shown or order) == "month" else (first, second)
        time = _has_time(match.groups()[4:])
    elif named := _with_month_name(text, this_year):
        year, month, day, guessed = named
    else:
        return ReadDate(None, "no-date")
    try:
        return ReadDate(date(year, month, day).isoformat(), "", guessed, time)
    except ValueError:
        return ReadDate(None, "impossible")


_WITHIN = re.compile(
    rf"(?<![\w.])(?:\d{{4}}[-/.]\d{{1,2}}[-/.]\d{{1,2}}|\d{{1,2}}[-/.] ?\d{{1,2}}[-/.] ?\d{{4}}"
    rf"|\d{{1,2}}(?:st|nd|rd|th|er|\.)? (?:of |de )?{_WORD}{{3,}}\.?,? (?:de )?\d{{4}}|{_WORD}{{3,}}\.? \d{{1,2}}(?:st|nd|rd|th)?,? \d{{4}})(?!\w)"
)


def dates_within(text: str) -> list[str]:
    """The days, with years of four digits, in a sentence such as “Price list, valid from 1 March 2027”,
    as they are written.
    """
    found = [each[0] for each in _WITHIN.finditer(text)]
    return list(dict.fromkeys(each for each in found if read_date(each, "day", 2000).trouble != "no-date"))


def _has_time(parts: Sequence[str | None]) -> bool:
    """Is it another time than midnight: hour, minute, second, and the half of the day?"""
    hour, minute, second, half = parts
    hours = int(hour or 0) % 12 + (12 if half in ("P", "p") else 0) if half else int(hour or 0)
    return bool(hours or int(minute or 0) or int(second or 0))


def _without_weekday(text: str) -> str:
    """The text without the weekday before the date."""
    found = _WEEKDAY.match(text)
    return text[found.end() :] if found and is_weekday(found[1]) and not month_of(found[1]) else text


_MOMENT = re.compile(
    r"^(\d{4}-\d{2}-\d{2})(?:[T ](\d{1,2}):(\d{2})(?::(\d{2})(?:[.,](\d{1,6})\d*)?)?)?\s*(Z|UTC|[+-]\d{2}(?::?\d{2})?)?$"
)


class ReadMoment(Struct, frozen=True):
    """One text read as a date with a time: the canonical text, or why not; ``midnight`` where it says no time."""

    value: str | None
    trouble: str = ""
    midnight: bool = False


def moment_text(at: datetime) -> str:
    """A moment as canonical text, by the clock of the place: its zone is left out."""
    text = at.strftime("%Y-%m-%d %H:%M:%S").zfill(19)
    return text + f".{at.microsecond:06d}".rstrip("0").rstrip(".")


def read_moment(text: str, zoned: bool) -> ReadMoment:
    """Reads one date with a time.

    Args:
        zoned: the zone is kept: the text must say it, and the result is in UTC with a ``Z``.
    """
    found = _MOMENT.match(text.strip())
    if not found:
        return ReadMoment(None, "not-a-moment")
    day, hour, minute, second, fraction, zone = found.groups()
    if zone and not zoned:
        return ReadMoment(None, "needless-zone")
    if zoned and not zone:
        return ReadMoment(None, "no-zone")
    digits = (fraction or "").ljust(6, "0")
    offset = {"Z": "+00:00", "UTC": "+00:00", None: ""}.get(zone, zone if zone and len(zone) > 3 else f"{zone}:00")
    try:
        moment = datetime.fromisoformat(
            f"{day} {int(hour or 0):02d}:{minute or '00'}:{second or '00'}.{digits}{offset}"
        )
        if zoned:
            moment = moment.astimezone(UTC)
    except (ValueError, OverflowError):
        return ReadMoment(None, "impossible-date")
    return ReadMoment(moment_text(moment) + ("Z" if zoned else ""), "", hour is None)
