"""Where a record is in the database: its table, its columns, and the SQL that reads and fills them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import polars as pl
from msgspec import Struct

from kotrel.core.description.model import Description, Field, Record
from kotrel.core.rows.system_state import WHOLE
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.dialect import Dialect, literal, quoted


class Store(Struct, frozen=True):
    """The table of one record, as the description says;
    a field's column has the field's name unless it says otherwise.
    """

    record: Record
    description: Description
    dialect: Dialect

    @property
    def schema(self) -> str:
        """The schema of its table, where the database has schemas."""
        if self.record.storage.schema is not None:
            return self.record.storage.schema
        # Our sessions look for names in no schema of the users: every table is named with its own.
        return self.dialect.own_schema(self.description.schema) or self.dialect.schema

    @property
    def table(self) -> str:
        """The table's name."""
        return self.record.storage.table or self.record.name

    @property
    def name(self) -> str:
        """The table's name in SQL."""
        return quoted(self.schema, self.table)

    @property
    def plain(self) -> bool:
        """True for tables that Kotrel did not create: their decimals are as the database has them."""
        return not self.description.scaled

    def column_name(self, field: str) -> str:
        """The name of a field's column."""
        return self.record.storage.columns.get(field, field)

    def column(self, field: str) -> str:
        """A field's column in SQL."""
        return quoted(self.column_name(field))

    def mine(self, alias: str = "") -> list[str]:
        """Conditions that separate this record's rows from others in the same table."""
        before = f"{alias}." if alias else ""
        return [
            f"{before}{quoted(column)} IS NULL" if value is None else f"{before}{quoted(column)} = {literal(value)}"
            for column, value in self.record.storage.fixed.items()
        ]

    def target_by_id(self, field: Field) -> Store | None:
        """The store that a reference points at by a number instead of the key, or None."""
        if field.to is None:
            return None
        target = Store(self.description.records[field.to], self.description, self.dialect)
        return target if target.record.storage.id else None

    def text(self, database: Database, alias: str, field: Field) -> str:
        """SQL that gives a field of a row as canonical text."""
        column = f"{alias}.{self.column(field.name)}"
        if target := self.target_by_id(field):
            code = target.text(database, "r", target.record.fields[target.record.code])
            rows = " AND ".join([f"r.{quoted(str(target.record.storage.id))} = {column}", *target.mine("r")])
            return f"(SELECT {code} FROM {target.name} AS r WHERE {rows})"
        if words := self.record.storage.words_of(field):
            yes, no = map(literal, words)
            return f"CASE CAST({column} AS {self.dialect.text}) WHEN {yes} THEN 'yes' WHEN {no} THEN 'no' END"
        if self.plain and field.scale != 1:
            return database.scaled_text(column, field)
        if self.plain and field.stored:
            return _read_as(f"CAST({column} AS {self.dialect.text})", field.stored)
        return database.as_text(column, field, self.plain)

    def stored(self, database: Database, text: str, field: Field) -> str:
        """SQL that gives the stored form of canonical text (an SQL expression)."""
        if target := self.target_by_id(field):
            code = target.record.fields[target.record.code]
            rows = " AND ".join([*target.same_as_text(database, "r", code, text), *target.mine("r")])
            return f"(SELECT r.{quoted(str(target.record.storage.id))} FROM {target.name} AS r WHERE {rows})"
        if words := self.record.storage.words_of(field):
            yes, no = map(literal, words)
            return f"CASE {text} WHEN 'yes' THEN {yes} WHEN 'no' THEN {no} END"
        if self.plain and field.scale != 1:
            return database.scaled_stored(text, field)
        if self.plain and field.stored:
            return _written_as(text, field.stored)
        if self.plain and database.keeps_numbers(self.name, self.column(field.name)):
            # A column without a type keeps numbers as numbers; what is none, or has zeros before it, stays a text.
            whole = (
                f"CASE WHEN CAST(CAST({text} AS INTEGER) AS TEXT) = {text} THEN CAST({text} AS INTEGER) ELSE {text} END"
            )
            return (
                f"CAST({text} AS NUMERIC)"
                if field.is_decimal
                else whole
                if field.kind in ("code", "text")
                else database.as_stored(text, field, True)
            )
        return database.as_stored(text, field, self.plain)

    def same_as_text(self, database: Database, alias: str, field: Field, text: str) -> list[str]:
        """The conditions that a field of a row is this canonical text:
        by the column's own type, so that an index helps, then exactly.
        """
        exact = database.same(self.text(database, alias, field), text, field)
        if not self.plain or field.is_decimal or field.kind not in ("code", "text"):
            return [exact]
        typed = database.in_type_of(self.schema, self.table, self.column_name(field.name), text)
        return [f"{alias}.{self.column(field.name)} = {typed}", exact] if typed else [exact]


def _read_as(text: str, form: str) -> str:
    """SQL for the ISO text of a date that is written in such a form;
    what is not written so stays as it is, and 0 is no date.
    """
    year, month, day = (f"substr({text}, {form.index(part) + 1}, {len(part)})" for part in ("YYYY", "MM", "DD"))
    between = " AND ".join(
        [f"length({text}) = {len(form)}"]
        + [f"substr({text}, {n + 1}, 1) = {literal(sign)}" for n, sign in enumerate(form) if sign not in "YMD"]
    )
    blank = ", ".join(literal(each) for each in ("", "0", "".join("0" if sign in "YMD" else sign for sign in form)))
    return f"CASE WHEN {text} IN ({blank}) THEN NULL WHEN {between} THEN {year} || '-' || {month} || '-' || {day} ELSE {text} END"


def _written_as(text: str, form: str) -> str:
    """SQL for an ISO text in such a form."""
    parts = {"YYYY": f"substr({text}, 1, 4)", "MM": f"substr({text}, 6, 2)", "DD": f"substr({text}, 9, 2)"}
    pieces = [each for each in re.split("(YYYY|MM|DD)", form) if each]
    return " || ".join(parts.get(each) or literal(each) for each in pieces)


def store_of(description: Description, record: Record, dialect: Dialect) -> Store:
    """Where a record is stored."""
    return Store(record, description, dialect)


def key_condition(database: Database, store: Store, name: str, wanted: pl.Series) -> tuple[list[str], list[Any]]:
    """The condition "the field is one of these values" and what to bind; none where there are very many."""
    distinct = [value for value in wanted.unique().to_list() if value is not None]
    if len(distinct) > WHOLE:
        return [], []
    # In tables that Kotrel created, codes are texts; elsewhere they may be numbers.
    column = store.text(database, "t", store.record.fields[name]) if store.plain else f"t.{store.column(name)}"
    condition, values = database.among(column, distinct)
    return [condition], values


def read_rows(
    database: Database,
    store: Store,
    fields: Sequence[str],
    among: tuple[str, pl.Series] | None = None,
    filled: str | Sequence[str] | None = None,
) -> pl.DataFrame:
    """Rows of a record as String columns in canonical text; see :meth:`kotrel.systems.interface.Reading.read`."""
    conditions: list[str] = store.mine("t")
    values: list[Any] = []
    if among is not None and len(among[1]) <= WHOLE:
        if among[1].null_count() == len(among[1]):
            return pl.DataFrame(schema=dict.fromkeys(fields, pl.String))
        found, values = key_condition(database, store, *among)
        conditions += found
    if filled is not None:
        names = [filled] if isinstance(filled, str) else filled
        conditions.append("(" + " OR ".join(f"t.{store.column(name)} IS NOT NULL" for name in names) + ")")
    where = f" WHERE {' AND '.join(conditions)}" if conditions else ""
    # With the table's name before it, a missing column is an error: SQLite would take the quoted name alone for
    # a text, and every row would silently hold that.
    columns = [store.text(database, "t", store.record.fields[name]) for name in fields]
    direct = {name: (f"t.{store.column(name)}", store.record.fields[name]) for name in fields if not store.plain}
    whole = store.table if filled is None and not values else ""
    return database.frame(columns, list(fields), f"FROM {store.name} AS t{where}", values, direct, whole)
