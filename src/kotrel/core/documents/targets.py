"""Wanted quantities turned into differences: what stock is to be, less what is on hand at that very place."""

from __future__ import annotations

from dataclasses import replace

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.documents.document_tables import plain, with_factors
from kotrel.core.documents.families import Family
from kotrel.core.documents.ledger_posting import PLACE, Sums
from kotrel.core.expressions.kinds import NUMBER
from kotrel.core.phrases import count
from kotrel.core.rows.findings import cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState


def to_differences(rows: Rows, family: Family, state: SystemState, sums: Sums) -> tuple[Rows, list[str]]:
    """Rows of a flat sheet with the difference as their quantity, in the base unit; rows that are right already are left out.

    Returns:
        The rows, and what is said of those left out.
    """
    item = state.description.records[str(family.lines.fields["item"].to)]
    values = rows.values
    blank = [name for name in (*PLACE, "unit", "quantity") if name not in values.columns]
    frame = values.with_columns(pl.lit(None, pl.String).alias(name) for name in blank)
    known = state.behind(item, frame["item"], ["unit"]).select(
        pl.col(item.key[0]).alias("item"), pl.col("unit").alias("base unit")
    )
    frame = frame.join(known, on="item", how="left", maintain_order="left")
    frame = with_factors(frame.with_columns(pl.coalesce("unit", "base unit").alias("unit")), state)
    held = sums(list(PLACE), [("item", frame["item"].unique())])
    there = [name for name in PLACE if name in held.columns]
    held = held.select(*there, pl.col("quantity").cast(NUMBER).alias("on hand"))
    frame = frame.join(held, on=there, how="left", nulls_equal=True, maintain_order="left")
    wanted = pl.col("quantity").cast(NUMBER, strict=False) * pl.col("factor")
    difference = (wanted - pl.col("on hand").fill_null(0)).alias("difference")
    frame = frame.with_columns(difference)
    right = (frame["difference"] == 0).fill_null(False)
    remarks = [f"{count(int(right.sum()), 'row')} already on hand as wanted, and left out"] if right.any() else []
    # A quantity or a unit that cannot be read stays as it is: the checks say so.
    sound = pl.col("difference").is_not_null()
    decimals = family.lines.fields["quantity"].decimals or 0
    text = (
        pl.col("difference").round(decimals, mode="half_away_from_zero").cast(pl.Decimal(38, decimals)).cast(pl.String)
    )
    columns = [pl.when(sound).then(text).otherwise("quantity").alias("quantity"),
               pl.when(sound).then("base unit").otherwise("unit").alias("unit")]  # fmt: skip
    if "cost" in values.columns:
        one = pl.when(pl.col("factor") != 0).then("factor")
        cost = (pl.col("cost").cast(NUMBER, strict=False) / one).round(4, mode="half_away_from_zero")
        columns.append(pl.coalesce(cost.cast(pl.Decimal(38, 4)).cast(pl.String), "cost").alias("cost"))
    done = frame.with_columns(columns)
    names = [*values.columns, *(name for name in ("unit",) if name not in values.columns)]
    rows = replace(rows, values=done.select(names))
    least = family.lines.fields["quantity"].least
    if least is not None and least >= 0 and (above := done.filter(pl.col("difference") < 0)).height:
        messages = [
            f"{plain(has)} are on hand, more than wanted: load it with --as adjustment --as-target"
            for has in above["on hand"]
        ]
        cells = cells_of(above[ROW], rows.as_it_stands("quantity").filter(done["difference"] < 0), messages)
        rows = rows.with_findings([rows.group("error", "above-target", "more on hand than wanted", "quantity", cells)])
    return rows.only(~right), remarks
