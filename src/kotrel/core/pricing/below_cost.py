"""Prices below cost in a sheet of items or of list prices. Workbooks that ``reprice`` wrote have guards of their rules."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.checking.list_currency import of_list, own_currency
from kotrel.core.columns import ROW, decimal_type, worded
from kotrel.core.description.model import CURRENCY_FIELD, Record
from kotrel.core.expressions.kinds import exact
from kotrel.core.pricing.guards import price_text
from kotrel.core.pricing.price_rules import COST, OWN_PRICES
from kotrel.core.pricing.prices_in_force import base_units
from kotrel.core.pricing.rates import exchanged
from kotrel.core.pricing.sheet_guard import SheetGuard
from kotrel.core.rows.findings import FindingGroup, Severity
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, after_load, behind_rows

STANDARD = "price"
KIND, TITLE = "below-cost", "below cost"


def check_below_cost(rows: Rows, state: SystemState, guard: SheetGuard) -> list[FindingGroup]:
    """Prices of the sheet that are below cost, and costs above the price that their item keeps.

    A blank cell changes nothing, so that what the system holds counts. A price of zero has no cost to be held against:
    it means “ask”, or is a finding.
    """
    if guard.below_cost == "allowed":
        return []
    item = state.description.records.get("item")
    if item is None or COST not in item.fields or len(item.key) > 1 or not rows.has_key:
        return []
    if rows.record is item:
        return _own_prices(rows, state, guard.below_cost)
    if rows.record.name == "price" and {"item", "amount"} <= set(rows.fields) and "unit" in item.fields:
        return _list_prices(rows, item, state, guard)
    return []


def _own_prices(rows: Rows, state: SystemState, severity: Severity) -> list[FindingGroup]:
    prices = [name for name in OWN_PRICES if name != COST and name in rows.fields]
    if not prices and COST not in rows.fields:
        return []
    texts = _with_held(rows, prices, state)
    held = "held price"
    numbers = texts.select(
        ROW,
        _number(texts, COST).alias(COST),
        _number(texts, STANDARD).alias(held)
        if f"after {STANDARD}" in texts.columns
        else pl.lit(None, decimal_type()).alias(held),
        *(pl.col(name).cast(decimal_type(), strict=False) for name in prices),
    )
    findings: list[FindingGroup] = []
    for name in prices:
        below = numbers.filter((pl.col(name) < pl.col(COST)) & (pl.col(name) != exact(0)))
        words = worded("{} is below the cost of {}", price_text(pl.col(name)), price_text(pl.col(COST)))
        findings += rows.told(severity, KIND, TITLE, name, below.select(ROW, words.alias("message")))
    if COST in rows.fields and numbers[held].null_count() < numbers.height:
        below = numbers.filter(_given(rows, COST) & ~_given(rows, STANDARD))
        below = below.filter((pl.col(held) < pl.col(COST)) & (pl.col(held) != exact(0)))
        words = worded("the price of {} is below this cost", price_text(pl.col(held)))
        findings += rows.told(severity, KIND, TITLE, COST, below.select(ROW, words.alias("message")))
    return findings


def _with_held(rows: Rows, prices: Sequence[str], state: SystemState) -> pl.DataFrame:
    """The cost and the prices of the sheet; where a row has only one of the two, what the items will hold, too."""
    priced = _given(rows, *prices)
    half = (priced & ~_given(rows, COST)) | (_given(rows, COST) & ~_given(rows, STANDARD))
    frame = rows.values.select(ROW, *(name for name in (COST, *prices) if name in rows.fields))
    if not half.any():
        return frame
    fields = [name for name in dict.fromkeys((COST, STANDARD, *prices)) if name in rows.record.fields]
    held = after_load(rows.only(half), state, fields).rename({name: f"after {name}" for name in fields})
    return frame.join(held, on=ROW, how="left", maintain_order="left")


def _given(rows: Rows, *names: str) -> pl.Series:
    """Boolean for each row: the sheet has a value in one of the fields."""
    given = pl.Series([False]).new_from_index(0, rows.values.height)
    for name in names:
        given = given | rows.values[name].is_not_null() if name in rows.fields else given
    return given


def _number(frame: pl.DataFrame, name: str) -> pl.Expr:
    """What a field will hold after the load: what the sheet says, or what the system keeps."""
    there = [each for each in (name, f"after {name}") if each in frame.columns]
    text = pl.coalesce(there) if there else pl.lit(None, pl.String)
    return text.cast(decimal_type(), strict=False)


def _list_prices(rows: Rows, item: Record, state: SystemState, guard: SheetGuard) -> list[FindingGroup]:
    """Amounts of a price list; discounts are off a price that has its own check."""
    if rows.record.fields["item"].to != item.name or not rows.values["amount"].is_not_null().any():
        return []
    values = rows.values

    def of_item(name: str) -> pl.Series:
        return behind_rows(rows, state, "item", name)[1]["value there"].alias(f"item's {name}")

    home = guard.rates.home
    sold = of_list(rows, state, "for_sale").ne_missing(pl.Series(["no"]).new_from_index(0, values.height))
    base = of_item("unit")
    frame = values.select(ROW, "item", amount=pl.col("amount").cast(decimal_type(), strict=False)).with_columns(
        (values["unit"] if "unit" in rows.fields else base).alias("unit"),
        of_item(COST).cast(decimal_type(), strict=False).alias("cost"),
        base.alias("base unit"),
        own_currency(rows, state).replace("", home).fill_null(home).alias("currency"),
        (of_item(CURRENCY_FIELD) if CURRENCY_FIELD in item.fields else pl.lit(None, pl.String))
        .fill_null(home)
        .alias("own currency"),
    )
    frame = frame.filter(sold).filter((pl.col("amount") != exact(0)) & pl.col("cost").is_not_null())
    if not frame.height:
        return []
    frame = _per_unit(frame, state)
    known = exchanged(frame, pl.col("cost"), pl.col("own currency"), pl.col("currency"), guard.rates, None)
    below = frame.with_columns(known.alias("cost")).filter(pl.col("amount") < pl.col("cost"))
    foreign = pl.when((pl.col("currency") != home) & (pl.col("currency") != "")).then(
        pl.concat_str(pl.lit(" "), pl.col("currency"))
    )
    sign = foreign.otherwise(pl.lit(""))
    words = worded(
        "{}{} is below the cost of {}{}", price_text(pl.col("amount")), sign, price_text(pl.col("cost")), sign
    )
    severity: Severity = "error" if guard.below_cost == "error" else "warning"
    return rows.told(severity, KIND, TITLE, "amount", below.select(ROW, words.alias("message")))


def _per_unit(frame: pl.DataFrame, state: SystemState) -> pl.DataFrame:
    """The frame with the cost of the row's unit; blank where nothing says how many base units that has."""
    is_base = pl.col("unit").eq_missing(pl.col("base unit")) | pl.col("unit").is_null()
    conversions = state.description.conversions
    others = frame.filter(~is_base)
    if conversions is None or not others.height:
        return frame.with_columns(pl.when(is_base).then("cost").alias("cost"))
    names = ["item", "unit", "factor"]
    factors = pl.concat(
        [
            state.coming(conversions, names),
            state.having(conversions, names, "item", others["item"].unique()).select(names),
        ]
    )
    items = frame.select(pl.col("item").alias("code"), pl.col("base unit").alias("unit"))
    known = base_units(frame.drop("base unit"), items, factors)
    factor = pl.when(is_base).then(exact(1)).otherwise("factor")
    return known.with_columns(frame["base unit"]).with_columns((pl.col("cost") * factor).alias("cost"))
