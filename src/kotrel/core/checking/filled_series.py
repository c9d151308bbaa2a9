"""Cells that count up from row to row: a spreadsheet program continues a series where somebody drags one value down."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW, decimal_type, worded
from kotrel.core.description.model import Field
from kotrel.core.expressions.kinds import exact
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState

_AMOUNTS = 6
"""Amounts that have to go up by one, row after row: a few do so by chance."""
_DAYS = 4
"""Days that have to follow each other."""
_KINDS = ("money", "quantity", "date")


def check_filled_series(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """A warning at amounts that go up by one, and at dates that go up by a day, in rows below each other.

    Codes, lots and serial numbers, lines and texts may well be numbered.
    """
    findings: list[FindingGroup] = []
    for name in rows.fields:
        field = rows.record.fields[name]
        # Quantities from which prices hold are part of their key, and may go up.
        is_value = field.kind == "date" or name not in rows.record.key
        if field.kind in _KINDS and is_value and name in rows.letters and not field.is_kept:
            findings += _counted_up(rows, field)
    return findings


def _counted_up(rows: Rows, field: Field) -> list[FindingGroup]:
    least = _DAYS if field.kind == "date" else _AMOUNTS
    values = rows.values[field.name]
    if len(values) < least or not _may_count_up(values, field, least):
        return []
    follows = _follows(values, field) & (rows.values[ROW].diff() == 1).fill_null(False)
    if int(follows.sum()) < least - 1:
        return []
    runs = pl.DataFrame([rows.values[ROW], follows.alias("follows"), follows.rle_id().alias("run")])
    runs = runs.filter("follows").with_columns(
        pl.len().over("run").alias("steps"),
        (pl.col(ROW).min().over("run") - 1).alias("first"),
        pl.col(ROW).max().over("run").alias("last"),
    )
    runs = runs.filter(pl.col("steps") >= least - 1)
    rows_or_lines = "rows" if rows.table.sheet else "lines"
    step, title = ("a day", "a day later in each row") if field.kind == "date" else ("1", "1 more in each row")
    words = worded(
        f"{rows_or_lines} {{}} to {{}} go up by {step} each: was a cell dragged down, and counted up instead of repeated?",
        "first",
        "last",
    )
    return rows.told("warning", "counts-up", title, field.name, runs.with_columns(words.alias("message")))


def _may_count_up(values: pl.Series, field: Field, least: int) -> bool:
    """Whether there may be a run: one of enough rows has a pair among every few, and looking at these takes less time."""
    first, second = values.gather_every(least - 1), values.gather_every(least - 1, 1)
    pairs = pl.DataFrame([first.head(len(second)).alias("first"), second.alias("second")])
    return bool(pairs.select(_is_next(pl.col("second"), pl.col("first"), field).any()).item())


def _is_next(value: pl.Expr, before: pl.Expr, field: Field) -> pl.Expr:
    """Whether a value is one more than the one before it."""
    if field.kind == "date":
        return (value.str.to_date(strict=False) - before.str.to_date(strict=False)) == pl.duration(days=1)
    return value.cast(decimal_type(), strict=False) - before.cast(decimal_type(), strict=False) == exact(1)


def _follows(values: pl.Series, field: Field) -> pl.Series:
    """Boolean for each row: it is one more than the row before."""
    value = pl.col("value")
    return values.to_frame("value").select(_is_next(value, value.shift(1), field).fill_null(False)).to_series()
