"""What the business system holds, as far as checking one load has to know it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Protocol

import polars as pl

from kotrel.core.description import Description, Record
from kotrel.core.rows import Rows


class Reader(Protocol):
    """Reads rows of a record from the business system."""

    def __call__(self, record: str, fields: Sequence[str], among: tuple[str, pl.Series] | None = None) -> pl.DataFrame:
        """String columns ``fields`` in canonical text, blank as null.

        Args:
            among: a field and values: only rows whose field has one of the values are wanted. More may come back.
        """


class Held:
    """Answers the checks' questions about the system, each read once.

    Args:
        description: the system's records.
        read: reads from the system.
        pending: record → rows of this very load that come before (their key fields), which count as held.
    """

    def __init__(self, description: Description, read: Reader, pending: Mapping[str, pl.DataFrame] | None = None) -> None:
        self.description = description
        self._read = read
        self._pending = dict(pending or {})
        self._lists: dict[str, pl.DataFrame] = {}
        self._existing: dict[int, pl.DataFrame] = {}

    def existing(self, rows: Rows) -> pl.DataFrame:
        """Of the system's rows that have a key of these rows: the key and the fields of unique groups."""
        if id(rows.values) not in self._existing:
            record = rows.record
            fields = list(dict.fromkeys((*record.key, *(f for g in record.unique_groups().values() for f in g))))
            first = record.key[0]
            self._existing[id(rows.values)] = self._read(record.name, fields, (first, rows.values[first]))
        return self._existing[id(rows.values)]

    def having(self, record: Record, fields: Sequence[str], field: str, values: pl.Series) -> pl.DataFrame:
        """The key and ``fields`` of the system's rows whose ``field`` has one of the values."""
        wanted = list(dict.fromkeys((*record.key, field, *fields)))
        found = self._read(record.name, wanted, (field, values))
        return found.filter(pl.col(field).is_in(values.unique().drop_nulls().implode()))

    def having_any(self, record: Record, field: str) -> pl.DataFrame:
        """The key and the field of all the system's rows in which that field is filled."""
        return self._read(record.name, [*record.key, field]).filter(pl.col(field).is_not_null())

    def known_codes(self, record: Record, values: pl.Series) -> pl.Series:
        """Which of the values are keys of the record, in the system or before in this load."""
        key = record.key[0]
        found = self._read(record.name, [key], (key, values))[key]
        if record.name in self._pending:
            found = pl.concat([found, self._pending[record.name][key]])
        return found

    def all_of(self, record: Record) -> pl.DataFrame:
        """The whole list: its key, its name where it has one, and its parent where it is a path."""
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
