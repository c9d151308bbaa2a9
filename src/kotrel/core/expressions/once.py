"""Steps that name their value once.

A value that stands twice in its step is computed twice, and with it all that it is made of: a few dozen such steps within one
another would never come to an end.
"""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

import polars as pl


def zero_as_blank(numbers: pl.Expr) -> pl.Expr:
    """The numbers, blank where they are zero."""
    return numbers.replace(Decimal(0), None)


def is_any_of(value: pl.Expr, others: Sequence[pl.Expr]) -> pl.Expr:
    """True where the value is the same as one of the others; blank is the same as blank."""
    if value.meta.is_column() or value.meta.is_literal():
        return pl.any_horizontal(value.eq_missing(other) for other in others)
    return pl.map_batches([value, *others], _is_any, return_dtype=pl.Boolean, is_elementwise=True)


def _is_any(columns: Sequence[pl.Series]) -> pl.Series:
    value, *others = (
        pl.lit(column) if len(column) != 1 else pl.lit(column.first(), column.dtype) for column in columns
    )
    return pl.select(pl.any_horizontal(value.eq_missing(other) for other in others)).to_series()
