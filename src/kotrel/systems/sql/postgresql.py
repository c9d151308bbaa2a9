"""PostgreSQL: bulk work by COPY; an advisory lock lets loads run one at a time, each in one repeatable-read transaction."""

from __future__ import annotations

import io
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from functools import partial
from typing import Any

import polars as pl
import psycopg
from psycopg import errors

from kotrel.core.description.model import Field
from kotrel.core.errors import OutOfReach
from kotrel.systems.interface import ConcurrentChange
from kotrel.systems.sql.database import NEVER_BLANK, ColumnNow, Database, RowRefused, quoted
from kotrel.systems.sql.pg_session import LOAD_LOCK, WAIT_SECONDS, holders_of_load_lock, holders_of_tables, prepare

PAUSES = (0.5, 1.5)
"""Seconds between attempts to connect; as long as nothing has been sent, trying again does no harm."""
TIME_LIMIT = 3_600
"""Seconds that one step of a load may take by default."""

_PATIENCE: dict[str, Any] = {
    "connect_timeout": 10,
    "keepalives": 1,
    "keepalives_idle": 15,
    "keepalives_interval": 5,
    "keepalives_count": 4,
    "tcp_user_timeout": 40_000,
}
"""Makes sure that a silent server is noticed within a minute."""
_CHUNK = 50_000
_NOT_ABOUT_ROWS = frozenset(
    [
        "00",
        "01",
        "02",
        "03",
        "08",
        "09",
        "0A",
        "0B",
        "0F",
        "0L",
        "0P",
        "20",
        "24",
        "25",
        "26",
        "28",
        "2B",
        "2D",
        "2F",
        "34",
        "38",
        "39",
        "3B",
        "3D",
        "3F",
        "40",
        "42",
        "53",
        "54",
        "55",
        "57",
        "58",
        "72",
        "F0",
        "HV",
        "XX",
    ]
)
"""Classes of SQLSTATE for connections, transactions, rights, syntax, resources (PostgreSQL, appendix A)."""


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

    dialect = "postgresql"

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
        given = {"password": password} if password else {}
        self._connect = partial(_connected, url, name, given)
        self.connection = self._connect()
        try:
            prepare(self.connection, time_limit, schemas)
        except psycopg.Error as error:
            raise self._clear(error) from None

    def _clear(self, error: psycopg.Error) -> Exception:
        words = (error.diag.message_primary or str(error)).strip().splitlines()[0]
        if isinstance(error, errors.SerializationFailure | errors.DeadlockDetected):
            return ConcurrentChange(words)
        if self._is_about_rows(error):
            detail = (error.diag.message_detail or "").strip()
            return RowRefused(f"{words}. {detail}" if detail else words)
        if isinstance(error, errors.LockNotAvailable):
            who = self._whom_we_wait_for()
            return OutOfReach(
                f"{self.name} is in use: {who or 'another program'} holds a lock that this needs; waited {WAIT_SECONDS} s",
                "Wait until it has finished, or ask its administrator to end it; then run this again.",
                "system-busy",
            )
        if isinstance(error, errors.QueryCanceled):
            return OutOfReach(
                f"{self.name} took longer than {self.time_limit // 60} minutes for one step; nothing was loaded",
                "If it is busy, give it more minutes with time_limit under [system] in kotrel.toml.",
                "time-limit",
            )
        if words and "function" in (error.diag.context or "") and (error.diag.sqlstate or "").startswith("42"):
            return OutOfReach(
                f"a trigger of {self.name} does not find what it names: {words}",
                'If it looks in a schema such as public, name that: trigger_schemas = ["public"] under [system] in kotrel.toml.',
                "trigger-needs-schema",
            )
        if isinstance(error, errors.UndefinedTable | errors.UndefinedColumn | errors.InvalidSchemaName):
            return OutOfReach(
                f"{self.name} is not as system.toml describes it: {words}",
                "Correct system.toml, or connect to the right database.",
                "not-as-described",
            )
        if isinstance(error, errors.InsufficientPrivilege | errors.ReadOnlySqlTransaction):
            return OutOfReach(f"{self.name} refuses: {words}", "Ask its administrator for that permission.", "no-right")
        if isinstance(error, errors.DiskFull):
            return OutOfReach(
                f"the disk of {self.name} is full", "Tell its administrator, then run this again.", "disk-full"
            )
        if self.connection.closed or isinstance(error, psycopg.OperationalError):
            return OutOfReach(
                f"the connection to {self.name} was lost: {words}",
                "kotrel history shows what has been loaded.",
                "connection-lost",
            )
        return OutOfReach(f"{self.name}: {words}", "", "system-error")

    def _whom_we_wait_for(self) -> str:
        """Who holds the lock that we did not get; asked on a connection of its own, because ours has failed."""
        with suppress(psycopg.Error, OutOfReach), self._connect() as other:
            own = self.connection.info.backend_pid
            return holders_of_load_lock(other, own) or holders_of_tables(other, own)
        return ""

    @staticmethod
    def _is_about_rows(error: psycopg.Error) -> bool:
        """True where the database refuses what is in a row, by a constraint, a trigger or a policy.

        Triggers may use any code of their own; only those that PostgreSQL itself uses for other troubles are none of these.
        """
        state = error.diag.sqlstate or ""
        if isinstance(error, errors.InsufficientPrivilege):
            return "row-level security" in (error.diag.message_primary or "")
        return bool(state) and state[:2] not in _NOT_ABOUT_ROWS

    @staticmethod
    def _bound(statement: str) -> str:
        return statement.replace("%", "%%").replace("?", "%s")

    def run(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        try:
            cursor = self.connection.execute(self._bound(statement).encode(), values)
            return cursor.fetchall() if cursor.description else []
        except psycopg.Error as error:
            raise self._clear(error) from None

    def run_counting(self, statement: str, values: Sequence[Any] = ()) -> int:
        try:
            return self.connection.execute(self._bound(statement).encode(), values).rowcount
        except psycopg.Error as error:
            raise self._clear(error) from None

    def frame(
        self, columns: Sequence[str], names: Sequence[str], rest: str, values: Sequence[Any] = ()
    ) -> pl.DataFrame:
        if len(columns) == 1:
            return self.frame([*columns, NEVER_BLANK], [*names, ""], rest, values).select(names)
        statement = self._bound(f"COPY (SELECT {', '.join(columns)} {rest}) TO STDOUT (FORMAT csv)")
        raw = io.BytesIO()
        try:
            with self.connection.cursor() as cursor, cursor.copy(statement.encode(), values) as copy:
                for part in copy:
                    raw.write(part)
        except psycopg.Error as error:
            raise self._clear(error) from None
        schema = dict.fromkeys(names, pl.String)
        if not raw.tell():
            return pl.DataFrame(schema=schema)
        whole = raw.getvalue()
        frame = pl.read_csv(whole, has_header=False, schema=schema)
        # An empty text is blank, here as everywhere.
        return frame.with_columns(pl.all().replace("", None)) if b'""' in whole else frame

    def insert(
        self, table: str, columns: Sequence[str], frame: pl.DataFrame, forms: Sequence[str] | None = None
    ) -> None:
        names = ", ".join(quoted(column) for column in columns)
        try:
            with (
                self.connection.cursor() as cursor,
                cursor.copy(f"COPY {table} ({names}) FROM STDIN (FORMAT csv)".encode()) as copy,
            ):
                for part in frame.iter_slices(_CHUNK):
                    copy.write(part.write_csv(include_header=False).encode())
        except psycopg.Error as error:
            raise self._clear(error) from None

    def as_text(self, column: str, field: Field, plain: bool = False) -> str:
        if field.is_decimal and plain:
            number = f"CAST({column} AS numeric)"
            return (
                f"CASE WHEN {number} = round({number}, {field.decimals}) "
                f"THEN CAST(CAST({number} AS numeric(38, {field.decimals})) AS text) ELSE CAST({number} AS text) END"
            )
        if field.is_decimal:
            return f"CAST(CAST({column} AS numeric(38, {field.decimals})) AS text)"
        if field.kind == "yes_no":
            return f"CASE WHEN {column} THEN 'yes' WHEN NOT {column} THEN 'no' END"
        if field.kind == "date":
            return f"pg_catalog.to_char({column}, 'YYYY-MM-DD')"
        return f"CAST({column} AS text)"

    def as_stored(self, text: str, field: Field, plain: bool = False) -> str:
        return text

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
        found = {}
        for column, kind, default, identity, generated, sequence in rows:
            if identity == "d":
                default = "pg_catalog.nextval('" + str(sequence).replace("'", "''") + "')"
            found[column] = ColumnNow(kind, None if generated else default, bool(generated) or identity == "a")
        return found

    def acts_by_itself(self, schema: str, table: str) -> bool:
        found = self.run(
            "SELECT c.relrowsecurity OR c.relhasrules OR EXISTS (SELECT 1 FROM pg_catalog.pg_trigger AS g "
            "WHERE g.tgrelid = c.oid AND NOT g.tgisinternal) FROM pg_catalog.pg_class AS c "
            "WHERE c.oid = pg_catalog.to_regclass(?)",
            [quoted(schema, table)],
        )
        return bool(found and found[0][0])

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

    def has_table(self, schema: str, table: str) -> bool:
        return self.run("SELECT pg_catalog.to_regclass(?) IS NOT NULL", [quoted(schema, table)])[0][0] is True

    def close(self) -> None:
        self.connection.close()


def _connected(url: str, name: str, given: dict[str, Any]) -> psycopg.Connection[Any]:
    """An open connection; a server that does not answer is tried a few times."""
    for pause in (*PAUSES, None):
        try:
            return psycopg.connect(url, autocommit=True, application_name="kotrel", **_PATIENCE, **given)
        except (psycopg.Error, UnicodeError) as error:
            clear = _no_connection(error, name)
            if pause is None or clear.kind != "system-down":
                raise clear from None
            time.sleep(pause)
    raise AssertionError


def _no_connection(error: Exception, name: str) -> OutOfReach:
    words = " ".join(str(error).split())
    if "password" in words and ("authentication failed" in words or "no password" in words):
        return OutOfReach(
            f"{name} refuses the user or the password",
            "Set KOTREL_PASSWORD, and check the user in kotrel.toml.",
            "password-refused",
        )
    if "does not exist" in words:
        what = words[words.rfind("FATAL:") + 6 :].strip() if "FATAL:" in words else words
        return OutOfReach(f"{name}: {what}", "Check url under [system] in kotrel.toml.", "no-database")
    return OutOfReach(
        f"{name} cannot be reached",
        f"Check that the server is running and the address is right. It said: {words[:200]}",
        "system-down",
    )
