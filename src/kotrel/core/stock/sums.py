"""Sums of the ledger: quantity, value, average cost, and each place's share of an item's value.

Average cost per item = value ÷ quantity over all places, four decimals, half away from zero. What goes out goes at that
average, so the value that the ledger has at one place says little; a place's value is its share of the item's value, by
quantity.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import ROUND_HALF_UP, Decimal
from typing import Literal

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type

PLACE = ("item", "warehouse", "bin", "lot", "serial")
"""What identifies stock at a place."""
SUMS = ("quantity", "value")
"""Columns of a sum: in the base unit, and in money; canonical text."""

AVERAGE_DECIMALS = 4
VALUE_DECIMALS = 4
SHOWN_DECIMALS = 2


class LedgerQuery(Struct, frozen=True):
    """What is asked of the ledger.

    Attributes:
        by: fields of the ledger; one row for each of their combinations.
        among: fields and values: only movements with one of them count. More may come back where there are very many.
        counts_as: ``on hand``, ``on order`` or ``reserved``.
        since, until: the first and the last day that counts, ISO dates.
        direction: ``in`` or ``out`` for the movements that add or take away; None for all.
        as_at: the moment until which movements count, by when they were posted; canonical text.
    """

    by: Sequence[str]
    among: Sequence[tuple[str, pl.Series]] = ()
    counts_as: str = "on hand"
    since: str | None = None
    until: str | None = None
    direction: Literal["in", "out"] | None = None
    as_at: str | None = None

    @property
    def is_dated(self) -> bool:
        """True where the answer depends on when something moved, or which way."""
        return any(each is not None for each in (self.since, self.until, self.direction, self.as_at))


Sums = Callable[[LedgerQuery], "pl.DataFrame"]
"""Answers a query: see :meth:`kotrel.systems.interface.Reading.ledger_sums`."""


def summed(places: pl.DataFrame, by: Sequence[str], decimals: Sequence[int] = (6, VALUE_DECIMALS)) -> pl.DataFrame:
    """Sums of sums, or of rows of which there are several for one place: the same columns.

    Args:
        decimals: of quantity and value.
    """
    exact = [pl.col(name).cast(decimal_type(places)).sum() for name, places in zip(SUMS, decimals, strict=True)]
    return places.group_by(by, maintain_order=True).agg(exact).with_columns(pl.col(*SUMS).cast(pl.String))


def half_away(value: Decimal, decimals: int) -> Decimal:
    """A number rounded half away from zero."""
    return value.quantize(Decimal(1).scaleb(-decimals), ROUND_HALF_UP)


def average(quantity: Decimal, value: Decimal, decimals: int = AVERAGE_DECIMALS) -> Decimal | None:
    """The average cost of one base unit, or None where nothing is on hand."""
    return half_away(value / quantity, decimals) if quantity > 0 else None


def average_costs(sums: pl.DataFrame, decimals: int = AVERAGE_DECIMALS) -> pl.Series:
    """The average cost for each row of sums: String, blank where nothing is on hand."""
    pairs = sums.select("quantity", "value").iter_rows()
    found = (average(Decimal(quantity), Decimal(value), decimals) for quantity, value in pairs)
    return pl.Series("average", [None if one is None else f"{one:f}" for one in found], dtype=pl.String)


def shares(places: pl.DataFrame, items: pl.DataFrame) -> pl.Series:
    """The value at each place: its share of the item's value, by quantity. Decimals with :data:`VALUE_DECIMALS` places.

    Of an item of which nothing is on hand, some value may be left, on a day between two documents: it is where the
    ledger has it.

    Args:
        places: ``item``, ``quantity`` and ``value`` of each place.
        items: ``item``, ``quantity`` and ``value`` of each item over all places.
    """
    whole = {
        item: (Decimal(quantity), Decimal(value))
        for item, quantity, value in items.select("item", "quantity", "value").iter_rows()
    }
    parts = []
    for item, quantity, own in places.select("item", "quantity", "value").iter_rows():
        on_hand, value = whole.get(item, (Decimal(0), Decimal(0)))
        share = value * Decimal(quantity) / on_hand if on_hand else Decimal(own)
        parts.append(half_away(share, VALUE_DECIMALS))
    return decimal_series("value", parts, VALUE_DECIMALS)


def decimal_series(name: str, values: Sequence[Decimal], decimals: int) -> pl.Series:
    """Exact numbers as a column of decimals; none has more decimals than that."""
    # By way of texts: a Decimal makes Polars import a whole library for arrays, only to see that it is none of its
    # numbers.
    return pl.Series(name, [f"{value:f}" for value in values], dtype=pl.String).cast(decimal_type(decimals))
