"""What a load does to prices, in sum: count, mean and largest change for each list and category, and the value at
stake.

The value at stake is what the stock on hand is worth more or less at the new prices: change × on hand, at the price for
one base unit from the first piece on.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION, ROW, before, decimal_type
from kotrel.core.description.model import CURRENCY_FIELD, Description
from kotrel.core.expressions.kinds import exact
from kotrel.core.pricing.guards import percent
from kotrel.core.pricing.price_rules import OWN_PRICES
from kotrel.core.pricing.prices_in_force import PRICE
from kotrel.core.rows.system_state import Reader
from kotrel.core.stock.sums import LedgerQuery, Sums

STAKES = ("list", "category", "prices", "new", "mean", "largest", "item", "stake", "currency")
"""Columns: how many prices changed or are new, their mean and largest change in per cent, the item of the largest,
money in the list's currency (blank for the workspace's).
"""

_BREAK = ["price_list", "item", "unit", "from_quantity"]


def moved_prices(changes: Sequence[RecordChanges], read: Reader) -> Iterator[pl.DataFrame]:
    """The prices that a load changes or sets anew, a frame for each field that has any: one after the other, since a
    million of each would take much memory together.

    Yields:
        ``ROW`` and ``field`` where the sheet has them, ``list`` (or the item's field), ``item``, ``unit``, ``first``
        (from the first piece on), ``old`` (blank for a new price) and ``price``.
    """
    frames = [[_of_prices(part, read) for part in changes if _has_prices(part)]]
    items = [part for part in changes if part.record.name == "item"]
    own = ([_of_items(part, name) for part in items if name in part.fields] for name in OWN_PRICES)
    for each in itertools.chain(frames, own):
        moved = pl.concat(each or [_empty()]).filter(pl.col("old").is_null() | (pl.col("old") != pl.col("price")))
        if moved.height:
            yield moved


def _has_prices(part: RecordChanges) -> bool:
    is_whole = {"item", "amount"} <= set(part.fields) and set(PRICE) <= set(part.record.fields)
    return part.record.name == "price" and is_whole


def _items_of(changes: Sequence[RecordChanges]) -> pl.Series:
    """The codes of the items of which prices may change."""
    codes = [part.rows_of("new", "changed")["item"] for part in changes if _has_prices(part)]
    own = [
        (part, part.rows_of("changed"))
        for part in changes
        if part.record.name == "item" and set(OWN_PRICES) & set(part.fields)
    ]
    codes += [rows[part.record.code].alias("item") for part, rows in own]
    return pl.concat(codes).unique() if codes else pl.Series("item", [], dtype=pl.String)


def price_stakes(
    changes: Sequence[RecordChanges], description: Description, read: Reader, sums: Sums
) -> pl.DataFrame | None:
    """:data:`STAKES` of a load, the list totals (``category`` blank) before their categories;
    None where no price changes.
    """
    item = description.records.get("item")
    if item is None or "unit" not in item.fields:
        return None
    codes = _items_of(changes)
    if not len(codes):
        return None
    fields = [item.code, "unit", *(["category"] if "category" in item.fields else [])]
    about = read("item", fields, (item.code, codes)).unique(item.code)
    about = about.rename({item.code: "item", "unit": "base unit"})
    about = about if "category" in about.columns else about.with_columns(pl.lit(None, pl.String).alias("category"))
    held = sums(LedgerQuery(["item"], [("item", codes)])).select(
        "item", pl.col("quantity").cast(decimal_type()).alias("on hand")
    )
    about = about.join(held, on="item", how="left")
    currencies = _currencies(description, read)
    counts = pl.col("first") & (pl.col("unit").is_null() | (pl.col("unit") == pl.col("base unit")))
    change = pl.col("price") - pl.col("old")
    summed: list[pl.DataFrame] = []
    for moved in moved_prices(changes, read):
        frame = (
            moved.join(about, on="item", how="left")
            .select(
                "list",
                "item",
                "category",
                pl.col("old").is_null().alias("is new"),
                percent(change, pl.col("old")).alias("change"),
                pl.when(counts & pl.col("on hand").is_not_null())
                .then(change * pl.col("on hand"))
                .otherwise(exact(0))
                .alias("at stake"),
            )
            .join(currencies, on="list", how="left")
        )
        summed.append(_summed(frame.with_columns(pl.lit(None, pl.String).alias("category"))))
        summed.append(_summed(frame.filter(pl.col("category").is_not_null())))
    if not summed:
        return None
    return pl.concat(summed).sort(["list", "category"], nulls_last=False, maintain_order=True)


def _currencies(description: Description, read: Reader) -> pl.DataFrame:
    lists = description.records.get("price_list")
    if lists is None or CURRENCY_FIELD not in lists.fields:
        return pl.DataFrame(schema={"list": pl.String, "currency": pl.String})
    return read("price_list", ["code", CURRENCY_FIELD]).rename({"code": "list", CURRENCY_FIELD: "currency"})


def _summed(moved: pl.DataFrame) -> pl.DataFrame:
    known = pl.col("change").is_not_null()
    worst = pl.col("change").abs().fill_null(exact(-1)).arg_max()
    return (
        moved.group_by("list", "currency", "category")
        .agg(
            pl.len().alias("prices"),
            pl.col("is new").sum().alias("new"),
            (pl.col("change").sum() / pl.when(known.sum() > 0).then(known.sum().cast(decimal_type()))).alias("mean"),
            pl.col("change").gather(worst).first().alias("largest"),
            pl.col("item").gather(worst).first(),
            pl.col("at stake").sum().alias("stake"),
        )
        .select(STAKES)
    )


def _empty() -> pl.DataFrame:
    return pl.DataFrame(
        schema={
            ROW: pl.UInt32,
            "field": pl.String,
            "list": pl.String,
            "item": pl.String,
            "unit": pl.String,
            "first": pl.Boolean,
            "old": decimal_type(),
            "price": decimal_type(),
        }
    )


def _of_items(changes: RecordChanges, name: str) -> pl.DataFrame:
    """Changes of an item's own price; a new item has none to change."""
    rows = changes.frame.filter(
        (pl.col(ACTION) == "changed") & pl.col(name).is_not_null() & pl.col(before(name)).is_not_null()
    )
    return rows.select(
        ROW,
        pl.lit(name).alias("field"),
        pl.lit(name).alias("list"),
        pl.col(changes.record.code).alias("item"),
        pl.lit(None, pl.String).alias("unit"),
        pl.lit(True).alias("first"),
        pl.col(before(name)).cast(decimal_type(), strict=False).alias("old"),
        pl.col(name).cast(decimal_type(), strict=False).alias("price"),
    )


def _of_prices(changes: RecordChanges, read: Reader) -> pl.DataFrame:
    """Fixed prices that change, and new ones against the price in force on their first day."""
    rows = changes.frame.filter(pl.col(ACTION).is_in(["new", "changed"]) & pl.col("amount").is_not_null())
    if not rows.height or any(name not in changes.fields for name in _BREAK):
        return _empty()
    frame = rows.select(
        ROW,
        *(pl.col(name) for name in _BREAK),
        pl.col("from_date").str.to_date(strict=False).alias("day"),
        pl.when(pl.col(ACTION) == "changed")
        .then(pl.col(before("amount")))
        .cast(decimal_type(), strict=False)
        .alias("was"),
        pl.col("amount").cast(decimal_type(), strict=False).alias("price"),
        (pl.col(ACTION) == "new").alias("is new"),
    )
    held_prices = read("price", PRICE, ("item", rows["item"])).filter(pl.col("amount").is_not_null())
    held_prices = held_prices.select(
        *_BREAK,
        pl.col("from_date").str.to_date(strict=False).alias("day"),
        pl.col("to_date").str.to_date(strict=False).alias("end"),
        pl.col("amount").cast(decimal_type(), strict=False).alias("in force"),
    ).drop_nulls("day")
    joined = (
        frame.drop_nulls("day")
        .sort("day")
        .join_asof(held_prices.sort("day"), on="day", by=_BREAK, strategy="backward", check_sortedness=False)
    )
    ended = pl.col("end").is_not_null() & (pl.col("end") < pl.col("day"))
    old = pl.when(pl.col("is new")).then(pl.when(~ended).then("in force")).otherwise("was")
    return joined.select(
        ROW,
        pl.lit("amount").alias("field"),
        pl.col("price_list").alias("list"),
        "item",
        "unit",
        (pl.col("from_quantity").cast(decimal_type(), strict=False) <= exact(1)).alias("first"),
        old.alias("old"),
        "price",
    )
