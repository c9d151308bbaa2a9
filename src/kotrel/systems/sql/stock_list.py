"""Stock of a system that has no ledger: a table, or a list that a program gave out, with what is on hand where."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import decimal_type
from kotrel.core.description.model import Description, Record
from kotrel.core.errors import OutOfReach
from kotrel.core.stock.sums import SUMS, VALUE_DECIMALS, LedgerQuery
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.store import read_rows, store_of


def _quantity_at_cost() -> pl.Expr:
    worth = pl.col("quantity") * pl.col("cost").cast(decimal_type(), strict=False)
    return worth.round(VALUE_DECIMALS, mode="half_away_from_zero").cast(decimal_type())


def listed_sums(database: Database, description: Description, query: LedgerQuery) -> pl.DataFrame:
    """Sums of the stock list as :func:`kotrel.systems.sql.ledger.ledger_sums`; none where the system has no such list
    either.

    What stock is worth is its ``value`` in the list, otherwise quantity times the cost there, otherwise times the
    item's cost.

    Raises:
        OutOfReach: the answer depends on when something moved, and a list does not say.
    """
    stock = description.stock_list
    if stock is None:
        return pl.DataFrame(schema=dict.fromkeys((*query.by, *SUMS), pl.String))
    if query.is_dated:
        raise OutOfReach(
            "this system gives a list of its stock and no movements: what was on hand on another day is not known",
            "Ask without a date.",
            "no-movements",
        )
    among = [(name, values) for name, values in query.among if name in stock.fields]
    by = [name for name in query.by if name in stock.fields]
    priced = [name for name in ("value", "cost") if name in stock.fields][:1]
    wanted = [*dict.fromkeys([*by, "item", *(name for name, _ in among)]), "quantity", *priced]
    store = store_of(description, stock, database.dialect)
    rows = read_rows(database, store, wanted, among[0] if among else None)
    for name, values in among:
        rows = rows.filter(pl.col(name).is_in(values.implode()))
    rows = rows.with_columns(pl.col("quantity").cast(decimal_type(), strict=False).fill_null(0))
    if not priced:
        rows = rows.join(_costs(database, description, stock, rows["item"]), on="item", how="left")
    worth = pl.col("value").cast(decimal_type(), strict=False) if priced == ["value"] else _quantity_at_cost()
    rows = rows.with_columns(worth.fill_null(0).alias("value"))
    decimals = {"quantity": stock.fields["quantity"].decimals or 0, "value": VALUE_DECIMALS}
    amounts = [pl.col(name).sum().cast(decimal_type(decimals[name])).cast(pl.String) for name in SUMS]
    if not by:
        return rows.select(amounts) if rows.height else rows.select(SUMS).cast(pl.String).clear()
    return rows.group_by(by, maintain_order=True).agg(amounts).select(*by, *SUMS)


def _costs(database: Database, description: Description, stock: Record, items: pl.Series) -> pl.DataFrame:
    """``item`` and ``cost`` of the item master; a blank cost where it has none."""
    item = description.records[str(stock.fields["item"].to)]
    key = item.key[0]
    if "cost" not in item.fields:
        return pl.DataFrame({"item": items.unique()}).with_columns(pl.lit(None, pl.String).alias("cost"))
    held = read_rows(database, store_of(description, item, database.dialect), [key, "cost"], (key, items.unique()))
    return held.select(pl.col(key).alias("item"), "cost").unique("item", keep="any")
