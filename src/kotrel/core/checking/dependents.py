"""Rows that refer to rows of the same sheet with an error: they cannot be loaded without them."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, is_new


def with_dependents(rows: Rows, state: SystemState) -> Rows:
    """Adds findings to rows that depend on a row with an error, however deep; rows that exist depend on nothing."""
    if not rows.has_key or len(rows.record.key) > 1:
        return rows
    self_references = [
        field for field in rows.record.references if field.to == rows.record.name and field.name in rows.fields
    ]
    if not self_references or all(
        rows.values[field.name].null_count() == rows.values.height for field in self_references
    ):
        return rows
    key = rows.record.key[0]
    new = is_new(rows, state)
    wrong = rows.values[ROW].is_in(rows.refused.implode())
    groups: list[FindingGroup] = []
    while True:
        lost = rows.values.filter(wrong & new).select(key, ROW).drop_nulls().unique(key, keep="first")
        further = pl.Series([False], dtype=pl.Boolean).new_from_index(0, rows.values.height)
        for field in self_references:
            bad = rows.values[field.name].is_in(lost[key].implode()).fill_null(False) & ~wrong
            if not bad.any():
                continue
            part = (
                rows.values.filter(bad)
                .select(ROW, field.name)
                .join(
                    lost.select(pl.col(key).alias(field.name), pl.col(ROW).alias("error row")),
                    on=field.name,
                    maintain_order="left",
                )
            )
            letter = rows.letters.get(key)
            messages = [
                f"is in this sheet at {rows.table.place(at, letter)} and has an error itself: fix that first"
                for at in part["error row"]
            ]
            cells = cells_of(part[ROW], part[field.name], messages)
            title = "refers to a row of this load with an error"
            groups.append(rows.group("error", "refused-in-load", title, field.name, cells))
            further = further | bad
        if not further.any():
            return rows.with_findings(groups)
        wrong = wrong | further
