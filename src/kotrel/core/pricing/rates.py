"""What currencies are worth: the one place where an amount of one currency becomes an amount of another."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from fractions import Fraction

import polars as pl
from msgspec import Struct, field

from kotrel.core.errors import WrongUse


class NoRate(WrongUse):
    """Two currencies meet and nobody has said what one is worth in the other."""


class Rates(Struct, frozen=True):
    """Rates of exchange.

    Attributes:
        home: the workspace's currency.
        values: currency → what one of it is in the workspace's currency.
        where: the file in which they stand, for what is told where one is missing.
    """

    home: str = ""
    values: Mapping[str, Decimal] = field(default_factory=dict)
    where: str = "kotrel.toml"

    def with_more(self, values: Mapping[str, Decimal], where: str) -> Rates:
        """These rates and those of another file, which come first."""
        return Rates(self.home, {**self.values, **values}, where)

    def known(self, one: str, other: str) -> Fraction | None:
        """What one unit of a currency is in another, exactly; None where a rate is missing.
        A blank one is the workspace's.
        """
        one, other = one or self.home, other or self.home
        if one == other:
            return Fraction(1)
        both = [Fraction(1) if each == self.home else self._value(each) for each in (one, other)]
        return None if both[0] is None or both[1] is None else both[0] / both[1]

    def between(self, one: str, other: str, what: str) -> Fraction:
        """As :meth:`known`.

        Args:
            what: what needs it, in words, for the error.

        Raises:
            NoRate: a rate is missing.
        """
        rate = self.known(one, other)
        if rate is None:
            missing = next(
                each for each in (one or self.home, other or self.home) if each != self.home and not self._value(each)
            )
            raise NoRate(
                f"{what}: one amount is in {one or self.home}, the other in {other or self.home}, "
                f"and there is no rate of {missing}",
                f'Write it in {self.where}, under [rates]: {missing} = "…", what one {missing} is in {self.home}.',
                "no-rate",
            )
        return rate

    def _value(self, currency: str) -> Fraction | None:
        value = self.values.get(currency)
        return None if value is None else Fraction(value)


NO_RATES = Rates()


def exchanged(
    frame: pl.DataFrame, amount: pl.Expr, one: pl.Expr, other: pl.Expr, rates: Rates, what: str | None
) -> pl.Expr:
    """Amounts of one currency in another, row by row, exact to 12 decimals.

    Args:
        frame: where the expressions hold.
        amount: Decimal, blank where there is none.
        one, other: the currencies, String.
        what: what needs it, in words; or None to leave blank what has no rate.

    Raises:
        NoRate: a rate is missing.
    """
    # Every command reads the rates, and few calculate with them.
    from kotrel.core.expressions.exact import times

    pairs = (
        frame.filter(amount.is_not_null()).select(one.alias("one"), other.alias("other")).unique().sort("one", "other")
    )
    made: list[pl.Expr] = []
    for left, right in pairs.iter_rows():
        rate = rates.known(left or "", right or "") if what is None else rates.between(left or "", right or "", what)
        if rate is not None:
            mine = one.eq_missing(pl.lit(left, pl.String)) & other.eq_missing(pl.lit(right, pl.String))
            made.append(pl.when(mine).then(amount if rate == 1 else times(amount, rate)))
    return pl.coalesce(made) if made else pl.when(pl.lit(False)).then(amount)
