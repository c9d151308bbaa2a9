"""Goods that come in for a purchase order are no longer on order, and goods that go out for a sales order no longer
reserved.

A line that names an order takes off what is open of its item there: first in the line's own warehouse, then in the
order's others, and never more than is open.
"""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal
from itertools import groupby

import polars as pl

from kotrel.core.columns import ROW, decimal_type
from kotrel.core.description.model import Description, Field, Record
from kotrel.core.documents.document_tables import PART, DocumentTables, plain_quantity
from kotrel.core.documents.ledger_posting import MOVEMENT, ZERO, Posted, on_hand_only
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.stock.sums import LedgerQuery, Sums, decimal_series

OPEN = ("order", "item", "warehouse")
"""What is open is known by the order, the item and the warehouse it was ordered for."""


def fulfil(
    whole: DocumentTables, description: Description, movements: pl.DataFrame, sums: Sums, later: pl.DataFrame | None
) -> Posted:
    """What the lines of one family take off their orders, and warnings where an order has less open than that.

    Args:
        movements: what the family's documents post on hand.
        later: movements of the same load that are posted before, or None.
    """
    fulfilled = movements.clear()
    findings: list[tuple[int, FindingGroup]] = []
    for field in whole.family.lines.fields.values():
        if field.fulfils and whole.lines[field.name].count():
            posted = _by_field(whole, field, description.records[str(field.to)], movements, sums, later)
            fulfilled = pl.concat([fulfilled, posted.movements])
            findings += posted.findings
    return Posted(fulfilled, findings)


def open_of_orders(orders: pl.Series, items: pl.Series, counts_as: str, sums: Sums) -> pl.DataFrame:
    """:data:`OPEN` and ``open`` (Decimal, in the base unit) of these orders and items."""
    held = sums(LedgerQuery(list(OPEN), [("order", orders), ("item", items)], counts_as=counts_as))
    return held.filter(pl.col("order").is_in(orders.implode())).select(
        *OPEN, pl.col("quantity").cast(decimal_type()).alias("open")
    )


def _by_field(
    whole: DocumentTables, field: Field, order: Record, movements: pl.DataFrame, sums: Sums, later: pl.DataFrame | None
) -> Posted:
    orders = whole.lines.select("document", "line", pl.col(field.name).alias("of order")).filter(
        pl.col("of order").is_not_null()
    )
    lines = (
        on_hand_only(movements.drop("order"))
        .join(orders, on=["document", "line"], how="inner", maintain_order="left")  # type: ignore[union-attr]
        .group_by(PART, ROW, "document", "line", "of order", "date", "item", "warehouse", maintain_order=True)
        .agg(pl.col("quantity").sum().abs(), pl.col("part").cast(pl.Int32).max())
    )
    counts_as = str(order.counts_as)
    left = _open_before(lines, counts_as, sums, later)
    taken: list[tuple[int, str, int, Decimal]] = []
    none: list[int] = []
    fewer: list[tuple[int, Decimal, Decimal]] = []
    wanted = lines.select("of order", "item", "warehouse", "quantity", "part").iter_rows()
    for index, (number, item, warehouse, quantity, part) in enumerate(wanted):
        open_lines = left.get((number, item), {})
        had = sum(open_lines.values(), ZERO)
        need = quantity
        # Its own warehouse first.
        for where in sorted(open_lines, key=lambda each: (each != warehouse, each)):
            take = min(need, open_lines[where])
            if take > 0:
                part += 1
                taken.append((index, where, part, take))
                open_lines[where] -= take
                need -= take
        if had <= 0:
            none.append(index)
        elif need > 0:
            fewer.append((index, had, quantity))
    said = _findings(whole, field, lines, none, fewer)
    return Posted(_movements(whole, counts_as, lines, taken, movements), said)


def _open_before(
    lines: pl.DataFrame, counts_as: str, sums: Sums, later: pl.DataFrame | None
) -> dict[tuple[str, str], dict[str, Decimal]]:
    """Order and item → warehouse → what is open there before these lines."""
    if not lines.height:
        return {}
    orders, items = lines["of order"].unique(), lines["item"].unique()
    frames = [open_of_orders(orders, items, counts_as, sums)]
    if later is not None:
        before = later.filter((pl.col("counts_as") == counts_as) & pl.col("order").is_in(orders.implode()))
        frames.append(before.select(*OPEN, pl.col("quantity").cast(decimal_type()).alias("open")))
    table = pl.concat(frames).group_by(OPEN).agg(pl.col("open").sum()).filter(pl.col("open") > 0).sort("order", "item")
    return {
        key: {str(where): number for _, _, where, number in group}
        for key, group in groupby(table.select(*OPEN, "open").iter_rows(), lambda row: (row[0], row[1]))
    }


def _movements(
    whole: DocumentTables,
    counts_as: str,
    lines: pl.DataFrame,
    taken: list[tuple[int, str, int, Decimal]],
    like: pl.DataFrame,
) -> pl.DataFrame:
    if not taken:
        return like.clear()
    places, where, parts, numbers = zip(*taken, strict=True)
    # The row of a line says the rest: the document, the item and the day.
    table = lines[list(places)].with_columns(
        pl.lit(whole.family.header.name).alias("kind"),
        pl.lit(counts_as).alias("counts_as"),
        pl.Series("warehouse", where, dtype=pl.String),
        pl.Series("part", [str(part) for part in parts], dtype=pl.String),
        pl.col("of order").alias("order"),
        decimal_series("quantity", [-number for number in numbers], decimal_type().scale),
        pl.lit(0).cast(decimal_type()).alias("value"),
        *(pl.lit(None, pl.String).alias(name) for name in ("bin", "lot", "serial", "expires_on")),
    )
    return table.select(PART, ROW, *MOVEMENT).cast(dict(like.schema))  # type: ignore[arg-type]


def _findings(
    whole: DocumentTables,
    field: Field,
    lines: pl.DataFrame,
    none: list[int],
    fewer: list[tuple[int, Decimal, Decimal]],
) -> list[tuple[int, FindingGroup]]:
    how = "come in" if whole.family.header.effect == "in" else "go out"
    placed: list[tuple[int, FindingGroup]] = []
    if none:
        bad = lines[none]
        messages = [
            f"none of {item} is open there: {plain_quantity(quantity)} {_verb(how, quantity)}, and nothing is taken off the order"
            for item, quantity in bad.select("item", "quantity").iter_rows()
        ]
        placed += whole.findings("warning", "not-open", "nothing open of the order", field.name, bad, messages)
    if fewer:
        bad = lines[[place for place, _, _ in fewer]]
        messages = [
            f"{plain_quantity(had)} of {item} {'is' if had == 1 else 'are'} open there, and {plain_quantity(quantity)} {_verb(how, quantity)}: "
            f"{plain_quantity(had)} {'is' if had == 1 else 'are'} taken off the order"
            for item, (_, had, quantity) in zip(bad["item"], fewer, strict=True)
        ]
        placed += whole.findings(
            "warning", "more-than-open", "more than is open of the order", field.name, bad, messages
        )
    return placed


def _verb(how: str, quantity: Decimal) -> str:
    """``come in``, of one ``comes in``."""
    verb, _, rest = how.partition(" ")
    return f"{verb}{'' if quantity != 1 else 'es' if verb == 'go' else 's'} {rest}"


def fulfilled_by(movements: pl.DataFrame, whole: pl.DataFrame, sums: Sums) -> Iterator[tuple[str, str, Decimal]]:
    """Of orders that are to be taken back, those for which goods have moved: order, item, and how much of it is no
    longer open.

    Args:
        movements: what the orders posted; ``whole`` has that of everything that is taken back with them.
    """
    if "order" not in movements.columns:
        return
    for (counts_as,), mine in movements.filter(pl.col("counts_as") != "on hand").group_by("counts_as"):
        orders = mine["order"].drop_nulls().unique()
        open_now = open_of_orders(orders, mine["item"].unique(), str(counts_as), sums)
        back = whole.filter((pl.col("counts_as") == counts_as) & pl.col("order").is_in(orders.implode()))
        back = back.group_by(OPEN).agg(pl.col("quantity").sum().alias("back"))
        short = back.join(open_now, on=list(OPEN), how="left", nulls_equal=True).with_columns(
            (pl.col("back") - pl.col("open").fill_null(0)).alias("gone")
        )
        rows = (
            short.filter(pl.col("gone") > 0).group_by("order", "item").agg(pl.col("gone").sum()).sort("order", "item")
        )
        yield from rows.iter_rows()
