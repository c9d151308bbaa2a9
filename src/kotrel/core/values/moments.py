"""Dates with a time, as people and programs write them → one form (ISO 8601 with a blank between date and time)."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime

_MOMENT = re.compile(
    r"^(\d{4}-\d{2}-\d{2})(?:[T ](\d{1,2}):(\d{2})(?::(\d{2})(?:[.,](\d{1,6})\d*)?)?)?\s*(Z|UTC|[+-]\d{2}(?::?\d{2})?)?$"
)


@dataclass(frozen=True)
class ReadMoment:
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
