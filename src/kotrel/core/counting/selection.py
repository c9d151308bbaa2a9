"""What is counted: places with what the system holds there, chosen by condition, class or sample."""

from __future__ import annotations

import random
from collections.abc import Sequence
from decimal import Decimal

import polars as pl

from kotrel.core.counting.tolerances import CLASSES
from kotrel.core.stock.sums import PLACE, average_costs

FROZEN = (*PLACE, "expected", "cost", "unit", "description", "category")
"""Columns of a frozen place: String; ``expected`` in the base unit, ``cost`` of one base unit at the freeze."""


def classes(items: pl.DataFrame) -> dict[str, str]:
    """Item → its class, by the value of its stock.

    Args:
        items: sums by item: ``item``, ``quantity``, ``value``.
    """
    worth = sorted(((Decimal(value), item) for item, value in items.select("item", "value").iter_rows()), reverse=True)
    whole = sum((value for value, _ in worth), Decimal(0))
    class_of: dict[str, str] = {}
    before = Decimal(0)
    for value, item in worth:
        share = before / whole if whole else Decimal(1)
        class_of[item] = next((name for name, most in CLASSES if share < most), "C")
        before += value
    return class_of


def sample(items: Sequence[str], size: int, seed: int) -> set[str]:
    """So many of the items, chosen at random; the same seed chooses the same ones."""
    return set(random.Random(seed).sample(sorted(set(items)), min(size, len(set(items)))))


def frozen(places: pl.DataFrame, items: pl.DataFrame, about: pl.DataFrame) -> pl.DataFrame:
    """Places as :data:`FROZEN`, in the order in which people walk: warehouse, bin, item.

    Args:
        places: sums by place.
        items: sums by item, for their average cost.
        about: ``item`` and, as far as the item master has them, ``unit``, ``description``, ``category`` and ``cost``,
            which is used where nothing is on hand.
    """
    about = about if "cost" in about.columns else about.with_columns(pl.lit(None, pl.String).alias("cost"))
    costs = items.select("item", average_costs(items))
    rows = (
        places.rename({"quantity": "expected"})
        .join(about, on="item", how="left", maintain_order="left")
        .join(costs, on="item", how="left", maintain_order="left")
        .with_columns(pl.coalesce("average", "cost").alias("cost"))
    )
    missing = [name for name in FROZEN if name not in rows.columns]
    rows = rows.with_columns(pl.lit(None, pl.String).alias(name) for name in missing)
    return rows.select(FROZEN).sort("warehouse", "bin", "item", "lot", "serial", nulls_last=True)
