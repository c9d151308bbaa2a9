"""The account of what was sent to a program that only takes files: Kotrel's journal, kept in the workspace.

It is the same journal that a database keeps beside its data (:mod:`kotrel.systems.sql.journal`), in a SQLite file of
our own, with the files that were written and what the program has answered since, row by row.
"""

from __future__ import annotations

import secrets
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.journal import Entry, Stamp, in_effect
from kotrel.core.changes.results import RowAnswer, no_numbers
from kotrel.core.columns import ROW
from kotrel.core.description.model import Description
from kotrel.sheets.safe_writing import make_folder, put_in_place, take_rights
from kotrel.systems.sql import database_journal as journal
from kotrel.systems.sql.sqlite import SqliteDatabase

FILE = "sent.db"
_TABLES = (
    "CREATE TABLE sender (id TEXT NOT NULL)",
    "CREATE TABLE sent_file (load INTEGER NOT NULL, reference TEXT NOT NULL, part TEXT NOT NULL, path TEXT NOT NULL)",
    "CREATE TABLE answer (load INTEGER NOT NULL, at TEXT NOT NULL, source TEXT NOT NULL, fingerprint TEXT NOT NULL)",
    "CREATE TABLE answer_row (load INTEGER NOT NULL, line INTEGER NOT NULL, outcome TEXT NOT NULL, message TEXT, number TEXT, "
    "PRIMARY KEY (load, line))",
)
DONE = ("done", "warning")
"""Outcomes of rows that the program took."""


class Account:
    """The account, open."""

    def __init__(self, database: SqliteDatabase, folder: Path) -> None:
        self.database = database
        self.folder = folder

    @property
    def sender(self) -> str:
        """What tells this workspace's files from those of others in the same folder."""
        return str(self.database.run("SELECT id FROM sender")[0][0])

    def next_number(self) -> int:
        return journal.next_number(self.database)

    def record(self, changes: Sequence[RecordChanges], stamp: Stamp) -> int:
        """Writes a load into the journal; returns its number."""
        return journal.write_whole(self.database, changes, stamp)

    def mark(self, undone: Sequence[int], by: int) -> None:
        for number in undone:
            journal.mark_undone(self.database, number, by)

    def note_files(self, number: int, reference: str, files: Sequence[tuple[Path, Path]]) -> None:
        """Notes files that are about to be handed over: where each lies ready, and where it goes."""
        for part, path in files:
            self.database.run("INSERT INTO sent_file VALUES (?, ?, ?, ?)", [number, reference, str(part), str(path)])

    def files(self) -> list[tuple[int, str, Path, Path]]:
        """All files: load, reference, where it lay ready, where it went."""
        rows = self.database.run("SELECT load, reference, part, path FROM sent_file ORDER BY rowid")
        return [(load, reference, Path(part), Path(path)) for load, reference, part, path in rows]

    def answered(self, number: int, answers: Sequence[RowAnswer], at: str, source: str, fingerprint: str) -> None:
        """Takes in what the program says; a later answer for the same row replaces the earlier one."""
        self.database.run("INSERT INTO answer VALUES (?, ?, ?, ?)", [number, at, source, fingerprint])
        self.database.connection.executemany(
            "INSERT OR REPLACE INTO answer_row VALUES (?, ?, ?, ?, ?)",
            [(number, each.line, each.outcome, each.message, each.number) for each in answers],
        )

    def answers_of(self, number: int) -> pl.DataFrame:
        """``line`` (Int64), ``said``, ``why`` and ``given`` of the rows that were answered."""
        rows = self.database.run("SELECT line, outcome, message, number FROM answer_row WHERE load = ?", [number])
        schema = {"line": pl.Int64, "said": pl.String, "why": pl.String, "given": pl.String}
        return pl.DataFrame(rows, schema=schema, orient="row")

    def numbers_given(self) -> pl.DataFrame:
        """``record``, ``key`` and ``given``: the numbers that the program has given rows of any load,
        the latest of each.
        """
        loads = [
            load
            for (load,) in self.database.run(
                "SELECT DISTINCT load FROM answer_row WHERE number IS NOT NULL ORDER BY load"
            )
        ]
        parts = [
            self.lines_of(load)
            .select("line", "record", "key")
            .join(self.answers_of(load), on="line")
            .drop_nulls("given")
            for load in loads
        ]
        if not parts:
            return no_numbers()
        return (
            pl.concat(parts)
            .select("record", "key", "given")
            .unique(["record", "key"], keep="last", maintain_order=True)
        )

    def answer_times(self) -> dict[int, str]:
        """Load → when it was last answered."""
        return dict(self.database.run("SELECT load, max(at) FROM answer GROUP BY load"))

    def lines_of(self, number: int) -> pl.DataFrame:
        """The rows that were sent: ``line`` (Int64), ``record``, ``key``, ``row``, ``action``."""
        rows = journal.line_rows(self.database, number)
        return rows.filter(pl.col("action").is_in(["new", "changed", "removed"]))

    def history(self) -> list[Entry]:
        """All loads as they stand: waiting while a row of them is not answered, refused where none was taken."""
        entries = [self._standing(each) for each in journal.entries(self.database)]
        # What the program refused of an undo is not taken back.
        failed = {
            each.number
            for each in entries
            if each.kind != "load" and any(n.get("refused") for n in each.counts.values())
        }
        return in_effect([replace(each, undone_by=None) if each.undone_by in failed else each for each in entries])

    def _standing(self, entry: Entry) -> Entry:
        if entry.kind == "refused":
            return entry
        lines = self.lines_of(entry.number)
        joined = lines.join(self.answers_of(entry.number), on="line", how="left")
        said = joined["said"]
        counts = {record: dict(numbers) for record, numbers in entry.counts.items()}
        for record, action in joined.filter(pl.col("said") == "refused").select("record", "action").iter_rows():
            counts[record][action] -= 1
            counts[record]["refused"] = counts[record].get("refused", 0) + 1
        if said.null_count():
            return replace(entry, waiting=True, counts=counts)
        taken = said.is_in(DONE).any()
        return replace(entry, kind=entry.kind if taken or not len(said) else "refused", counts=counts)

    def changes_of(self, number: int, description: Description, refused_too: bool = False) -> list[RecordChanges]:
        """What a load did or is to do; what the program refused is left out."""
        changes = journal.changes_of(self.database, description, number)
        if refused_too:
            return changes
        gone = self.answers_of(number).filter(pl.col("said") == "refused")["line"]
        if not len(gone):
            return changes
        lines = self.lines_of(number).filter(pl.col("line").is_in(gone.implode()))
        kept = []
        for each in changes:
            rows = lines.filter(pl.col("record") == each.record.name)["row"].cast(pl.UInt32)
            left = each.frame.filter(~pl.col(ROW).is_in(rows.implode()))
            kept.append(replace(each, frame=left, origin=each.origin if left.height == each.frame.height else None))
        return kept


@contextmanager
def account_in(hidden: Path, writing: bool = False) -> Iterator[Account]:
    """The account of a workspace, made where there is none yet.

    Args:
        writing: True for a transaction that keeps others out until it ends.
    """
    path = hidden / FILE
    if not path.is_file():
        _create(path)
    database = SqliteDatabase(path)
    try:
        with database.changing() if writing else database.looking():
            yield Account(database, hidden)
    finally:
        database.close()


def _create(path: Path) -> None:
    # What writes tables takes a third of a second to import, and is needed once.
    from kotrel.systems.sql.journal_tables import journal_statements

    make_folder(path.parent)
    soon = path.with_name(f"{path.name}.{secrets.token_hex(4)}.soon")
    database = SqliteDatabase(soon, create=True)
    try:
        database.create([*journal_statements(database.dialect), *_TABLES])
        database.run("INSERT INTO sender VALUES (?)", [secrets.token_hex(2)])
    finally:
        database.close()
    if path.is_file():
        soon.unlink()
    else:
        take_rights(soon)
        put_in_place(soon, path)
