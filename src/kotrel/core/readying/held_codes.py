"""Codes read as their cells show them, where only the number that a cell holds is on the list: it stays as it is held."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import AS_SHOWN, RepairGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState


def keep_as_held(rows: Rows, state: SystemState, only: Collection[str] | None = None) -> Rows:
    """Takes back the reading of keys and references as they are shown, where the list has just what the cell holds.

    Args:
        only: the fields to look at, or None for all.
    """
    values, repairs = rows.values, []
    for group in rows.repairs:
        field = rows.record.fields.get(group.field)
        name = rows.record.name if rows.record.key == (group.field,) else field.to if field is not None else None
        if group.kind != AS_SHOWN or name is None or (only is not None and group.field not in only):
            repairs.append(group)
            continue
        target = state.description.records[name]
        both = pl.concat([group.cells["before"], group.cells["after"]]).unique()
        known = state.known_codes(target, both).implode()
        back = group.cells.filter(pl.col("before").is_in(known) & ~pl.col("after").is_in(known))
        if back.height:
            held = back.select(ROW, pl.col("before").alias(group.field))
            values = values.update(held, on=ROW, how="left")
            group = RepairGroup(
                group.kind, group.title, group.field, group.letter, group.cells.join(back, on=ROW, how="anti")
            )
        if group.count:
            repairs.append(group)
    return replace(rows, values=values, repairs=tuple(repairs)) if values is not rows.values else rows
