"""Views of stock: on hand by item and place with its value, what moved in a period, what a load changed."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.columns import decimal_type
from kotrel.core.stock.sums import VALUE_DECIMALS, shares

PLACES = ("item", "warehouse", "bin", "lot", "serial", "expires_on")
"""Fields of the ledger by which stock can be asked for."""


def on_hand(places: pl.DataFrame, items: pl.DataFrame) -> pl.DataFrame:
    """Places with ``on_hand`` and ``value`` (Decimals), the value by quantity.

    Args:
        places: sums by item and other fields.
        items: sums by item, over all places.
    """
    return places.with_columns(
        pl.col("quantity").cast(decimal_type(6)).alias("on_hand"), shares(places, items).alias("value")
    ).drop("quantity")


def grouped(rows: pl.DataFrame, by: Sequence[str], amounts: Sequence[str]) -> pl.DataFrame:
    """Rows added up by fields; the unit is kept where it is the same in all of a group.

    Args:
        rows: ``by`` (String), ``amounts`` (Decimal), ``unit`` and ``description`` (String).

    Returns:
        The same columns, each group once, with ``places``: how many rows it has.
    """
    one_unit = pl.when(pl.col("unit").n_unique() == 1).then(pl.col("unit").first()).alias("unit")
    said = [("unit", one_unit), ("description", pl.col("description").first())]
    return rows.group_by(by, maintain_order=True).agg(
        *(pl.col(name).sum() for name in amounts),
        *(column for name, column in said if name not in by),
        pl.len().alias("places"),
    )


def period(
    opening: pl.DataFrame, came: pl.DataFrame, went: pl.DataFrame, closing: pl.DataFrame, by: Sequence[str]
) -> pl.DataFrame:
    """``opening`` + ``in`` − ``out`` = ``closing`` for each place, in quantities, and in values with what was
    ``revalued``.

    A place is worth its share of the item's value. When the average cost changes because of another place, so does what
    is here: that is revalued, and adds up to nothing over all places of an item.

    Args:
        opening, closing: places as :func:`on_hand` gives them, on the day before and on the last day.
        came, went: sums by the same fields, of what came in and went out between them.
    """
    names = list(by)

    def part(frame: pl.DataFrame, name: str, sign: int, quantity: str = "quantity") -> pl.DataFrame:
        return frame.select(
            *names,
            (pl.col(quantity).cast(decimal_type(6)) * sign).cast(decimal_type(6)).alias(name),
            (pl.col("value").cast(decimal_type(VALUE_DECIMALS)) * sign)
            .cast(decimal_type(VALUE_DECIMALS))
            .alias(f"{name} value"),
        )

    parts = [
        part(opening, "opening", 1, "on_hand"),
        part(came, "in", 1),
        part(went, "out", -1),
        part(closing, "closing", 1, "on_hand"),
    ]
    whole = pl.concat(parts, how="diagonal").group_by(names, maintain_order=True).agg(pl.exclude(names).sum())
    moved = pl.col("opening value") + pl.col("in value") - pl.col("out value")
    return whole.with_columns((pl.col("closing value") - moved).cast(decimal_type(VALUE_DECIMALS)).alias("revalued"))
