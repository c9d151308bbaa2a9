"""Products and rounding of whole columns of exact decimals.

A decimal of :data:`~kotrel.core.expressions.kinds.NUMBER` is a whole number of its last place. Whole numbers are
multiplied and divided several times as fast as decimals, and as exactly, as long as they fit: that is looked at before,
for all of a column. Several steps on one column are taken in one go.
"""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from fractions import Fraction
from functools import partial
from typing import Literal, Protocol

import polars as pl
from msgspec import Struct

from kotrel.core.columns import SCALE, decimal_type

Way = Literal["up", "down", "nearest"]

_GREATEST = 2**127 - 1


def times(numbers: pl.Expr, by: Fraction) -> pl.Expr:
    """A column of numbers, each times the same one; what goes beyond the last place is rounded half away from zero."""
    return _then(numbers, _Times(*by.as_integer_ratio()))


def to_decimals(numbers: pl.Expr, places: int) -> pl.Expr:
    """A column of numbers rounded to a number of decimals, half away from zero."""
    return numbers if places >= SCALE else _then(numbers, _Rounded(10 ** (SCALE - places)))


def to_multiples(numbers: pl.Expr, of: Decimal, way: Way) -> pl.Expr:
    """A column of numbers, each the multiple above, below or nearest to it; from half way it goes up."""
    return _then(numbers, _Multiple(int(of.scaleb(SCALE)), way))


class _Whole:
    """The whole numbers to calculate with: of 64 bits where that is enough, else of 128."""

    def __init__(self, reach: int, negative: bool) -> None:
        """Nothing goes beyond ``reach``, and below zero only where ``negative``."""
        self.negative = negative
        self.small = not negative and reach < 2**64
        self.kind = pl.UInt64() if self.small else pl.Int128()

    def of(self, numbers: pl.Expr) -> pl.Expr:
        whole = numbers.reinterpret(dtype=pl.Int128)
        return whole.cast(self.kind, wrap_numerical=True) if self.small else whole

    def number(self, value: int) -> pl.Expr:
        return pl.lit(value, self.kind)

    def back(self, whole: pl.Expr) -> pl.Expr:
        return (whole.cast(pl.Int128) if self.small else whole).reinterpret(dtype=decimal_type())

    def divided(self, whole: pl.Expr, by: int) -> pl.Expr:
        """A quotient, half away from zero. Division goes downwards, so numbers below zero go the other way round."""
        if by == 1:
            return whole
        half, divisor = self.number(by // 2), self.number(by)
        above = (whole + half) // divisor
        if not self.negative:
            return above
        return pl.when(whole < 0).then(self.number(0) - (half - whole) // divisor).otherwise(above)


def _quotient(number: int, by: int) -> int:
    """As :meth:`_Whole.divided`, of one number."""
    return (number + by // 2) // by if number >= 0 else -((by // 2 - number) // by)


class _Step(Protocol):
    """What is done to every number of a column."""

    def reach(self, reach: int) -> tuple[int, int]:
        """How far numbers go on the way, and after it, if they go so far before it."""

    def made(self, number: pl.Expr, whole: _Whole) -> pl.Expr:
        """The step on whole columns."""

    def one(self, number: int) -> int:
        """The same of one number."""


class _Times(Struct, frozen=True):
    top: int
    bottom: int

    def reach(self, reach: int) -> tuple[int, int]:
        product = reach * abs(self.top)
        return product + self.bottom, product // self.bottom + 1

    def made(self, number: pl.Expr, whole: _Whole) -> pl.Expr:
        return whole.divided(number * whole.number(self.top), self.bottom)

    def one(self, number: int) -> int:
        return _quotient(number * self.top, self.bottom)


class _Rounded(Struct, frozen=True):
    step: int

    def reach(self, reach: int) -> tuple[int, int]:
        return reach + self.step, reach + self.step

    def made(self, number: pl.Expr, whole: _Whole) -> pl.Expr:
        return whole.divided(number, self.step) * whole.number(self.step)

    def one(self, number: int) -> int:
        return _quotient(number, self.step) * self.step


class _Multiple(Struct, frozen=True):
    step: int
    way: Way

    @property
    def _more(self) -> int:
        return {"up": self.step - 1, "down": 0, "nearest": self.step // 2}[self.way]

    def reach(self, reach: int) -> tuple[int, int]:
        return reach + self.step, reach + self.step

    def made(self, number: pl.Expr, whole: _Whole) -> pl.Expr:
        step = whole.number(self.step)
        return (number + whole.number(self._more)) // step * step

    def one(self, number: int) -> int:
        return (number + self._more) // self.step * self.step


class _Steps(pl.Expr):
    """A column of numbers and the steps taken on it."""

    def __init__(self, numbers: pl.Expr, steps: Sequence[_Step]) -> None:
        taken = numbers.map_batches(partial(_take_steps, steps=steps), return_dtype=decimal_type(), is_elementwise=True)
        self._pyexpr = taken._pyexpr
        self.numbers, self.steps = numbers, steps


def _then(numbers: pl.Expr, step: _Step) -> pl.Expr:
    return _Steps(numbers.numbers, (*numbers.steps, step)) if isinstance(numbers, _Steps) else _Steps(numbers, (step,))


def _take_steps(numbers: pl.Series, steps: Sequence[_Step]) -> pl.Series:
    reach, negative = _reach(numbers)
    farthest = reach
    for step in steps:
        on_the_way, reach = step.reach(reach)
        farthest = max(farthest, on_the_way, reach)
        negative = negative or (isinstance(step, _Times) and step.top < 0)
    if farthest > _GREATEST:
        return _one_by_one(numbers, steps)
    whole = _Whole(farthest, negative)
    number = whole.of(pl.col("n"))
    for step in steps:
        number = step.made(number, whole)
    return _computed(numbers, whole.back(number))


def _one_by_one(numbers: pl.Series, steps: Sequence[_Step]) -> pl.Series:
    """Numbers beyond all trade, in Python's whole numbers, which have no end."""
    found: list[int | None] = numbers.to_physical().to_list()
    for step in steps:
        found = [None if each is None else step.one(each) for each in found]
    return (
        pl.DataFrame({"n": pl.Series(found, dtype=pl.Int128)})
        .select(pl.col("n").reinterpret(dtype=decimal_type()))
        .to_series()
    )


def _reach(numbers: pl.Series) -> tuple[int, bool]:
    """The greatest whole number behind a column, without its sign, and whether one of them is below zero."""
    # Seen without a sign, one below zero is greater than any other: a single look is enough for most columns.
    unsigned = pl.col("n").reinterpret(dtype=pl.Int128).reinterpret(dtype=pl.UInt128)
    greatest = int(_computed(numbers, unsigned.max())[0] or 0)
    if greatest <= _GREATEST:
        return greatest, False
    whole = numbers.to_physical()
    return max(int(whole.max()), -int(whole.min())), True  # type: ignore[arg-type]


def _computed(numbers: pl.Series, how: pl.Expr) -> pl.Series:
    return pl.DataFrame([numbers.alias("n")]).select(how.alias("n")).to_series()
