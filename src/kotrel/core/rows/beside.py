"""Rows from elsewhere put beside the rows of a sheet by their keys, one column at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.parallel import one_ahead
from kotrel.core.rows.searching import all_different, all_rows_differ, run_position

_INDEX = "place among the others"
"""With blanks, as no field can be called."""


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


LARGE = 100_000
"""Rows from which on the fields of others are read in parts: all at once, they take as much memory as the rows."""
FIELDS_AT_ONCE = 4


def fields_in_turn(key: Sequence[str], fields: Sequence[str], rows: int) -> Iterator[list[str]]:
    """The fields to be read together, each time with the key: all for a few rows, a few for many."""
    at_once = FIELDS_AT_ONCE if rows >= LARGE else max(len(fields), 1)
    for start in range(0, max(len(fields), 1), at_once):
        yield [*key, *fields[start : start + at_once]]


def read_in_turn(
    read: Callable[[list[str]], pl.DataFrame], key: Sequence[str], fields: Sequence[str], rows: int
) -> Iterator[pl.DataFrame]:
    """What ``read`` gives for the fields in turn; of many rows, the next few are read while these are looked at."""
    turns = map(read, fields_in_turn(key, fields, rows))
    return one_ahead(turns) if rows >= LARGE else turns


def shared(column: pl.Series, values: pl.DataFrame) -> pl.Series:
    """A sheet's own column in place of one that says the same, row for row: a million values are then there once."""
    if len(column) < LARGE or column.name not in values.columns:
        return column
    own = values[column.name]
    return own if column.equals(own) else column


class RowsBeside:
    """Rows of a sheet, beside which the same rows from elsewhere are put several times, a few fields each time."""

    def __init__(self, values: pl.DataFrame, key: Sequence[str]) -> None:
        self.values = values
        self.key = list(key)
        self._known: Beside | None = None

    def put(self, others: pl.DataFrame) -> Beside:
        """These rows beside the sheet's."""
        keys = others.select(self.key)
        if self._known is not None and self._known.others.equals(keys):
            # The same rows in the same order, as nearly always: they need not be looked up again.
            return replace(self._known, others=others)
        found = beside(self.values, others, self.key)
        self._known = replace(found, others=keys)
        return found


def beside(values: pl.DataFrame, others: pl.DataFrame, key: Sequence[str]) -> Beside:
    """Puts ``others`` beside ``values``; both have the columns of the key. A key with a blank stands beside nothing."""
    start = _start_of(values.select(key), others.select(key))
    if start is not None:
        index = pl.int_range(start, start + values.height, dtype=pl.UInt32, eager=True).alias(_INDEX)
        return Beside(others, index, values.height == others.height)
    first = others.select(key).with_row_index(_INDEX)
    if not all_rows_differ(others.select(key)):
        first = first.unique(key, keep="first", maintain_order=True)
    index = values.select(key).join(first, on=key, how="left", maintain_order="left")[_INDEX]
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
    return 0 if all_rows_differ(others) else None
