"""What one unit costs in a document, held against the item: a box counted as a piece, or a decimal point moved."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

import polars as pl

from kotrel.core.columns import decimal_type
from kotrel.core.documents.document_tables import DocumentTables
from kotrel.core.expressions.kinds import exact
from kotrel.core.phrases import plain_number
from kotrel.core.rows.findings import FindingGroup

COST_APART = 25
"""Per cent by which an entered cost may differ from the item's before a warning."""
PRICE_APART = 4
"""How many times as much, or as little, an order may ask for an item as its standard price before a warning: customers
have their discounts."""

Found = Iterator[tuple[int, FindingGroup]]


def far_from_cost(whole: DocumentTables, lines: pl.DataFrame, field: str, column: str) -> Found:
    """Warnings at costs for one base unit that are far from the item's own.

    Args:
        field: where the cost is in the sheet.
        column: of the lines, the cost of one of the line's unit: Decimal.
    """
    table = _per_base_unit(lines, column, "item cost")
    apart = (pl.col("entered") - pl.col("own")).abs() * 100 > pl.col("own") * COST_APART
    odd = table.filter((pl.col("own") > exact(0)) & apart)
    if odd.height:
        messages = [
            f"{_shown(cost)} for one {unit}, and the item's cost is {_shown(has)}"
            for cost, unit, has in odd.select("entered", "base unit", "own").iter_rows()
        ]
        yield from whole.findings("warning", "cost-unlike", "far from the item's cost", field, odd, messages)


def check_order_prices(whole: DocumentTables) -> Found:
    """Prices of orders: of a vendor's far from the item's cost, of a customer's below it or far from the item's price."""
    if "price" not in whole.family.lines.fields or "price" not in whole.lines.columns:
        return
    price = pl.col("price").cast(decimal_type(), strict=False)
    lines = whole.lines.with_columns(pl.when(price != exact(0)).then(price).alias("unit price"))
    if whole.family.header.counts_as == "on order":
        yield from far_from_cost(whole, lines, "price", "unit price")
    if whole.family.header.counts_as != "reserved":
        return
    table = _per_base_unit(lines, "unit price", "item price")
    entered, own = pl.col("entered"), pl.col("own")
    far = table.filter((own > exact(0)) & ((entered > own * PRICE_APART) | (entered * PRICE_APART < own)))
    if far.height:
        messages = [
            f"{_shown(each)} for one {unit}, and the item's price is {_shown(has)}"
            for each, unit, has in far.select("entered", "base unit", "own").iter_rows()
        ]
        yield from whole.findings("warning", "price-unlike", "far from the item's price", "price", far, messages)
    below = _per_base_unit(lines, "unit price", "item cost").filter(entered < own)
    below = below.join(far.select("document", "line"), on=["document", "line"], how="anti", maintain_order="left")
    if below.height:
        messages = [
            f"{_shown(each)} for one {unit} is below the cost of {_shown(has)}"
            for each, unit, has in below.select("entered", "base unit", "own").iter_rows()
        ]
        yield from whole.findings("warning", "below-cost", "below cost", "price", below, messages)


def _per_base_unit(lines: pl.DataFrame, column: str, item_column: str) -> pl.DataFrame:
    """The lines with ``entered``, for one base unit, and ``own``, what the item has: Decimals."""
    own = pl.col(item_column).cast(decimal_type(), strict=False)
    entered = pl.col(column) / pl.when(pl.col("factor") != exact(0)).then("factor")
    return lines.with_columns(own.alias("own"), entered.alias("entered"))


def _shown(value: Decimal) -> str:
    return plain_number(round(value, 4), 2)
