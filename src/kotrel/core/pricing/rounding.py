"""Rounding rules for prices: ``up to 0.05``, ``nearest to 0.05``, ``ending 0.95``, ``up ending 0.95``."""

from __future__ import annotations

import re
from decimal import Decimal

import polars as pl
from msgspec import Struct

from kotrel.core.expressions.exact import Way, to_decimals, to_multiples
from kotrel.core.expressions.kinds import exact

_RULE = re.compile(r"(?:(up|down|nearest)\s+)?(to|ending)\s+([0-9]+(?:\.[0-9]+)?)", re.IGNORECASE)


class Rounding(Struct, frozen=True):
    """A rule.

    Attributes:
        way: ``up``, ``down`` or ``nearest``.
        step: prices are multiples of it; or None for prices that end with ``ending``.
        ending: what a price ends with, such as 0.95; the next such price is 1 higher (10 for 9.95, 100 for 99).
    """

    way: Way
    step: Decimal | None = None
    ending: Decimal | None = None

    def __str__(self) -> str:
        """The rule as it is written: ``up to 0.05``, ``ending 0.95``."""
        if self.ending is not None:
            return f"{'' if self.way == 'nearest' else f'{self.way} '}ending {self.ending:f}"
        return f"{self.way} to {self.step:f}"

    @property
    def period(self) -> Decimal:
        """How far prices with the same ending are apart."""
        assert self.ending is not None
        return Decimal(10) ** len(str(int(self.ending))) if self.ending >= 1 else Decimal(1)


def read_rounding(text: str) -> Rounding | None:
    """A rule in words, or None where it is none."""
    match = _RULE.fullmatch(text.strip())
    if not match or Decimal(match[3]) == 0:
        return None
    way: Way = (match[1] or "nearest").lower()  # type: ignore[assignment]
    number = Decimal(match[3])
    return Rounding(way, step=number) if match[2].lower() == "to" else Rounding(way, ending=number)


def rounded(price: pl.Expr, rule: Rounding | None, decimals: pl.Expr | int) -> pl.Expr:
    """A price by the rule and then to its list's decimals, half away from zero; exact decimals throughout.

    A price for which the rule knows none, such as 0.30 ``down ending 0.95``, stays as it is before the list's decimals.

    Args:
        price: Decimal with :data:`NUMBER`'s decimals, never below zero.
        decimals: of the list.
    """
    if rule is not None and rule.step is not None:
        price = to_multiples(price, rule.step, rule.way)
    elif rule is not None and rule.ending is not None:
        ending = exact(rule.ending)
        # How many periods there are below the price with the ending.
        whole = to_multiples(price - ending, rule.period, rule.way)
        least = pl.max_horizontal(whole, exact(0)) if rule.way != "down" else whole
        price = pl.when(least >= exact(0)).then(least + ending).otherwise(price)
    if isinstance(decimals, int):
        return to_decimals(price, decimals)
    return pl.coalesce(pl.when(decimals == places).then(to_decimals(price, places)) for places in range(7))


def has_none(price: pl.Expr, rule: Rounding | None) -> pl.Expr:
    """True where the rule knows no price: rounding down below the first price with the ending."""
    if rule is None or rule.ending is None or rule.way != "down":
        return pl.lit(False)
    return (price < exact(rule.ending)).fill_null(False)
