"""Views of stock: on hand by item and place with its value, what moved in a period, what a load changed."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.stock.sums import VALUE_DECIMALS, shares

EXACT = pl.Decimal(38, 6)
PLACES = ("item", "warehouse", "bin", "lot", "serial", "expires_on")
"""Fields of the ledger by which stock can be asked for."""


def on_hand(places: pl.DataFrame, items: pl.DataFrame) -> pl.DataFrame:
    """Places with ``on_hand`` and ``value`` (Decimals), the value by quantity.

    Args:
        places: sums by item and other fields.
        items: sums by item, over all places.
    """
    return places.with_columns(
        pl.col("quantity").cast(EXACT).alias("on_hand"), shares(places, items).alias("value")
    ).drop("quantity")


def grouped(rows: pl.DataFrame, by: Sequence[str], amounts: Sequence[str]) -> pl.DataFrame:
    """Rows added up by fields; the unit is kept where it is the same in all of a group."""
    one_unit = pl.when(pl.col("unit").n_unique() == 1).then(pl.col("unit").first()).alias("unit")
    return rows.group_by(by, maintain_order=True).agg(
        *(pl.col(name).sum() for name in amounts), one_unit, pl.col("description").first(), pl.len().alias("places")
    )


def period(opening: pl.DataFrame, came: pl.DataFrame, went: pl.DataFrame, by: Sequence[str]) -> pl.DataFrame:
    """``opening`` + ``in`` − ``out`` = ``closing``, in quantities and values, for each place.

    Args:
        opening, came, went: sums by the same fields: until the day before, and of what came in and went out since.
    """
    names = list(by)

    def part(frame: pl.DataFrame, name: str, sign: int) -> pl.DataFrame:
        return frame.select(
            *names,
            (pl.col("quantity").cast(EXACT) * sign).cast(EXACT).alias(name),
            (pl.col("value").cast(pl.Decimal(38, VALUE_DECIMALS)) * sign)
            .cast(pl.Decimal(38, VALUE_DECIMALS))
            .alias(f"{name} value"),
        )

    parts = [part(opening, "opening", 1), part(came, "in", 1), part(went, "out", -1)]
    whole = pl.concat(parts, how="diagonal").group_by(names, maintain_order=True).agg(pl.exclude(names).sum())
    closing = [(pl.col("opening") + pl.col("in") - pl.col("out")).cast(EXACT).alias("closing"),
               (pl.col("opening value") + pl.col("in value") - pl.col("out value")).cast(pl.Decimal(38, VALUE_DECIMALS))
               .alias("closing value")]  # fmt: skip
    return whole.with_columns(closing)
