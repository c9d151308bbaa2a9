"""PostgreSQL: bulk work by COPY; an advisory lock lets loads run one at a time,
each in one repeatable-read transaction.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from functools import partial
from typing import Any

import polars as pl
import psycopg

from kotrel.core.description.model import Field
from kotrel.core.description.table_facts import TableFacts
from kotrel.core.errors import OutOfReach
from kotrel.systems.sql.database import NEVER_BLANK, NOTHING, ColumnNow, Database
from kotrel.systems.sql.dialect import JOURNAL, quoted, with_format_marks
from kotrel.systems.sql.pg_catalogue import completed, parts_of_tables, schemas, views, written_by_triggers
from kotrel.systems.sql.pg_errors import clear, rule_of
from kotrel.systems.sql.pg_session import (
    LOAD_LOCK,
    WAIT_SECONDS,
    connected,
    holders_of_load_lock,
    holders_of_tables,
    prepare,
)
from kotrel.systems.sql.postgresql_dialect import POSTGRESQL

TIME_LIMIT = 3_600
"""Seconds that one step of a load may take by default."""

_CHUNK = 50_000


def _as_csv(frame: pl.DataFrame) -> Iterator[bytes]:
    """A frame in pieces of CSV; each is made while the server takes the one before."""
    pieces = frame.iter_slices(_CHUNK)
    with ThreadPoolExecutor(1) as pool:
        coming = pool.submit(_piece, next(pieces, None))
        while (text := coming.result()) is not None:
            coming = pool.submit(_piece, next(pieces, None))
            yield text


def _piece(part: pl.DataFrame | None) -> bytes | None:
    return None if part is None else part.write_csv(include_header=False).encode()


def _rest_of(connection: psycopg.Connection[Any], raw: io.BytesIO) -> None:
    """Reads the rows of a COPY after its first straight from libpq:
    through the driver, each row takes ten times as long.
    """
    server = connection.pgconn
    size, row = server.get_copy_data(0)
    while size > 0:
        raw.write(row)
        size, row = server.get_copy_data(0)
    failed: psycopg.Error | None = None
    # What is not taken off the connection would keep it busy.
    while (result := server.get_result()) is not None:
        if result.status not in (psycopg.pq.ExecStatus.COMMAND_OK, psycopg.pq.ExecStatus.COPY_OUT):
            failed = failed or psycopg.errors.error_from_result(result)
    if failed is not None:
        raise failed
    if size != -1:
        raise psycopg.OperationalError(server.get_error_message())


class PostgresDatabase(Database):
    """An open PostgreSQL connection.

    Args:
        url: ``postgresql://user@host:port/database``.
        password: if it is not already in the environment.
        time_limit: seconds that one statement may take.
        schemas: schemas that the database's own triggers need, besides those that every session of ours looks in.
        tell: called with whom it waits for.

    Raises:
        OutOfReach: it is down, or refuses the user.
    """

    dialect = POSTGRESQL

    def __init__(
        self,
        url: str,
        name: str,
        password: str | None = None,
        time_limit: int = TIME_LIMIT,
        schemas: Sequence[str] = (),
        tell: Callable[[str], None] = lambda words: None,
    ) -> None:
        self.name = name
        self.time_limit = time_limit
        self.tell = tell
        # Until our own limit is set, another one is the database's.
        self._limit_in_force = 0.0
        self._types: dict[tuple[str, str], dict[str, ColumnNow]] = {}
        self._rules: dict[tuple[str, str], str] = {}
        given = {"password": password} if password else {}
        self._connect = partial(connected, url, name, given)
        self.connection = self._connect()
        try:
            self._limit_in_force = prepare(self.connection, time_limit, schemas)
        except psycopg.Error as error:
            raise self._clear(error) from None

    def _clear(self, error: psycopg.Error) -> Exception:
        lost = self.connection.closed
        limits = self.time_limit, self._limit_in_force
        return clear(error, self.name, limits, bool(lost), self._whom_we_wait_for, self._rule)

    def _rule(self, constraint: str, owner: str) -> str:
        """What a constraint demands; asked on another connection, because ours has failed."""
        if (constraint, owner) not in self._rules:
            with suppress(psycopg.Error, OutOfReach), self._connect() as other:
                self._rules[constraint, owner] = rule_of(other, constraint, owner)
        return self._rules.get((constraint, owner), "")

    def _whom_we_wait_for(self) -> str:
        """Who holds the lock that we did not get; asked on a connection of its own, because ours has failed."""
        with suppress(psycopg.Error, OutOfReach), self._connect() as other:
            own = self.connection.info.backend_pid
            return holders_of_load_lock(other, own) or holders_of_tables(other, own)
        return ""

    @property
    def driver_connection(self) -> Any:
        return self.connection

    def run(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        try:
            cursor = self.connection.execute(with_format_marks(statement).encode(), values)
            return cursor.fetchall() if cursor.description else []
        except psycopg.Error as error:
            raise self._clear(error) from None

    def run_counting(self, statement: str, values: Sequence[Any] = ()) -> int:
        try:
            return self.connection.execute(with_format_marks(statement).encode(), values).rowcount
        except psycopg.Error as error:
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
        if len(columns) == 1:
            return self.frame([*columns, NEVER_BLANK], [*names, ""], rest, values).select(names)
        statement = with_format_marks(f"COPY (SELECT {', '.join(columns)} {rest}) TO STDOUT (FORMAT csv)")
        raw = io.BytesIO()
        try:
            with self.connection.cursor() as cursor, cursor.copy(statement.encode(), values) as copy:
                if first := copy.read():
                    raw.write(first)
                    _rest_of(self.connection, raw)
        except psycopg.Error as error:
            raise self._clear(error) from None
        schema = dict.fromkeys(names, pl.String)
        if not raw.tell():
            return pl.DataFrame(schema=schema)
        text = raw.getvalue()
        frame = pl.read_csv(text, has_header=False, schema=schema, quote_char='"' if b'"' in text else None)
        # An empty text is blank, here as everywhere.
        return frame.with_columns(pl.all().replace("", None)) if b'""' in text else frame

    def insert(
        self, table: str, columns: Sequence[str], frame: pl.DataFrame, forms: Sequence[str] | None = None
    ) -> None:
        names = ", ".join(quoted(column) for column in columns)
        try:
            with (
                self.connection.cursor() as cursor,
                cursor.copy(f"COPY {table} ({names}) FROM STDIN (FORMAT csv)".encode()) as copy,
            ):
                for text in _as_csv(frame):
                    copy.write(text)
        except psycopg.Error as error:
            raise self._clear(error) from None

    def as_text(self, column: str, field: Field, plain: bool = False) -> str:
        if field.is_decimal and plain:
            number, held = f"CAST({column} AS numeric)", f"CAST({column} AS text)"
            # What no figure of stock can be, such as 1e300 or Infinity, is shown as it is, and stops nothing.
            return (
                f"CASE WHEN {held} IN ('NaN', 'Infinity', '-Infinity') THEN {held} "
                f"WHEN abs({number}) >= 1e{38 - (field.decimals or 0) - 1} THEN {held} "
                f"WHEN {number} = round({number}, {field.decimals}) "
                f"THEN CAST(CAST({number} AS numeric(38, {field.decimals})) AS text) ELSE CAST({number} AS text) END"
            )
        if field.is_decimal:
            return f"CAST(CAST({column} AS numeric(38, {field.decimals})) AS text)"
        if field.kind == "yes_no":
            return f"CASE WHEN {column} THEN 'yes' WHEN NOT {column} THEN 'no' END"
        if field.kind == "date":
            return f"pg_catalog.to_char({column}, 'YYYY-MM-DD')"
        if field.kind == "moment":
            zoned = f"{column} AT TIME ZONE 'UTC'" if field.zoned else column
            text = f"pg_catalog.to_char({zoned}, 'YYYY-MM-DD HH24:MI:SS.US')"
            end = "Z" if field.zoned else ""
            return f"(pg_catalog.regexp_replace({text}, '\\.?0*$', '') || '{end}')"
        return f"CAST({column} AS text)"

    def as_stored(self, text: str, field: Field, plain: bool = False) -> str:
        return text

    def scaled_text(self, column: str, field: Field) -> str:
        return self.as_text(f"(CAST({column} AS numeric) / {field.scale})", field, True)

    def scaled_stored(self, text: str, field: Field) -> str:
        return f"(CAST({text} AS numeric) * {field.scale})"

    def in_type_of(self, schema: str, table: str, column: str, text: str) -> str:
        if (schema, table) not in self._types:
            self._types[schema, table] = self.columns_of(schema, table)
        about = self._types[schema, table].get(column)
        if about is None:
            return ""
        # A code that is no number, or no uuid, would be an error there: the list has no such row.
        shape = (
            r"^-?[0-9]{1,18}$"
            if about.type in ("integer", "bigint", "smallint")
            else r"^[0-9a-fA-F-]{36}$"
            if about.type == "uuid"
            else ""
        )
        if about.type.startswith(("character", "text", "bpchar")) or about.type in ("citext", "public.citext"):
            return f"CAST({text} AS {about.type})"
        return f"CASE WHEN {text} ~ '{shape}' THEN CAST({text} AS {about.type}) END" if shape else ""

    def check_deferred(self) -> None:
        self.run("SET CONSTRAINTS ALL IMMEDIATE")

    def raw(self, column: str) -> str:
        return f"'t' || CAST({column} AS text)"

    def from_raw(self, text: str, about: ColumnNow) -> str:
        return f"CAST(pg_catalog.substr({text}, 2) AS {about.type})"

    def brings_back(self, column: str, stored: str, about: ColumnNow) -> str:
        # Texts are compared: some types have no equality, and 1.50 is not 1.5 to the byte.
        return f"CAST({column} AS text) IS NOT DISTINCT FROM CAST(CAST({stored} AS {about.type}) AS text)"

    def columns_of(self, schema: str, table: str) -> dict[str, ColumnNow]:
        name = quoted(schema, table)
        rows = self.run(
            "SELECT a.attname, pg_catalog.format_type(a.atttypid, a.atttypmod), "
            "pg_catalog.pg_get_expr(d.adbin, d.adrelid), a.attidentity::text, a.attgenerated::text, "
            "pg_catalog.pg_get_serial_sequence(?, a.attname) FROM pg_catalog.pg_attribute AS a "
            "LEFT JOIN pg_catalog.pg_attrdef AS d ON d.adrelid = a.attrelid AND d.adnum = a.attnum "
            "WHERE a.attrelid = pg_catalog.to_regclass(?) AND a.attnum > 0 AND NOT a.attisdropped",
            [name, name],
        )
        columns = {}
        for column, kind, default, identity, generated, sequence in rows:
            if identity == "d":
                default = "pg_catalog.nextval('" + str(sequence).replace("'", "''") + "')"
            columns[column] = ColumnNow(kind, None if generated else default, bool(generated) or identity == "a")
        return columns

    def acts_by_itself(self, schema: str, table: str, harmless: Collection[str] = ()) -> bool:
        triggers = self.run(
            "SELECT c.relrowsecurity OR c.relhasrules OR EXISTS (SELECT 1 FROM pg_catalog.pg_trigger AS g "
            "WHERE g.tgrelid = c.oid AND NOT g.tgisinternal AND g.tgname::text <> ALL(?)) FROM pg_catalog.pg_class AS c "
            "WHERE c.oid = pg_catalog.to_regclass(?)",
            [list(harmless), quoted(schema, table)],
        )
        return bool(triggers and triggers[0][0])

    def insert_naming(self, statement: str, table: str, texts: Sequence[str]) -> list[tuple[str, ...]]:
        return self.run(f"{statement} RETURNING {', '.join(texts)}")

    @contextmanager
    def references_at_once(self, table: str) -> Iterator[None]:
        # Otherwise it checks once for each row and table. The constraints are dropped and added again in the same
        # transaction; adding them checks all rows.
        references = self.run(
            "SELECT conrelid::regclass::text, pg_catalog.quote_ident(conname), pg_catalog.pg_get_constraintdef(oid) "
            "FROM pg_catalog.pg_constraint "
            "WHERE contype = 'f' AND confrelid = pg_catalog.to_regclass(?) ORDER BY 1, 2",
            [table],
        )
        for referring, name, _ in references:
            self.run(f"ALTER TABLE {referring} DROP CONSTRAINT {name}")
        yield
        for referring, name, definition in references:
            self.run(f"ALTER TABLE {referring} ADD CONSTRAINT {name} {definition}")

    def drop_temporary(self, *names: str) -> None:
        tables = self.run(
            "SELECT c.relkind::text, c.relname::text FROM pg_catalog.pg_class AS c "
            "WHERE c.relnamespace = pg_catalog.pg_my_temp_schema() AND c.relname::text = ANY(?)",
            [list(names)],
        )
        # Views first: they rest on the tables.
        for kind, name in sorted(tables, key=lambda each: each[0] != "v"):
            self.run(f"DROP {'VIEW' if kind == 'v' else 'TABLE'} {quoted('pg_temp', name)}")

    def schemas_to_read(self, schema: str | None) -> list[str | None]:
        return [schema] if schema else [name for name in schemas(self.run) if name != JOURNAL]

    def left_out_of_catalogue(self) -> set[tuple[str | None, str]]:
        return parts_of_tables(self.run)

    def completed(self, tables: Sequence[TableFacts]) -> list[TableFacts]:
        return completed(self.run, tables)

    def written_by_triggers(self, schema: str, table: str) -> set[str]:
        return written_by_triggers(self.run, schema, table)

    def views(self, schema: str | None = None) -> list[str]:
        return views(self.run, schema)

    def among(self, column: str, values: Iterable[str]) -> tuple[str, list[Any]]:
        return f"{column} = ANY(?)", [list(values)]

    @contextmanager
    def looking(self) -> Iterator[None]:
        self.run("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY")
        try:
            yield
        finally:
            self._roll_back()

    @contextmanager
    def changing(self) -> Iterator[None]:
        # The lock comes before the transaction, so that a load that had to wait sees what the one before it did.
        self._take_load_lock()
        try:
            self.run("BEGIN ISOLATION LEVEL REPEATABLE READ")
            try:
                yield
                self.run("COMMIT")
            except BaseException:
                self._roll_back()
                raise
        finally:
            # If the connection breaks only now, nothing is lost: the lock is released with it.
            with suppress(psycopg.Error):
                self.connection.execute("SELECT pg_catalog.pg_advisory_unlock(%s)", [LOAD_LOCK])

    def _take_load_lock(self) -> None:
        """Waits for the load that is in progress, if there is one, and says for whom."""
        if self.run("SELECT pg_catalog.pg_try_advisory_lock(?)", [LOAD_LOCK])[0][0]:
            return
        self.tell(f"waiting for another load: {holders_of_load_lock(self.connection)} (at most {WAIT_SECONDS} s)")
        self.run("SELECT pg_catalog.pg_advisory_lock(?)", [LOAD_LOCK])

    def settle(self) -> None:
        self._take_load_lock()
        self.run("SELECT pg_catalog.pg_advisory_unlock(?)", [LOAD_LOCK])

    def _roll_back(self) -> None:
        """Ends the transaction; a lost connection has already ended it."""
        with suppress(psycopg.Error):
            self.connection.execute("ROLLBACK")

    def login(self) -> str:
        return str(self.run("SELECT session_user")[0][0])

    def has_table(self, schema: str, table: str) -> bool:
        return self.run("SELECT pg_catalog.to_regclass(?) IS NOT NULL", [quoted(schema, table)])[0][0] is True

    def close(self) -> None:
        self.connection.close()
