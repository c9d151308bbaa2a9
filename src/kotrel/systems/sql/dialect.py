"""What differs between kinds of databases and needs no connection: names, types, casts, and what each of them can do.

What writes tables is SQLAlchemy, which takes a third of a second to import: only the methods that need it do.

A further kind of database is one subclass of this class, one of :class:`kotrel.systems.sql.database.Database`, and one
entry in ``database_kinds.py``.
"""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, Literal

from kotrel.core.description.model import Field, Record
from kotrel.core.errors import OutOfReach

if TYPE_CHECKING:
    import sqlalchemy as sa

JOURNAL = "kotrel"
"""The schema of the journal, or the start of its tables' names where there are no schemas."""

WHOLE_DIGITS = 18
"""The total number of digits of a stored decimal."""


_QUOTED = re.compile(r"""("(?:[^"]|"")*"|'(?:[^']|'')*')""")


def with_format_marks(statement: str) -> str:
    """A statement with ``%s`` where it has ``?`` for a value, as some drivers want it (PEP 249, paramstyle ``format``).

    A question mark within a quoted name or text is no place for a value.
    """
    parts = _QUOTED.split(statement.replace("%", "%%"))
    return "".join(part if place % 2 else part.replace("?", "%s") for place, part in enumerate(parts))


def quoted(*names: str) -> str:
    """An SQL identifier, quoted, its parts joined by points; empty parts are left out."""
    return ".".join('"' + name.replace('"', '""') + '"' for name in names if name)


def literal(value: str) -> str:
    """A text as an SQL literal."""
    return "'" + value.replace("'", "''") + "'"


class Dialect(ABC):
    """One kind of database.

    Attributes:
        name: as in the descriptions of errors and tests.
        driver: what SQLAlchemy calls it, to read the catalogue through our own connection.
        schema: the schema of tables for which the description names none; empty where there are no schemas.
        temporary: the schema of temporary tables and views.
        text: the type that a value is cast to, to be a text.
        length: the function that counts the characters of a text.
        long_text: the type of a column for texts of any length.
        grants: it has users of its own, who need rights.
        staged: how the rows of a load are laid out before they are merged: through a ``view`` of the journal, which is
            written once, or in a ``table`` of their own, where splitting the journal's lists costs more than sending
            twice.
        decimals: how it keeps a decimal: ``exact``, or ``scaled`` to a whole number.
        removes_by_list: rows are removed by a list of keys, which its planner does better.
        checks_each_row: references are checked with each row that a statement touches, not at its end: rows that refer
            to each other are first written, or removed, without.
        yes_no_as_number: yes and no are kept as 1 and 0, so that a rule has to say that nothing else may be there.
    """

    name: str
    driver: str
    schema: str
    temporary: str
    text = "text"
    checks_each_row = False
    long_text = "text"
    length = "length"
    grants: bool
    staged: Literal["view", "table"]
    decimals: Literal["exact", "scaled"]
    removes_by_list: bool
    yes_no_as_number: bool

    def inserted(self, table: str) -> tuple[str, str]:
        """The target of an insertion, and what names its rows in what is returned of them."""
        return f"{table} AS i", "i"

    def in_journal(self, table: str) -> tuple[str, str]:
        """Schema and name of a table that Kotrel keeps for itself."""
        return (JOURNAL, table) if self.schema else ("", f"{JOURNAL}_{table}")

    def schema_of_journal(self) -> str | None:
        """The schema of Kotrel's own tables, or None where there are no schemas."""
        return self.in_journal("")[0] or None

    def own_schema(self, named: str | None) -> str | None:
        """The schema that a description names for its tables, or None where it names none or there are no schemas."""
        return (named or None) if self.schema else None

    @abstractmethod
    def compiled(self, statement: Any) -> str:
        """A statement of SQLAlchemy as text."""

    @abstractmethod
    def type_of(self, field: Field) -> sa.types.TypeEngine[Any]:
        """The type of a field's column in a table that Kotrel creates."""

    def scale(self, field: Field) -> int:
        """By how much a decimal is multiplied where it is stored."""
        return 10 ** (field.decimals or 0) if self.decimals == "scaled" else 1

    @abstractmethod
    def bound(self, kind: Literal["date", "moment"]) -> str:
        """SQL for a bound text that is compared with a stored date or moment."""

    def grantee(self, user: str) -> str:
        """A user as statements that give rights name one."""
        return quoted(user)

    def for_people(self, statement: str) -> str:
        """A statement as an administrator's own program takes it."""
        return statement

    def schema_grants(self, schema: str, whom: str) -> list[str]:
        """What a user needs to use a schema at all."""
        return [f"GRANT USAGE ON SCHEMA {quoted(schema)} TO {whom};"]

    @abstractmethod
    def balance_statements(self, record: Record, table: str, lines: str, amounts: Sequence[str]) -> list[str]:
        """The statements that let the database keep balances of a ledger.

        Args:
            record: the balances.
            table: their table, quoted.
            lines: the ledger's table, quoted.
            amounts: the fields that are added up; the others are the place.
        """

    def drop_balance_statements(self, record: Record, table: str) -> list[str]:
        """The statements that remove what is left of them once the tables are gone."""
        return []

    @abstractmethod
    def now(self) -> str:
        """SQL for this moment, as a column for moments takes it."""

    @abstractmethod
    def uuid(self, how: Literal["uuid", "uuid7", "uuid hex"]) -> str:
        """SQL for a new uuid: of random numbers, of the time (RFC 9562, version 7), or as 32 digits without hyphens."""

    def own_value(self, how: str, schema: str, table: str, column: str, of: str, alias: str = "") -> str:
        """SQL for what a system's code puts into a column (see :class:`kotrel.core.description.model.Storage`).

        Args:
            table, column: quoted names.
            of: the record, for errors.
            alias: of the table, where a row that is there is changed.
        """
        if how in ("uuid", "uuid7", "uuid hex"):
            return self.uuid(how)  # type: ignore[arg-type]
        if how == "now":
            return self.now()
        if how == "+1":
            return f"coalesce({alias}.{column}, 0) + 1" if alias else "1"
        if how == "next":
            order = "" if alias else " + row_number() OVER (ORDER BY s.line)"
            return f"(SELECT coalesce(max({column}), 0) FROM {table}){order}"
        if re.fullmatch(r"-?[0-9]+(\.[0-9]+)?", how):
            return how
        if how in ("true", "false"):
            return ("1" if how == "true" else "0") if self.yes_no_as_number else how
        if how[:1] in "{[":
            return literal(how)
        if how[:1] == how[-1:] == "'":
            return literal(how[1:-1])
        return self.next_number(schema, how, of)

    def next_number(self, schema: str, sequence: str, of: str) -> str:
        """SQL for the next number of a sequence.

        Raises:
            OutOfReach: this kind of database has no sequences.
        """
        raise OutOfReach(
            f"{of}: this kind of database has no sequences",
            "Remove “made” from its store in system.toml: a key column without a value is numbered automatically.",
            "not-as-described",
        )


def balance_events(
    record: Record, table: str, amounts: Sequence[str], clash: str, incoming: str
) -> list[tuple[str, str, str]]:
    """What keeps balances row by row: each event, the quoted name of its trigger, and the statements that it runs.

    Args:
        clash: SQL for what to do where a place has a balance already, up to the columns that are set.
        incoming: SQL for the amount that comes, with ``{}`` for its column.
    """
    places = [quoted(name) for name in record.fields if name not in amounts]
    added_up = [quoted(name) for name in record.fields if name in amounts]
    sets = ", ".join(f"{name} = {name} + {incoming.format(name)}" for name in added_up)

    def added(row: str, sign: str) -> str:
        values = ", ".join((*(f"{row}.{name}" for name in places), *(f"{sign}{row}.{name}" for name in added_up)))
        return f"INSERT INTO {table} ({', '.join((*places, *added_up))}) VALUES ({values}) {clash} {sets};"

    what = {
        "insert": added("NEW", ""),
        "delete": added("OLD", "-"),
        "update": f"{added('OLD', '-')} {added('NEW', '')}",
    }
    return [(event, quoted(f"{record.name}_{event}"), body) for event, body in what.items()]


def sequence_name(schema: str, sequence: str) -> str:
    """A sequence as the description names it, with its schema, quoted."""
    return quoted(*(sequence.split(".") if "." in sequence else [schema, sequence]))
