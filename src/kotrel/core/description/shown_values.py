"""Values as people like to read them: 35, not 35.000; 4.35, not 4.3500; 12.00 for money."""

from __future__ import annotations

import re

import polars as pl

from kotrel.core.description.model import Field

_IDLE = {
    "money": r"^(-?[0-9]+\.[0-9]{2}[0-9]*?)0+$",
    "quantity": r"^(-?[0-9]+(?:\.[0-9]*?[1-9])?)\.0*$|^(-?[0-9]+\.[0-9]*[1-9])0+$",
}
"""Zeros at the end that say nothing; of money two decimals always stay."""


def _pattern(field: Field | None) -> str | None:
    if field is None or not field.is_decimal or not field.decimals:
        return None
    return _IDLE["money" if field.kind == "money" else "quantity"]


def shown(value: str | None, field: Field | None) -> str | None:
    """A value without idle zeros; what is no plain number stays as it is."""
    pattern = _pattern(field)
    if value is None or pattern is None:
        return value
    found = re.match(pattern, value)
    return next(part for part in found.groups() if part is not None) if found else value


def shown_column(column: pl.Expr, field: Field) -> pl.Expr:
    """The same for a column of values."""
    pattern = _pattern(field)
    if pattern is None:
        return column
    return pl.coalesce(*(column.str.extract(pattern, place) for place in range(1, pattern.count("(-?") + 1)), column)
