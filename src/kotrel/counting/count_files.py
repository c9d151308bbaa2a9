"""Counts in progress: each is one SQLite file under ``.kotrel/counts``, whole after a kill at any moment."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from functools import cached_property
from pathlib import Path
from typing import Any

import polars as pl
from msgspec import Struct

from kotrel.core.counting.frames import LINES, NUMBER, as_entries, as_places, line_frame, place_frame
from kotrel.core.counting.selection import FROZEN
from kotrel.core.counting.variance import CountEntry, CountPlace
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.phrases import those_there
from kotrel.core.similarity import did_you_mean
from kotrel.sheets.safe_writing import make_folder, take_rights
from kotrel.workspace.settings import is_file_name
from kotrel.workspace.stored_blocks import Damaged, blocks_of, frame_in

FOLDER = "counts"
_TABLES = """
CREATE TABLE about (name TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE frozen (block INTEGER PRIMARY KEY, places BLOB NOT NULL);
CREATE TABLE find (number INTEGER PRIMARY KEY, item TEXT NOT NULL, warehouse TEXT, bin TEXT, lot TEXT, serial TEXT,
  expected TEXT NOT NULL, cost TEXT, unit TEXT, description TEXT, category TEXT);
CREATE TABLE file (number INTEGER PRIMARY KEY, name TEXT NOT NULL, source TEXT NOT NULL UNIQUE, fingerprint TEXT NOT NULL,
  at TEXT NOT NULL, who TEXT NOT NULL, round INTEGER NOT NULL);
CREATE TABLE counted (file INTEGER, height INTEGER NOT NULL, lines BLOB NOT NULL);
CREATE TABLE replaced (file INTEGER, height INTEGER NOT NULL, lines BLOB NOT NULL);
CREATE TABLE post (number INTEGER PRIMARY KEY, fingerprint TEXT NOT NULL, load INTEGER, at TEXT NOT NULL, who TEXT NOT NULL);
CREATE TABLE posted (post INTEGER NOT NULL, place INTEGER NOT NULL, expected TEXT NOT NULL, counted TEXT, adjustment TEXT NOT NULL,
  document TEXT, why TEXT NOT NULL);
"""


class CountedFile(Struct, frozen=True):
    """A file that was collected: its source is the sheet it was made from, or its path with what was said of it."""

    number: int
    name: str
    source: str
    fingerprint: str
    at: str
    who: str
    round: int


class Post(Struct, frozen=True):
    """One posting of a count; ``load`` is None while nobody knows whether its load happened."""

    number: int
    fingerprint: str
    load: int | None
    at: str
    who: str


class DamagedCount(OutOfReach):
    """The file of a count is not as it was written."""


class Count:
    """One count, open."""

    def __init__(self, connection: sqlite3.Connection, path: Path) -> None:
        self._connection = connection
        self.path = path

    @property
    def name(self) -> str:
        return self.path.stem

    def _rows(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        return self._connection.execute(statement, values).fetchall()

    def about(self) -> dict[str, str]:
        """What was said when it was frozen: ``trading``, ``where``, ``frozen_at``, ``who``, and ``sheets`` made."""
        return dict(self._rows("SELECT name, value FROM about"))

    def note(self, name: str, value: str) -> None:
        self._connection.execute("INSERT OR REPLACE INTO about VALUES (?, ?)", [name, value])

    def place_frame(self) -> pl.DataFrame:
        """All places, finds too, in their order; see :func:`kotrel.core.counting.frames.place_frame`."""
        return place_frame(self._frozen, self._rows(f"SELECT {', '.join(FROZEN)} FROM find ORDER BY number"))

    @cached_property
    def _frozen(self) -> pl.DataFrame:
        """What was frozen never changes: it is read once."""
        blocks = [frame_in(block) for (block,) in self._rows("SELECT places FROM frozen ORDER BY block")]
        return pl.concat(blocks) if blocks else pl.DataFrame(schema=dict.fromkeys(FROZEN, pl.String))

    def places(self) -> list[CountPlace]:
        """The same, each as one."""
        return as_places(self.place_frame())

    def add_finds(self, rows: Sequence[Sequence[str | None]]) -> list[int]:
        """Adds places that were found (see :data:`kotrel.core.counting.selection.FROZEN`) and returns their numbers."""
        marks = ", ".join("?" * len(FROZEN))
        self._connection.executemany(f"INSERT INTO find ({', '.join(FROZEN)}) VALUES ({marks})", rows)
        last = self._frozen.height + int(self._rows("SELECT count(*) FROM find")[0][0])
        return list(range(last - len(rows) + 1, last + 1))

    def files(self) -> list[CountedFile]:
        rows = self._rows("SELECT number, name, source, fingerprint, at, who, round FROM file ORDER BY number")
        return [CountedFile(*row) for row in rows]

    def collect(self, file: CountedFile, lines: pl.DataFrame) -> int:
        """Takes in a file's lines (:data:`kotrel.core.counting.frames.LINES`); what the same sheet said before is kept
        apart.

        Returns:
            How many lines that were.
        """
        replaced = self.put_aside(file.source)
        number = self._rows("SELECT coalesce(max(number), 0) + 1 FROM file")[0][0]
        self._connection.execute(
            "INSERT INTO file VALUES (?, ?, ?, ?, ?, ?, ?)",
            [number, file.name, file.source, file.fingerprint, file.at, file.who, file.round],
        )
        self._add_lines(lines, number)
        return replaced

    def put_aside(self, source: str) -> int:
        """Puts what a sheet said before aside, where it is kept; returns how many lines that were."""
        replaced = 0
        for (number,) in self._rows("SELECT number FROM file WHERE source = ?", [source]):
            replaced += self._rows("SELECT coalesce(sum(height), 0) FROM counted WHERE file = ?", [number])[0][0]
            self._connection.execute(
                "INSERT INTO replaced SELECT file, height, lines FROM counted WHERE file = ?", [number]
            )
            self._connection.execute("DELETE FROM counted WHERE file = ?", [number])
            self._connection.execute("DELETE FROM file WHERE number = ?", [number])
        return replaced

    def places_of(self, source: str) -> set[int]:
        """The numbers of the places that a sheet has lines for."""
        query = "SELECT lines FROM counted JOIN file ON file.number = counted.file WHERE file.source = ?"
        return {place for (block,) in self._rows(query, [source]) for place in frame_in(block)[NUMBER].to_list()}

    def correct(self, entry: CountEntry) -> None:
        """A correction by hand; what was counted before stays on record."""
        self._add_lines(line_frame([entry]), None)

    def _add_lines(self, lines: pl.DataFrame, file: int | None) -> None:
        parts = [(file, lines.height, block) for block in blocks_of(lines.select(list(LINES)))]
        self._connection.executemany("INSERT INTO counted VALUES (?, ?, ?)", parts)

    def line_frame(self) -> pl.DataFrame:
        """Everything counted, in the order in which it was collected."""
        parts = [frame_in(block) for (block,) in self._rows("SELECT lines FROM counted ORDER BY rowid")]
        return pl.concat(parts) if parts else line_frame([])

    def entries(self) -> list[CountEntry]:
        """The same, each as one."""
        return as_entries(self.line_frame())

    def posts(self) -> list[Post]:
        return [Post(*row) for row in self._rows("SELECT number, fingerprint, load, at, who FROM post ORDER BY number")]

    def begin_post(
        self, fingerprint: str, at: str, who: str, rows: Iterable[tuple[int, str, str | None, str, str | None, str]]
    ) -> int:
        """Notes what is about to be posted: place, expected, counted, adjustment, document, why."""
        number = int(self._rows("SELECT coalesce(max(number), 0) + 1 FROM post")[0][0])
        self._connection.execute("INSERT INTO post VALUES (?, ?, NULL, ?, ?)", [number, fingerprint, at, who])
        self._connection.executemany(
            "INSERT INTO posted VALUES (?, ?, ?, ?, ?, ?, ?)", [(number, *row) for row in rows]
        )
        return number

    def end_post(self, number: int, load: int | None) -> None:
        """Notes the load of a posting (0 where nothing had to be loaded), or (None) that it never happened."""
        if load is None:
            self._connection.execute("DELETE FROM posted WHERE post = ?", [number])
            self._connection.execute("DELETE FROM post WHERE number = ?", [number])
        else:
            self._connection.execute("UPDATE post SET load = ? WHERE number = ?", [load, number])

    def posted(self, post: int) -> list[tuple[int, str, str | None, str, str | None, str]]:
        """Place, expected, counted, adjustment, document and why of one posting."""
        return self._rows(
            "SELECT place, expected, counted, adjustment, document, why FROM posted WHERE post = ?", [post]
        )


def require_new_count(hidden: Path, name: str) -> Path:
    """Where the file of a new count will be.

    Raises:
        WrongUse: there is one of that name, or the name is none.
    """
    if not is_file_name(name):
        raise WrongUse(
            f"“{name}” is no name for a count", "Use letters, digits, - and _, like shed-2027.", "wrong-command-line"
        )
    path = hidden / FOLDER / f"{name}.count"
    if path.exists():
        raise WrongUse(
            f"there is a count “{name}” already", "Use another name, or drop it: kotrel count drop NAME", "count-exists"
        )
    return path


def create_count(hidden: Path, name: str, about: Mapping[str, object], places: pl.DataFrame) -> Path:
    """Makes the file of a new count, whole or not at all.

    Args:
        places: the columns of :data:`kotrel.core.counting.selection.FROZEN`.

    Raises:
        WrongUse: there is one of that name, or the name is none.
    """
    path = require_new_count(hidden, name)
    make_folder(path.parent)
    soon = path.with_suffix(".soon")
    soon.unlink(missing_ok=True)
    connection = sqlite3.connect(soon, isolation_level=None)
    try:
        connection.executescript(_TABLES)
        connection.execute("BEGIN")
        count = Count(connection, path)
        for key, value in about.items():
            count.note(key, value if isinstance(value, str) else json.dumps(value))
        connection.executemany(
            "INSERT INTO frozen (places) VALUES (?)", ([block] for block in blocks_of(places.select(FROZEN)))
        )
        connection.execute("COMMIT")
    finally:
        connection.close()
    take_rights(soon)
    soon.rename(path)
    return path


@contextmanager
def open_count(hidden: Path, name: str) -> Iterator[Count]:
    """A count in a transaction of its own: two people may work on it, one after the other.

    Raises:
        WrongUse: there is none of that name.
        DamagedCount: it is not as it was written.
        OutOfReach: it cannot be read, or somebody else holds it for too long.
    """
    path = hidden / FOLDER / f"{name}.count"
    if not path.is_file():
        there = count_names(hidden)
        hint = did_you_mean(name, there, those_there("counts", there, "kotrel count freeze NAME begins one."))
        raise WrongUse(f"there is no count “{name}”", hint, "no-such-count")
    try:
        connection = sqlite3.connect(path, isolation_level=None, timeout=30)
        try:
            connection.execute("PRAGMA synchronous = FULL")
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield Count(connection, path)
            except BaseException:
                connection.execute("ROLLBACK")
                raise
            connection.execute("COMMIT")
        finally:
            connection.close()
    except sqlite3.OperationalError as error:
        raise OutOfReach(f"{path} cannot be used: {error}", "Try again in a moment.", "count-not-readable") from None
    except (sqlite3.Error, Damaged):
        raise DamagedCount(
            f"{path} is damaged: what was counted there cannot be trusted",
            f"Put back a copy of that file from before; or put the count aside (kotrel count drop {name}), freeze anew, and collect its sheets again.",
            "count-damaged",
        ) from None


def count_names(hidden: Path) -> list[str]:
    """The names of all counts."""
    return sorted(path.stem for path in (hidden / FOLDER).glob("*.count"))


def drop_count(hidden: Path, name: str) -> Path:
    """Puts a count aside: its file stays, under another name."""
    path = hidden / FOLDER / f"{name}.count"
    # Nobody must be working on it; what is damaged is put aside all the same.
    with suppress(DamagedCount), open_count(hidden, name):
        pass
    aside, at = path.with_suffix(".dropped"), 1
    while aside.exists():
        at += 1
        aside = path.with_suffix(f".dropped{at}")
    path.rename(aside)
    return aside
