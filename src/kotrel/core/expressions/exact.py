"""Products and rounding of whole columns of exact decimals.

A decimal of :data:`~kotrel.core.expressions.kinds.NUMBER` is a whole number of its last place. Whole numbers of 128 bits are
multiplied and divided several times as fast as decimals, and as exactly, as long as they fit: that is looked at before, for all
of a column.
"""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction
from functools import partial
from typing import Literal

import polars as pl

from kotrel.core.expressions.kinds import NUMBER, SCALE

_WHOLE = pl.Int128
_GREATEST = 2**127 - 1


def times(numbers: pl.Expr, by: Fraction) -> pl.Expr:
    """A column of numbers, each times the same one; what goes beyond the last place is rounded half away from zero."""
    return numbers.map_batches(partial(_times, by=by), return_dtype=NUMBER, is_elementwise=True)


def to_decimals(numbers: pl.Expr, places: int) -> pl.Expr:
    """A column of numbers rounded to so many decimals, half away from zero."""
    if places >= SCALE:
        return numbers
    return numbers.map_batches(partial(_to_decimals, places=places), return_dtype=NUMBER, is_elementwise=True)


def to_multiples(numbers: pl.Expr, of: Decimal, way: Literal["up", "down", "nearest"]) -> pl.Expr:
    """A column of numbers, each the multiple above, below or nearest to it; from half way it goes up."""
    return numbers.map_batches(partial(_to_multiples, of=of, way=way), return_dtype=NUMBER, is_elementwise=True)


def _times(numbers: pl.Series, by: Fraction) -> pl.Series:
    top, bottom = by.as_integer_ratio()
    least, greatest = _bounds(numbers)
    if max(-least, greatest) * abs(top) + bottom > _GREATEST:
        return _one_by_one(numbers, top, bottom)
    product = pl.col("n").reinterpret(dtype=_WHOLE) * _number(top)
    return _computed(numbers, _divided(product, bottom, top < 0 or least < 0).reinterpret(dtype=NUMBER))


def _one_by_one(numbers: pl.Series, top: int, bottom: int) -> pl.Series:
    """Products of numbers beyond all trade, in Python's whole numbers, which have no end."""
    products = [None if each is None else each * top for each in numbers.to_physical()]
    half = bottom // 2
    steps = [p if p is None else (p + half) // bottom if p >= 0 else -((half - p) // bottom) for p in products]
    return pl.Series("n", steps, dtype=_WHOLE).to_frame().select(pl.col("n").reinterpret(dtype=NUMBER)).to_series()


def _to_decimals(numbers: pl.Series, places: int) -> pl.Series:
    step = 10 ** (SCALE - places)
    least, _ = _bounds(numbers)
    steps = _divided(pl.col("n").reinterpret(dtype=_WHOLE), step, least < 0)
    return _computed(numbers, (steps * _number(step)).reinterpret(dtype=NUMBER))


def _to_multiples(numbers: pl.Series, of: Decimal, way: str) -> pl.Series:
    step, whole, zero = int(of.scaleb(SCALE)), pl.col("n").reinterpret(dtype=_WHOLE), _number(0)
    if way == "up":
        steps = zero - (zero - whole) // _number(step)
    else:
        steps = (whole + _number(step // 2 if way == "nearest" else 0)) // _number(step)
    return _computed(numbers, (steps * _number(step)).reinterpret(dtype=NUMBER))


def _divided(whole: pl.Expr, by: int, negative: bool) -> pl.Expr:
    """A quotient, half away from zero. Whole numbers are divided downwards, so those below zero go the other way round."""
    if by == 1:
        return whole
    above = (whole + _number(by // 2)) // _number(by)
    if not negative:
        return above
    return pl.when(whole < 0).then(_number(0) - (_number(by // 2) - whole) // _number(by)).otherwise(above)


def _bounds(numbers: pl.Series) -> tuple[int, int]:
    """The least and the greatest of the whole numbers behind a column."""
    found = numbers.to_physical()
    return int(found.min() or 0), int(found.max() or 0)  # type: ignore[arg-type]


def _number(value: int) -> pl.Expr:
    return pl.lit(value, _WHOLE)


def _computed(numbers: pl.Series, how: pl.Expr) -> pl.Series:
    return pl.DataFrame([numbers.alias("n")]).select(how.alias("n")).to_series()
