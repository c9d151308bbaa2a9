"""When a line was counted: what is written of it, and whether it can have been counted then."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import date, datetime, time, timedelta
from typing import NamedTuple, TypeVar

from msgspec import Struct

from kotrel.core.values.dates import Order, Pairs, moment_text, read_date, read_moment

_CLOCK = (
    r"(?P<hour>[0-9]{1,2})[:.h](?P<minute>[0-9]{2})(?::(?P<second>[0-9]{2}))?"
    r"(?: ?(?P<half>[ap])\.?m\.?)?(?: ?(?:uhr|hrs?|h|o'clock))?$"
)
_ONLY_CLOCK, _CLOCK_BEHIND = (re.compile(before + _CLOCK, re.IGNORECASE) for before in ("^", "[ ,T]+"))
_Said = TypeVar("_Said", str, time)
_CLOCKS_DIFFER = timedelta(minutes=5)
"""How far the clock of a counter may be ahead of this machine's."""


class RefusedTime(NamedTuple):
    """What keeps a time from being taken: the kind of the finding, its title, and the message."""

    kind: str
    title: str
    message: str


class CountingTime(Struct, frozen=True):
    """Between which moments lines are counted while goods keep moving.

    A line is compared with what the system held when it was counted: a wrong time would make a difference of what moved.

    Attributes:
        frozen_at, now: canonical texts.
    """

    frozen_at: str
    now: str

    def trouble_of(self, at: str) -> str:
        """Why nothing can have been counted at that moment (canonical text); empty where it can."""
        if at[:16] < self.frozen_at[:16]:
            return f"the count was frozen later, at {self.frozen_at[:16]}: write when it was counted since"
        if datetime.fromisoformat(at) > datetime.fromisoformat(self.now) + _CLOCKS_DIFFER:
            return f"it is only {self.now[:16]} now: write when it was counted"
        return ""


class TimeHabits(Struct, frozen=True):
    """How a sheet says when its lines were counted.

    Attributes:
        counted_at: the time of lines that say none, canonical text.
        day: the day of times without one, ISO date.
        order, pairs, this_year: as :func:`kotrel.core.values.dates.read_date` takes them.
        between: when lines can have been counted; None where that does not matter.
    """

    counted_at: str | None = None
    day: str | None = None
    order: Order | None = None
    pairs: Pairs = "clear"
    this_year: int = 2000
    between: CountingTime | None = None


def days_among(texts: Iterable[str | None]) -> list[str]:
    """The days in what is written of times, as they are written: together they show how the sheet writes a day."""
    return [day for text in texts if text and (day := _split(text)[0])]


def _split(text: str) -> tuple[str, re.Match[str] | None]:
    """The day as it is written, and the time of day."""
    text = text.strip()
    if clock := _ONLY_CLOCK.search(text):
        return "", clock
    behind = _CLOCK_BEHIND.search(text)
    return (text[: behind.start()], behind) if behind else (text, None)


def moment_of(
    time_text: str | None, date_text: str | None, habits: TimeHabits
) -> tuple[str | None, RefusedTime | None]:
    """When a line was counted (canonical text, None where nobody says), and what is wrong with its time.

    Args:
        time_text, date_text: as they are written. Either may hold both the day and the time of day.
    """
    if time_text is None and date_text is None:
        return habits.counted_at, None
    try:
        at = _moment(time_text, date_text, habits)
    except _WrongTime as error:
        return None, RefusedTime("not-a-time", "not a date or time of day", str(error))
    if at is not None and habits.between is not None and (impossible := habits.between.trouble_of(at)):
        return None, RefusedTime("impossible-time", "not counted at that time", impossible)
    return at, None


class _WrongTime(Exception):
    """Why nobody can say when a line was counted."""


def _moment(time_text: str | None, date_text: str | None, habits: TimeHabits) -> str | None:
    read = [_read(text, habits) for text in (time_text, date_text) if text is not None]
    if date_text is not None:
        if read[-1][0] is None:
            raise _WrongTime(f"“{date_text.strip()}” is not a date: write it like 2027-01-09")
        if read[-1][1] == time():
            # A cell with a day may also hold the midnight before it.
            read[-1] = (read[-1][0], None)
    day, clock = _only(day for day, _ in read) or habits.day, _only(clock for _, clock in read)
    if clock is None:
        # A day says no time: the file's own counts where it is of that day.
        return habits.counted_at if (habits.counted_at or "")[:10] == day else None
    if day is None:
        raise _WrongTime("on which day? write 2027-01-09 14:30, or give the file its day with --counted-at")
    return moment_text(datetime.combine(date.fromisoformat(day), clock))


def _only(said: Iterable[_Said | None]) -> _Said | None:
    """What two columns say, where they do not contradict each other."""
    different = {each for each in said if each is not None}
    if len(different) > 1:
        raise _WrongTime(f"two columns say when: {' and '.join(sorted(map(str, different)))}. Correct one of them")
    return next(iter(different), None)


def _read(text: str, habits: TimeHabits) -> tuple[str | None, time | None]:
    """The day (ISO date) and the time of day that a text says."""
    moment = read_moment(text, zoned=False)
    if moment.value is not None:
        at = datetime.fromisoformat(moment.value)
        return at.date().isoformat(), None if moment.midnight else at.time()
    day, parts = _split(text)
    clock = None if parts is None else _time_of_day(parts)
    if not day:
        return None, clock
    found = read_date(day, habits.order, habits.this_year, habits.pairs)
    if found.trouble == "ambiguous":
        raise _WrongTime("is the day or the month first? write 2027-01-09 14:30, or add --dates day or --dates month")
    if found.value is None:
        raise _WrongTime("write the time as 14:30, or 2027-01-09 14:30")
    return found.value, clock


def _time_of_day(parts: re.Match[str]) -> time:
    hour, half = int(parts["hour"]), (parts["half"] or "").lower()
    if half:
        # 12 am is midnight, 12 pm is noon.
        hour = hour % 12 + (12 if half == "p" else 0) if 1 <= hour <= 12 else 24
    try:
        return time(hour, int(parts["minute"]), int(parts["second"] or 0))
    except ValueError:
        raise _WrongTime("there is no such time of day") from None
