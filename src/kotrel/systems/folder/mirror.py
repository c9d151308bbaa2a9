"""What a program's exports say, kept as a small database of our own:
tables without rules, made anew when a file changes.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence
from contextlib import closing
from pathlib import Path

import polars as pl
from msgspec import Struct
from msgspec.structs import asdict

from kotrel.core.description.model import Description, Record
from kotrel.core.errors import OutOfReach
from kotrel.sheets.safe_writing import put_in_place, take_rights
from kotrel.systems.sql.sqlite import SqliteDatabase
from kotrel.systems.sql.store import store_of

FILE = "folder.db"
ABOUT = "kotrel_list"


class GivenOut(Struct, frozen=True):
    """One list that the program gave out.

    Attributes:
        at: when the file was saved, ISO with seconds.
        lost: rows without a key, or with the key of a later row of the file: only the later one counts.
        unread: cells that could not be read; the mirror has blanks there.
        damaged: rows that could not be read, because their line has too few or too many columns; they are left out.
        left_out: headings of columns that no field reads, first those that limit what the rows say.
        limits: these first ones.
        fields: that it has a column for.
        remark: what else a person should know of it, or an empty text.
        trouble: why the file is not used, or an empty text.
    """

    file: str
    record: str
    rows: int
    at: str
    lost: int = 0
    unread: int = 0
    left_out: tuple[str, ...] = ()
    limits: tuple[str, ...] = ()
    trouble: str = ""
    damaged: int = 0
    remark: str = ""
    fields: tuple[str, ...] = ()


def counted_rows(rows: pl.DataFrame, record: Record) -> pl.DataFrame:
    """The rows of a list that count: with a key, and of several with one key the last.

    Stock is added up, wherever it lies: there, every row with an item counts.
    """
    if record.nature == "stock":
        return rows.drop_nulls("item")
    return rows.drop_nulls(list(record.key)).unique(list(record.key), keep="last", maintain_order=True)


def write_mirror(
    hidden: Path,
    description: Description,
    frames: Mapping[str, Sequence[pl.DataFrame]],
    lists: Sequence[GivenOut],
    signature: str,
) -> None:
    """Makes the mirror anew, whole or not at all.

    Args:
        frames: record → its rows from each file: String columns in canonical text; of several rows with one key the
            last counts.
    """
    # What writes tables takes a third of a second to import, and is needed only when a list has changed.
    from kotrel.systems.sql.tables import bare_statements

    soon = hidden / f"{FILE}.soon"
    soon.unlink(missing_ok=True)
    database = SqliteDatabase(soon, create=True)
    try:
        with database.changing():
            for statement in bare_statements(description, database.dialect):
                database.run(statement)
            for name, parts in frames.items():
                store = store_of(description, description.records[name], database.dialect)
                rows = pl.concat(parts, how="diagonal")
                rows = counted_rows(rows, store.record)
                forms = [database.as_stored("?", store.record.fields[field]) for field in rows.columns]
                database.insert(store.name, rows.columns, rows, forms)
            database.run(f"CREATE TABLE {ABOUT} (what TEXT PRIMARY KEY, value TEXT NOT NULL)")
            said = {"signature": signature, "lists": json.dumps([asdict(each) for each in lists], ensure_ascii=False)}
            for what, value in said.items():
                database.run(f"INSERT INTO {ABOUT} VALUES (?, ?)", [what, value])
    finally:
        database.close()
    try:
        take_rights(soon)
        put_in_place(soon, hidden / FILE)
    except PermissionError:
        # On Windows, a file that another command has open cannot be replaced.
        raise OutOfReach(
            "another command is reading the lists right now", "Try again in a moment.", "lists-busy"
        ) from None


def read_about(hidden: Path) -> tuple[str, list[GivenOut]]:
    """The signature of the files that the mirror was made of, and what is known of each;
    nothing where there is no mirror.
    """
    path = hidden / FILE
    if not path.is_file():
        return "", []
    try:
        with closing(sqlite3.connect(path)) as database:
            said = dict(database.execute(f"SELECT what, value FROM {ABOUT}"))
        lists = [
            GivenOut(**{**each, **{name: tuple(each[name]) for name in ("left_out", "limits", "fields")}})
            for each in json.loads(said["lists"])
        ]
        return said["signature"], lists
    except (sqlite3.Error, ValueError, KeyError, TypeError):
        return "", []


def given_out(hidden: Path) -> dict[str, str]:
    """Record → when its oldest list in use was given out, ISO with seconds, local time."""
    found: dict[str, str] = {}
    for each in read_about(hidden)[1]:
        if not each.trouble:
            found[each.record] = min(each.at, found.get(each.record, each.at))
    return found
