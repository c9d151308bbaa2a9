"""Wanted quantities turned into differences: what stock is to be, less what is on hand at that very place."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW, decimal_type
from kotrel.core.documents.document_tables import plain_quantity, with_factors
from kotrel.core.documents.families import Family
from kotrel.core.phrases import count, listed
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.stock.sums import PLACE, LedgerQuery, Sums


def to_differences(rows: Rows, family: Family, state: SystemState, sums: Sums) -> tuple[Rows, list[str]]:
    """Rows of a flat sheet with the difference as their quantity, in the base unit; rows that are right already are
    left out.

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
    held = sums(LedgerQuery(list(PLACE), [("item", frame["item"].unique())]))
    there = [name for name in PLACE if name in held.columns]
    held = held.select(*there, pl.col("quantity").cast(decimal_type()).alias("on hand"))
    frame, taken, several = _at_their_places(frame, held, there)
    frame = frame.join(held, on=there, how="left", nulls_equal=True, maintain_order="left")
    wanted = pl.col("quantity").cast(decimal_type(), strict=False) * pl.col("factor")
    difference = (wanted - pl.col("on hand").fill_null(0)).alias("difference")
    frame = frame.with_columns(difference)
    right = (frame["difference"] == 0).fill_null(False)
    remarks = [f"{count(int(right.sum()), 'row')} already on hand as wanted, and left out"] if right.any() else []
    if taken:
        remarks.append(
            f"{count(len(taken), 'row')} without a bin, lot or serial number: the only place that holds the item is used ({listed(taken, 3)})"
        )
    done = frame.with_columns(_in_base_units(family.lines.fields["quantity"].decimals or 0, "cost" in values.columns))
    filled = [name for name in PLACE if name not in values.columns and done[name].null_count() < done.height]
    names = [*values.columns, *(name for name in ("unit", *filled) if name not in values.columns)]
    rows = replace(rows, values=done.select(names))
    least = family.lines.fields["quantity"].least
    if least is not None and least >= 0 and (above := done.filter(pl.col("difference") < 0)).height:
        messages = [
            f"{plain_quantity(has)} are on hand, more than wanted: load it with --as adjustment --as-target"
            for has in above["on hand"]
        ]
        cells = cells_of(above[ROW], rows.as_it_stands("quantity").filter(done["difference"] < 0), messages)
        rows = rows.with_findings([rows.group("error", "above-target", "more on hand than wanted", "quantity", cells)])
    if several:
        wrong = rows.values[ROW].is_in(list(several))
        rows = rows.with_findings([_which_place(rows, wrong, several)])
        right = right & ~wrong
    return rows.only(~right), remarks


def _in_base_units(decimals: int, with_cost: bool) -> list[pl.Expr]:
    """Quantity, unit and cost of rows with their ``difference``, in the base unit; what cannot be read stays as it is:
    the checks say so.
    """
    sound = pl.col("difference").is_not_null()
    difference = pl.col("difference").round(decimals, mode="half_away_from_zero").cast(decimal_type(decimals))
    columns = [
        pl.when(sound).then(difference.cast(pl.String)).otherwise("quantity").alias("quantity"),
        pl.when(sound).then("base unit").otherwise("unit").alias("unit"),
    ]
    if with_cost:
        one = pl.when(pl.col("factor") != 0).then("factor")
        cost = (pl.col("cost").cast(decimal_type(), strict=False) / one).round(4, mode="half_away_from_zero")
        columns.append(pl.coalesce(cost.cast(decimal_type(4)).cast(pl.String), "cost").alias("cost"))
    return columns


def _which_place(rows: Rows, wrong: pl.Series, several: Mapping[int, Sequence[str]]) -> FindingGroup:
    places = [f"it is in {listed(where, 4)}: write a row for each of them" for where in several.values()]
    cells = cells_of(rows.values[ROW].filter(wrong), rows.as_it_stands("quantity").filter(wrong), places)
    title = "a target for an item that is in several places"
    return rows.group("error", "which-place", title, "quantity", cells)


def _at_their_places(
    frame: pl.DataFrame, held_rows: pl.DataFrame, known_parts: Sequence[str]
) -> tuple[pl.DataFrame, list[str], dict[int, list[str]]]:
    """The rows with the place that is meant where a row says only a part of it, such as no bin, and stock is in one
    place only.

    Returns:
        The rows, the places that were taken, in words, and row → the places, where there are several.
    """
    parts = [name for name in ("bin", "lot", "serial") if name in known_parts]
    blank = frame.filter(pl.any_horizontal(pl.col(name).is_null() for name in parts)) if parts else frame.head(0)
    if not blank.height:
        return frame, [], {}
    stocked = held_rows.filter(pl.col("on hand") != 0)
    where = [name for name in ("item", "warehouse") if name in known_parts]
    blank_rows = blank.select(ROW, *where, *(pl.col(name).alias(f"said {name}") for name in parts))
    fits = [pl.col(f"said {name}").is_null() | pl.col(f"said {name}").eq_missing(pl.col(name)) for name in parts]
    found = blank_rows.join(stocked, on=where, how="inner", nulls_equal=True).filter(*fits)
    words = pl.concat_str(*where, *parts, separator=" ", ignore_nulls=True).alias("place")
    places = (
        found.sort(ROW, *parts)
        .group_by(ROW, maintain_order=True)
        .agg(pl.len().alias("number"), words, *(pl.col(name).first().alias(f"only {name}") for name in parts))
    )
    several = dict(places.filter(pl.col("number") > 1).select(ROW, "place").iter_rows())
    one = places.filter(
        (pl.col("number") == 1) & pl.any_horizontal(pl.col(f"only {name}").is_not_null() for name in parts)
    )
    joined = frame.join(one.drop("number", "place"), on=ROW, how="left", maintain_order="left")
    filled = joined.with_columns(pl.coalesce(name, f"only {name}").alias(name) for name in parts)
    deeper = blank_rows.join(one, on=ROW, how="inner").filter(
        pl.any_horizontal(pl.col(f"said {name}").is_null() & pl.col(f"only {name}").is_not_null() for name in parts)
    )
    return filled.select(frame.columns), [names[0] for names in deeper["place"]], several
