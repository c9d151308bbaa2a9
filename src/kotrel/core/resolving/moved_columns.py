"""A column of which the values have moved to other rows: it was sorted alone, or a cell was inserted above it."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows

ENOUGH = 5
"""Cells that must have moved: a person exchanges the values of two rows, and may do so of four."""
MANY = 20
"""Changed cells from which on a tenth of them may have been changed by hand besides."""
DIFFERENT = 4
"""Values that must differ among them: of few words, such as yes and no, rows have each other's by chance."""
_ROWS_DOWN = (1, -1, 2, -2, 3, -3)

_QUESTION = "was the column sorted alone, or a cell inserted or deleted in it?"
EXPORTED = (
    f"another row had this value in the export: {_QUESTION} Restore it, or compare with the system alone: --since none"
)
HELD = f"another of these rows has this value in the system: {_QUESTION}"


def may_have_moved(number: int, different: int) -> bool:
    """Whether a number of changed cells, and of different values in them, can prove anything.

    Five levels such as 5, 10, 20 and 50 are soon the same five again.
    """
    return number >= ENOUGH and different >= max(DIFFERENT, number * 3 // 4 if number < MANY else 0)


def moved_cells(before: pl.Series, after: pl.Series) -> pl.Series | None:
    """Boolean for each row: its new value was that of another row, as nearly all new values were; None where they were not.

    Args:
        before, after: the values of a column, row for row in the order of the sheet; blank after: nothing is changed.
    """
    edited = (after.is_not_null() & after.ne_missing(before)).alias("edited")
    number = int(edited.sum())
    different = after.filter(edited).n_unique() if number >= ENOUGH else 0
    if not may_have_moved(number, different):
        return None
    # Of few values that are given anew to many rows, nearly all were there before anyway.
    may_differ = number // 10 if number >= MANY and different >= number // 2 else 0
    least = number - may_differ
    if int((edited & after.is_in(before.implode())).sum()) < least - max(_ROWS_DOWN):
        return None
    frame = pl.DataFrame([before.alias("before"), after.alias("after"), edited])
    for rows in _ROWS_DOWN:
        shifted = frame.select((pl.col("edited") & (pl.col("after") == pl.col("before").shift(rows))).fill_null(False))
        if int(shifted.to_series().sum()) >= max(least - abs(rows), ENOUGH):
            return shifted.to_series()
    changed = frame.filter("edited")
    was, now = (
        changed[name].drop_nulls().value_counts(name="times").rename({name: "value"}) for name in ("before", "after")
    )
    both = now.join(was, on="value", suffix=" before").select(pl.min_horizontal("times", "times before").sum()).item()
    if int(both or 0) < least:
        return None
    return frame.select(pl.col("edited") & pl.col("after").is_in(was["value"].implode())).to_series()


def moved_column(rows: Rows, name: str, numbers: pl.Series, is_proved: bool) -> list[FindingGroup]:
    """The finding on a column of which the values have moved.

    Args:
        numbers: the rows in the sheet.
        is_proved: an export shows it: an error. Otherwise the system's values do: a warning.
    """
    title = "the values of other rows" if is_proved else "the values of other rows in the system"
    wrong = rows.values[ROW].is_in(numbers.implode())
    return rows.where(
        "error" if is_proved else "warning",
        "column-moved",
        title,
        rows.record.fields[name],
        wrong,
        EXPORTED if is_proved else HELD,
    )
