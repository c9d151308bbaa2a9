"""MariaDB and MySQL: databases for schemas, exact decimals, collations that hold letters equal, no deferred checks."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, Literal

from kotrel.core.description.model import Field, Record
from kotrel.systems.sql.dialect import WHOLE_DIGITS, Dialect, balance_events, literal, quoted

if TYPE_CHECKING:
    import sqlalchemy as sa

EXACT = "utf8mb4_nopad_bin"
"""The collation of tables that Kotrel creates: no two different texts are equal, not by their last blanks either."""
CODE_LENGTH = 80
"""Characters of a code whose length is not given: an index of five of them is as long as the database allows."""
LONGEST = 500
"""Texts up to this length are kept in the row; longer ones beside it."""


class MariaDialect(Dialect):
    """A schema is a database there: tables without one are in the database that is connected."""

    name = "mariadb"
    driver = "mysql+pymysql"
    schema = ""
    temporary = ""
    text = "char"
    long_text = "longtext"
    length = "char_length"
    checks_each_row = True
    grants = True
    staged = "table"
    decimals = "exact"
    removes_by_list = False
    yes_no_as_number = False

    def inserted(self, table: str) -> tuple[str, str]:
        # There is no other name for it: what is returned is named by the table.
        return table, table

    def compiled(self, statement: Any) -> str:
        from sqlalchemy.dialects import mysql
        from sqlalchemy.schema import CreateTable

        text = str(statement.compile(dialect=mysql.dialect())).strip()
        if isinstance(statement, CreateTable):
            return f"{text} ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE {EXACT}"
        return text

    def type_of(self, field: Field) -> sa.types.TypeEngine[Any]:
        import sqlalchemy as sa
        from sqlalchemy.dialects import mysql

        if field.is_decimal:
            return sa.Numeric(WHOLE_DIGITS, field.decimals)
        if field.kind == "yes_no":
            return sa.Boolean()
        if field.kind == "date":
            return sa.Date()
        if field.kind == "moment":
            return mysql.TIMESTAMP(fsp=6) if field.zoned else mysql.DATETIME(fsp=6)
        if field.kind in ("text", "file", "list"):
            return sa.String(field.length) if field.length and field.length <= LONGEST else mysql.LONGTEXT()
        return sa.String(field.length or CODE_LENGTH)

    def grantee(self, user: str) -> str:
        name, _, host = user.partition("@")
        return f"{literal(name)}@{literal(host or '%')}"

    def for_people(self, statement: str) -> str:
        # There, double quotes are for texts, unless a session says otherwise.
        return statement.replace('"', "`")

    def schema_grants(self, schema: str, whom: str) -> list[str]:
        # Staged rows are in temporary tables of the database that is connected.
        return [f"GRANT CREATE TEMPORARY TABLES ON * TO {whom};"]

    def bound(self, kind: Literal["date", "moment"]) -> str:
        return f"CAST(? AS {'date' if kind == 'date' else 'datetime(6)'})"

    def now(self) -> str:
        return "utc_timestamp(6)"

    def uuid(self, how: Literal["uuid", "uuid7", "uuid hex"]) -> str:
        random = "md5(concat(rand(), uuid()))"
        if how == "uuid hex":
            return random
        begin = "lpad(lower(hex(floor(unix_timestamp(now(6)) * 1000))), 12, '0')" if how == "uuid7" else random
        version = "7" if how == "uuid7" else "4"
        return (
            f"concat(substr({begin}, 1, 8), '-', substr({begin}, 9, 4), '-{version}', substr({random}, 1, 3), '-', "
            f"substr('89ab', 1 + floor(rand() * 4), 1), substr({random}, 4, 3), '-', substr({random}, 7, 12))"
        )

    def next_number(self, schema: str, sequence: str, of: str) -> str:
        return f"nextval({quoted(schema, sequence)})"

    def balance_statements(self, record: Record, table: str, lines: str, amounts: Sequence[str]) -> list[str]:
        places = [name for name in record.fields if name not in amounts]
        # Two nulls are never the same in an index: a further column says which place it is.
        place = ", ".join(f"ifnull({quoted(name)}, '')" for name in places)
        events = balance_events(record, table, amounts, "ON DUPLICATE KEY UPDATE", "VALUES({})")
        return [
            f"ALTER TABLE {table} ADD COLUMN place varchar(700) COLLATE {EXACT} AS (concat_ws(char(31 USING utf8mb4), {place})) STORED",
            f"ALTER TABLE {table} ADD CONSTRAINT {quoted(f'{record.name}_place')} UNIQUE (place)",
            f"CREATE INDEX {quoted(f'{record.name}_by_item')} ON {table} ({quoted('item')})",
            *(
                f"CREATE TRIGGER {name} AFTER {event.upper()} ON {lines} FOR EACH ROW BEGIN {what} END"
                for event, name, what in events
            ),
        ]


MARIADB = MariaDialect()
