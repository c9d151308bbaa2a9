"""Columns that matched no field: what they say of the rows all the same."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.table import Column


def left_out_columns(rows: Rows) -> list[Column]:
    """The columns that are reported as left out; those that a mapping skips are none of them."""
    headings = {value for group in rows.findings if group.kind == "unknown-heading" for value in group.cells["value"]}
    return [column for column in rows.table.columns if column.heading in headings]


def first_words(rows: Rows, column: Column) -> pl.Series:
    """The different words at the beginning of a column: most columns need no further look."""
    return rows.table.cells[column.letter].head(1_000).str.strip_chars().replace("", None).drop_nulls().unique()


def held_beside(rows: Rows, column: Column) -> pl.Series:
    """What a column says in each of the rows; a blank is null."""
    cells = rows.table.cells.select(ROW, pl.col(column.letter).str.strip_chars().replace("", None).alias("held"))
    return rows.values.select(ROW).join(cells, on=ROW, how="left", maintain_order="left")["held"]
