"""What to order: when available stock is at or below the reorder point, order up to the level,
rounded up to the item's multiple.
"""

from __future__ import annotations

from collections.abc import Iterator
from decimal import ROUND_CEILING, Decimal

import polars as pl
from msgspec import Struct

ZERO = Decimal(0)


class Level(Struct, frozen=True):
    """An item in a warehouse, and what to order.

    Attributes:
        available: on hand, with orders also what is on order less what is reserved.
        order: in the base unit; 0 where there is enough.
    """

    item: str
    warehouse: str
    on_hand: Decimal
    on_order: Decimal
    reserved: Decimal
    available: Decimal
    point: Decimal
    level: Decimal
    order: Decimal


def to_order(available: Decimal, point: Decimal, level: Decimal, multiple: Decimal | None = None) -> Decimal:
    """The quantity to order: level − available once available is at or below the point, rounded up to the multiple."""
    if available > point or level <= available:
        return ZERO
    wanted = level - available
    if multiple is not None and multiple > 0:
        wanted = (wanted / multiple).to_integral_value(ROUND_CEILING) * multiple
    return wanted


def levels(
    points: pl.DataFrame, sums: dict[str, pl.DataFrame], multiples: dict[str, Decimal], with_orders: bool
) -> Iterator[Level]:
    """Each item and warehouse with a reorder point and a level.

    Args:
        points: ``item``, ``warehouse``, ``reorder_point``, ``order_up_to`` in canonical text.
        sums: ``on hand``, ``on order`` and ``reserved`` → sums by item and warehouse.
        multiples: item → what it is ordered in multiples of.
    """
    held_levels = {
        what: {
            (item, warehouse): Decimal(quantity)
            for item, warehouse, quantity in frame.select("item", "warehouse", "quantity").iter_rows()
        }
        for what, frame in sums.items()
    }
    rows = points.select("item", "warehouse", "reorder_point", "order_up_to").drop_nulls()
    for item, warehouse, point_text, level_text in rows.iter_rows():
        on_hand, on_order, reserved = (
            held_levels.get(what, {}).get((item, warehouse), ZERO) for what in ("on hand", "on order", "reserved")
        )
        point, level = Decimal(point_text), Decimal(level_text)
        available = on_hand + on_order - reserved if with_orders else on_hand
        order = to_order(available, point, level, multiples.get(item))
        yield Level(item, warehouse, on_hand, on_order, reserved, available, point, level, order)
