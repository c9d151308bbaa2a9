"""A session on a MariaDB or MySQL server that others share: its modes, its time limits, its errors in words."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any
from urllib.parse import parse_qs, unquote, urlsplit

import pymysql
from pymysql.constants import CLIENT

from kotrel.core.errors import OutOfReach
from kotrel.systems.interface import ConcurrentChange
from kotrel.systems.sql.connecting import connected_patiently, no_database, not_reached, user_refused
from kotrel.systems.sql.database import RowRefused

WAIT_SECONDS = 30
"""So long a statement waits for somebody else's lock."""
MODES = "STRICT_TRANS_TABLES,ERROR_FOR_DIVISION_BY_ZERO,ANSI_QUOTES,PIPES_AS_CONCAT,NO_BACKSLASH_ESCAPES,NO_ENGINE_SUBSTITUTION,NO_AUTO_VALUE_ON_ZERO"
"""Values are never cut short in silence; double quotes name columns; || joins texts.
A zero date that is there can be kept.
"""
_LOST = (2002, 2003, 2006, 2013, 2055, 1927, 1317, 1053)
"""The server is gone, the connection was cut, or somebody killed it."""
_NO_RIGHT = (1044, 1142, 1143, 1227, 1290, 1370, 1792, 1836)
_NOT_THERE = (1146, 1054, 1049, 1305, 1445)
_TOO_LONG = (1969, 3024)
_BUSY = (1205, 3572)
_CHANGED = (1020, 1213)
"""Somebody else changed a row meanwhile, or two waited for each other: the load can be tried again."""
_DISK_FULL = (1021, 1041, 1114)
_REFUSED_USER = (1045, 1698)
_NO_DATABASE = (1044, 1049)
_ROWS = frozenset((
    1022, 1062, 1586, 1216, 1452, 1217, 1451, 1048, 1364,  # keys, references, what must be filled
    1264, 1265, 1292, 1365, 1366, 1406, 1411, 1526, 1690, 3140, 3819, 4025,  # types and checks
    1442, 1644,  # triggers
))  # fmt: skip
"""The database refuses what is in a row."""


def connected(url: str, name: str, password: str | None, time_limit: int) -> Any:
    """An open connection with our modes; a server that does not answer is tried a few times."""
    parts = urlsplit(url)
    options = {key: values[-1] for key, values in parse_qs(parts.query).items()}

    def connect() -> Any:
        connection = pymysql.connect(
            host=parts.hostname or "localhost",
            port=parts.port or 3306,
            user=unquote(parts.username or ""),
            password=password or "",
            database=unquote(parts.path.lstrip("/")) or None,
            unix_socket=options.get("socket"),
            ssl={"ca": options["ssl_ca"]} if "ssl_ca" in options else None,
            charset="utf8mb4",
            autocommit=True,
            connect_timeout=10,
            # A server could ask for any file of ours.
            local_infile=False,
            client_flag=CLIENT.FOUND_ROWS,
            program_name="kotrel",
        )
        prepare(connection, time_limit)
        return connection

    return connected_patiently(
        connect, (pymysql.Error, OSError, UnicodeError), lambda error: no_connection(error, name)
    )


def prepare(connection: Any, time_limit: int) -> None:
    """Sets what every session of ours has."""
    with connection.cursor() as cursor:
        cursor.execute(f"SET SESSION sql_mode = '{MODES}'")
        cursor.execute("SET SESSION time_zone = '+00:00'")
        cursor.execute(f"SET SESSION innodb_lock_wait_timeout = {WAIT_SECONDS}")
        cursor.execute(f"SET SESSION lock_wait_timeout = {WAIT_SECONDS}")
        cursor.execute(
            "SET SESSION transaction_isolation = 'READ-COMMITTED'"
            if not is_mariadb(connection)
            else "SET SESSION tx_isolation = 'READ-COMMITTED'"
        )
        if is_mariadb(connection):
            cursor.execute(f"SET SESSION max_statement_time = {time_limit}")
            cursor.execute(f"SET SESSION idle_transaction_timeout = {time_limit}")
        else:
            cursor.execute(f"SET SESSION max_execution_time = {time_limit * 1000}")


def is_mariadb(connection: Any) -> bool:
    """True for MariaDB; else it is MySQL."""
    return "mariadb" in str(connection.get_server_info()).lower()


def _code_and_words(error: Exception) -> tuple[int, str]:
    """The number of the server's error, or 0, and what it said, on one line."""
    code = error.args[0] if error.args and isinstance(error.args[0], int) else 0
    return code, " ".join(str(error.args[-1] if error.args else error).split())


def no_connection(error: Exception, name: str) -> OutOfReach:
    """Why there is no connection, in words."""
    code, words = _code_and_words(error)
    if code in _REFUSED_USER:
        return user_refused(name)
    if code in _NO_DATABASE:
        return no_database(name, words)
    return not_reached(name, words)


def clear(error: Exception, name: str, time_limit: int, whom: Callable[[], str]) -> Exception:
    """What an error of the server means: a refused row, or why nothing can be done.

    Args:
        whom: says for whom a lock waited.
    """
    code, words = _code_and_words(error)
    if code in _ROWS or isinstance(error, pymysql.err.IntegrityError | pymysql.err.DataError):
        # The column of the stage has the name of the table's, with a word before it.
        return RowRefused(re.sub(r"column '(?:to|from) ", "column '", words))
    if code in _CHANGED:
        return ConcurrentChange(words)
    if code in _BUSY:
        holder = whom()
        by = f" by {holder}" if holder else ""
        return OutOfReach(
            f"rows or tables of {name} are locked{by}; nothing was loaded",
            "Wait until that has finished, then run this again.",
            "system-busy",
        )
    if code in _TOO_LONG:
        return OutOfReach(
            f"{name} took longer than {time_limit // 60 or 1} minutes for one step; nothing was loaded",
            "If it is busy, give it more minutes with time_limit under [system] in kotrel.toml.",
            "time-limit",
        )
    if code in _NOT_THERE:
        return OutOfReach(
            f"{name} is not as system.toml describes it: {words}",
            "Correct system.toml, or connect to the right database.",
            "not-as-described",
        )
    if code in _NO_RIGHT:
        return OutOfReach(f"{name} refuses: {words}", "Ask its administrator for that permission.", "no-right")
    if code in _DISK_FULL:
        return OutOfReach(f"the disk of {name} is full", "Tell its administrator, then run this again.", "disk-full")
    if code in _LOST or isinstance(error, pymysql.err.InterfaceError | OSError):
        return OutOfReach(
            f"the connection to {name} was lost: {words or 'it was closed'}",
            "kotrel history shows what has been loaded.",
            "connection-lost",
        )
    return OutOfReach(f"{name}: {words}", "", "system-error")
