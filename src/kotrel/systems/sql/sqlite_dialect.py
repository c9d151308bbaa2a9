"""SQLite: no schemas, no decimals, no dates, no sequences, no users; one writer at a time."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, Literal

from kotrel.core.description.model import Field, Record
from kotrel.systems.sql.dialect import Dialect, balance_events, quoted

if TYPE_CHECKING:
    import sqlalchemy as sa


class SqliteDialect(Dialect):
    """Decimals are whole numbers, scaled by the field's decimals; dates and moments are texts."""

    name = "sqlite"
    driver = "sqlite"
    schema = ""
    temporary = "temp"
    grants = False
    staged = "view"
    decimals = "scaled"
    removes_by_list = True
    yes_no_as_number = True

    def compiled(self, statement: Any) -> str:
        from sqlalchemy.dialects import sqlite

        return str(statement.compile(dialect=sqlite.dialect())).strip()

    def type_of(self, field: Field) -> sa.types.TypeEngine[Any]:
        import sqlalchemy as sa

        if field.is_decimal:
            return sa.BigInteger()
        return sa.Integer() if field.kind == "yes_no" else sa.Text()

    def bound(self, kind: Literal["date", "moment"]) -> str:
        return "?"

    def now(self) -> str:
        return "strftime('%Y-%m-%d %H:%M:%f', 'now')"

    def uuid(self, how: Literal["uuid", "uuid7", "uuid hex"]) -> str:
        return f"kotrel_uuid('{how}')"

    def balance_statements(self, record: Record, table: str, lines: str, amounts: Sequence[str]) -> list[str]:
        places = [name for name in record.fields if name not in amounts]
        place = ", ".join(f"ifnull({quoted(name)}, '')" for name in places)
        events = balance_events(record, table, amounts, f"ON CONFLICT ({place}) DO UPDATE SET", "excluded.{}")
        return [
            f"CREATE UNIQUE INDEX {quoted(f'{record.name}_place')} ON {table} ({place})",
            *(
                f"CREATE TRIGGER {name} AFTER {event.upper()} ON {lines} BEGIN {what} END"
                for event, name, what in events
            ),
        ]


SQLITE = SqliteDialect()
