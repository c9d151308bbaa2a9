"""What the columns of an upload file are filled from: the rows as they will be, names of codes, prices and stock."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION as LOAD_ACTION
from kotrel.core.columns import ROW, before
from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Description, Record
from kotrel.core.layouts.layout import Layout
from kotrel.core.layouts.shaping import ACTION, Values
from kotrel.core.parts import Look
from kotrel.core.pricing.standing import PRICE, in_force
from kotrel.core.rows.searching import looked_up

WITHDRAWN = "is withdrawn"
"""A Boolean column of changes, where there is one: the row is archived because a load is taken back."""


def values_of(
    layout: Layout, changes: RecordChanges, rows: pl.Series | None, description: Description, look: Look, day: str, reference: str = ""
) -> Values:  # fmt: skip
    """The rows as they will be: what the sheet says, and what the system holds where it says nothing.

    Args:
        rows: the rows of the sheet to write, in their order; None for those that change anything.
        day: of the prices in force, ISO date.
    """
    record = changes.record
    frame = changes.frame
    in_order = rows is not None and rows.equals(frame[ROW]) and frame[ROW].n_unique() == frame.height
    if rows is not None and not in_order:
        frame = pl.DataFrame([rows]).join(frame, on=ROW, how="left", maintain_order="left")
        frame = frame.unique(ROW, keep="first", maintain_order=True)
    goes = bool((frame[LOAD_ACTION] == "removed").any())
    frame = frame.with_columns(
        pl.when(pl.col(WITHDRAWN) if WITHDRAWN in frame.columns else pl.lit(False)).then(pl.lit("withdrawn"))
        .otherwise(pl.col(LOAD_ACTION).fill_null("same").replace({"removed": "withdrawn"})).alias(ACTION),
        # A row that goes is written as it was.
        *(pl.when(pl.col(LOAD_ACTION) == "removed").then(pl.col(before(name))).otherwise(pl.col(name)).alias(name) for name in changes.fields if goes),
    )  # fmt: skip
    if missing := [name for name in _needed(layout, record) if name not in frame.columns]:
        key = list(record.key)
        held = look.read(record.name, [*key, *missing], (key[0], frame[key[0]])).unique(key, keep="any")
        frame = looked_up(frame, held, key)
    changed = {
        name: frame.select(
            (pl.col(name).ne_missing(pl.col(before(name))) | pl.col(ACTION).is_in(["new", "withdrawn"])).alias(name)
        ).to_series()
        for name in changes.fields
        if layout.updates == "changed"
    }
    names = {
        column.field: _names(str(record.fields[column.field].to), description, look)
        for column in layout.columns
        if column.field is not None and column.name and record.fields[column.field].to
    }
    joined = _joined(layout, frame, look, day) if record.name == "item" else {}
    return Values(frame, changed, names, joined, reference)


def _needed(layout: Layout, record: Record) -> Sequence[str]:
    """The fields that the layout's columns may be filled from."""
    if all(column.make is None and column.price_of is None for column in layout.columns):
        return [name for name in record.loadable if name in layout.fields]
    return record.loadable


def _names(record: str, description: Description, look: Look) -> Mapping[str, str]:
    about = description.records[record]
    return ListNames(look.read(record, about.listed), about).names


def _joined(layout: Layout, frame: pl.DataFrame, look: Look, day: str) -> Mapping[str, pl.Series]:
    """Prices and stock of the items, for the columns that ask for them."""
    found: dict[str, pl.Series] = {}
    lists = {column.price_of for column in layout.columns if column.price_of is not None}
    if lists:
        prices = in_force(look.read("price", PRICE, ("item", frame["code"])), day)
        first = (
            prices.filter(pl.col("from_quantity") <= 1)
            .sort("from_quantity")
            .unique(["target", "item", "unit"], keep="last")
        )
        for name in lists:
            mine = first.filter(pl.col("target") == name).select(
                pl.col("item").alias("code"), "unit", pl.col("amount").cast(pl.String)
            )
            found[f"price {name}"] = frame.select("code", "unit").join(
                mine, on=["code", "unit"], how="left", maintain_order="left"
            )["amount"]
    for name in {column.stock_in for column in layout.columns if column.stock_in is not None}:
        found[f"stock {name}"] = _stock(name, frame, look)
    return found


def _stock(warehouse: str, frame: pl.DataFrame, look: Look) -> pl.Series:
    among = [("item", frame["code"])]
    sums = look.ledger_sums(["item", "warehouse"] if warehouse != "all" else ["item"], among)
    if warehouse != "all":
        sums = sums.filter(pl.col("warehouse") == warehouse)
    mine = sums.select(pl.col("item").alias("code"), "quantity")
    joined = frame.select("code").join(mine, on="code", how="left", maintain_order="left")
    return joined["quantity"].fill_null(str(Decimal(0)))


def without_place(layout: Layout, record: Record, fields: Sequence[str]) -> list[str]:
    """The fields that the layout has no column for."""
    made = [column.make for column in layout.columns if column.make]
    return [
        name
        for name in fields
        if name not in layout.fields and name not in record.key and not any(name in each for each in made)
    ]
