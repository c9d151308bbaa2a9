"""Values that a row takes from another record of the same row of the sheet, such as the code that was made there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.rows import Rows


def from_same_row(rows: Rows, done: Sequence[Rows]) -> Rows:
    """The rows with what their sources take from records that are done (see :class:`kotrel.core.tables.sources.Source`)."""
    for name, source in rows.sources.items():
        if source.of_field is None:
            continue
        place = (source.of_record, rows.table.file, rows.table.sheet)
        given = [
            each.values.select(ROW, pl.col(source.of_field).alias("value there"))
            for each in done
            if (each.record.name, each.table.file, each.table.sheet) == place and source.of_field in each.fields
        ]
        if given:
            there = pl.concat(given).unique(ROW, keep="first")
            # A row that the main record leaves out has nothing to depend on.
            rows = rows.only(rows.values[ROW].is_in(there[ROW].implode()))
            values = rows.values.select(ROW).join(there, on=ROW, how="left", maintain_order="left")["value there"]
            rows = replace(rows, values=rows.values.with_columns(values.alias(name)))
    return rows
