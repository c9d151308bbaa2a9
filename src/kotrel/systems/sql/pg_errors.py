"""What PostgreSQL says when something fails → whether a row is to blame, and what to tell the user."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import psycopg
from psycopg import errors

from kotrel.core.errors import OutOfReach
from kotrel.systems.interface import ConcurrentChange
from kotrel.systems.sql.database import RowRefused
from kotrel.systems.sql.pg_session import WAIT_SECONDS

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


def _cancelled(words: str, name: str, limits: tuple[float, float]) -> OutOfReach:
    """A statement that was ended: by somebody, or because it took too long."""
    ours, theirs = limits
    if "timeout" not in words:
        return OutOfReach(
            f"somebody ended this step at {name}: {words}; nothing was loaded",
            "Ask its administrator why, then run this again.",
            "step-ended",
        )
    if theirs < ours:
        given = _span(theirs) if theirs else "too little time"
        return OutOfReach(
            f"{name} gives this user {given} for one step (statement_timeout), and it took longer; nothing was loaded",
            "Ask its administrator for more time for this user: time_limit in kotrel.toml cannot lengthen it.",
            "time-limit",
        )
    return OutOfReach(
        f"{name} took longer than {_span(ours)} for one step; nothing was loaded",
        "If it is busy, give it more minutes with time_limit under [system] in kotrel.toml.",
        "time-limit",
    )


def rule_of(connection: psycopg.Connection[Any], constraint: str, owner: str) -> str:
    """What a CHECK constraint of a table or a domain demands, as the database writes it; empty where it is not found."""
    found = connection.execute(
        """
        SELECT pg_catalog.pg_get_constraintdef(c.oid, true) FROM pg_catalog.pg_constraint AS c
        LEFT JOIN pg_catalog.pg_class AS t ON t.oid = c.conrelid LEFT JOIN pg_catalog.pg_type AS d ON d.oid = c.contypid
        WHERE c.contype = 'c' AND c.conname = %s AND COALESCE(t.relname, d.typname) = %s
        """,
        [constraint, owner],
    ).fetchall()
    rules = {str(rule).removesuffix(" NOT VALID").removeprefix("CHECK (").removesuffix(")") for (rule,) in found}
    return rules.pop() if len(rules) == 1 else ""


def clear(
    error: psycopg.Error,
    name: str,
    limits: tuple[float, float],
    lost: bool,
    whom_we_wait_for: Callable[[], str],
    rule: Callable[[str, str], str],
) -> Exception:
    """The error as the rest of Kotrel knows it.

    Args:
        name: how messages call the database.
        limits: the seconds that we let one statement take, and those that the database lets this user take.
        lost: the connection is closed.
        whom_we_wait_for: who holds a lock that was not given in time, in words.
        rule: what a constraint of a table or a domain demands (:func:`rule_of`).
    """
    words = (error.diag.message_primary or str(error)).strip().splitlines()[0]
    if isinstance(error, errors.SerializationFailure | errors.DeadlockDetected):
        return ConcurrentChange(words)
    if is_about_rows(error):
        broken, owner = error.diag.constraint_name or "", error.diag.table_name or error.diag.datatype_name or ""
        if isinstance(error, errors.CheckViolation) and (demanded := rule(broken, owner)):
            return RowRefused(f"its rule “{broken}” is not met: {demanded}")
        detail = (error.diag.message_detail or "").strip()
        return RowRefused(f"{words}. {detail}" if detail else words)
    if isinstance(error, errors.LockNotAvailable):
        who = whom_we_wait_for() or "another program"
        return OutOfReach(
            f"{name} is in use: {who} holds a lock that this needs; waited {WAIT_SECONDS} s",
            "Wait until it has finished, or ask its administrator to end it; then run this again.",
            "system-busy",
        )
    if isinstance(error, errors.QueryCanceled):
        return _cancelled(words, name, limits)
    if words and "function" in (error.diag.context or "") and (error.diag.sqlstate or "").startswith("42"):
        return OutOfReach(
            f"a trigger of {name} does not find what it names: {words}",
            'If it looks in a schema such as public, name that: trigger_schemas = ["public"] under [system] in kotrel.toml.',
            "trigger-needs-schema",
        )
    if isinstance(error, errors.UndefinedTable | errors.UndefinedColumn | errors.InvalidSchemaName):
        return OutOfReach(
            f"{name} is not as system.toml describes it: {words}",
            "Correct system.toml, or connect to the right database.",
            "not-as-described",
        )
    if isinstance(error, errors.InsufficientPrivilege | errors.ReadOnlySqlTransaction):
        return OutOfReach(f"{name} refuses: {words}", "Ask its administrator for that permission.", "no-right")
    if isinstance(error, errors.DiskFull):
        return OutOfReach(f"the disk of {name} is full", "Tell its administrator, then run this again.", "disk-full")
    if lost or isinstance(error, psycopg.OperationalError):
        return OutOfReach(
            f"the connection to {name} was lost: {words}",
            "kotrel history shows what has been loaded.",
            "connection-lost",
        )
    return OutOfReach(f"{name}: {words}", "", "system-error")


def _span(seconds: float) -> str:
    """``60 minutes``, ``90 seconds``, ``1 ms``."""
    if seconds < 1:
        return f"{seconds * 1000:g} ms"
    minutes = seconds / 60
    return f"{minutes:g} minute{'' if minutes == 1 else 's'}" if minutes == int(minutes) else f"{seconds:g} seconds"


def is_about_rows(error: psycopg.Error) -> bool:
    """True where the database refuses what is in a row, by a constraint, a trigger or a policy.

    Triggers may use any code of their own; only those that PostgreSQL itself uses for other troubles are none of these.
    """
    state = error.diag.sqlstate or ""
    if isinstance(error, errors.InsufficientPrivilege):
        return "row-level security" in (error.diag.message_primary or "")
    return bool(state) and state[:2] not in _NOT_ABOUT_ROWS
