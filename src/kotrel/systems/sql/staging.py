"""The rows of one record's changes, as the database sees them before they are merged."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Collection

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION, LINE, before, decimal_type, raw_after
from kotrel.core.description.model import Field
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.database_journal import row_table
from kotrel.systems.sql.dialect import quoted
from kotrel.systems.sql.store import Store

LONGEST = 63
"""Bytes of a name that PostgreSQL keeps; of a longer one, the end is lost."""


def staged_name(what: str, field: str) -> str:
    """The name of a staged column: what a row puts ``to`` a field, whether that ``is`` a change,
    or the ``raw`` text.
    """
    name = f"{what} {field}"
    return name if len(name.encode()) <= LONGEST else f"{what} {hashlib.sha256(field.encode()).hexdigest()[:32]}"


def staged(what: str, field: str) -> str:
    """The same, quoted."""
    return quoted(staged_name(what, field))


def _as_kept(field: Field) -> pl.Expr:
    """The texts of a field as a table that Kotrel did not create keeps them:
    scaled to a whole number, or a date in its form.
    """
    text = pl.col(staged_name("to", field.name))
    if field.scale != 1:
        return (
            (text.cast(decimal_type(field.decimals or 0)) * field.scale)
            .cast(pl.Int64)
            .cast(pl.String)
            .alias(staged_name("to", field.name))
        )
    parts = {"YYYY": text.str.slice(0, 4), "MM": text.str.slice(5, 2), "DD": text.str.slice(8, 2)}
    pieces = [each for each in re.split("(YYYY|MM|DD)", field.stored) if each]
    return pl.concat_str([parts[each] if each in parts else pl.lit(each) for each in pieces]).alias(
        staged_name("to", field.name)
    )


class Stage:
    """A table ``name`` with ``line``, ``action``, the fields, and for some fields whether a row changes them.

    Where the dialect says ``view``, the journal itself is the stage: the rows are written once. Elsewhere it is a
    temporary table, filled in bulk.

    Attributes:
        touched: the fields, without the key, that changed rows change.
        partly: those of them that not every changed row changes: a row that does not keeps its cell as it is.
        raw: the fields of which some rows get the system's own text.
    """

    def __init__(self, database: Database, store: Store, changes: RecordChanges, lines: range, number: int) -> None:
        self.database = database
        self.store = store
        self.changes = changes
        self.lines = lines
        self.touched = changes.touched_fields()
        changed = changes.rows_of("changed")
        self.partly = [
            name
            for name in self.touched
            if not changed.select(pl.col(name).ne_missing(pl.col(before(name))).all()).item()
        ]
        self.raw = [name for name in changes.fields if raw_after(name) in changes.frame.columns]
        self.name = quoted(database.dialect.temporary, "kotrel_stage")
        self._select = ""
        if database.dialect.staged == "view":
            self._look_at_journal(number)
        else:
            self._copy()

    @property
    def fields(self) -> list[Field]:
        return [self.store.record.fields[name] for name in self.changes.fields]

    def _look_at_journal(self, number: int) -> None:
        # The journal has a key of one field as it is; of several, for a removed row, in the image before.
        key = self.store.record.key
        texts = [
            quoted("key")
            if key == (field.name,)
            else f"json_extract(coalesce(after, before), '$[{place}]')"
            if field.name in key
            else f"json_extract(after, '$[{place}]')"
            for place, field in enumerate(self.fields)
        ]
        columns = [
            f"{self.store.stored(self.database, text, field)} AS {staged('to', field.name)}"
            for text, field in zip(texts, self.fields, strict=True)
        ]
        for index, field in enumerate(self.fields):
            if field.name in self.partly:
                same = f"json_extract(after, '$[{index}]') IS json_extract(before, '$[{index}]')"
                columns.append(f"NOT ({same}) AS {staged('is', field.name)}")
            if field.name in self.raw:
                columns.append(f"json_extract(raw, '$[{index}]') AS {staged('raw', field.name)}")
        self.database.run(f"DROP VIEW IF EXISTS {self.name}")
        self.database.run(
            f"CREATE TEMP VIEW kotrel_stage AS SELECT line, action, {', '.join(columns)} "
            f"FROM main.{row_table(self.database.dialect)} "
            f"WHERE {quoted('load')} = {number} AND line BETWEEN {self.lines.start} AND {self.lines.stop - 1}"
        )

    def _looked_up(self, field: Field, by_id: Collection[str]) -> str:
        """A staged value, or the number that stands for it."""
        value = f"c.{staged('to', field.name)}"
        return self.store.stored(self.database, value, field) if field.name in by_id else value

    def _copy(self) -> None:
        database, store = self.database, self.store
        by_id = [field.name for field in self.fields if store.target_by_id(field)]
        name = "kotrel_copy" if by_id else "kotrel_stage"
        # What the record before had as its stage: a table, or a view on one.
        database.drop_temporary("kotrel_stage", "kotrel_copy")
        typed = {staged_name("to", each): store.column_name(each) for each in self.changes.fields if each not in by_id}
        texts = [*(staged_name("to", each) for each in by_id), *(staged_name("raw", each) for each in self.raw)]
        flags = [staged_name("is", each) for each in self.partly]
        database.create_stage(name, store.schema, store.table, typed, texts, flags)
        rows = database.staged_values(
            self._rows(), {staged_name("to", each.name): each for each in self.fields if each.name not in by_id}
        )
        table = quoted(database.dialect.temporary, name)
        database.insert(table, rows.columns, rows)
        database.analyse(table)
        if by_id:
            # Numbers that stand for codes are looked up when the rows are merged: by then all of them exist.
            columns = [f"{self._looked_up(field, by_id)} AS {staged('to', field.name)}" for field in self.fields]
            columns += [f"c.{staged('is', each)}" for each in self.partly]
            columns += [f"c.{staged('raw', each)}" for each in self.raw]
            self._select = f"SELECT c.line, c.action, {', '.join(columns)} FROM {table} AS c"
            database.look_at_stage("kotrel_stage", self._select)

    def renew(self) -> None:
        """Looks the numbers up that stand for codes of rows which the merge itself has made."""
        if self._select:
            self.database.renew_stage("kotrel_stage", self._select)

    def _rows(self) -> pl.DataFrame:
        """The rows that a load touches, with the lines that the journal gave them."""
        key = self.store.record.key
        rows = self.changes.lines_from(self.lines.start)
        rows = rows.select(
            pl.col(LINE).cast(pl.Int64),
            ACTION,
            *(
                (pl.coalesce(name, before(name)) if name in key else pl.col(name)).alias(staged_name("to", name))
                for name in self.changes.fields
            ),
            *(pl.col(name).ne_missing(pl.col(before(name))).alias(staged_name("is", name)) for name in self.partly),
            *(pl.col(raw_after(name)).alias(staged_name("raw", name)) for name in self.raw),
        ).filter(pl.col(ACTION).is_in(["new", "changed", "removed"]))
        stored = {field.name: words for field in self.fields if (words := self.store.record.storage.words_of(field))}
        rows = rows.with_columns(
            pl.col(staged_name("to", name)).replace({"yes": words[0], "no": words[1]}) for name, words in stored.items()
        )
        if self.store.plain:
            rows = rows.with_columns(_as_kept(field) for field in self.fields if field.scale != 1 or field.stored)
        return rows.rename({LINE: "line", ACTION: "action"})

    def same_key(self) -> str:
        """The condition that a row ``t`` of the table is the staged row ``s``."""
        return " AND ".join(
            self.database.same(
                f"t.{self.store.column(name)}", f"s.{staged('to', name)}", self.store.record.fields[name]
            )
            for name in self.store.record.key
        )
