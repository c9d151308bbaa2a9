"""Dates, with and without a time, in a column → ISO dates and times."""

from __future__ import annotations

import polars as pl

from kotrel.core.normalizing.column import COLUMN, SETTINGS, ColumnSetting, Tidied, Trouble, spread
from kotrel.core.rows.findings import cells_of
from kotrel.core.values import dates
from kotrel.core.values.dates import read_moment

_DATE_TROUBLES = {
    "not-a-date": ("not a date", "write it like 2026-03-31"),
    "impossible-date": ("no such date", "write it like 2026-03-31"),
    "ambiguous-date": (
        "day or month first?",
        "write it like 2026-03-31, or say which comes first in these files: --dates day or --dates month",
    ),
    "which-year": ("which of the three is the year?", "write it with four digits for the year, like 2026-03-31"),
    "mixed-dates": ("day and month in a different order from the rest", "write it like 2026-03-31"),
    "date-as-number": ("a day number, not a date", "format the column as a date in the spreadsheet"),
}
_DATE_REPAIRS = ("date-as-typed", "two-digit-year", "time-left-out")
_DATE_KINDS = {
    "no-date": "not-a-date",
    "impossible": "impossible-date",
    "ambiguous": "ambiguous-date",
    "which-year": "which-year",
    "other-order": "mixed-dates",
}


def tidy_date(
    rows: pl.Series, values: pl.Series, is_number: pl.Series, is_date: pl.Series, setting: ColumnSetting
) -> Tidied:
    """Dates → ISO dates.

    Args:
        is_number, is_date: which cells are numbers, and which are dates, in the spreadsheet.
    """
    odd = ~is_day(values) & values.is_not_null()
    if not odd.any():
        return Tidied(values)
    texts = setting.with_witnesses(values.filter(odd)).unique().to_list()
    order, pairs = dates.habits_of(texts, setting.conventions.dates)
    witness = COLUMN if setting.conventions.dates == "auto" else SETTINGS
    numbered = set(values.filter(is_number & odd).to_list())

    def read(text: str) -> tuple[str | None, str, str]:
        if text in numbered:
            return None, "date-as-number", ""
        day = dates.read_date(text, order, setting.today.year, pairs)
        if day.value is None:
            return None, _DATE_KINDS[day.trouble], ""
        if day.guessed_century and not day.time:
            return day.value, "two-digit-year", "the nearest year with these digits"
        if day.time:
            return day.value, "time-left-out", "the field holds a date without a time"
        proof = f"{order} first, {witness}" if order else "can be read in only one way"
        return day.value, "date-as-typed", proof

    tidied = spread(rows, values, odd, read, _DATE_TROUBLES, _DATE_REPAIRS)
    tidied.troubles += _report_turned(rows, values, is_date, odd & ~is_date)
    return tidied


def is_day(texts: pl.Series) -> pl.Series:
    """Which texts are a day of the calendar, written as an ISO date; a blank is none.

    A cell that could not be read stands among its rows as it was typed: what reckons with days asks here first.
    """
    days = texts.str.contains(dates.ISO) & (texts >= dates.FIRST_DAY)
    return (days & texts.str.to_date("%Y-%m-%d", strict=False).is_not_null()).fill_null(False)


def date_evidence(texts: pl.Series) -> tuple[object, ...]:
    """All that :func:`tidy_date` decides from a column as a whole."""
    distinct = texts.drop_nulls().unique().to_list()
    return (*dates.order_of(distinct), dates.pairs_of(distinct))


def _report_turned(rows: pl.Series, values: pl.Series, is_date: pl.Series, typed: pl.Series) -> list[Trouble]:
    """Date cells whose day and month a spreadsheet may have exchanged.

    A program that takes the month first makes a date of 5/3/2028 and leaves 25/3/2028 as a text: so a column has texts
    with a day above 12, and date cells with none.
    """
    if not is_date.any() or dates.order_of(values.filter(typed).unique().to_list())[0] is None:
        return []
    days = values.str.to_date("%Y-%m-%d", strict=False)
    # A time of day shows that nobody typed it.
    known = is_date & days.is_not_null()
    if not known.any() or bool((days.filter(known).dt.day() > 12).any()):
        return []
    doubtful = known & (days.dt.day() != days.dt.month())
    if not doubtful.any():
        return []
    turned = [f"{text[:5]}{text[8:]}-{text[5:7]}?" for text in values.filter(doubtful)]
    message = (
        "the column has dates that the spreadsheet could not read, so it may have turned this one: write it as text"
    )
    cells = cells_of(rows.filter(doubtful), values.filter(doubtful), message, turned)
    return [Trouble("error", "turned-date", "day and month may be exchanged", cells)]


_TROUBLES = {
    "not-a-moment": ("not a date and time", "write it like 2026-03-31 14:30"),
    "impossible-date": ("no such date or time", "write it like 2026-03-31 14:30"),
    "no-zone": ("in which time zone?", "write the zone: 2026-03-31 14:30+02:00, or 2026-03-31 12:30Z"),
    "needless-zone": ("a time zone that is not kept", "write the time at the place, without a zone: 2026-03-31 14:30"),
}
_REPAIRS = ("midnight-added",)


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
