"""The distinct values of columns that repeat them: most questions about a column are answered by these, and sooner."""

from __future__ import annotations

import weakref

import polars as pl
from msgspec import Struct

_SAMPLE = 8_192
"""Rows spread evenly over a column that show whether it repeats its values."""

_PLAIN = r"""^[!"$-&(-<>-~](?:[ -~]*[!-~])?$"""


def few_of(values: pl.Series) -> pl.Series | None:
    """The distinct values of a column, in any order, or None where they are hardly fewer than all."""
    sample = values if len(values) < 2 * _SAMPLE else values.gather_every(len(values) // _SAMPLE)
    there = sample.unique()
    if len(there) * 3 > len(sample) * 2:
        return None
    if len(there) == 1 and not values.null_count() and bool((values == there[0]).all()):
        # One value everywhere, as in every third column, is found four times as fast.
        return there if len(values) > 1 else None
    distinct = values.unique() if len(sample) < len(values) else there
    return distinct if len(distinct) * 3 <= len(values) * 2 else None


def is_plain(values: pl.Series) -> bool:
    """True where all values are printable ASCII, as in most columns, with neither spaces at the ends nor ``=``,
    ``'`` or ``#`` first.
    """
    return bool(values.str.contains(_PLAIN).all())


class _DistinctColumn(Struct):
    """What is known of a column: it says nothing of another that took its place."""

    values: pl.Series
    few: pl.Series | None = None
    looked: bool = False
    """Whether ``few`` is known."""
    plain: bool = False
    frame: weakref.ref[pl.DataFrame] | None = None
    """A frame whose column is this one, so that nobody has to compare them."""


class Few:
    """The distinct values of the columns of a sheet, found again only where a column has changed."""

    def __init__(self) -> None:
        self._known: dict[str, _DistinctColumn] = {}

    def of(self, name: str, frame: pl.DataFrame) -> pl.Series | None:
        """What :func:`few_of` gives for a column as it is now."""
        known = self._known.get(name)
        # All values will do where there are not few: only what is few must be of this very column.
        if known is not None and known.looked and known.few is None:
            return None
        known = self._column(name, frame)
        if not known.looked:
            known.few, known.looked = few_of(known.values), True
        return known.few

    def plain(self, name: str, frame: pl.DataFrame) -> bool:
        """What :func:`is_plain` gives for a column as it is now."""
        known = self._column(name, frame)
        if not known.plain:
            few = self.of(name, frame)
            known.plain = is_plain(known.values if few is None else few)
        return known.plain

    def keep(self, name: str, values: pl.Series, few: pl.Series | None, plain: bool) -> None:
        """Keeps what is known of a column already."""
        self._known[name] = _DistinctColumn(values, few, few is not None, plain)

    def stands_in(self, frame: pl.DataFrame) -> None:
        """Says that the columns that were kept are those of this frame."""
        for known in self._known.values():
            known.frame = weakref.ref(frame)

    def _column(self, name: str, frame: pl.DataFrame) -> _DistinctColumn:
        known = self._known.get(name)
        if known is not None and known.frame is not None and known.frame() is frame:
            return known
        if known is None or not known.values.equals(frame[name]):
            known = self._known[name] = _DistinctColumn(frame[name])
        known.frame = weakref.ref(frame)
        return known
