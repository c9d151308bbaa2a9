"""Dates in a column → ISO dates."""

from __future__ import annotations

import polars as pl

from kotrel.core.understanding.tidying.column import Setting, Tidied, spread
from kotrel.core.values import dates

_DATE_TROUBLES = {
    "not-a-date": ("not a date", "write it as 2026-03-31"),
    "impossible-date": ("no such day", "write it as 2026-03-31"),
    "ambiguous-date": ("day or month first?", "say dates in kotrel.toml, under [sheets]"),
    "mixed-dates": ("day and month the other way round than the rest", "write it as 2026-03-31"),
    "date-as-number": ("a day number, not a date", "give the column a date format in the spreadsheet"),
}
_DATE_REPAIRS = {"date-as-typed": "dates read", "two-digit-year": "years of two digits completed"}
_DATE_KINDS = {
    "no-date": "not-a-date",
    "impossible": "impossible-date",
    "ambiguous": "ambiguous-date",
    "other-order": "mixed-dates",
}


def tidy_date(rows: pl.Series, values: pl.Series, is_number: pl.Series, setting: Setting) -> Tidied:
    """Dates → ISO dates."""
    plain = values.str.contains(dates.ISO) & values.str.to_date("%Y-%m-%d", strict=False).is_not_null()
    odd = ~plain.fill_null(False) & values.is_not_null()
    if not odd.any():
        return Tidied(values)
    order: dates.Order | None
    if setting.conventions.dates == "auto":
        order = dates.order_of(values.filter(odd).unique().to_list())[0]
    else:
        order = setting.conventions.dates
    numbered = set(values.filter(is_number & odd).to_list())

    def read(text: str) -> tuple[str | None, str, str]:
        if text in numbered:
            return None, "date-as-number", ""
        found = dates.read_date(text, order, setting.today.year)
        if found.value is None:
            return None, _DATE_KINDS[found.trouble], ""
        if found.guessed_century:
            return found.value, "two-digit-year", "the nearest such year"
        proof = f"{order} first, as the column writes them" if order else "readable in one way only"
        return found.value, "date-as-typed", proof

    return spread(rows, values, odd, read, _DATE_TROUBLES, _DATE_REPAIRS)
