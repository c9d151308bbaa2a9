"""A PostgreSQL session on a server that others share: its search path, its time limits, and who it waits for."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import psycopg

from kotrel.core.errors import OutOfReach
from kotrel.systems.sql.connecting import connected_patiently, no_database, not_reached, user_refused
from kotrel.systems.sql.dialect import JOURNAL, quoted

LOAD_LOCK = 0x6B6F7472656C
"""The number of the advisory lock that a load holds: the letters ``kotrel``."""

WAIT_SECONDS = 30
"""So long a statement waits for somebody else's lock."""

_HOLDERS = (
    "SELECT a.pid, a.usename::text, coalesce(nullif(a.application_name, ''), 'no name'), "
    "pg_catalog.date_part('epoch', pg_catalog.clock_timestamp() - coalesce(a.xact_start, a.state_change))::bigint "
    "FROM pg_catalog.pg_stat_activity AS a WHERE a.pid = ANY (?) ORDER BY 1"
)


_PATIENCE: dict[str, Any] = {
    "connect_timeout": 10,
    "keepalives": 1,
    "keepalives_idle": 15,
    "keepalives_interval": 5,
    "keepalives_count": 4,
    "tcp_user_timeout": 40_000,
}
"""Makes sure that a silent server is noticed within a minute."""


def prepare(connection: psycopg.Connection[Any], time_limit: int, schemas: Sequence[str]) -> float:
    """Sets what every session of ours has.

    Names are looked up only in the server's own schema and the journal's: whoever may create functions in another
    schema must never have them run as our user. A time limit that the role itself has, and is shorter, stays.

    Args:
        time_limit: seconds that one statement may take.
        schemas: further schemas that the database's own triggers need.

    Returns:
        The seconds that one statement may take: ours, or fewer where the database gives this user fewer.
    """
    path = ", ".join(["pg_catalog", quoted(JOURNAL), *(quoted(name) for name in schemas)])
    connection.execute(f"SET search_path = {path}".encode())
    for setting, seconds in (
        ("lock_timeout", WAIT_SECONDS),
        ("statement_timeout", time_limit),
        # A client that hangs loses its locks.
        ("idle_in_transaction_session_timeout", time_limit),
    ):
        connection.execute(
            f"SELECT pg_catalog.set_config('{setting}', least(nullif(setting::bigint, 0), {seconds * 1000})::text, false) "
            f"FROM pg_catalog.pg_settings WHERE name = '{setting}'".encode()
        )
    # A server that notices a cut client gives its locks free.
    for setting, value in (
        ("tcp_keepalives_idle", 30),
        ("tcp_keepalives_interval", 10),
        ("tcp_keepalives_count", 3),
        ("client_min_messages", "warning"),
    ):
        connection.execute(f"SET {setting} = {value}".encode())
    in_force = connection.execute("SELECT setting::bigint FROM pg_catalog.pg_settings WHERE name = 'statement_timeout'")
    return float(in_force.fetchone()[0]) / 1000  # type: ignore[index]


def holders_of_load_lock(connection: psycopg.Connection[Any], but: int = 0) -> str:
    """Who holds the lock of a load, in words; an empty text where nobody does.

    Args:
        but: a session that does not count.
    """
    pids = connection.execute(
        "SELECT pid FROM pg_catalog.pg_locks WHERE locktype = 'advisory' AND granted AND pid <> pg_catalog.pg_backend_pid() "
        "AND database = (SELECT oid FROM pg_catalog.pg_database WHERE datname = pg_catalog.current_database()) "
        f"AND ((classid::bigint << 32) | objid::bigint) = {LOAD_LOCK}"
    ).fetchall()
    return _describe_processes(connection, [pid for (pid,) in pids if pid != but])


def holders_of_tables(connection: psycopg.Connection[Any], pid: int) -> str:
    """Who else holds locks on tables that a session has locks on, in words.

    Args:
        pid: of that session, which may be in a transaction that has failed.
    """
    pids = connection.execute(
        "SELECT DISTINCT o.pid FROM pg_catalog.pg_locks AS m JOIN pg_catalog.pg_locks AS o "
        "ON o.relation = m.relation AND o.database = m.database AND o.pid <> m.pid "
        "WHERE m.pid = %s AND o.granted AND o.mode NOT IN ('AccessShareLock') AND m.relation >= 16384",
        [pid],
    ).fetchall()
    return _describe_processes(connection, [one for (one,) in pids])


def _describe_processes(connection: psycopg.Connection[Any], pids: Sequence[int]) -> str:
    if not pids:
        return ""
    rows = connection.execute(_HOLDERS.replace("?", "%s").encode(), [list(pids)]).fetchall()
    return "; ".join(
        f"process {pid} of {user or 'another user'} ({program}), busy for {_long(seconds)}"
        for pid, user, program, seconds in rows
    )


def _long(seconds: int | None) -> str:
    if seconds is None:
        return "some time"
    return f"{seconds} s" if seconds < 120 else f"{seconds // 60} min"


def connected(url: str, name: str, given: dict[str, Any]) -> psycopg.Connection[Any]:
    """An open connection; a server that does not answer is tried a few times."""
    return connected_patiently(
        lambda: psycopg.connect(url, autocommit=True, application_name="kotrel", **_PATIENCE, **given),
        (psycopg.Error, UnicodeError),
        lambda error: _no_connection(error, name),
    )


def _no_connection(error: Exception, name: str) -> OutOfReach:
    words = " ".join(str(error).split())
    if "password" in words and ("authentication failed" in words or "no password" in words):
        return user_refused(name)
    if "does not exist" in words:
        what = words[words.rfind("FATAL:") + 6 :].strip() if "FATAL:" in words else words
        return no_database(name, what)
    return not_reached(name, words)
