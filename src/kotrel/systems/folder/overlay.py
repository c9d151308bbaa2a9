"""What a program holds by its lists, with what was sent to it since."""

from __future__ import annotations

import shutil
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION, before
from kotrel.core.description.model import Description
from kotrel.systems.sql.sqlite import SqliteDatabase
from kotrel.systems.sql.store import read_rows, store_of


@contextmanager
def with_sent(mirror: Path, description: Description, sent: Sequence[RecordChanges]) -> Iterator[SqliteDatabase]:
    """The mirror of the lists, open; where something was sent, a copy of it with that in it."""
    if not sent:
        database = SqliteDatabase(mirror)
        try:
            with database.looking():
                yield database
        finally:
            database.close()
        return
    with TemporaryDirectory(prefix="kotrel-", ignore_cleanup_errors=True) as folder:
        copy = Path(folder) / mirror.name
        shutil.copyfile(mirror, copy)
        database = SqliteDatabase(copy)
        try:
            with database.changing():
                for each in sent:
                    _put_in(database, description, each)
            with database.looking():
                yield database
        finally:
            database.close()


def _put_in(database: SqliteDatabase, description: Description, changes: RecordChanges) -> None:
    record = changes.record
    if record.nature == "ledger":
        return
    store = store_of(description, record, database.dialect)
    stored = [each.name for each in record.fields.values() if each.from_ledger is None]
    held_rows = read_rows(database, store, stored)
    key = list(record.key)
    touched = changes.rows_of("new", "changed", "removed")
    keys = touched.select(pl.coalesce(name, before(name)).alias(name) for name in key)
    old = held_rows.join(keys, on=key, how="semi")
    left = held_rows.join(keys, on=key, how="anti")
    present = touched.filter(pl.col(ACTION) != "removed").select(
        *key,
        *(pl.col(name) for name in changes.fields if name not in key),
        *(pl.col(before(name)) for name in changes.fields if name not in key),
    )
    joined = present.join(old, on=key, how="left", suffix=" held")
    new = joined.select(
        *key,
        *(
            # Of a row that was there, only what the load changed.
            pl.when(pl.col(name).ne_missing(pl.col(before(name))))
            .then(pl.col(name))
            .otherwise(pl.col(f"{name} held"))
            .alias(name)
            if name in changes.fields
            else pl.col(name)
            for name in stored
            if name not in key
        ),
    )
    database.run(f"DELETE FROM {store.name}")
    rows = pl.concat([left, new.select(left.columns)])
    forms = [database.as_stored("?", record.fields[name]) for name in rows.columns]
    database.insert(store.name, rows.columns, rows, forms)
