"""Prices and stock of items, for the columns that ask for them."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from kotrel.core.description.model import Description, Record
from kotrel.core.errors import WrongUse
from kotrel.core.layouts.layout import Layout
from kotrel.core.loading.load_model import SystemReader
from kotrel.core.phrases import those_there
from kotrel.core.pricing.list_prices import Book, book_of, list_prices
from kotrel.core.pricing.rates import Rates
from kotrel.core.similarity import did_you_mean
from kotrel.core.stock.sums import LedgerQuery

ALL = "all"
"""Instead of a warehouse: all of them together."""


def joined_for(
    layout: Layout,
    record: Record,
    frame: pl.DataFrame,
    description: Description,
    look: SystemReader,
    day: str,
    rates: Rates,
) -> Mapping[str, pl.Series]:
    """``price LIST`` and ``stock WAREHOUSE`` → String for each row; no price is blank, no stock is 0.

    Args:
        frame: the items as they will be, with the key, and what prices come from.
        day: ISO date.

    Raises:
        WrongUse: the system has no such price list or warehouse.
        NoRate: a discount is off a price in another currency, and there is no rate.
    """
    columns: dict[str, pl.Series] = {}
    lists = dict.fromkeys(column.price_of for column in layout.columns if column.price_of is not None)
    if lists:
        book = _book(record, frame, description, look, day, rates)
        for name in lists:
            _require(name, list(book.lists), "price list", "price_of", layout)
            columns[f"price {name}"] = list_prices(book, name).cast(pl.String)
    for name in dict.fromkeys(column.stock_in for column in layout.columns if column.stock_in is not None):
        if name != ALL:
            _require(name, look.read("warehouse", ["code"])["code"].to_list(), "warehouse", "stock_in", layout)
        columns[f"stock {name}"] = _stock(name, record, frame, look)
    return columns


def _require(code: str, there: list[str], what: str, setting: str, layout: Layout) -> None:
    if code not in there:
        raise WrongUse(
            f"layouts/{layout.name}.toml: {setting} = “{code}”, and there is no {what} {code}",
            did_you_mean(code, there, those_there("codes", sorted(there))),
            "wrong-layout",
        )


def _book(
    record: Record, frame: pl.DataFrame, description: Description, look: SystemReader, day: str, rates: Rates
) -> Book:
    items = frame.select(
        pl.col(record.key[0]).alias("code"),
        *(
            pl.col(name) if name in frame.columns else pl.lit(None, pl.String).alias(name)
            for name in ("unit", "category", "price")
        ),
    )
    return book_of(items, description, look.read, day, rates)


def _stock(warehouse: str, record: Record, frame: pl.DataFrame, look: SystemReader) -> pl.Series:
    code = frame[record.key[0]]
    sums = look.ledger_sums(LedgerQuery(["item"] if warehouse == ALL else ["item", "warehouse"], [("item", code)]))
    if warehouse != ALL:
        sums = sums.filter(pl.col("warehouse") == warehouse)
    mine = sums.select(pl.col("item").alias("code"), "quantity")
    joined = pl.DataFrame({"code": code}).join(mine, on="code", how="left", maintain_order="left")
    return joined["quantity"].fill_null("0")
