"""The journal in a database: beside the data, written in the same transaction as the load.

Two tables. ``load`` has one row for each load; ``load_row`` one for each row of it. What they hold is said in
:mod:`kotrel.core.changes.journal`.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges, RefusedRows
from kotrel.core.changes.journal import (
    ROW_COLUMNS,
    Entry,
    Stamp,
    changes_from,
    counts_of,
    entry_parts,
    journal_rows,
    load_name,
    notes_in,
    refused_rows,
    rest_from,
)
from kotrel.core.changes.seal import SEALED, Seal, chained, seal_of
from kotrel.core.description.model import Description
from kotrel.core.errors import WrongUse
from kotrel.core.parallel import one_ahead
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.dialect import Dialect, quoted

LOAD_COLUMNS = (
    "number", "kind", "at", "who", "files", "fingerprint", "remark", "of", "undone_by", "parts", "login", "lines", "digest", "chain",
)  # fmt: skip
"""What an entry has, in the order of the table."""


def load_table(dialect: Dialect) -> str:
    """The quoted name of the table of loads."""
    return quoted(*dialect.in_journal("load"))


def row_table(dialect: Dialect) -> str:
    """The quoted name of the table of rows."""
    return quoted(*dialect.in_journal("load_row"))


def has_journal(database: Database) -> bool:
    """True where the journal's tables exist."""
    return database.has_table(*database.dialect.in_journal("load"))


def require_journal(database: Database, name: str) -> None:
    """Raises :class:`WrongUse` where there is no journal:
    nothing is created in somebody's database without being asked.
    """
    if not has_journal(database):
        raise WrongUse(
            f"{name} has no journal yet, and nothing is loaded without one",
            "kotrel init --journal creates its two tables there, once.",
            "no-journal",
        )
    there = set(database.columns_of(*database.dialect.in_journal("load")))
    if there != set(LOAD_COLUMNS):
        odd = sorted(there - set(LOAD_COLUMNS))
        made = f"a newer Kotrel (it has {', '.join(odd)})" if odd else "an older Kotrel"
        raise WrongUse(
            f"the journal of {name} was made by {made}, and this one would not keep it whole",
            "Use the Kotrel that made it, or update this one: pip install --upgrade kotrel",
            "other-journal",
        )


def loads_of(database: Database, record: str, keys: Sequence[str]) -> dict[str, int]:
    """Key → the last load that touched that row; only of loads that did."""
    if not keys or not has_journal(database):
        return {}
    condition, bound = database.among(quoted("key"), keys)
    rows = database.run(
        f"SELECT {quoted('key')}, max({quoted('load')}) FROM {row_table(database.dialect)} WHERE record = ? AND {condition} "
        f"AND action IN ('new', 'changed', 'removed') GROUP BY {quoted('key')}",
        [record, *bound],
    )
    return {str(key): int(number) for key, number in rows}


# --- writing ---------------------------------------------------------------------------------------------------------


PIECE_ROWS = 50_000
"""Rows of a load that are written to the journal, or read from it, at a time: all of a million would take more memory than
the sheet.
"""


def next_number(database: Database) -> int:
    """The number the next load gets; asked inside its transaction."""
    return int(database.run(f"SELECT coalesce(max(number), 0) + 1 FROM {load_table(database.dialect)}")[0][0])


def write_load(database: Database, number: int, changes: Sequence[RecordChanges], stamp: Stamp) -> None:
    """Writes the row of a load."""
    values: list[Any] = [
        number,
        stamp.kind,
        stamp.time,
        stamp.who,
        json.dumps(list(stamp.files)),
        stamp.fingerprint,
        stamp.remark,
        stamp.of,
        None,
        json.dumps(entry_parts(changes, stamp.notes)),
        database.login(),
        None,
        None,
        None,
    ]
    marks = ", ".join("?" for _ in values)
    database.run(f"INSERT INTO {load_table(database.dialect)} VALUES ({marks})", values)


def note_given(database: Database, number: int, given: Sequence[Mapping[str, str | None]]) -> None:
    """Adds to a load, part by part, what the system itself gave new rows: field → value, or null where it differs."""
    parts = load_parts(database, number)
    for part, each in zip(parts, given, strict=True):
        part["given"] = dict(each)
    table = load_table(database.dialect)
    database.run(f"UPDATE {table} SET parts = ? WHERE number = ?", [json.dumps(parts), number])


def write_rows(database: Database, changes: RecordChanges, number: int, first_line: int, seal: Seal) -> range:
    """Writes the rows of one record's changes, but for refused ones, and seals them; returns their lines."""
    table = row_table(database.dialect)
    if changes.origin is None:
        line = first_line
        # The seal is calculated while the database takes the rows.
        with ThreadPoolExecutor(1) as pool:
            for piece in changes.frame.iter_slices(PIECE_ROWS):
                rows = journal_rows(replace(changes, frame=piece), number, line)
                sealed = pool.submit(seal.add, rows)
                database.insert(table, ROW_COLUMNS, rows)
                sealed.result()
                line += rows.height
        return range(first_line, line)
    if changes.count("removed") != changes.origin.last - changes.origin.first + 1:
        # All lines of the origin are copied, whatever the frame has: a part of them has no origin.
        raise ValueError(
            f"{changes.count('removed')} rows are not lines {changes.origin.first} to {changes.origin.last}"
        )
    # When new rows are removed, the journal already has them: they are what the load wrote.
    columns = ", ".join(quoted(name) for name in ROW_COLUMNS)
    database.run(
        f"INSERT INTO {table} ({columns}) SELECT {number}, line + {first_line - changes.origin.first}, record, "
        f"file, sheet, {quoted('row')}, {quoted('key')}, 'removed', 'done', NULL, NULL, after, NULL FROM {table} "
        f"WHERE {quoted('load')} = ? AND line BETWEEN ? AND ? ORDER BY line",
        [changes.origin.load, changes.origin.first, changes.origin.last],
    )
    seal.add_copy(changes.origin.load, changes.origin.first, changes.origin.last)
    return range(first_line, first_line + changes.frame.height)


def write_whole(database: Database, changes: Sequence[RecordChanges], stamp: Stamp) -> int:
    """Writes a load with all its rows, refused ones too, and seals it; returns its number."""
    number, line, seal = next_number(database), 1, Seal()
    write_load(database, number, changes, stamp)
    for each in changes:
        if stamp.kind != "refused":
            line = write_rows(database, each, number, line, seal).stop
    for each in changes:
        line += write_refused(database, each, number, line, seal)
    close(database, number, seal)
    return number


def write_refused(database: Database, changes: RecordChanges, number: int, line: int, seal: Seal) -> int:
    """Writes the refused rows of one record's changes; returns how many."""
    rows = refused_rows(changes, number, line)
    if rows.height:
        database.insert(row_table(database.dialect), ROW_COLUMNS, rows)
        seal.add(rows)
    return rows.height


def close(database: Database, number: int, seal: Seal | None) -> None:
    """Seals a load, over the one before it.

    Args:
        seal: of its lines as they were written, or None where the system's own rules have changed some since.
    """
    if seal is None:
        seal = seal_of(load_parts(database, number), one_ahead(line_pieces(database, SEALED, number)))
    table = load_table(database.dialect)
    before = database.run(f"SELECT chain FROM {table} WHERE number = ?", [number - 1])
    facts = _facts(database, number, seal.lines, seal.digest())
    chain = chained(before[0][0] or "" if before else "", facts)
    database.run(
        f"UPDATE {table} SET {quoted('lines')} = ?, digest = ?, chain = ? WHERE number = ?",
        [seal.lines, seal.digest(), chain, number],
    )


def mark_undone(database: Database, number: int, by: int) -> None:
    """Records that a load was undone by another; it stays so marked where that one is undone itself."""
    database.run(f"UPDATE {load_table(database.dialect)} SET undone_by = ? WHERE number = ?", [by, number])


SEALED_FACTS = 'number, kind, at, who, files, fingerprint, remark, "of", parts, login'


def _facts(database: Database, number: int, lines: int, digest: str) -> list[Any]:
    """What an entry's seal covers: all of it but by which undo it is undone."""
    [row] = database.run(f"SELECT {SEALED_FACTS} FROM {load_table(database.dialect)} WHERE number = ?", [number])
    return [*row, lines, digest]


# --- reading ---------------------------------------------------------------------------------------------------------


def entries(database: Database) -> list[Entry]:
    """All loads, the oldest first, each with the last undo of it; none where there is no journal."""
    if not has_journal(database):
        return []
    rows = database.run(
        f'SELECT number, kind, at, who, files, fingerprint, remark, "of", undone_by, parts, login '
        f"FROM {load_table(database.dialect)} ORDER BY number"
    )
    entries = []
    for number, kind, at, who, files, mark, remark, of, by, parts, login in rows:
        about = json.loads(parts)
        names, notes = tuple(json.loads(files)), notes_in(about)
        entries.append(Entry(number, kind, at, who, names, mark, remark, of, by, counts_of(about), login, notes=notes))
    return entries


def outcome_rows(database: Database, number: int) -> pl.DataFrame:
    """The rows of a load, in the order of the load."""
    names = ["file", "sheet", "row", "record", "key", "action", "outcome", "message"]
    return load_rows_of(database, names, '"load" = ?', number)


def line_rows(database: Database, number: int) -> pl.DataFrame:
    """``line`` and ``row`` (Int64), ``record``, ``key`` and ``action`` of a load's rows, in its order."""
    rows = load_rows_of(database, ["line", "record", "key", "row", "action"], '"load" = ?', number)
    return rows.with_columns(pl.col("line", "row").cast(pl.Int64))


def load_rows_of(database: Database, names: Sequence[str], condition: str, number: int) -> pl.DataFrame:
    """Columns of a load's rows, in the order of the load."""
    wanted = ["line", *(name for name in names if name != "line")]
    columns = [f"CAST({quoted(name)} AS {database.dialect.text})" for name in wanted]
    rest = f"FROM {row_table(database.dialect)} WHERE {condition}"
    rows = database.frame(columns, wanted, rest, [number])
    lines = rows["line"].cast(pl.Int64)
    if not lines.is_sorted():
        rows = rows[lines.arg_sort()]
    return rows.select(names).with_columns(pl.col("row").cast(pl.UInt32))


def load_parts(database: Database, number: int) -> list[dict[str, Any]]:
    """What a load's entry says about each record.

    Raises:
        WrongUse: there is no such load.
    """
    found = database.run(f"SELECT parts FROM {load_table(database.dialect)} WHERE number = ?", [number])
    if not found:
        raise WrongUse(f"there is no load {load_name(number)}", "kotrel history lists them.", "no-such-load")
    parts: list[dict[str, Any]] = json.loads(found[0][0])
    return parts


def changes_of(database: Database, description: Description, number: int) -> list[RecordChanges]:
    """What a load did to the rows it touched.

    Raises:
        WrongUse: there is no such load, or the description no longer has what it loaded.
    """
    pieces = one_ahead(lines_done(database, number))
    return list(changes_from(load_parts(database, number), pieces, description, number))


def lines_done(database: Database, number: int) -> Iterator[pl.DataFrame]:
    """The lines of what a load did, in pieces: ``line``, ``row``, ``action``, ``after``, ``before``, ``raw``."""
    names = ["line", "row", "action", "after", "before", "raw"]
    return line_pieces(database, names, number, "action NOT IN ('same', 'refused')")


def line_pieces(
    database: Database, names: Sequence[str], number: int, condition: str = "", first: int = 1, last: int | None = None
) -> Iterator[pl.DataFrame]:
    """Columns of a load's lines in their order, in pieces of :data:`PIECE_ROWS`; at least one, which may be empty.

    Args:
        condition: SQL that the lines have to meet.
        first, last: of the lines; all where they are not given.
    """
    if last is None:
        query = f"SELECT max(line) FROM {row_table(database.dialect)} WHERE {quoted('load')} = ?"
        last = int(database.run(query, [number])[0][0] or 0)
    more = f" AND {condition}" if condition else ""
    for start in range(first, max(first, last) + 1, PIECE_ROWS):
        span = f"line BETWEEN {start} AND {min(start + PIECE_ROWS - 1, last)}"
        yield load_rows_of(database, names, f'"load" = ? AND {span}{more}', number)


def kept_rest(database: Database, number: int) -> list[tuple[str, str, RefusedRows, dict[int, str]]]:
    """The refused rows of a load: file, sheet, the rows as they stood there, and row → its reasons."""
    names = ["line", "file", "sheet", "row", "message", "after", "before"]
    rows = load_rows_of(database, names, "\"load\" = ? AND action = 'refused'", number)
    return list(rest_from(load_parts(database, number), rows))
