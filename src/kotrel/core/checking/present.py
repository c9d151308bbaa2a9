"""Fields that must be filled and are not."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import clearing
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, is_new


def check_present(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Fields that every row, or every new row, must fill."""
    found: list[FindingGroup] = []
    new: pl.Series | None = None
    for name, field in rows.record.fields.items():
        if field.must == "may" or field.is_kept or name in rows.record.key:
            continue
        carried = name in rows.fields
        if not carried and field.must == "always":
            message = f"no column is headed “{field.title}”, and every row needs it"
            found.append(rows.sheet_finding("error", "column-missing", "a column is missing", message))
            continue
        if carried and not rows.values[name].null_count():
            continue
        if name in rows.cleared:
            message = f"{field.title.lower()} must be filled and cannot be cleared"
            found += rows.where("error", "missing", "must be filled", field, rows.values[clearing(name)], message)
        if new is None:
            new = is_new(rows, state)
        # A row that this sheet does not fill may be an update: then the system already has the value.
        wrong = new if not carried else rows.values[name].is_null() & (new if field.must == "new" else True)
        if name in rows.cleared:
            wrong = wrong & ~rows.values[clearing(name)]
        kind, what = ("missing", "must be filled") if carried else ("column-missing", f"no column “{field.title}”")
        title = what if field.must == "always" else f"{what} for new rows"
        message = (
            f"a new {rows.record.title.lower()} row needs {field.title.lower()}"
            if field.must == "new"
            else "must be filled"
        )
        found += rows.where("error", kind, title, field, wrong, message)
    return found
