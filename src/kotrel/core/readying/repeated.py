"""New rows that repeat one that the system has in all but their code: most likely the same thing a second time."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState

MOST = 20_000
"""With more new rows than this, they are a new range or a first load, and nobody has typed a row twice."""
ENOUGH = 3
"""Fields that must agree: a name and a unit alone are no proof."""
NAMESAKES = 50
"""With more rows of one name that differ, the name tells them apart no more."""


def find_repeated(rows: Rows, state: SystemState, new: Callable[[], pl.Series]) -> list[FindingGroup]:
    """A warning at the key of each new row whose other values are all those of a row with another key."""
    record = rows.record
    name = record.called
    if len(record.key) > 1 or name is None or name not in rows.fields or name in record.key:
        return []
    key = record.key[0]
    fresh = rows.values.filter(new() & rows.values[name].is_not_null())
    fields = [each for each in rows.fields if each != key and not record.fields[each].is_kept]
    if not 0 < fresh.height <= MOST or len(fields) < ENOUGH:
        return []
    held = state.having(record, fields, name, fresh[name])
    held = held.select(pl.col(key).alias("held key"), *(pl.col(each).alias(f"held {each}") for each in fields))
    # A name that many share says nothing, and would pair everything with everything.
    held = held.unique([f"held {each}" for each in fields], keep="first", maintain_order=True)
    held = held.filter(pl.len().over(f"held {name}") <= NAMESAKES)
    pairs = fresh.select(ROW, key, *fields).join(held, left_on=name, right_on=f"held {name}", how="inner")
    others = [each for each in fields if each != name]
    agrees = [pl.col(each).is_null() | pl.col(each).eq_missing(pl.col(f"held {each}")) for each in others]
    filled = pl.sum_horizontal(pl.col(each).is_not_null().cast(pl.Int32) for each in others)
    same = pairs.filter(pl.all_horizontal(agrees) & (filled >= ENOUGH - 1) & (pl.col(key) != pl.col("held key")))
    same = same.unique(ROW, keep="first").sort(ROW)
    if not same.height:
        return []
    message = "all its other values are those of one that the system has: is it the same?"
    cells = cells_of(same[ROW], same[key], message, same["held key"])
    return [rows.group("warning", "repeats", "new, but the same as one that is there", key, cells)]
