"""The distinct values of columns that repeat them: most questions about a column are answered by these, and sooner."""

from __future__ import annotations

import polars as pl

_SAMPLE = 8_192
"""Rows spread evenly over a column that show whether it repeats its values."""

_PLAIN = r"^[!-~](?:[ -~]*[!-~])?$"


def few_of(values: pl.Series) -> pl.Series | None:
    """The distinct values of a column, in any order, or None where they are hardly fewer than all."""
    sample = values.gather_every(max(len(values) // _SAMPLE, 1))
    if sample.n_unique() * 3 > len(sample) * 2:
        return None
    distinct = values.unique()
    return distinct if len(distinct) * 3 <= len(values) * 2 else None


def is_plain(values: pl.Series) -> bool:
    """True where all values are printable ASCII without spaces at the ends, as in most columns."""
    return bool(values.str.contains(_PLAIN).all())


class Few:
    """The distinct values of the columns of a sheet, found again only where a column has changed."""

    def __init__(self) -> None:
        self._known: dict[str, tuple[pl.Series, pl.Series | None]] = {}
        self._plain: dict[str, pl.Series] = {}

    def of(self, name: str, values: pl.Series) -> pl.Series | None:
        """What :func:`few_of` gives for a column as it is now."""
        known = self._known.get(name)
        # All values will do where there are not few: only what is few must be of this very column.
        if known is None or (known[1] is not None and not known[0].equals(values)):
            known = values, few_of(values)
            self._known[name] = known
        return known[1]

    def plain(self, name: str, values: pl.Series) -> bool:
        """What :func:`is_plain` gives for a column as it is now."""
        known = self._plain.get(name)
        if known is None or not known.equals(values):
            few = self.of(name, values)
            if not is_plain(values if few is None else few):
                return False
            self._plain[name] = values
        return True

    def keep(self, name: str, values: pl.Series, few: pl.Series | None, plain: bool) -> None:
        """Keeps what is known of a column already."""
        if few is not None:
            self._known[name] = values, few
        if plain:
            self._plain[name] = values
