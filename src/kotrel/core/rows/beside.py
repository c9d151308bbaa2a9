"""Rows from elsewhere put beside the rows of a sheet by their keys, one column at a time."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from msgspec import Struct

from kotrel.core.rows.searching import all_different, run_position


class Beside(Struct, frozen=True):
    """The row with the same key, for each row of a sheet.

    A frame with all columns of both would hold a large sheet several times; here a column is made when it is asked
    for, and can be let go before the next.

    Attributes:
        others: the rows from elsewhere.
        index: for each row of the sheet, where in ``others`` its key stands first (UInt32), null where it does not.
        in_order: both are the same rows in the same order, as of a sheet in which nobody sorted or added rows.
    """

    others: pl.DataFrame
    index: pl.Series
    in_order: bool

    @property
    def is_there(self) -> pl.Series:
        """Boolean for each row: its key is among the others."""
        return self.index.is_not_null()

    def column(self, name: str) -> pl.Series:
        """A column of the others for each row of the sheet; null where there is no such row."""
        column = self.others[name]
        return column if self.in_order else column.gather(self.index).alias(name)


def beside(values: pl.DataFrame, others: pl.DataFrame, key: Sequence[str]) -> Beside:
    """Puts ``others`` beside ``values``; both have the columns of the key. A key with a blank stands beside nothing."""
    start = _start_of(values.select(key), others.select(key))
    if start is not None:
        index = pl.int_range(start, start + values.height, dtype=pl.UInt32, eager=True).alias("index")
        return Beside(others, index, values.height == others.height)
    first = others.select(key).with_row_index("index").unique(key, keep="first", maintain_order=True)
    index = values.select(key).join(first, on=key, how="left", maintain_order="left")["index"]
    in_order = others.height == values.height and index.equals(pl.int_range(values.height, dtype=pl.UInt32, eager=True))
    return Beside(others, index, in_order)


def _start_of(keys: pl.DataFrame, others: pl.DataFrame) -> int | None:
    """Where all keys stand among the others, one after the other, as in a sheet that nobody sorted; None where they do
    not, or a key may be there twice or have a blank. Comparing takes a small part of the time of looking each up.
    """
    if keys.width == 1:
        ours, theirs = keys.to_series(), others.to_series()
        start = run_position(ours, theirs)
        return start if start is not None and not theirs.null_count() and all_different(theirs) else None
    if not keys.height or not keys.equals(others, null_equal=False):
        return None
    return 0 if others.n_unique() == others.height else None
