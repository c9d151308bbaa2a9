"""Dates with a time in a column → ``2026-03-31 14:30:00``, or ``2026-03-31 12:30:00Z`` where the zone is kept."""

from __future__ import annotations

import polars as pl

from kotrel.core.understanding.tidying.column import Tidied, spread
from kotrel.core.values.moments import read_moment

_TROUBLES = {
    "not-a-moment": ("not a date and time", "write it as 2026-03-31 14:30"),
    "impossible-date": ("no such date or time", "write it as 2026-03-31 14:30"),
    "no-zone": ("in which time zone?", "write the zone: 2026-03-31 14:30+02:00, or 2026-03-31 12:30Z"),
    "needless-zone": ("a time zone that is not kept", "write the time at the place, without a zone: 2026-03-31 14:30"),
}
_REPAIRS = {"midnight-added": "dates without a time"}


def tidy_moment(rows: pl.Series, values: pl.Series, zoned: bool) -> Tidied:
    """Dates with a time → canonical text; those with a zone in UTC."""
    plain = r"^[0-9]{4}-[0-9]{2}-[0-9]{2} [0-9]{2}:[0-9]{2}:[0-9]{2}(?:\.[0-9]*[1-9])?" + ("Z$" if zoned else "$")
    known = (
        values.str.contains(plain)
        & values.str.slice(0, 19).str.to_datetime("%Y-%m-%d %H:%M:%S", strict=False).is_not_null()
    )
    odd = ~known.fill_null(False) & values.is_not_null()
    if not odd.any():
        return Tidied(values)

    def read(text: str) -> tuple[str | None, str, str]:
        found = read_moment(text, zoned)
        if found.value is None:
            return None, found.trouble, ""
        return (found.value, "midnight-added", "a day begins at midnight") if found.midnight else (found.value, "", "")

    return spread(rows, values, odd, read, _TROUBLES, _REPAIRS)
