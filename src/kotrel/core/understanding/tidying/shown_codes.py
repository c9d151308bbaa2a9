"""Numbers in columns of codes and texts: the cell may show more than it holds, such as 001234 for 1234."""

from __future__ import annotations

import polars as pl

from kotrel.core.rows.findings import AS_SHOWN, repaired_cells
from kotrel.core.tables.as_shown import shown_otherwise
from kotrel.core.understanding.tidying.column import Repair, Setting, Tidied


def read_as_shown(rows: pl.Series, values: pl.Series, is_number: pl.Series, setting: Setting) -> Tidied:
    """A number that a format gives leading zeros, or signs among its digits, is what the cell shows: people see nothing else.

    Args:
        rows: sheet rows.
        is_number: the cells that hold a number, not a text.
    """
    changed = shown_otherwise(rows, values, is_number, setting.formats, setting.letter)
    if not changed:
        return Tidied(values)
    places, numbers, before, after = (list(each) for each in zip(*changed, strict=True))
    cells = repaired_cells(numbers, before, after, [f"the cell shows {text}" for text in after])
    done = values.scatter(places, pl.Series(after, dtype=pl.String))
    return Tidied(done, repairs=[Repair(AS_SHOWN, "numbers read as their cells show them", cells)])
