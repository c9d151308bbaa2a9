"""Changes → the system's tables, by set-based SQL. Only the cells that a row changes are written."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import nullcontext

import polars as pl

from kotrel.core.columns import ACTION, LINE, before
from kotrel.core.description.model import Field
from kotrel.systems.sql.database import ColumnNow, Database
from kotrel.systems.sql.dialect import literal, quoted
from kotrel.systems.sql.kept_balances import triggers
from kotrel.systems.sql.staging import Stage, staged

MANY = 5_000
"""From this many removed rows on, references to them are checked table by table: row by row, PostgreSQL takes a third
of a second for each thousand.
"""

Done = dict[str, int]
"""Action → how many rows the database says it touched."""


class Merge:
    """Merges the staged rows of one record into its table.

    Attributes:
        acting: the table has triggers, rules or policies, which may make something else of what is sent.
        renamed: line → the key that they made of a new row's key.
    """

    def __init__(self, stage: Stage) -> None:
        self.stage = stage
        self.database: Database = stage.database
        self.store = stage.store
        self.changes = stage.changes
        self.acting = self.database.acts_by_itself(
            self.store.schema, self.store.table, triggers(self.store.description, self.store.record)
        )
        self.renamed: dict[int, tuple[str, ...]] = {}
        self.database.require_transactions(self.store.schema, self.store.table)
        plain = self.store.plain or self.acting or stage.raw
        self.columns: dict[str, ColumnNow] = (
            self.database.columns_of(self.store.schema, self.store.table) if plain else {}
        )

    def _remove_rows(self, only: str, mine: str, many: bool) -> int:
        """Removes rows; where there are many, what refers to them is looked for table by table."""
        with self.database.references_at_once(self.store.name) if many else nullcontext():
            return self._remove(only, mine)

    def merge(self, span: tuple[int, int] | None = None) -> Done:
        """Inserts, updates and removes; returns how many rows were actually affected by each action.

        Args:
            span: first and last line, to merge only a part.

        Raises:
            RowRefused: the database does not take a row.
        """
        only = f" AND s.line BETWEEN {span[0]} AND {span[1]}" if span else ""
        mine = "".join(f" AND {condition}" for condition in self.store.mine("t"))
        done = {"new": 0, "changed": 0, "removed": 0}
        counts = self.changes.counts
        if counts.get("removed"):
            if counts["changed"]:
                self._let_go(only, mine)
            many = span is None and counts["removed"] >= MANY and not self.store.plain
            done["removed"] = self._remove_rows(only, mine, many)
        # A row cannot refer to a new row before that is there.
        waiting = [each.name for each in self._loops() if each.name in self.stage.touched] if counts["new"] else []
        touched = [name for name in self.stage.touched if name not in waiting]
        if counts["changed"] and touched:
            done["changed"] = self._change(touched, only, mine)
        if counts["new"]:
            done["new"] = self._insert(only, mine)
        if counts["changed"] and waiting:
            self.stage.renew()
            where = f"s.action = 'changed' AND {self.stage.same_key()}{only}{mine}"
            set_last = self.database.update_from(self.store.name, self._sets(waiting), self.stage.name, where)
            done["changed"] = done["changed"] if touched else set_last
        return done

    def _remove(self, only: str, mine: str) -> int:
        """Removes the rows that the load takes away."""
        database, store = self.database, self.store
        where = f"s.action = 'removed'{only}"
        loops = [each for each in self._loops() if each.must == "may"]
        if database.dialect.checks_each_row and loops:
            # Rows that refer to each other could not go in any order.
            free = [(store.column(each.name), "NULL") for each in loops]
            database.update_from(store.name, free, self.stage.name, f"{where} AND {self.stage.same_key()}{mine}")
        key = [(store.column(name), staged("to", name)) for name in store.record.key]
        return database.delete_matching(store.name, self.stage.name, where, self.stage.same_key(), mine, key)

    def _change(self, touched: Sequence[str], only: str, mine: str) -> int:
        """Changes the cells that changed rows change, and what the system's own code would change with them."""
        database, store = self.database, self.store
        where = f"s.action = 'changed' AND {self.stage.same_key()}{only}{mine}"
        if freed := self._changing_places(touched):
            nothing = [(store.column(name), self._if_changed(name, "NULL")) for name in freed]
            database.update_from(store.name, nothing, self.stage.name, where)
        key_matches = [
            (quoted(column), self._own_value(how, column, "t"))
            for column, how in store.record.storage.touched.items()
            if column not in {store.column_name(name) for name in touched}
        ]
        return database.update_from(store.name, [*self._sets(touched), *key_matches], self.stage.name, where)

    def _let_go(self, only: str, mine: str) -> None:
        """Changed rows leave the rows of the same record that the load removes, before those go."""
        sets = [
            (
                self.store.column(loop.name),
                self._if_changed(loop.name, "NULL" if loop.must == "may" else self._value(loop.name)),
            )
            for loop in self._loops()
            if loop.name in self.stage.touched and (loop.must == "may" or not self.changes.counts["new"])
        ]
        if sets:
            where = f"s.action = 'changed' AND {self.stage.same_key()}{only}{mine}"
            self.database.update_from(self.store.name, sets, self.stage.name, where)

    def _loops(self) -> list[Field]:
        """The fields that refer to rows of the same record."""
        record = self.store.record
        return [each for each in self.stage.fields if each.to == record.name and each.name not in record.key]

    def _value(self, name: str) -> str:
        """SQL for what a staged row puts into a field: the system's own text where there is one."""
        value = f"s.{staged('to', name)}"
        if name not in self.stage.raw:
            return value
        raw = f"s.{staged('raw', name)}"
        restored = self.database.from_raw(raw, self.columns[self.store.column_name(name)])
        return f"CASE WHEN {raw} IS NOT NULL THEN {restored} ELSE {value} END"

    def _if_changed(self, name: str, value: str) -> str:
        """The value, or the cell as it is in rows that do not change the field."""
        if name not in self.stage.partly:
            return value
        return f"CASE WHEN s.{staged('is', name)} THEN {value} ELSE t.{self.store.column(name)} END"

    def _own_value(self, how: str, column: str, alias: str = "") -> str:
        """SQL for what the system's own code would put into a column."""
        store = self.store
        return self.database.dialect.own_value(how, store.schema, store.name, quoted(column), store.record.name, alias)

    def _sets(self, names: Sequence[str]) -> list[tuple[str, str]]:
        made = self.store.record.storage.made

        def value(name: str) -> str:
            how = made.get(self.store.column_name(name), "")
            # A constant stands for a blank in rows that are there, too; a moment or a number is given once.
            constant = how[:1] in ("'", "{", "[") if how else False
            return (
                f"coalesce({self._value(name)}, {self._own_value(how, self.store.column_name(name))})"
                if constant
                else self._value(name)
            )

        return [(self.store.column(name), self._if_changed(name, value(name))) for name in names]

    def _insert(self, only: str, mine: str) -> int:
        """Inserts the new rows: their fields, the fixed values of the table, and numbers from sequences."""
        store, database = self.store, self.database
        # A row cannot refer to another new row by its number before that row has one.
        later = [
            field.name
            for field in self._loops()
            if store.target_by_id(field) or (database.dialect.checks_each_row and field.must == "may")
        ]
        statement = self.insertion([name for name in self.changes.fields if name not in later], only)
        ask = self.acting and not only
        done = self._insert_and_ask(statement) if ask else database.run_counting(statement)
        if later:
            self.stage.renew()
            sets = [(store.column(name), self._value(name)) for name in later]
            where = f"s.action = 'new' AND {self.stage.same_key()}{only}{mine}"
            database.update_from(store.name, sets, self.stage.name, where)
        return done

    def _insert_and_ask(self, statement: str) -> int:
        """Inserts the new rows and asks for their keys as they came out."""
        came = self._keys_of_inserted(statement)
        new = self._lines().filter(pl.col(ACTION) == "new").select(LINE, *self.store.record.key).rows()
        if len(came) == len(new):
            there = set(came)
            asked = {row[1:] for row in new}
            odd = [key for key in came if key not in asked]
            lost = [row for row in new if row[1:] not in there]
            if len(odd) == len(lost):
                # Both come in the order of the lines.
                self.renamed = {row[0]: key for row, key in zip(lost, odd, strict=True)}
        return len(came)

    def _lines(self) -> pl.DataFrame:
        """The staged rows with the number of their line."""
        return self.changes.lines_from(self.stage.lines.start)

    def renamed_keys(self) -> dict[tuple[str, ...], tuple[str, ...]]:
        """Key sent → the key that the database made of it."""
        if not self.renamed:
            return {}
        keys = {line: tuple(key) for line, *key in self._lines().select(LINE, *self.store.record.key).iter_rows()}
        return {keys[line]: made for line, made in self.renamed.items()}

    def _keys_of_inserted(self, statement: str) -> list[tuple[str, ...]]:
        store, database = self.store, self.database
        alias = database.dialect.inserted(store.name)[1]
        texts = [store.text(database, alias, store.record.fields[name]) for name in store.record.key]
        return database.insert_naming(statement, store.name, texts)

    def insertion(self, names: Sequence[str], only: str = "") -> str:
        """The statement that inserts the new rows with these fields.

        Where a cell is blank, the column's own default stands.
        """
        store = self.store
        new = self.changes.rows_of("new")
        columns: list[str] = []
        values: list[str] = []
        storage = store.record.storage
        own = {**storage.touched, **storage.made}
        for name in names:
            about = self.columns.get(store.column_name(name))
            blanks = new[name].null_count()
            if about is not None and blanks == new.height and (about.default is not None or about.generated):
                continue
            value = self._value(name)
            if about is not None and blanks and about.default is not None:
                value = f"coalesce({value}, {about.default})"
            if (how := own.pop(store.column_name(name), None)) is not None:
                # A field that people fill, too: what the system's code puts there stands for a blank.
                value = f"coalesce({value}, {self._own_value(how, store.column_name(name))})"
            columns.append(store.column(name))
            values.append(value)
        for column, fixed in store.record.storage.fixed.items():
            columns.append(quoted(column))
            values.append("NULL" if fixed is None else literal(fixed))
        for column, how in own.items():
            columns.append(quoted(column))
            values.append(self._own_value(how, column))
        return (
            f"INSERT INTO {self.database.dialect.inserted(store.name)[0]} ({', '.join(columns)}) SELECT {', '.join(values)} "
            f"FROM {self.stage.name} AS s WHERE s.action = 'new'{only} ORDER BY s.line"
        )

    def _changing_places(self, touched: Sequence[str]) -> list[str]:
        """Fields whose values move from one row of the load to another: they are emptied first.

        A database checks row by row, and would refuse the first of two barcodes that are swapped.
        """
        record = self.store.record
        groups = [(name,) for name, field in record.fields.items() if field.unique and field.kind != "list"]
        changed = self.changes.rows_of("changed")
        freed: list[str] = []
        for group in (*groups, *record.unique_together):
            moving = [name for name in group if name in touched and record.fields[name].must == "may"]
            if not moving:
                continue
            # Of fields that stay as they are nothing is known here: emptying one field too many does no harm.
            known = [name for name in group if name in self.changes.fields]
            after = changed.select(known).drop_nulls()
            former = changed.select(pl.col(before(name)).alias(name) for name in known).drop_nulls()
            if after.join(former, on=known, how="semi").height:
                freed.append(moving[0])
        return freed
