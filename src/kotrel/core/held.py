"""What the business system holds, as far as checking one load has to know it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from threading import RLock
from typing import Protocol

import polars as pl

from kotrel.core.description import Description, Record
from kotrel.core.rows import Rows

WHOLE = 50_000
"""More values than that are not asked for one by one: the whole column is read."""


class Reader(Protocol):
    """Reads rows of a record from the business system."""

    def __call__(
        self, record: str, fields: Sequence[str], among: tuple[str, pl.Series] | None = None, filled: str | None = None
    ) -> pl.DataFrame:
        """String columns ``fields`` in canonical text, blank as null.

        Args:
            among: a field and values: only rows whose field has one of the values are wanted. More may come back.
            filled: only rows in which this field is filled.
        """


class Held:
    """Answers the checks' questions about the system, each read once. One for the rows of one record.

    Args:
        description: the system's records.
        read: reads from the system.
        pending: record → rows of this very load that come before (their key fields), which count as held.
    """

    def __init__(
        self, description: Description, read: Reader, pending: Mapping[str, pl.DataFrame] | None = None
    ) -> None:
        self.description = description
        self._reader = read
        # Checks run several at a time, and one connection answers one question at a time.
        self._one_at_a_time = RLock()
        self._pending = dict(pending or {})
        self._lists: dict[str, pl.DataFrame] = {}
        self._wholes: dict[tuple[str, tuple[str, ...], str | None], pl.DataFrame] = {}

    def _read(
        self, record: str, fields: Sequence[str], among: tuple[str, pl.Series] | None = None, filled: str | None = None
    ) -> pl.DataFrame:
        with self._one_at_a_time:
            if among is None or len(among[1]) <= WHOLE:
                return self._reader(record, fields, among, filled)
            # So many rows are asked for that all of them are read; parts of a large file ask for the same again.
            whole = (record, tuple(fields), filled)
            if whole not in self._wholes:
                self._wholes[whole] = self._reader(record, fields, None, filled)
            return self._wholes[whole]

    def existing(self, rows: Rows) -> pl.DataFrame:
        """The keys of the system's rows that have a key of these rows; more may come back."""
        key = rows.record.key
        return self._read(rows.record.name, key, (key[0], rows.values[key[0]]))

    def having(self, record: Record, fields: Sequence[str], field: str, values: pl.Series) -> pl.DataFrame:
        """The key and ``fields`` of the system's rows whose ``field`` has one of the values; more may come back."""
        wanted = list(dict.fromkeys((*record.key, field, *fields)))
        return self._read(record.name, wanted, (field, values))

    def having_any(self, record: Record, field: str) -> pl.DataFrame:
        """The key and the field of all the system's rows in which that field is filled."""
        return self._read(record.name, [*record.key, field], filled=field)

    def known_codes(self, record: Record, values: pl.Series) -> pl.Series:
        """Which of the values are keys of the record, in the system or before in this load."""
        key = record.key[0]
        found = self._read(record.name, [key], (key, values))[key]
        if record.name in self._pending:
            found = pl.concat([found, self._pending[record.name][key]])
        return found

    def names_of(self, record: str) -> dict[str, str]:
        """Code → name of each row of a list that has names."""
        about = self.description.records[record]
        if about.called is None:
            return {}
        return dict(self.all_of(about).select(about.key[0], about.called).drop_nulls().iter_rows())

    def all_of(self, record: Record) -> pl.DataFrame:
        """The whole list: its key, its name where it has one, and its parent where it is a path."""
        with self._one_at_a_time:
            if record.name not in self._lists:
                fields = [*record.key, *(each for each in (record.called, record.path) if each)]
                self._lists[record.name] = self._read(record.name, list(dict.fromkeys(fields)))
            return self._lists[record.name]


def is_new(rows: Rows, held: Held) -> pl.Series:
    """Boolean for each row: the system holds no row with its key."""
    key = list(rows.record.key)
    if len(key) == 1:
        name = key[0]
        return ~rows.values[name].is_in(held.existing(rows)[name].implode()).fill_null(False)
    there = held.existing(rows).select(key).unique().with_columns(pl.lit(True).alias("there"))
    joined = rows.values.select(key).join(there, on=key, how="left", maintain_order="left")
    return joined["there"].is_null()
