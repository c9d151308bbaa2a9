"""SQLite: a database in one file. It has no decimal type, so decimals are whole numbers scaled by their decimals."""

from __future__ import annotations

import json
import re
import sqlite3
import time
import uuid
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl
from msgspec.structs import replace

from kotrel.core.description.model import Field
from kotrel.core.errors import OutOfReach
from kotrel.sheets.safe_writing import take_rights
from kotrel.systems.sql.database import NOTHING, ColumnNow, Database, RowRefused
from kotrel.systems.sql.dialect import quoted
from kotrel.systems.sql.sqlite_dialect import SQLITE
from kotrel.systems.sql.sqlite_reading import Readers, Wanted, read_in_stretches, stretches

if TYPE_CHECKING:
    from kotrel.core.description.table_facts import TableFacts

WAIT_SECONDS = 30.0
_CHUNK = 20_000


_TROUBLES = (sqlite3.Error, UnicodeDecodeError)
"""What the database raises; a damaged one may not even have words in UTF-8 for it."""


class SqliteDatabase(Database):
    """An open SQLite file.

    Raises:
        OutOfReach: the file does not exist, is not a SQLite database, or cannot be opened.
    """

    dialect = SQLITE

    def __init__(self, path: Path, create: bool = False) -> None:
        self.path = path
        self._broken_before: set[tuple[Any, ...]] = set()
        self._types: dict[str, dict[str, ColumnNow]] = {}
        self._kept: dict[tuple[str, str], bool] = {}
        self._looking: Readers | None = None
        if not create and not path.is_file():
            raise OutOfReach(
                f"the system's database {path} does not exist",
                "Check url under [system] in kotrel.toml.",
                "no-database",
            )
        try:
            # Several threads use it, but never two at once (see SystemState).
            self.connection = sqlite3.connect(path, timeout=WAIT_SECONDS, isolation_level=None, check_same_thread=False)
            self.connection.create_function("kotrel_bytes", 1, bytes.fromhex, deterministic=True)
            self.connection.create_function("kotrel_uuid", 1, _new_uuid)
            self.connection.execute("PRAGMA foreign_keys = ON")
            self.connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
            if create:
                take_rights(path)
        except _TROUBLES as error:
            raise self._clear(error) from None

    def _clear(self, error: sqlite3.Error | UnicodeDecodeError) -> Exception:
        words = str(error)
        if isinstance(error, sqlite3.IntegrityError):
            return RowRefused(words)
        if "locked" in words or "busy" in words:
            return OutOfReach(
                f"another load, or another program, is using {self.path}",
                "Wait until it has finished, then run this again.",
                "system-busy",
            )
        if not isinstance(error, UnicodeDecodeError) and "decode to UTF-8" in words:
            named = re.search(r't\."(\w+)"|column \'(\w+)\'', words)
            where = f" in the column {named[1] or named[2]}" if named else ""
            return OutOfReach(
                f"{self.path} has a text{where} that is not in UTF-8, so nobody can tell its letters",
                "Enter that text again in the program that wrote it.",
                "not-text",
            )
        if "not a database" in words or "malformed" in words or isinstance(error, UnicodeDecodeError):
            return OutOfReach(
                f"{self.path} is not a SQLite database, or is damaged", "Restore it from a backup.", "damaged"
            )
        if "readonly" in words:
            return OutOfReach(
                f"no permission to write to {self.path}", "Ask for permission to write to that file.", "no-right"
            )
        if "no such table" in words or "no such column" in words:
            return OutOfReach(
                f"{self.path} is not as system.toml describes it: {words}",
                "Correct system.toml, or connect to the right database.",
                "not-as-described",
            )
        if "full" in words:
            return OutOfReach(
                f"the disk is full: {self.path} could not be written",
                "Free some space, then run this again.",
                "disk-full",
            )
        return OutOfReach(f"{self.path}: {words}", "", "system-error")

    @property
    def driver_connection(self) -> Any:
        return self.connection

    def run(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        try:
            return self.connection.execute(statement, values).fetchall()
        except _TROUBLES as error:
            raise self._clear(error) from None

    def run_counting(self, statement: str, values: Sequence[Any] = ()) -> int:
        try:
            return self.connection.execute(statement, values).rowcount
        except _TROUBLES as error:
            raise self._clear(error) from None

    def frame(
        self,
        columns: Sequence[str],
        names: Sequence[str],
        rest: str,
        values: Sequence[Any] = (),
        direct: Mapping[str, tuple[str, Field]] = NOTHING,
        whole: str = "",
    ) -> pl.DataFrame:
        # To put the point into an amount takes SQLite twice as long as all the rest of reading it.
        points = {name: field.decimals for name, (_, field) in direct.items() if field.is_decimal and field.decimals}
        asked = [direct[name][0] if name in points else column for name, column in zip(names, columns, strict=True)]
        wanted = Wanted(names, columns, asked, points)
        try:
            found = self._in_stretches(wanted, rest, whole) if whole else None
            return wanted.of(self.connection, rest, values) if found is None else found
        except _TROUBLES as error:
            raise self._clear(error) from None

    def _in_stretches(self, wanted: Wanted, rest: str, table: str) -> pl.DataFrame | None:
        """None where the table is small, has no numbers for its rows, or might change between two stretches."""
        if not self.connection.in_transaction:
            return None
        parts, rows = stretches(self.connection, table, rest, list(self._columns(table)))
        if not parts:
            return None
        found = pl.concat(read_in_stretches(self._readers(), wanted, parts), rechunk=True)
        return found if found.height == rows else None

    def _readers(self) -> list[sqlite3.Connection]:
        return [self.connection] if self._looking is None else self._looking.all()

    def insert(
        self, table: str, columns: Sequence[str], frame: pl.DataFrame, forms: Sequence[str] | None = None
    ) -> None:
        names = ", ".join(quoted(column) for column in columns)
        marks = ", ".join(forms or ["?"] * len(columns))
        try:
            self.connection.executemany(f"INSERT INTO {table} ({names}) VALUES ({marks})", _tuples(frame))
        except _TROUBLES as error:
            raise self._clear(error) from None

    def as_text(self, column: str, field: Field, plain: bool = False) -> str:
        if field.is_decimal and plain:
            decimals = field.decimals or 0
            # What no figure of stock can be, such as 1e300, is shown as it is.
            return (
                f"CASE WHEN typeof({column}) = 'real' AND abs({column}) >= 1e15 THEN CAST({column} AS TEXT) "
                f"WHEN {column} = round({column}, {decimals}) THEN printf('%.{decimals}f', {column}) "
                f"ELSE CAST({column} AS TEXT) END"
            )
        if field.is_decimal:
            if not field.decimals:
                return f"CAST({column} AS TEXT)"
            scale = 10**field.decimals
            return (
                f"CASE WHEN {column} IS NOT NULL THEN printf('%s%d.%0{field.decimals}d', "
                f"CASE WHEN {column} < 0 THEN '-' ELSE '' END, abs({column}) / {scale}, abs({column}) % {scale}) END"
            )
        if field.kind == "yes_no":
            return f"CASE {column} WHEN 1 THEN 'yes' WHEN 0 THEN 'no' END"
        if field.kind == "moment":
            return f"replace(CAST({column} AS TEXT), 'T', ' ')"
        return f"CAST({column} AS TEXT)" if plain else column

    def as_stored(self, text: str, field: Field, plain: bool = False) -> str:
        if field.is_decimal and plain:
            # The column's affinity turns it into a number, or keeps the text.
            return text
        if field.is_decimal:
            return f"CAST(replace({text}, '.', '') AS INTEGER)"
        if field.kind == "yes_no":
            return f"CASE {text} WHEN 'yes' THEN 1 WHEN 'no' THEN 0 END"
        return text

    def scaled_text(self, column: str, field: Field) -> str:
        return self.as_text(column, field)

    def scaled_stored(self, text: str, field: Field) -> str:
        return self.as_stored(text, field)

    def in_type_of(self, schema: str, table: str, column: str, text: str) -> str:
        about = self._columns(table).get(column)
        # A column without a type compares 1 and '1' as different.
        return text if about is not None and about.type else ""

    def keeps_numbers(self, table: str, column: str) -> bool:
        if (table, column) not in self._kept:
            name = column[1:-1].replace('""', '"')
            about = self._columns(table[1:-1].replace('""', '"')).get(name)
            classes: set[str] = set()
            if about is not None and not about.type:
                held = self.run(f"SELECT DISTINCT typeof({column}) FROM {table} WHERE {column} IS NOT NULL")
                classes = {kind for (kind,) in held}
            self._kept[table, column] = bool(classes) and classes <= {"integer", "real"}
        return self._kept[table, column]

    def _columns(self, table: str) -> dict[str, ColumnNow]:
        if table not in self._types:
            self._types[table] = self.columns_of("", table)
        return self._types[table]

    def check_deferred(self) -> None:
        broken = self._broken_references()
        if broken - self._broken_before:
            table, rowid, parent, _ = sorted(broken - self._broken_before, key=str)[0]
            raise RowRefused(
                f"FOREIGN KEY constraint failed: row {rowid} of {table} refers to a row that {parent} does not have"
            )

    def _broken_references(self) -> set[tuple[Any, ...]]:
        """Rows that refer to nothing, where the database checks that only at the end;
        tables as Kotrel makes them never do.
        """
        found = self.run("SELECT 1 FROM sqlite_master WHERE type = 'table' AND upper(sql) LIKE '%DEFERRED%'")
        return set(self.run("PRAGMA foreign_key_check")) if found else set()

    def raw(self, column: str) -> str:
        return (
            f"CASE typeof({column}) WHEN 'text' THEN 't' || {column} WHEN 'integer' THEN 'i' || {column} "
            f"WHEN 'real' THEN 'r' || printf('%!.17g', {column}) ELSE 'b' || hex({column}) END"
        )

    def from_raw(self, text: str, about: ColumnNow) -> str:
        value = f"substr({text}, 2)"
        return (
            f"CASE substr({text}, 1, 1) WHEN 't' THEN {value} WHEN 'i' THEN CAST({value} AS INTEGER) "
            f"WHEN 'r' THEN CAST({value} AS REAL) ELSE kotrel_bytes({value}) END"
        )

    def brings_back(self, column: str, stored: str, about: ColumnNow) -> str:
        same = f"(typeof({column}) = typeof({stored}) AND {column} IS {stored})"
        if _is_numeric(about.type):
            # The column turns a text into a number when it is stored.
            return f"({same} OR (typeof({column}) IN ('integer', 'real') AND CAST({stored} AS NUMERIC) IS {column}))"
        return same

    def columns_of(self, schema: str, table: str) -> dict[str, ColumnNow]:
        return {
            name: ColumnNow(kind, f"({default})" if default is not None and not hidden else None, hidden in (2, 3))
            for _, name, kind, _, default, _, hidden in self.run(f"PRAGMA table_xinfo({quoted(table)})")
        }

    def acts_by_itself(self, schema: str, table: str, harmless: Collection[str] = ()) -> bool:
        found = self.run(
            "SELECT name FROM sqlite_master WHERE type = 'trigger' AND lower(tbl_name) = lower(?)", [table]
        )
        return any(name not in harmless for (name,) in found)

    def insert_naming(self, statement: str, table: str, texts: Sequence[str]) -> list[tuple[str, ...]]:
        # SQLite names what was sent; what its triggers made of it is in the table.
        ids = [number for (number,) in self.run(f"{statement} RETURNING rowid")]
        return self.run(
            f"SELECT {', '.join(texts)} FROM json_each(?) AS j JOIN {table} AS i ON i.rowid = j.value ORDER BY j.key",
            [json.dumps(ids)],
        )

    def drop_temporary(self, *names: str) -> None:
        for kind, name in self.run("SELECT type, name FROM sqlite_temp_master WHERE type IN ('table', 'view')"):
            if name in names:
                self.run(f"DROP {kind} temp.{quoted(name)}")

    def schemas_to_read(self, schema: str | None) -> list[str | None]:
        return [None]

    def left_out_of_catalogue(self) -> set[tuple[str | None, str]]:
        return {(None, name) for name in ("kotrel_load", "kotrel_load_row", "sqlite_sequence")}

    def completed(self, tables: Sequence[TableFacts]) -> list[TableFacts]:
        # UNIQUE on a single column is only in SQLite's own list of indexes.
        return [replace(each, uniques=tuple(self._uniques(each.name))) for each in tables]

    def _uniques(self, table: str) -> Iterator[tuple[str, ...]]:
        for _, name, unique, origin, partial in self.run(f"PRAGMA index_list({quoted(table)})"):
            columns = [column for _, _, column in self.run(f"PRAGMA index_info({quoted(name)})")]
            if unique and (not partial or self._leaves_out_deleted(name)) and origin != "pk" and all(columns):
                yield tuple(columns)

    def _leaves_out_deleted(self, index: str) -> bool:
        from kotrel.systems.sql.catalogue import leaves_out_deleted_only

        [(sql,)] = self.run("SELECT sql FROM sqlite_master WHERE name = ?", [index])
        return leaves_out_deleted_only(re.split(r"\bWHERE\b", str(sql), flags=re.IGNORECASE)[-1])

    def written_by_triggers(self, schema: str, table: str) -> set[str]:
        rows = self.run("SELECT sql FROM sqlite_master WHERE type = 'trigger' AND lower(tbl_name) = lower(?)", [table])
        tables: set[str] = set()
        for (sql,) in rows:
            own = rf'UPDATE\s+(?:OR\s+\w+\s+)?"?{re.escape(table)}"?\s+SET\s+(.*?)\s+WHERE'
            for sets in re.findall(own, str(sql), re.IGNORECASE | re.DOTALL):
                tables.update(re.findall(r'(?:^|,)\s*"?(\w+)"?\s*=', sets))
        return tables

    def views(self, schema: str | None = None) -> list[str]:
        return [str(name) for (name,) in self.run("SELECT name FROM sqlite_master WHERE type = 'view' ORDER BY name")]

    def among(self, column: str, values: Iterable[str]) -> tuple[str, list[Any]]:
        return f"{column} IN (SELECT value FROM json_each(?))", [json.dumps(list(values))]

    @contextmanager
    def looking(self) -> Iterator[None]:
        self.run("BEGIN")
        self._looking = Readers(self.connection, self.path)
        try:
            yield
        finally:
            self._looking.close()
            self._looking = None
            self.run("ROLLBACK")

    @contextmanager
    def changing(self) -> Iterator[None]:
        # IMMEDIATE takes the write lock at once: what is read from here on cannot change during the load.
        self.run("BEGIN IMMEDIATE")
        # Pages that rows are written to stay in memory; what is only looked at is read once.
        self.run("PRAGMA cache_size = -65536")
        try:
            # What was broken before the load is not the load's.
            self._broken_before = self._broken_references()
            yield
            self.run("COMMIT")
        except BaseException:
            if self.connection.in_transaction:
                self.connection.execute("ROLLBACK")
            raise

    def settle(self) -> None:
        with self.changing():
            pass

    def login(self) -> str:
        return ""

    def has_table(self, schema: str, table: str) -> bool:
        return bool(self.run("SELECT 1 FROM sqlite_master WHERE type IN ('table', 'view') AND name = ?", [table]))

    def close(self) -> None:
        self.connection.close()


def _new_uuid(how: str) -> str:
    """A uuid as :meth:`kotrel.systems.sql.dialect.Dialect.uuid` says."""
    if how != "uuid7":
        return uuid.uuid4().hex if how == "uuid hex" else str(uuid.uuid4())
    # RFC 9562, 5.7: 48 bits of milliseconds, the version, 12 bits, the variant, 62 bits.
    random = uuid.uuid4().int
    number = (time.time_ns() // 10**6 << 80) | (random & ((1 << 80) - 1))
    number = number & ~(0xF << 76) | 7 << 76
    return str(uuid.UUID(int=number))


def _is_numeric(declared: str) -> bool:
    """True where a column of that declared type stores numbers given as text as numbers (SQLite, Datatypes, 3.1)."""
    words = declared.upper()
    if "INT" in words:
        return True
    return bool(words) and not any(part in words for part in ("CHAR", "CLOB", "TEXT", "BLOB"))


def _tuples(frame: pl.DataFrame) -> Iterator[tuple[Any, ...]]:
    """The rows of a frame; converting it by columns is twice as fast as by rows."""
    for part in frame.iter_slices(_CHUNK):
        yield from zip(*(column.to_list() for column in part.get_columns()), strict=True)
