"""Reads what a check will need from the system while the sheet's values are still being tidied."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.journal import Entry
from kotrel.core.description.model import Record
from kotrel.core.rows.system_state import WHOLE
from kotrel.core.stock.sums import LedgerQuery
from kotrel.systems.interface import Reading


class Prefetching(Reading):
    """A look at the system that starts long reads before they are needed, one at a time on its connection."""

    def __init__(self, reading: Reading, pool: ThreadPoolExecutor) -> None:
        self._reading = reading
        self._pool = pool
        self._coming: dict[tuple[str, tuple[str, ...]], Future[pl.DataFrame]] = {}

    def expect(self, record: Record, fields: Sequence[str], rows: int) -> None:
        """Called with what a sheet holds: values that must be unique will be compared with all that exist."""
        if rows <= WHOLE or len(record.key) > 1:
            return
        for name in fields:
            field = record.fields[name]
            if field.unique and field.kind != "list" and name not in record.key:
                wanted = (*record.key, name)
                if (record.name, wanted) in self._coming:
                    continue
                self._coming[record.name, wanted] = self._pool.submit(self._reading.read, record.name, wanted)

    def read(
        self,
        record: str,
        fields: Sequence[str],
        among: tuple[str, pl.Series] | None = None,
        filled: str | Sequence[str] | None = None,
    ) -> pl.DataFrame:
        if filled is None and (among is None or len(among[1]) > WHOLE):
            for (of, there), begun in self._coming.items():
                if of == record and set(fields) <= set(there):
                    return begun.result().select(fields)
        return self._pool.submit(self._reading.read, record, fields, among, filled).result()

    def require(self, record: str) -> None:
        self._pool.submit(self._reading.require, record).result()

    def replaced_otherwise(self, changes: RecordChanges) -> list[tuple[int, str, str]]:
        return self._pool.submit(self._reading.replaced_otherwise, changes).result()

    def ledger_sums(self, query: LedgerQuery) -> pl.DataFrame:
        return self._pool.submit(self._reading.ledger_sums, query).result()

    def movements_since(self, moment: str, among: Sequence[tuple[str, pl.Series]] = ()) -> pl.DataFrame:
        return self._pool.submit(self._reading.movements_since, moment, among).result()

    def loads_of(self, record: str, keys: Sequence[str]) -> dict[str, int]:
        return self._pool.submit(self._reading.loads_of, record, keys).result()

    def history(self) -> list[Entry]:
        return self._pool.submit(self._reading.history).result()

    def trouble_with(self, number: int) -> str:
        return self._pool.submit(self._reading.trouble_with, number).result()

    def changes_of(self, number: int) -> list[RecordChanges]:
        return self._pool.submit(self._reading.changes_of, number).result()


@contextmanager
def prefetching(reading: Reading) -> Iterator[Prefetching]:
    """A look that reads ahead; all reads it has started are finished when it ends."""
    with ThreadPoolExecutor(1) as pool:
        yield Prefetching(reading, pool)
