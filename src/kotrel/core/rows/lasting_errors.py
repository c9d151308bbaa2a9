"""Errors that only the user's sheet shows: rows that are written anew keep them, as ``#N/A`` and what stood there."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.finding_kinds import lasting
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows

MARK = "#N/A "
"""What stands before a value that had an error where it comes from:
it is read as an error until somebody writes what is right.
"""


def lost_with_the_sheet(rows: Rows) -> list[FindingGroup]:
    """The errors on the whole sheet that rows written anew would not have."""
    errors = (group for group in rows.findings if group.severity == "error" and lasting(group.kind) == "sheet")
    return [group for group in errors if (group.cells[ROW] == 0).any()]


def with_lasting_errors(rows: Rows) -> pl.DataFrame:
    """The columns of :attr:`Rows.values`, with what had an error that only its sheet shows behind a mark;
    of errors on whole rows, their codes.
    """
    values, code = rows.values_as_typed, rows.record.code
    for group in rows.findings:
        about = rows.record.fields.get(group.field or "")
        of_row = about is None or about.is_kept
        name = code if of_row else str(group.field)
        if group.severity != "error" or name not in rows.fields:
            continue
        told = group.cells.filter(pl.col(ROW) > 0).select(ROW, pl.col("value").alias("told")).unique(ROW)
        hit = values[ROW].is_in(told[ROW].implode())
        said = values.select(ROW).join(told, on=ROW, how="left", maintain_order="left")["told"]
        # A finding says a value as people see it: 12.5 %, not 0.125.
        stands = (rows.as_it_stands(name) if of_row else said.fill_null(rows.as_it_stands(name))).fill_null("")
        shown = pl.select(pl.lit(MARK) + rows.values[name].fill_null(stands)).to_series()
        if lasting(group.kind) == "no value":
            shown = pl.Series([MARK.strip()], dtype=pl.String).new_from_index(0, len(hit))
        if not of_row and lasting(group.kind) != "cell":
            # What could not be read is blank by now, and would pass as one.
            hit = hit & rows.values[name].is_null() & ((stands != "") | (lasting(group.kind) == "no value"))
        fresh = hit & ~values[name].str.starts_with(MARK.strip()).fill_null(False)
        values = values.with_columns(shown.zip_with(fresh, values[name]).alias(name))
    return values
