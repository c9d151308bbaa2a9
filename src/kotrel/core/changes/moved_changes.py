"""A load that would give many rows the values that the system has in others: nobody means that."""

from __future__ import annotations

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION, ROW, before
from kotrel.core.resolving.moved_columns import moved_cells, moved_column
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows


def find_moved_changes(rows: Rows, changes: RecordChanges) -> list[FindingGroup]:
    """Warnings at columns of which the new values are those that the system has in other rows of the sheet.

    Where the sheet came from an export, that has proved it already: its rows are refused, and change nothing.
    """
    there = changes.frame.filter(pl.col(ACTION).is_in(["changed", "same"]))
    findings: list[FindingGroup] = []
    for name in changes.touched_fields():
        if name not in rows.letters or name not in there.columns:
            continue
        moved = moved_cells(there[before(name)], there[name])
        if moved is not None:
            findings += moved_column(rows, name, there[ROW].filter(moved), is_proved=False)
    return findings
