"""Where a record stands in the database: its table, its columns, and the SQL that reads and fills them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl

from kotrel.core.description import Description, Record
from kotrel.core.held import WHOLE
from kotrel.systems.sql.database import Database, quoted


@dataclass(frozen=True)
class Store:
    """The table of one record. A field's column bears the field's name."""

    record: Record
    schema: str
    table: str

    @property
    def name(self) -> str:
        """The table as SQL writes it."""
        return quoted(self.schema, self.table)

    def column(self, field: str) -> str:
        """A field's column as SQL writes it."""
        return quoted(field)


def store_of(description: Description, record: Record, dialect: str) -> Store:
    """Where a record stands: in a table of its own name, in the description's schema where the database has schemas."""
    return Store(record, description.schema if dialect == "postgresql" else "", record.name)


def read_rows(
    database: Database,
    store: Store,
    fields: Sequence[str],
    among: tuple[str, pl.Series] | None = None,
    filled: str | None = None,
) -> pl.DataFrame:
    """Rows of a record as String columns in canonical text; see :meth:`kotrel.systems.interface.Reading.read`."""
    conditions: list[str] = []
    values: list[Any] = []
    if among is not None and len(among[1]) <= WHOLE:
        field, wanted = among
        distinct = wanted.unique().drop_nulls().to_list()
        if not distinct:
            return pl.DataFrame(schema=dict.fromkeys(fields, pl.String))
        condition, values = database.among(f"t.{store.column(field)}", distinct)
        conditions.append(condition)
    if filled is not None:
        conditions.append(f"t.{store.column(filled)} IS NOT NULL")
    where = f" WHERE {' AND '.join(conditions)}" if conditions else ""
    # With the table's name before it, a column that is not there is an error: SQLite would take the quoted name alone for
    # a text, and every row would silently hold that.
    columns = [database.as_text(f"t.{store.column(name)}", store.record.fields[name]) for name in fields]
    return database.frame(columns, list(fields), f"FROM {store.name} AS t{where}", values)
