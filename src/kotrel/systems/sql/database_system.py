"""A business system that is a database: reading, loading with the journal, and what undo needs to know."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import partial

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.canonical import require_canonical
from kotrel.core.changes.change_set import RecordChanges, RefusedRows
from kotrel.core.changes.journal import Entry, Stamp, in_effect, load_name
from kotrel.core.changes.outcome_page import OutcomePage
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.seal import Seal
from kotrel.core.description.model import Description
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.stock.sums import LedgerQuery
from kotrel.systems.interface import Altered, Reading, Receipt, Step, System, Writing
from kotrel.systems.sql import database_journal as journal
from kotrel.systems.sql.database import Database, RowRefused
from kotrel.systems.sql.dialect import quoted
from kotrel.systems.sql.exactness import replaced_otherwise, with_raw
from kotrel.systems.sql.journal_checking import trouble_with
from kotrel.systems.sql.ledger import ledger_sums, movements_since, read_with_ledger
from kotrel.systems.sql.merging import Merge
from kotrel.systems.sql.outcome_pages import outcome_page
from kotrel.systems.sql.reading_back import Sent, read_back
from kotrel.systems.sql.refusals import merge_all, settle_deferred, stage_all
from kotrel.systems.sql.staging import Stage
from kotrel.systems.sql.store import Store, store_of

LOG = logging.getLogger("kotrel.sql")


class SqlReading(Reading):
    """One look at a database."""

    def __init__(self, database: Database, description: Description) -> None:
        self.database = database
        self.description = description

    def read(
        self,
        record: str,
        fields: Sequence[str],
        among: tuple[str, pl.Series] | None = None,
        filled: str | Sequence[str] | None = None,
    ) -> pl.DataFrame:
        about = self.description.records[record]
        store = store_of(self.description, about, self.database.dialect)
        return read_with_ledger(self.database, store, fields, among, filled)

    def require(self, record: str) -> None:
        about = self.description.records[record]
        store = store_of(self.description, about, self.database.dialect)
        stored = [each.name for each in about.fields.values() if each.from_ledger is None]
        columns = ", ".join(
            [*(f"t.{store.column(name)}" for name in stored), *(f"t.{quoted(c)}" for c in about.storage.fixed)]
        )
        self.database.run(f"SELECT {columns} FROM {store.name} AS t LIMIT 0")

    def replaced_otherwise(self, changes: RecordChanges) -> list[tuple[int, str, str]]:
        store = store_of(self.description, changes.record, self.database.dialect)
        return replaced_otherwise(self.database, store, changes)

    def changes_of(self, number: int) -> list[RecordChanges]:
        return journal.changes_of(self.database, self.description, number)

    def ledger_sums(self, query: LedgerQuery) -> pl.DataFrame:
        return ledger_sums(self.database, self.description, query)

    def movements_since(self, moment: str, among: Sequence[tuple[str, pl.Series]] = ()) -> pl.DataFrame:
        return movements_since(self.database, self.description, moment, among)

    def loads_of(self, record: str, keys: Sequence[str]) -> dict[str, int]:
        return journal.loads_of(self.database, record, keys)

    def history(self) -> list[Entry]:
        return in_effect(journal.entries(self.database))

    def trouble_with(self, number: int) -> str:
        return trouble_with(self.database, number).get(number, "")


class _Writing(SqlReading, Writing):
    def take(self, plan: Plan, step: Step) -> Receipt:
        database, stamp = self.database, plan.stamp
        if self.description.scaled:
            require_canonical(plan.changes)
        changes = [with_raw(database, self._store(each), each.narrowed()) for each in plan.changes]
        number = journal.next_number(database)
        step("writing the journal")
        journal.write_load(database, number, changes, stamp)
        line, seal = 1, Seal()
        sent: list[Sent] = []
        for part in changes:
            lines = journal.write_rows(database, part, number, line, seal)
            line = lines.stop
            if part.touches:
                sent.append(Sent(part, self._store(part), lines))
        for part in changes:
            line += journal.write_refused(database, part, number, line, seal)
        altered, renamed = self._merge(sent, number, step)
        if not self.description.scaled:
            # Somebody else's database may put its own values into new rows.
            journal.note_given(
                database, number, [self._values_made(each, renamed.get(id(each), {})) for each in changes]
            )
        # Where the database's own rules changed rows, the journal's lines were written anew.
        journal.close(database, number, None if altered or any(renamed.values()) else seal)
        for undone in plan.undone:
            journal.mark_undone(database, undone, number)
        return Receipt(number, tuple(altered))

    def try_out(self, plan: Plan, step: Step) -> Receipt:
        """All of it is done and thrown away again: the database checks it by all its own rules."""
        self.database.run("SAVEPOINT trying")
        try:
            done = self.take(plan, step)
        finally:
            self.database.run("ROLLBACK TO SAVEPOINT trying")
        return Receipt(0, done.altered)

    def _store(self, changes: RecordChanges) -> Store:
        return store_of(self.description, changes.record, self.database.dialect)

    def _merge(
        self, sent: Sequence[Sent], number: int, step: Step
    ) -> tuple[list[Altered], dict[int, dict[tuple[str, ...], tuple[str, ...]]]]:
        """Merges the rows of each record, checks what the database checks last, and reads back what it may have
        altered.

        Returns what came out otherwise and, for the changes with that identity, key sent → key made of it.
        """
        database = self.database

        database.run("SAVEPOINT loading")
        merges: list[Merge] = []
        for part in sent:
            step(f"loading {part.changes.record.title.lower()}")
            LOG.info("merging %s rows into %s", f"{part.changes.frame.height:,}", part.store.name)
            merges.append(stage_all(database, partial(_laid_out, database, part, number), part.changes))
            merge_all(merges[-1])
        settle_deferred(database, [partial(_laid_out, database, each, number, each.changes) for each in sent])
        altered: list[Altered] = []
        for part, merge in zip(sent, merges, strict=True):
            if part.store.plain or merge.acting:
                step(f"reading {part.changes.record.title.lower()} back")
                altered += read_back(database, number, part, merge.renamed)
        database.run("RELEASE SAVEPOINT loading")
        return altered, {id(each.changes): merge.renamed_keys() for each, merge in zip(sent, merges, strict=True)}

    def _values_made(
        self, changes: RecordChanges, renamed: Mapping[tuple[str, ...], tuple[str, ...]]
    ) -> dict[str, str | None]:
        """What the database itself put into all new rows, in fields that they do not carry.

        Args:
            renamed: key sent → the key that the database made of it.
        """
        record = changes.record
        left = [name for name in record.fields if name not in changes.fields]
        new = changes.rows_of("new").select(record.key)
        if not left or not new.height:
            return {}
        if renamed:
            keys = [renamed.get(key, key) for key in new.rows()]
            new = pl.DataFrame(keys, schema=dict.fromkeys(record.key, pl.String), orient="row")
        first = record.key[0]
        held_values = self.read(record.name, [*record.key, *left], (first, new[first]), filled=left)
        held_values = held_values.join(new, on=list(record.key), how="semi")
        given: dict[str, str | None] = {}
        for name in left:
            values = held_values[name].unique()
            if held_values.height == new.height and len(values) == 1 and values[0] is not None:
                given[name] = str(values[0])
            elif held_values[name].null_count() < held_values.height:
                given[name] = None
        return given

    def note_refused(self, changes: Sequence[RecordChanges], stamp: Stamp) -> int:
        refused = [each.refused() for each in changes]
        return journal.write_whole(self.database, refused, replace(stamp, kind="refused"))


def _laid_out(database: Database, sent: Sent, number: int, changes: RecordChanges) -> Merge:
    """Rows of a record that are sent, laid out to be merged."""
    return Merge(Stage(database, sent.store, changes, sent.lines, number))


class SqlSystem(System):
    """A system that is reached through its own tables.

    Args:
        connect: opens the database; called for each piece of work.
        name: how messages call it.
    """

    def __init__(self, connect: Callable[[], Database], description: Description, name: str) -> None:
        self._connect = connect
        self.description = description
        self.name = name

    @contextmanager
    def _connected(self) -> Iterator[Database]:
        database = self._connect()
        try:
            yield database
        finally:
            database.close()

    @contextmanager
    def reading(self) -> Iterator[Reading]:
        with self._connected() as database, database.looking():
            yield SqlReading(database, self.description)

    @contextmanager
    def writing(self) -> Iterator[Writing]:
        with self._connected() as database:
            journal.require_journal(database, self.name)
            try:
                with database.changing():
                    yield _Writing(database, self.description)
            except RowRefused as refused:
                # It was refused only when it was to be kept: nothing of it is there.
                raise OutOfReach(
                    f"{self.name} refused the load as a whole: {refused}; nothing was loaded",
                    "Ask its administrator which rule of the database this is.",
                    "refused-as-a-whole",
                ) from None

    def history(self) -> list[Entry]:
        with self._connected() as database:
            return in_effect(journal.entries(database))

    def audited_history(self, newest: int | None = None) -> list[Entry]:
        with self._connected() as database, database.looking():
            wrong = trouble_with(database, newest=newest)
            return [replace(each, trouble=wrong.get(each.number, "")) for each in in_effect(journal.entries(database))]

    def settle(self) -> None:
        with self._connected() as database:
            database.settle()

    def outcome(self, number: int) -> pl.DataFrame:
        with self._connected() as database:
            _require_load(database, number)
            return journal.outcome_rows(database, number)

    def outcome_page(self, number: int, most: int) -> OutcomePage:
        with self._connected() as database:
            _require_load(database, number)
            return outcome_page(database, number, most)

    def rest_of(self, number: int) -> list[tuple[str, str, RefusedRows, dict[int, str]]]:
        with self._connected() as database:
            _require_load(database, number)
            return journal.kept_rest(database, number)


def _require_load(database: Database, number: int) -> None:
    if not journal.has_journal(database) or not any(each.number == number for each in journal.entries(database)):
        raise WrongUse(f"there is no load {load_name(number)}", "kotrel history lists them.", "no-such-load")
