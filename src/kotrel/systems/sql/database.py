"""One open database: statements, bulk reading and writing, transactions. One subclass for each kind of database."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, contextmanager
from typing import TYPE_CHECKING, Any

import polars as pl
from msgspec import Struct

from kotrel.core.description.model import Field
from kotrel.systems.sql.dialect import Dialect, quoted

if TYPE_CHECKING:
    from kotrel.core.description.table_facts import TableFacts

NOTHING: Mapping[str, Any] = {}
NEVER_BLANK = "'.'"
"""A second column to read beside a single one: a CSV reader would skip its blank lines."""


class ColumnNow(Struct, frozen=True):
    """A column of a table as it is now.

    Attributes:
        type: as the database writes it in SQL.
        default: SQL that gives its default, or None.
        generated: True where the database alone fills it.
    """

    type: str
    default: str | None = None
    generated: bool = False


class RowRefused(Exception):
    """The database refused to store something; the message is the database's own, on one line."""


class Database(ABC):
    """An open connection. Statements are written with ``?`` for bound values."""

    dialect: Dialect
    """What this kind of database calls things and can do."""

    @property
    @abstractmethod
    def driver_connection(self) -> Any:
        """The connection as its driver gives it, for what reads the catalogue."""

    @abstractmethod
    def run(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        """Runs one statement and returns its rows."""

    @abstractmethod
    def run_counting(self, statement: str, values: Sequence[Any] = ()) -> int:
        """Runs one statement and returns how many rows it touched."""

    @abstractmethod
    def frame(
        self,
        columns: Sequence[str],
        names: Sequence[str],
        rest: str,
        values: Sequence[Any] = (),
        direct: Mapping[str, tuple[str, Field]] = NOTHING,
        whole: str = "",
    ) -> pl.DataFrame:
        """Reads in bulk: ``SELECT columns rest`` as String columns.

        Args:
            columns: SQL expressions that give canonical text or NULL.
            names: names of the columns in the frame.
            rest: from FROM on.
            direct: name → the table's column and its field, where the value is stored as our own tables store it: a
                database may read that column instead, where that is quicker.
            whole: the name of the table, ``t`` in ``rest``, where most of its rows are wanted and nothing is bound:
                a database may read it a stretch at a time.
        """

    @abstractmethod
    def insert(
        self, table: str, columns: Sequence[str], frame: pl.DataFrame, forms: Sequence[str] | None = None
    ) -> None:
        """Writes in bulk: all rows of a frame, in its order.

        Args:
            table: quoted name.
            columns: column names, unquoted.
            frame: as many columns, in the same order.
            forms: SQL that turns the bound text ``?`` into the stored form, where the database does not.
        """

    @abstractmethod
    def as_text(self, column: str, field: Field, plain: bool = False) -> str:
        """SQL that gives a stored column (quoted) as canonical text.

        Args:
            plain: True for tables that Kotrel did not create: extra decimals are shown, never
                rounded away.
        """

    @abstractmethod
    def as_stored(self, text: str, field: Field, plain: bool = False) -> str:
        """SQL that gives the stored form of canonical text (an SQL expression)."""

    @abstractmethod
    def scaled_text(self, column: str, field: Field) -> str:
        """The same of a whole number that is so many times the value (``scale`` of the field)."""

    @abstractmethod
    def scaled_stored(self, text: str, field: Field) -> str:
        """SQL that gives such a whole number from canonical text."""

    @abstractmethod
    def in_type_of(self, schema: str, table: str, column: str, text: str) -> str:
        """SQL that gives a canonical text in the type of a column, so that both are compared by its index;
        empty where none can be told.
        """

    def keeps_numbers(self, table: str, column: str) -> bool:
        """True for a column (quoted, as its table) without a type that holds numbers only:
        SQLite alone has such columns.
        """
        return False

    @abstractmethod
    def raw(self, column: str) -> str:
        """SQL that gives a stored value exactly, as a text: a letter for its type, then the database's own text."""

    @abstractmethod
    def from_raw(self, text: str, about: ColumnNow) -> str:
        """SQL that gives the value again from the text that :meth:`raw` gave."""

    @abstractmethod
    def brings_back(self, column: str, stored: str, about: ColumnNow) -> str:
        """SQL condition: storing ``stored`` would leave exactly what the column holds."""

    @abstractmethod
    def columns_of(self, schema: str, table: str) -> dict[str, ColumnNow]:
        """The columns of a table, by name."""

    @abstractmethod
    def acts_by_itself(self, schema: str, table: str, harmless: Collection[str] = ()) -> bool:
        """True where the table has triggers, rules or policies, so that what comes out may differ from what is sent.

        Args:
            harmless: names of triggers that leave the rows as they are.
        """

    @abstractmethod
    def insert_naming(self, statement: str, table: str, texts: Sequence[str]) -> list[tuple[str, ...]]:
        """Runs an insertion and says what came of each row, in order, after defaults and triggers.

        Args:
            statement: inserts rows ``i``.
            table: quoted name.
            texts: SQL of what is wanted of each row ``i``.
        """

    def same(self, one: str, other: str, field: Field) -> str:
        """SQL condition: two stored values of a field are the same, to the last letter; an index of the first helps."""
        return f"{one} = {other}"

    def exactly(self, column: str, field: Field) -> str:
        """SQL for a column by whose values rows are put together: what differs in a letter stays apart."""
        return column

    def update_from(
        self, table: str, sets: Sequence[tuple[str, str]], source: str, where: str, values: Sequence[Any] = ()
    ) -> int:
        """Changes rows ``t`` of a table from rows ``s`` of another; how many.

        Args:
            sets: columns (quoted), each with the SQL of its new value.
        """
        changes = ", ".join(f"{column} = {value}" for column, value in sets)
        return self.run_counting(f"UPDATE {table} AS t SET {changes} FROM {source} AS s WHERE {where}", values)

    def delete_matching(
        self, table: str, source: str, where: str, same_key: str, mine: str, key: Sequence[tuple[str, str]]
    ) -> int:
        """Removes the rows ``t`` of a table that rows ``s`` of another name; how many.

        Args:
            where: which of those.
            mine: further conditions on ``t``, each with AND before it.
            key: the columns of the key, each in both.
        """
        if self.dialect.removes_by_list:
            own, theirs = ", ".join(f"t.{column}" for column, _ in key), ", ".join(column for _, column in key)
            return self.run_counting(
                f"DELETE FROM {table} AS t WHERE ({own}) IN (SELECT {theirs} FROM {source} AS s WHERE {where}){mine}"
            )
        return self.run_counting(
            f"DELETE FROM {table} AS t WHERE EXISTS (SELECT 1 FROM {source} AS s WHERE {where} AND {same_key}){mine}"
        )

    def create_stage(
        self, name: str, schema: str, table: str, typed: Mapping[str, str], texts: Sequence[str], flags: Sequence[str]
    ) -> None:
        """Makes an empty temporary table for staged rows, with ``line`` and ``action``; it goes with the transaction.

        Args:
            name: without its schema.
            typed: columns (unquoted) → the column of the table whose type each has.
            texts, flags: further columns (unquoted), for texts of any length, and for yes or no.
        """
        columns = [f"s.{quoted(column)} AS {quoted(each)}" for each, column in typed.items()]
        columns += [f"CAST(NULL AS text) AS {quoted(each)}" for each in texts]
        columns += [f"CAST(NULL AS boolean) AS {quoted(each)}" for each in flags]
        self.run(
            f"CREATE TEMP TABLE {name} ON COMMIT DROP AS "
            f"SELECT 0 AS line, '' AS action, {', '.join(columns)} FROM {quoted(schema, table)} AS s LIMIT 0"
        )

    def look_at_stage(self, name: str, select: str) -> None:
        """Gives a name to rows that are calculated from a stage; see :meth:`renew_stage`."""
        self.run(f"CREATE TEMP VIEW {name} AS {select}")

    def renew_stage(self, name: str, select: str) -> None:
        """Works those rows out anew, where they are not a view."""
        return

    def analyse(self, table: str) -> None:
        """Lets the planner know how many rows a stage has."""
        self.run(f"ANALYZE {table}")

    def staged_values(self, rows: pl.DataFrame, fields: Mapping[str, Field]) -> pl.DataFrame:
        """Staged texts as the types of their columns read them.

        Args:
            fields: column → its field.
        """
        return rows

    def require_transactions(self, schema: str, table: str) -> None:
        """Makes sure that a change of a table can be taken back before it is kept.

        Raises:
            OutOfReach: it cannot.
        """
        return

    @contextmanager
    def references_at_once(self, table: str) -> Iterator[None]:
        """Lets the database check references to many rows that are removed at once, where it can;
        in our own tables only.
        """
        yield

    @abstractmethod
    def drop_temporary(self, *names: str) -> None:
        """Drops temporary tables and views, those that exist, with what depends on them."""

    @abstractmethod
    def schemas_to_read(self, schema: str | None) -> list[str | None]:
        """The schemas that the catalogue is read of: the one that is named, or all but the database's own."""

    @abstractmethod
    def left_out_of_catalogue(self) -> set[tuple[str | None, str]]:
        """Schema and name of tables that are none of the users':
        its own, ours, and parts of a table that stands for them.
        """

    @abstractmethod
    def completed(self, tables: Sequence[TableFacts]) -> list[TableFacts]:
        """Tables as SQLAlchemy describes them, with what it does not say."""

    @abstractmethod
    def written_by_triggers(self, schema: str, table: str) -> set[str]:
        """The columns of a table that its own triggers write."""

    @abstractmethod
    def views(self, schema: str | None = None) -> list[str]:
        """The names of its views, or of those of one of its schemas."""

    @abstractmethod
    def among(self, column: str, values: Iterable[str]) -> tuple[str, list[Any]]:
        """A condition "column is one of the values" and what to bind."""

    @abstractmethod
    def looking(self) -> AbstractContextManager[None]:
        """A transaction in which all reads see the same moment."""

    @abstractmethod
    def changing(self) -> AbstractContextManager[None]:
        """A transaction that excludes other loads; kept if it ends without an exception."""

    @abstractmethod
    def check_deferred(self) -> None:
        """Checks the constraints that the database would check only at the end of the transaction.

        Raises:
            RowRefused: one is broken.
        """

    @contextmanager
    def trying(self) -> Iterator[None]:
        """A part of a transaction that is always rolled back."""
        self.run("SAVEPOINT trying")
        try:
            yield
        finally:
            self.run("ROLLBACK TO SAVEPOINT trying")
            self.run("RELEASE SAVEPOINT trying")

    @abstractmethod
    def settle(self) -> None:
        """Waits until a load in progress is over, also one whose client is gone while the server still commits."""

    @abstractmethod
    def login(self) -> str:
        """The database's own name of the user, or an empty text where it has none."""

    @abstractmethod
    def has_table(self, schema: str, table: str) -> bool:
        """True where the table exists."""

    def create(self, statements: Iterable[str]) -> None:
        """Runs the statements that create tables, all or none."""
        with self.changing():
            for statement in statements:
                self.run(statement)

    @abstractmethod
    def close(self) -> None:
        """Closes the connection."""
