"""Rows of SQLite read in bulk: each column as one text, and a whole table a stretch of rows at a time, on several
threads.
"""

from __future__ import annotations

import os
import re
import sqlite3
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import SimpleQueue
from typing import Any

import polars as pl
from msgspec import Struct

from kotrel.core.parallel import map_parallel
from kotrel.systems.sql.dialect import quoted

STRETCH = 50_000
"""Rows that are read together of a large table: their texts are let go before the next."""
_MOST_READERS = 4
_END = "\x1e"
"""ASCII's control character between records: it stands between the values of a column."""
_NAMES_OF_ROWID = ("rowid", "_rowid_", "oid")
"""What SQLite calls the number of a row, unless a column has that name."""
_KEEPS_OUT_WRITERS = ("delete", "truncate", "persist")
"""Journal modes in which nobody can write while somebody reads: all who read then see the same (SQLite, File Locking
And Concurrency, 3.0).
"""


class Wanted(Struct, frozen=True):
    """What is read of each row.

    Attributes:
        names: of the columns.
        columns: SQL that gives canonical text or NULL, for each.
        asked: SQL that is asked for instead, as long as that can be understood: amounts as whole numbers, say.
        points: name → decimals, of the columns that are asked for as whole numbers.
    """

    names: Sequence[str]
    columns: Sequence[str]
    asked: Sequence[str]
    points: dict[str, int]

    def of(
        self, connection: sqlite3.Connection, rest: str, values: Sequence[Any] = (), threads: bool = True
    ) -> pl.DataFrame:
        """The rows as String columns, blank as null.

        Args:
            rest: of the statement, from FROM on.
            threads: several columns at a time, where there are many rows.

        Raises:
            sqlite3.Error: as the database raises it.
        """
        found = self._in_bulk(connection, rest, values, threads)
        if found is not None:
            return found
        rows = connection.execute(f"SELECT {', '.join(self.columns)} {rest}", values).fetchall()
        cells = [[str(value) if value not in (None, "") else None for value in row] for row in rows]
        return pl.DataFrame(cells, schema=dict.fromkeys(self.names, pl.String), orient="row")

    def _in_bulk(
        self, connection: sqlite3.Connection, rest: str, values: Sequence[Any], threads: bool
    ) -> pl.DataFrame | None:
        """None where a value has the character that stands between values, or a text is beyond SQLite's limit."""
        # Each column as one text, joined inside SQLite, takes a fifth of the time of one tuple for each row.
        joined = ", ".join(f"group_concat(coalesce({column}, ''), '{_END}')" for column in self.asked)
        try:
            *texts, count = connection.execute(f"SELECT {joined}, count(*) {rest}", values).fetchone()
        except sqlite3.DataError:
            return None
        if not count:
            return pl.DataFrame(schema=dict.fromkeys(self.names, pl.String))

        def column_at(place: int) -> pl.Series | None:
            # Each text is let go as soon as its column is made.
            text, texts[place] = texts[place], ""
            return _values_in(self.names[place], text, count, self.points.get(self.names[place]))

        made = map_parallel(column_at, range(len(self.names)), count if threads else 0)
        whole = [column for column in made if column is not None]
        return pl.DataFrame(whole) if len(whole) == len(made) else None


def _values_in(name: str, text: str, count: int, decimals: int | None) -> pl.Series | None:
    """The values that were joined in one text, blank as null; None where they cannot be told apart.

    Args:
        decimals: of amounts that are whole numbers as they are stored; None of others as they are.
    """
    if text.count(_END) != count - 1:
        return None
    values = pl.Series(name, [text]).str.split(_END).explode()
    values = values.set(values == "", None)
    return values if decimals is None else _with_point(values, decimals)


def _with_point(whole: pl.Series, decimals: int) -> pl.Series | None:
    """Whole numbers as the amounts that they are stored for; None where one is none."""
    numbers = whole.cast(pl.Int64, strict=False)
    if numbers.null_count() != whole.null_count():
        return None
    digits = whole
    if (whole.str.len_bytes() <= decimals + 1).any():
        digits = whole.str.zfill(decimals + 1)
        negative = (numbers < 0).fill_null(False)
        if negative.any():
            # The sign is one of the characters that are counted.
            digits = whole.str.zfill(decimals + 2).zip_with(negative, digits)
    point = pl.concat_str(pl.col(whole.name).str.head(-decimals), pl.lit("."), pl.col(whole.name).str.tail(decimals))
    return digits.to_frame().select(point.alias(whole.name)).to_series()


class Readers:
    """Further connections to a database that is being looked at, which see what the first one sees."""

    def __init__(self, connection: sqlite3.Connection, path: Path) -> None:
        self.connection = connection
        self._path = path
        self._file = _identity(path)
        self._others: list[sqlite3.Connection] | None = None

    def all(self) -> list[sqlite3.Connection]:
        """The first connection, which has begun to read, and as many more as there are cores for."""
        if self._others is None:
            self._others = []
            [(mode,)] = self.connection.execute("PRAGMA journal_mode").fetchall()
            wanted = min(os.cpu_count() or 1, _MOST_READERS) - 1 if mode in _KEEPS_OUT_WRITERS else 0
            for _ in range(wanted):
                if (other := self._one_more()) is not None:
                    self._others.append(other)
        return [self.connection, *self._others]

    def _one_more(self) -> sqlite3.Connection | None:
        """None where it would have to wait for somebody who wants to write, or the file is another one by now."""
        try:
            other = sqlite3.connect(self._path, timeout=0, isolation_level=None, check_same_thread=False)
        except sqlite3.Error:
            return None
        try:
            other.execute("BEGIN")
            # From its first question on it keeps writers out, too.
            other.execute("SELECT count(*) FROM sqlite_master").fetchone()
            if self._file is not None and _identity(self._path) == self._file:
                return other
        except sqlite3.Error:
            pass
        other.close()
        return None

    def close(self) -> None:
        """Lets go of the further ones."""
        for other in self._others or ():
            other.close()
        self._others = None


def _identity(path: Path) -> tuple[int, int] | None:
    """What differs between two files of one name; None where it cannot be seen."""
    try:
        about = path.stat()
    except OSError:
        return None
    return about.st_dev, about.st_ino


def read_in_stretches(
    connections: Sequence[sqlite3.Connection], wanted: Wanted, rests: Sequence[str]
) -> list[pl.DataFrame]:
    """The rows of each part of a table, each part on a connection that is free.

    Args:
        rests: of the statement for each part, from FROM on.

    Raises:
        sqlite3.Error: as the database raises it.
    """
    free: SimpleQueue[sqlite3.Connection] = SimpleQueue()
    for connection in connections:
        free.put(connection)

    def read(rest: str) -> pl.DataFrame:
        connection = free.get()
        try:
            return wanted.of(connection, rest, threads=False)
        finally:
            free.put(connection)

    with ThreadPoolExecutor(len(connections)) as pool:
        return list(pool.map(read, rests))


def stretches(connection: sqlite3.Connection, table: str, rest: str, columns: Sequence[str]) -> tuple[list[str], int]:
    """``rest`` for each stretch of a table's rows by their numbers, and how many rows that are altogether; no stretches
    where it is small, or its rows have no numbers.

    Args:
        table: its name; ``rest`` reads from it as ``t``.
        columns: names of its columns.

    Raises:
        sqlite3.Error: as the database raises it.
    """
    taken = {name.lower() for name in columns}
    number = next((name for name in _NAMES_OF_ROWID if name not in taken), None)
    if number is None or not _has_numbers(connection, table):
        return [], 0
    ends = ", ".join(f"(SELECT {end}({number}) FROM {quoted(table)})" for end in ("min", "max"))
    [(first, last)] = connection.execute(f"SELECT {ends}").fetchall()
    if first is None or last - first < STRETCH:
        return [], 0
    [(rows,)] = connection.execute(f"SELECT count(*) {rest}").fetchall()
    if rows <= STRETCH:
        return [], 0
    # Numbers may have gaps, where rows were removed.
    wide = max(STRETCH, (last - first + 1) * STRETCH // rows)
    condition = "WHERE" if rest.endswith(" AS t") else "AND"
    return [
        f"{rest} {condition} t.{number} BETWEEN {start} AND {min(start + wide - 1, last)}"
        for start in range(first, last + 1, wide)
    ], rows


def _has_numbers(connection: sqlite3.Connection, table: str) -> bool:
    """Whether it is a table whose rows have numbers: views and some tables have none."""
    found = connection.execute("SELECT sql FROM sqlite_master WHERE type = 'table' AND name = ?", [table]).fetchall()
    return bool(found) and not re.search(r"\b(WITHOUT|VIRTUAL)\b", str(found[0][0]), re.IGNORECASE)
