"""MariaDB and MySQL: bulk work by inserts of many rows; a named lock lets loads run one at a time, each in one
transaction.

What a load reads of the rows that it changes it reads with a lock, so that nobody changes them before it does: a
snapshot would show what was there before, and the load would overwrite what others have committed since.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from functools import partial
from typing import Any

import polars as pl
import pymysql
from msgspec.structs import replace

from kotrel.core.description.model import Field
from kotrel.core.description.table_facts import TableFacts
from kotrel.core.errors import OutOfReach
from kotrel.systems.sql.database import NOTHING, ColumnNow, Database
from kotrel.systems.sql.dialect import quoted, with_format_marks
from kotrel.systems.sql.mariadb_dialect import EXACT, MARIADB
from kotrel.systems.sql.mariadb_session import WAIT_SECONDS, clear, connected, is_mariadb
from kotrel.systems.sql.mariadb_values import as_text_of, cast_as, value_lists

TIME_LIMIT = 3_600
"""Seconds that one step of a load may take by default."""
_END, _NONE = "\x1e", "\x1d"
"""Between the values of a row, and for no value: ASCII's own control characters."""
_TEXTS = ("char", "varchar", "tinytext", "text", "mediumtext", "longtext", "enum", "set")
_TROUBLES = (pymysql.Error, OSError)


class MariaDatabase(Database):
    """An open MariaDB or MySQL connection.

    Args:
        url: ``mysql://user@host:port/database``.
        time_limit: seconds that one statement may take.
        tell: called with whom it waits for.

    Raises:
        OutOfReach: it is down, or refuses the user.
    """

    dialect = MARIADB

    def __init__(
        self,
        url: str,
        name: str,
        password: str | None = None,
        time_limit: int = TIME_LIMIT,
        tell: Callable[[str], None] = lambda words: None,
    ) -> None:
        self.name, self.time_limit, self.tell = name, time_limit, tell
        self._types: dict[tuple[str, str], dict[str, ColumnNow]] = {}
        self._held: dict[tuple[str, str], dict[str, str]] = {}
        self._locks = False
        self._connect = partial(connected, url, name, password, time_limit)
        self.connection = self._connect()
        self.is_mariadb = is_mariadb(self.connection)

    def _clear(self, error: Exception) -> Exception:
        return clear(error, self.name, self.time_limit, self._whom_we_wait_for)

    def _whom_we_wait_for(self) -> str:
        """Who is busy with a transaction, in words; asked on another connection."""
        with suppress(Exception):
            other = self._connect()
            try:
                with other.cursor() as cursor:
                    cursor.execute(
                        "SELECT p.id, p.user, timestampdiff(second, t.trx_started, now()) FROM information_schema.innodb_trx AS t "
                        "JOIN information_schema.processlist AS p ON p.id = t.trx_mysql_thread_id WHERE p.id <> %s AND t.trx_state <> 'LOCK WAIT'",
                        [self.connection.thread_id()],
                    )
                    return "; ".join(
                        f"process {number} of {user}, busy for {seconds} s"
                        for number, user, seconds in cursor.fetchall()
                    )
            finally:
                other.close()
        return ""

    @property
    def driver_connection(self) -> Any:
        return self.connection

    def run(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        try:
            with self.connection.cursor() as cursor:
                cursor.execute(with_format_marks(statement), list(values))
                return list(cursor.fetchall()) if cursor.description else []
        except _TROUBLES as error:
            raise self._clear(error) from None

    def run_counting(self, statement: str, values: Sequence[Any] = ()) -> int:
        try:
            with self.connection.cursor() as cursor:
                return int(cursor.execute(with_format_marks(statement), list(values)))
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
        # One text for each row, joined by the server: reading each value by itself takes five times as long.
        joined = ", ".join(f"ifnull(nullif({column}, ''), '{_NONE}')" for column in columns)
        # What a load reads of tables stays as it is until the load is kept.
        lock = (
            " FOR UPDATE"
            if self._locks and rest.startswith("FROM ") and "GROUP BY" not in rest and "FROM (" not in rest
            else ""
        )
        rows = self.run(f"SELECT concat_ws('{_END}', {joined}) {rest}{lock}", values)
        schema = dict.fromkeys(names, pl.String)
        if not rows:
            return pl.DataFrame(schema=schema)
        texts = pl.Series([as_text_of(row[0]) for row in rows], dtype=pl.String)
        if len(columns) == 1:
            return pl.DataFrame({names[0]: texts.set(texts == _NONE, None)})
        if not texts.str.count_matches(_END).eq(len(columns) - 1).all():
            # A value with that character in it is read the slow way.
            found = self.run(f"SELECT {', '.join(columns)} {rest}{lock}", values)
            cells = [[as_text_of(value) or None for value in row] for row in found]
            return pl.DataFrame(cells, schema=schema, orient="row")
        split = texts.str.split_exact(_END, len(columns) - 1).struct.unnest()
        split.columns = list(names)
        return split.with_columns(pl.when(pl.all() != _NONE).then(pl.all()))

    def insert(
        self, table: str, columns: Sequence[str], frame: pl.DataFrame, forms: Sequence[str] | None = None
    ) -> None:
        head = f"INSERT INTO {table} ({', '.join(map(quoted, columns))}) VALUES "
        try:
            with self.connection.cursor() as cursor:
                for text in value_lists(frame, forms):
                    cursor.execute(head + text)
        except _TROUBLES as error:
            raise self._clear(error) from None

    def as_text(self, column: str, field: Field, plain: bool = False) -> str:
        if field.is_decimal and plain:
            number = f"CAST({column} AS decimal(65, 20))"
            return (
                f"CASE WHEN abs({column}) >= 1e30 THEN CAST({column} AS char) WHEN {number} = round({number}, {field.decimals}) "
                f"THEN CAST(CAST({number} AS decimal(65, {field.decimals})) AS char) ELSE trim(TRAILING '0' FROM CAST({number} AS char)) END"
            )
        if field.is_decimal:
            return f"CAST(CAST({column} AS decimal(65, {field.decimals})) AS char)"
        if field.kind == "yes_no":
            return f"CASE WHEN {column} THEN 'yes' WHEN NOT {column} THEN 'no' END"
        if field.kind == "date":
            # A zero date is none.
            return f"CASE WHEN {column} <> 0 THEN date_format({column}, '%Y-%m-%d') END"
        if field.kind == "moment":
            text = f"regexp_replace(date_format({column}, '%Y-%m-%d %H:%i:%s.%f'), '[.]?0*$', '')"
            end = " || 'Z'" if field.zoned else ""
            return f"CASE WHEN {column} <> 0 THEN {text}{end} END"
        return f"CAST({column} AS char)"

    def as_stored(self, text: str, field: Field, plain: bool = False) -> str:
        if field.kind == "yes_no":
            return f"CASE {text} WHEN 'yes' THEN 1 WHEN 'no' THEN 0 END"
        if field.kind == "moment" and field.zoned:
            return f"trim(TRAILING 'Z' FROM {text})"
        return text

    def scaled_text(self, column: str, field: Field) -> str:
        return self.as_text(f"(CAST({column} AS decimal(65, 20)) / {field.scale})", field, True)

    def scaled_stored(self, text: str, field: Field) -> str:
        return f"(CAST({text} AS decimal(65, 20)) * {field.scale})"

    def same(self, one: str, other: str, field: Field) -> str:
        # By the index first, then to the letter: there, 'a' = 'ä' and 'abc' = 'ABC '.
        if field.kind in ("yes_no", "date", "moment") or field.is_decimal:
            return f"{one} = {other}"
        return f"({one} = {other} AND BINARY {one} = BINARY {other})"

    def exactly(self, column: str, field: Field) -> str:
        if field.kind in ("yes_no", "date", "moment") or field.is_decimal:
            return column
        return f"convert({column} USING utf8mb4) COLLATE {EXACT if self.is_mariadb else 'utf8mb4_0900_bin'}"

    def update_from(
        self, table: str, sets: Sequence[tuple[str, str]], source: str, where: str, values: Sequence[Any] = ()
    ) -> int:
        changes = ", ".join(f"t.{column} = {value}" for column, value in sets)
        return self.run_counting(f"UPDATE {source} AS s STRAIGHT_JOIN {table} AS t SET {changes} WHERE {where}", values)

    def delete_matching(
        self, table: str, source: str, where: str, same_key: str, mine: str, key: Sequence[tuple[str, str]]
    ) -> int:
        return self.run_counting(
            f"DELETE t FROM {source} AS s STRAIGHT_JOIN {table} AS t WHERE {where} AND {same_key}{mine}"
        )

    def create_stage(
        self, name: str, schema: str, table: str, typed: Mapping[str, str], texts: Sequence[str], flags: Sequence[str]
    ) -> None:
        types = self._column_types(schema, table)
        columns = ["line bigint NOT NULL PRIMARY KEY", "action varchar(20)"]
        columns += [f"{quoted(each)} {types[column]} NULL" for each, column in typed.items()]
        columns += [f"{quoted(each)} longtext" for each in texts]
        columns += [f"{quoted(each)} tinyint" for each in flags]
        self.run(
            f"CREATE TEMPORARY TABLE {name} ({', '.join(columns)}) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"
        )

    def _column_types(self, schema: str, table: str) -> dict[str, str]:
        """Column → its type with the collation of its texts."""
        if (schema, table) not in self._held:
            types = {}
            for name, kind, letters, collation in self.run(
                "SELECT column_name, column_type, character_set_name, collation_name FROM information_schema.columns "
                "WHERE table_schema = ifnull(?, database()) AND table_name = ?",
                [schema or None, table],
            ):
                types[as_text_of(name)] = as_text_of(kind) + (
                    f" CHARACTER SET {letters} COLLATE {collation}" if letters else ""
                )
            self._held[schema, table] = types
        return self._held[schema, table]

    def look_at_stage(self, name: str, select: str) -> None:
        # A view cannot look at a temporary table here.
        self.run(f"CREATE TEMPORARY TABLE {name} AS {select}")

    def renew_stage(self, name: str, select: str) -> None:
        self.drop_temporary(name)
        self.look_at_stage(name, select)

    def analyse(self, table: str) -> None:
        """It needs no figures: rows are looked up by the table's own keys."""

    def staged_values(self, rows: pl.DataFrame, fields: Mapping[str, Field]) -> pl.DataFrame:
        changed = []
        for name, field in fields.items():
            if name not in rows.columns:
                continue
            if field.kind == "yes_no":
                # A column that holds words, such as Y and N, has them here.
                words = rows[name].drop_nulls()
                number = bool(words.is_in(["yes", "no"]).all())
                as_number = pl.col(name).replace({"yes": "1", "no": "0"})
                changed.append(as_number.cast(pl.Int8) if number else as_number)
            elif field.kind == "moment" and field.zoned:
                changed.append(pl.col(name).str.strip_suffix("Z"))
        return rows.with_columns(changed)

    def require_transactions(self, schema: str, table: str) -> None:
        found = self.run(
            "SELECT engine FROM information_schema.tables WHERE table_schema = ifnull(?, database()) AND table_name = ? AND table_type = 'BASE TABLE'",
            [schema or None, table],
        )
        engine = as_text_of(found[0][0]) if found else ""
        if engine and engine.lower() not in ("innodb", "rocksdb", "ndbcluster"):
            raise OutOfReach(
                f"{self.name}: the table {table} is kept by {engine}, which cannot take anything back: a load that fails would stay half done",
                "Ask its administrator to change it: ALTER TABLE … ENGINE=InnoDB.",
                "no-transactions",
            )

    def in_type_of(self, schema: str, table: str, column: str, text: str) -> str:
        about = self._types_of(schema, table).get(column)
        if about is None:
            return ""
        kind = about.type.partition("(")[0].partition(" ")[0]
        if kind in _TEXTS:
            return text
        if kind in ("int", "bigint", "smallint", "mediumint", "tinyint"):
            return f"CASE WHEN {text} REGEXP '^-?[0-9]{{1,18}}$' THEN CAST({text} AS signed) END"
        return ""

    def _types_of(self, schema: str, table: str) -> dict[str, ColumnNow]:
        if (schema, table) not in self._types:
            self._types[schema, table] = self.columns_of(schema, table)
        return self._types[schema, table]

    def check_deferred(self) -> None:
        """Nothing is checked later there."""

    def raw(self, column: str) -> str:
        return f"concat('t', CAST({column} AS char))"

    def from_raw(self, text: str, about: ColumnNow) -> str:
        return f"substr({text}, 2)"

    def brings_back(self, column: str, stored: str, about: ColumnNow) -> str:
        kept = cast_as(stored, about.type)
        return f"(CAST({column} AS char) COLLATE utf8mb4_bin <=> CAST({kept} AS char) COLLATE utf8mb4_bin)"

    def columns_of(self, schema: str, table: str) -> dict[str, ColumnNow]:
        rows = self.run(
            "SELECT column_name, column_type, column_default, extra FROM information_schema.columns "
            "WHERE table_schema = ifnull(?, database()) AND table_name = ? ORDER BY ordinal_position",
            [schema or None, table],
        )
        columns = {}
        for name, kind, default, extra in rows:
            more = as_text_of(extra).upper()
            made = "GENERATED" in more and "DEFAULT_GENERATED" not in more
            text = None if default is None else as_text_of(default)
            if text is not None and (text.upper() == "NULL" or "AUTO_INCREMENT" in more):
                text = None
            if text is not None and not self.is_mariadb and "DEFAULT_GENERATED" not in more:
                # MySQL gives a constant without its quotes.
                text = "'" + text.replace("'", "''") + "'"
            columns[as_text_of(name)] = ColumnNow(as_text_of(kind), None if made else text, made)
        return columns

    def acts_by_itself(self, schema: str, table: str, harmless: Collection[str] = ()) -> bool:
        found = self.run(
            "SELECT trigger_name FROM information_schema.triggers WHERE event_object_schema = ifnull(?, database()) AND event_object_table = ?",
            [schema or None, table],
        )
        return any(as_text_of(name) not in harmless for (name,) in found)

    def insert_naming(self, statement: str, table: str, texts: Sequence[str]) -> list[tuple[str, ...]]:
        if not self.is_mariadb:
            self.run(statement)
            return []
        return [tuple(map(as_text_of, row)) for row in self.run(f"{statement} RETURNING {', '.join(texts)}")]

    def drop_temporary(self, *names: str) -> None:
        self.run(f"DROP TEMPORARY TABLE IF EXISTS {', '.join(map(quoted, names))}")

    def schemas_to_read(self, schema: str | None) -> list[str | None]:
        return [schema or None]

    def left_out_of_catalogue(self) -> set[tuple[str | None, str]]:
        return {(None, name) for name in ("kotrel_load", "kotrel_load_row")}

    def completed(self, tables: Sequence[TableFacts]) -> list[TableFacts]:
        return [self._completed(each) for each in tables]

    def _completed(self, table: TableFacts) -> TableFacts:
        """A table with what SQLAlchemy does not say: yes/no columns, years, numbers that the database gives."""
        types = {
            name: (about.type, about.generated) for name, about in self.columns_of(table.schema, table.name).items()
        }
        extra = {
            as_text_of(name): as_text_of(more).lower()
            for name, more in self.run(
                "SELECT column_name, extra FROM information_schema.columns WHERE table_schema = ifnull(?, database()) AND table_name = ?",
                [table.schema or None, table.name],
            )
        }
        columns = []
        for column in table.columns:
            kind = types.get(column.name, ("", False))[0]
            if kind.startswith(("tinyint(1)", "bit(1)")):
                column = replace(column, kind="yes_no", decimals=None, remark="")
            elif kind.startswith("year"):
                column = replace(column, kind="whole", decimals=0, remark="")
            elif kind.startswith("set("):
                column = replace(
                    column, kind="text", choices=(), length=None, remark="a set of words, with commas between them"
                )
            if "auto_increment" in extra.get(column.name, ""):
                column = replace(column, made=True, must=False)
            if "unsigned" in kind:
                column = replace(column, unsigned=True)
            if kind.startswith("timestamp"):
                column = replace(column, zoned=True)
            columns.append(column)
        return replace(table, columns=tuple(columns))

    def written_by_triggers(self, schema: str, table: str) -> set[str]:
        rows = self.run(
            "SELECT action_statement FROM information_schema.triggers WHERE event_object_schema = ifnull(?, database()) AND event_object_table = ?",
            [schema or None, table],
        )
        return {
            name
            for (sql,) in rows
            for name in re.findall(r'\bNEW\s*\.\s*["`]?(\w+)["`]?\s*=', as_text_of(sql), re.IGNORECASE)
        }

    def views(self, schema: str | None = None) -> list[str]:
        rows = self.run(
            "SELECT table_name FROM information_schema.views WHERE table_schema = ifnull(?, database()) ORDER BY 1",
            [schema],
        )
        return [as_text_of(name) for (name,) in rows]

    def among(self, column: str, values: Iterable[str]) -> tuple[str, list[Any]]:
        found = list(values)
        return (f"{column} IN ({', '.join('?' for _ in found)})", found) if found else ("1 = 0", [])

    @contextmanager
    def looking(self) -> Iterator[None]:
        self.run("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        self.run("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY")
        try:
            yield
        finally:
            self._roll_back()

    @contextmanager
    def changing(self) -> Iterator[None]:
        self._take_load_lock()
        try:
            self.run("START TRANSACTION")
            self._locks = True
            try:
                yield
                self.run("COMMIT")
            except BaseException:
                self._roll_back()
                raise
            finally:
                self._locks = False
        finally:
            # If the connection breaks only now, nothing is lost: the lock is released with it.
            with suppress(*_TROUBLES), self.connection.cursor() as cursor:
                cursor.execute("SELECT release_lock(concat('kotrel ', md5(database())))")

    def _take_load_lock(self) -> None:
        """Waits for the load that is in progress, if there is one, and tells whom it waits for."""
        lock = "concat('kotrel ', md5(database()))"
        if self.run(f"SELECT get_lock({lock}, 0)")[0][0] == 1:
            return
        self.tell(
            f"waiting for another load: {self._whom_we_wait_for() or 'another session'} (at most {WAIT_SECONDS} s)"
        )
        if self.run(f"SELECT get_lock({lock}, {WAIT_SECONDS})")[0][0] != 1:
            raise OutOfReach(
                f"another load is using {self.name}; nothing was loaded",
                "Wait until it has finished, then run this again.",
                "system-busy",
            )

    def settle(self) -> None:
        self._take_load_lock()
        self.run("SELECT release_lock(concat('kotrel ', md5(database())))")

    def _roll_back(self) -> None:
        """Ends the transaction; a lost connection has already ended it."""
        with suppress(*_TROUBLES), self.connection.cursor() as cursor:
            cursor.execute("ROLLBACK")

    def login(self) -> str:
        return as_text_of(self.run("SELECT current_user()")[0][0])

    def has_table(self, schema: str, table: str) -> bool:
        return bool(
            self.run(
                "SELECT 1 FROM information_schema.tables WHERE table_schema = ifnull(?, database()) AND table_name = ?",
                [schema or None, table],
            )
        )

    def close(self) -> None:
        with suppress(*_TROUBLES):
            self.connection.close()
