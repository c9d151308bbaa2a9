"""Lines of a journal, in pieces: the lines of a load of a million rows take as much memory as the rows themselves."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import polars as pl

ALL_LINES = 2**62
"""Past the last line of any load."""


class LinesInOrder:
    """Lines that come in pieces, given out as far as they are asked for.

    Args:
        pieces: frames with ``line`` (a whole number, or its text), which rises from each to the next.
    """

    def __init__(self, pieces: Iterable[pl.DataFrame]) -> None:
        self._pieces = iter(pieces)
        self._rest: pl.DataFrame | None = None

    def until(self, last: int) -> Iterator[pl.DataFrame]:
        """The lines up to the last, after those that were given out; no frame where none are left."""
        while True:
            if self._rest is None or not self._rest.height:
                self._rest = next(self._pieces, None)
                if self._rest is None:
                    return
            count = int(self._rest["line"].cast(pl.Int64).search_sorted(last, "right"))
            yield self._rest.head(count)
            self._rest = self._rest.slice(count)
            if self._rest.height:
                return
