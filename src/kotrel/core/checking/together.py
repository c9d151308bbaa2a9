"""Fields that belong together: all of them or none."""

from __future__ import annotations

import polars as pl

from kotrel.core.findings import FindingGroup
from kotrel.core.held import Held, is_new
from kotrel.core.rows import Rows


def check_together(rows: Rows, held: Held) -> list[FindingGroup]:
    """Rows that fill some fields of a group and not the others; what the system has already counts as filled."""
    found: list[FindingGroup] = []
    for group in rows.record.together:
        carried = [name for name in group if name in rows.fields]
        if not carried:
            continue
        some = rows.values.select(pl.any_horizontal(pl.col(carried).is_not_null())).to_series()
        absent = [name for name in group if name not in carried]
        every = rows.values.select(pl.all_horizontal(pl.col(carried).is_not_null())).to_series()
        partial = some & ~every if not absent else some
        if not partial.any():
            continue
        partial = partial & ~_held_complete(rows, held, group)
        titles = [rows.record.fields[name].title.lower() for name in group]
        message = f"{', '.join(titles[:-1])} and {titles[-1]} are given all together or not at all"
        field = rows.record.fields[carried[0]]
        found += rows.where("error", "not-together", f"only some of {', '.join(titles)}", field, partial, message)
    return found


def _held_complete(rows: Rows, held: Held, group: tuple[str, ...]) -> pl.Series:
    """Rows that the system already holds with every field of the group filled: an update may give one of them."""
    key = list(rows.record.key)
    if is_new(rows, held).all():
        return pl.Series([False], dtype=pl.Boolean).new_from_index(0, rows.values.height)
    there = held.having(rows.record, group, key[0], rows.values[key[0]])
    there = there.filter(pl.all_horizontal(pl.col(name).is_not_null() for name in group)).select(key).unique()
    joined = rows.values.select(key).join(
        there.with_columns(pl.lit(True).alias("full")), on=key, how="left", maintain_order="left"
    )
    return joined["full"].fill_null(False)
