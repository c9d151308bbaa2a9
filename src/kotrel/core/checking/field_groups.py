"""Fields that belong together: all of them are filled, or none."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import clearing
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, after_load


def check_field_groups(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Rows that would leave a group half filled; a value that the system has counts as filled."""
    findings: list[FindingGroup] = []
    for group in rows.record.together:
        carried = [name for name in group if name in rows.fields]
        if not carried:
            continue
        touched = pl.any_horizontal(
            pl.col(carried).is_not_null(),
            *(pl.col(clearing(name)) for name in carried if name in rows.cleared),
        )
        some = rows.values.select(touched).to_series()
        every = rows.values.select(pl.all_horizontal(pl.col(carried).is_not_null())).to_series()
        partial = some & ~every if len(carried) == len(group) else some
        if not partial.any():
            continue
        after = after_load(rows, state, group)
        filled = after.select(pl.sum_horizontal(pl.col(name).is_not_null() for name in group)).to_series()
        partial = partial & (filled > 0) & (filled < len(group))
        titles = [rows.record.fields[name].title.lower() for name in group]
        message = f"{', '.join(titles[:-1])} and {titles[-1]} belong together: fill all of them or none"
        field = rows.record.fields[carried[0]]
        findings += rows.where("error", "not-together", f"only some of {', '.join(titles)}", field, partial, message)
    return findings
