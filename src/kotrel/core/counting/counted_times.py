"""When a line was counted: what is written of it, and whether it can have been counted then."""

from __future__ import annotations

import re
from datetime import datetime, timedelta
from typing import NamedTuple

from msgspec import Struct

from kotrel.core.values.dates import moment_text, read_moment

_CLOCK = re.compile(r"^(\d{1,2})[:.h](\d{2})(?::(\d{2}))?$")
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


def moment_of(
    text: str | None, counted_at: str | None, day: str | None, between: CountingTime | None = None
) -> tuple[str | None, RefusedTime | None]:
    """When a line was counted (canonical text, None where nobody says), and what is wrong with its time.

    Args:
        text: as it is written.
        counted_at: the time of lines that say none, canonical text.
        day: the day of times without one, ISO date.
        between: when lines can have been counted; None where that does not matter.
    """
    if text is None:
        return counted_at, None
    at, wrong = _read(text, counted_at, day)
    if wrong:
        return None, RefusedTime("not-a-time", "not a time of day", wrong)
    if at is not None and between is not None and (impossible := between.trouble_of(at)):
        return None, RefusedTime("impossible-time", "not counted at that time", impossible)
    return at, None


def _read(text: str, counted_at: str | None, day: str | None) -> tuple[str | None, str]:
    moment = read_moment(text, zoned=False)
    if moment.value is not None and moment.midnight:
        # A day says no time: the file's own counts where it is of that day.
        return (counted_at if (counted_at or "")[:10] == moment.value[:10] else None), ""
    if moment.value is not None:
        return moment.value, ""
    clock = _CLOCK.match(text.strip())
    if clock is None:
        return None, "write the time as 14:30, or 2027-01-09 14:30"
    if day is None:
        return None, "on which day? write 2027-01-09 14:30, or give the file its day with --counted-at"
    try:
        hour, minute, second = int(clock[1]), int(clock[2]), int(clock[3] or 0)
        return moment_text(datetime.fromisoformat(day).replace(hour=hour, minute=minute, second=second)), ""
    except ValueError:
        return None, "there is no such time of day"
