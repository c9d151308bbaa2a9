"""Changes → the system's tables: staged in bulk and merged by set-based SQL; finds the rows that the database refuses."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.journal import Refusal
from kotrel.core.columns import ACTION, LINE, ROW, before
from kotrel.core.description.model import Field
from kotrel.core.errors import OutOfReach
from kotrel.systems.interface import ConcurrentChange, Refused
from kotrel.systems.sql.database import Database, RowRefused, quoted
from kotrel.systems.sql.journal import row_table
from kotrel.systems.sql.store import Store, literal

MOST_REFUSALS = 20
"""At most this many refused rows are searched for; the message says that there may be more."""


MANY = 50_000
"""From this many removed rows on, references to them are checked table by table."""


class Stage:
    """The rows of one record's changes, ready to be merged: a table ``name`` with ``line``, ``action`` and the fields.

    On SQLite the journal itself is the stage, through a view: the rows are written once. On PostgreSQL it is a
    temporary table filled by COPY, because there splitting lists costs more than sending the rows twice.
    """

    def __init__(self, database: Database, store: Store, changes: RecordChanges, lines: range, number: int) -> None:
        self.database = database
        self.store = store
        self.changes = changes
        self.name = quoted("kotrel_stage")
        if database.dialect == "sqlite":
            self._look_at_journal(number, lines.start, lines.stop - 1)
        else:
            self._copy(lines.start)

    @property
    def _fields(self) -> list[Field]:
        return [self.store.record.fields[name] for name in self.changes.fields]

    def _look_at_journal(self, number: int, first: int, last: int) -> None:
        # The journal has a key of one field as it is; of several, for a removed row, in the image before.
        key = self.store.record.key
        texts = [
            quoted("key")
            if key == (field.name,)
            else f"json_extract(coalesce(after, before), '$[{place}]')"
            if field.name in key
            else f"json_extract(after, '$[{place}]')"
            for place, field in enumerate(self._fields)
        ]
        columns = ", ".join(
            f"{self.store.stored(self.database, text, field)} AS {quoted('to ' + field.name)}"
            for text, field in zip(texts, self._fields, strict=True)
        )
        self.database.run(f"DROP VIEW IF EXISTS temp.{self.name}")
        self.database.run(
            f"CREATE TEMP VIEW {self.name} AS SELECT line, action, {columns} FROM main.{row_table('sqlite')} "
            f"WHERE load = {number} AND line BETWEEN {first} AND {last}"
        )

    def _copy(self, first: int) -> None:
        database, store = self.database, self.store
        by_id = {field.name for field in self._fields if store.target_by_id(field)}
        table = quoted("kotrel_copy") if by_id else self.name
        columns = ", ".join(
            ("CAST(NULL AS text)" if name in by_id else f"s.{store.column(name)}") + f" AS {quoted('to ' + name)}"
            for name in self.changes.fields
        )
        database.run(f"DROP VIEW IF EXISTS pg_temp.{self.name}" if by_id else f"DROP TABLE IF EXISTS pg_temp.{table}")
        if by_id:
            database.run(f"DROP TABLE IF EXISTS pg_temp.{table}")
        database.run(
            f"CREATE TEMP TABLE {table} ON COMMIT DROP AS SELECT 0 AS line, '' AS action, {columns} "
            f"FROM {store.name} AS s LIMIT 0"
        )
        key = store.record.key
        rows = self.changes.frame.filter(pl.col(ACTION) != "refused").select(
            pl.int_range(pl.len()).add(first).alias(LINE),
            ACTION,
            *(pl.coalesce(name, before(name)) if name in key else pl.col(name) for name in self.changes.fields),
        )
        if words := store.record.storage.yes_no:
            said = [field.name for field in self._fields if field.kind == "yes_no"]
            rows = rows.with_columns(pl.col(name).replace({"yes": words[0], "no": words[1]}) for name in said)
        staged = rows.filter(pl.col(ACTION).is_in(["new", "changed", "removed"]))
        database.insert(table, ["line", "action", *(f"to {name}" for name in self.changes.fields)], staged)
        database.run(f"ANALYZE {table}")
        if by_id:
            # Numbers that stand for codes are looked up when the rows are merged: by then all of them exist.
            texts = ", ".join(
                (store.stored(database, f"c.{quoted('to ' + field.name)}", field) if field.name in by_id
                 else f"c.{quoted('to ' + field.name)}") + f" AS {quoted('to ' + field.name)}"
                for field in self._fields
            )  # fmt: skip
            database.run(f"CREATE TEMP VIEW {self.name} AS SELECT c.line, c.action, {texts} FROM {table} AS c")

    def _same_key(self) -> str:
        return " AND ".join(f"t.{self.store.column(name)} = s.{quoted('to ' + name)}" for name in self.store.record.key)

    def merge(self, span: tuple[int, int] | None = None) -> dict[str, int]:
        """Inserts, updates and removes; returns how many rows were actually affected by each action.

        Args:
            span: first and last line, to merge only a part.
        """
        database, table, store = self.database, self.store.name, self.store
        only = f" AND s.line BETWEEN {span[0]} AND {span[1]}" if span else ""
        mine = "".join(f" AND {condition}" for condition in store.mine("t"))
        done = {"new": 0, "changed": 0, "removed": 0}
        counts = self.changes.counts
        if counts.get("removed"):
            key = store.record.key
            with self._references_checked_at_once(counts["removed"] if span is None else 0):
                done["removed"] = database.run_counting(
                    f"DELETE FROM {table} AS t WHERE EXISTS "
                    f"(SELECT 1 FROM {self.name} AS s WHERE s.action = 'removed' AND {self._same_key()}{only}){mine}"
                    if database.dialect == "postgresql" or len(key) > 1
                    else f"DELETE FROM {table} AS t WHERE t.{store.column(key[0])} IN "
                    f"(SELECT {quoted('to ' + key[0])} FROM {self.name} AS s WHERE s.action = 'removed'{only}){mine}"
                )
        touched = self.changes.touched_fields()
        if counts["changed"] and touched:
            where = f"WHERE s.action = 'changed' AND {self._same_key()}{only}{mine}"
            if freed := self._changing_places(touched):
                nothing = ", ".join(f"{store.column(name)} = NULL" for name in freed)
                database.run(f"UPDATE {table} AS t SET {nothing} FROM {self.name} AS s {where}")
            done["changed"] = database.run_counting(
                f"UPDATE {table} AS t SET {self._sets(touched)} FROM {self.name} AS s {where}"
            )
        if counts["new"]:
            done["new"] = self._insert(only, mine)
        return done

    @contextmanager
    def _references_checked_at_once(self, rows: int) -> Iterator[None]:
        """Lets PostgreSQL check references to many removed rows once for each table, not for each row and table.

        The constraints are dropped and added again in the same transaction; adding them checks all rows. Only in
        tables that Kotrel created: nobody else's constraints are touched.
        """
        database, store = self.database, self.store
        if database.dialect != "postgresql" or store.plain or rows < MANY:
            yield
            return
        found = database.run(
            "SELECT conrelid::regclass::text, quote_ident(conname), pg_get_constraintdef(oid) FROM pg_constraint "
            "WHERE contype = 'f' AND confrelid = to_regclass(?) ORDER BY 1, 2",
            [store.name],
        )
        for table, name, _ in found:
            database.run(f"ALTER TABLE {table} DROP CONSTRAINT {name}")
        yield
        for table, name, definition in found:
            database.run(f"ALTER TABLE {table} ADD CONSTRAINT {name} {definition}")

    def _sets(self, names: Sequence[str]) -> str:
        return ", ".join(f"{self.store.column(name)} = s.{quoted('to ' + name)}" for name in names)

    def _insert(self, only: str, mine: str) -> int:
        """Inserts the new rows: their fields, the fixed values of the table, and numbers from sequences."""
        store, database = self.store, self.database
        # A row cannot refer to another new row by its number before that row has one.
        later = [
            field.name
            for field in self._fields
            if field.to == store.record.name and store.target_by_id(field) and field.name not in store.record.key
        ]
        names = [name for name in self.changes.fields if name not in later]
        if store.record.storage.made and database.dialect != "postgresql":
            raise OutOfReach(
                f"{store.record.name}: this kind of database has no sequences",
                "Remove “made” from its store in system.toml: a key column without a value is numbered automatically.",
                "not-as-described",
            )
        columns = [store.column(name) for name in names]
        values = [f"s.{quoted('to ' + name)}" for name in names]
        for column, value in store.record.storage.fixed.items():
            columns.append(quoted(column))
            values.append(literal(value))
        for column, sequence in store.record.storage.made.items():
            columns.append(quoted(column))
            values.append(f"nextval({literal(quoted(*sequence.split('.')))})")
        done = database.run_counting(
            f"INSERT INTO {store.name} ({', '.join(columns)}) SELECT {', '.join(values)} "
            f"FROM {self.name} AS s WHERE s.action = 'new'{only} ORDER BY s.line"
        )
        if later:
            database.run(
                f"UPDATE {store.name} AS t SET {self._sets(later)} FROM {self.name} AS s "
                f"WHERE s.action = 'new' AND {self._same_key()}{only}{mine}"
            )
        return done

    def _changing_places(self, touched: Sequence[str]) -> list[str]:
        """Fields whose values move from one row of the load to another: they are emptied first.

        A database checks row by row, and would refuse the first of two barcodes that are swapped.
        """
        record = self.store.record
        groups = [(name,) for name, field in record.fields.items() if field.unique and field.kind != "list"]
        changed = self.changes.frame.filter(pl.col(ACTION) == "changed")
        freed: list[str] = []
        for group in (*groups, *record.unique_together):
            moving = [name for name in group if name in touched and record.fields[name].must == "may"]
            if not moving or any(name not in self.changes.fields for name in group):
                continue
            after = changed.select(group).drop_nulls()
            former = changed.select(pl.col(before(name)).alias(name) for name in group).drop_nulls()
            own = changed.filter(pl.any_horizontal(pl.col(n).ne_missing(pl.col(before(n))) for n in group))
            if own.height and after.join(former, on=list(group), how="semi").height:
                freed.append(moving[0])
        return freed

    def merge_all(self) -> None:
        """Merges everything.

        Raises:
            RowRefused: the database does not take a row; :meth:`find_refused` finds which.
            ConcurrentChange: fewer rows were affected than expected, because somebody else changed them.
        """
        done = self.merge()
        wanted = self.changes.counts
        for action, count in done.items():
            if count != wanted.get(action, 0):
                raise ConcurrentChange(f"{count} of {wanted.get(action, 0)} rows {action}")

    def find_refused(self) -> Refused:
        """The rows that the database refuses, found by halving: each part is tried and rolled back."""
        rows = self.changes.frame.filter(pl.col(ACTION) != "refused").with_row_index("load place")
        acting = rows.filter(pl.col(ACTION).is_in(["new", "changed", "removed"]))
        first = self._first_line()
        found: list[Refusal] = []
        waiting = [(0, acting.height - 1)] if acting.height else []
        while waiting and len(found) < MOST_REFUSALS:
            low, high = waiting.pop()
            words = self._try(first + acting["load place"][low], first + acting["load place"][high])
            if words is None:
                continue
            if low == high:
                one = acting.row(low, named=True)
                key = " / ".join(str(one[name] or one[before(name)]) for name in self.store.record.key)
                found.append(
                    Refusal(self.store.record.name, self.changes.file, self.changes.sheet, one[ROW], key, words)
                )
                continue
            middle = (low + high) // 2
            waiting += [(middle + 1, high), (low, middle)]
        return Refused(found)

    def _first_line(self) -> int:
        return int(self.database.run(f"SELECT coalesce(min(line), 0) FROM {self.name}")[0][0])

    def _try(self, low: int, high: int) -> str | None:
        try:
            with self.database.trying():
                self.merge((low, high))
        except RowRefused as refused:
            return str(refused)
        return None
