"""Prices in force on a day, and what one unit costs: what new prices are held against."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import decimal_type
from kotrel.core.expressions.kinds import exact

PRICE = ["price_list", "item", "unit", "from_quantity", "from_date", "to_date", "amount"]
"""Fields of a price that say what it is and when it is in force."""
BREAK = ["target", "item", "unit", "from_quantity"]
"""What identifies a price on a day; the target is a price list or a field of the item."""


def in_force(prices: pl.DataFrame, day: str) -> pl.DataFrame:
    """The prices in force on a day: :data:`BREAK`, ``amount`` (Decimals) and ``from_date``.

    The row that began last counts, as in :func:`kotrel.core.pricing.effective_price.effective_price`; where that is a
    discount, ``amount`` is blank.

    Args:
        prices: :data:`PRICE` in canonical text.
        day: ISO date.
    """
    there = prices.filter(
        (pl.col("from_date").is_null() | (pl.col("from_date") <= day))
        & (pl.col("to_date").is_null() | (pl.col("to_date") >= day))
    )
    numbers = there.select(
        pl.col("price_list").alias("target"),
        "item",
        "unit",
        pl.col("from_quantity").cast(decimal_type(), strict=False).fill_null(exact(0)),
        pl.col("amount").cast(decimal_type(), strict=False),
        "from_date",
    )
    return numbers.sort("from_date").unique(BREAK, keep="last").sort(BREAK)


def base_units(frame: pl.DataFrame, items: pl.DataFrame, factors: pl.DataFrame) -> pl.DataFrame:
    """The frame with ``factor``: base units in one of its unit (Decimal), blank where nothing says so.

    Args:
        frame: has ``item`` and ``unit``.
        items: ``code`` and ``unit``, the base unit.
        factors: ``item``, ``unit`` and ``factor``.
    """
    known = factors.select("item", "unit", pl.col("factor").cast(decimal_type(), strict=False)).unique(["item", "unit"])
    known = known.filter(pl.col("factor") > exact(0))
    base = items.select(pl.col("code").alias("item"), pl.col("unit").alias("base unit")).unique("item")
    joined = frame.join(known, on=["item", "unit"], how="left", maintain_order="left")
    joined = joined.join(base, on="item", how="left", maintain_order="left")
    one = exact(1)
    is_base = (pl.col("unit") == pl.col("base unit")).fill_null(False)
    return joined.with_columns(pl.when(is_base).then(one).otherwise("factor").alias("factor")).drop("base unit")
