"""What a database says about its tables: columns, keys, lengths, references."""

from __future__ import annotations

import re
import warnings
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

import sqlalchemy as sa
from sqlalchemy import types
from sqlalchemy.exc import SAWarning, SQLAlchemyError

from kotrel.core.description.table_facts import ColumnFacts, ReferenceFacts, TableFacts
from kotrel.core.errors import OutOfReach
from kotrel.systems.sql.database import Database, quoted
from kotrel.systems.sql.database_journal import SCHEMA

OWN = ("kotrel_load", "kotrel_load_row", "sqlite_sequence")


def read_catalogue(database: Database, schema: str | None = None) -> list[TableFacts]:
    """The tables of a database, or of one of its schemas.

    Args:
        schema: the schema; None for all except the database's own.

    Raises:
        OutOfReach: the catalogue cannot be read.
    """
    driver = "postgresql+psycopg" if database.dialect == "postgresql" else "sqlite"
    engine = sa.create_engine(f"{driver}://", creator=lambda: database.connection, poolclass=sa.StaticPool)  # type: ignore[attr-defined]
    try:
        with warnings.catch_warnings():
            # Types that it does not know are said in the draft.
            warnings.simplefilter("ignore", SAWarning)
            found = list(_tables(sa.inspect(engine), database.dialect, schema, _partitions(database)))
    except SQLAlchemyError as error:
        words = str(error).splitlines()[0]
        raise OutOfReach(f"the database's catalogue cannot be read: {words}", "", "system-error") from None
    if database.dialect == "sqlite":
        # UNIQUE on a single column is only in SQLite's own list of indexes.
        return [replace(each, uniques=tuple(_sqlite_uniques(database, each.name))) for each in found]
    return _with_domains(database, found)


def _with_domains(database: Database, tables: list[TableFacts]) -> list[TableFacts]:
    """The tables with the lengths of columns whose type is a domain: those are said of the domain only."""
    rows = database.run(
        "SELECT n.nspname::text, c.relname::text, a.attname::text, t.typtypmod - 4 FROM pg_catalog.pg_attribute AS a "
        "JOIN pg_catalog.pg_type AS t ON t.oid = a.atttypid JOIN pg_catalog.pg_class AS c ON c.oid = a.attrelid "
        "JOIN pg_catalog.pg_namespace AS n ON n.oid = c.relnamespace "
        "WHERE t.typtype = 'd' AND t.typtypmod > 4 AND t.typbasetype IN ('varchar'::regtype, 'bpchar'::regtype)"
    )
    lengths = {(schema, table, column): length for schema, table, column, length in rows}
    return [
        replace(
            table,
            columns=tuple(
                replace(each, length=lengths.get((table.schema, table.name, each.name), each.length))
                for each in table.columns
            ),
        )
        for table in tables
    ]


def _partitions(database: Database) -> set[tuple[str | None, str]]:
    """The parts of partitioned tables: the whole stands for them."""
    if database.dialect != "postgresql":
        return set()
    rows = database.run(
        "SELECT n.nspname::text, c.relname::text FROM pg_catalog.pg_class AS c "
        "JOIN pg_catalog.pg_namespace AS n ON n.oid = c.relnamespace WHERE c.relispartition"
    )
    return {(schema, name) for schema, name in rows}


def _sqlite_uniques(database: Database, table: str) -> Iterator[tuple[str, ...]]:
    for _, name, unique, origin, partial in database.run(f"PRAGMA index_list({quoted(table)})"):
        columns = [column for _, _, column in database.run(f"PRAGMA index_info({quoted(name)})")]
        if unique and not partial and origin != "pk" and all(columns):
            yield tuple(columns)


def _tables(
    about: sa.Inspector, dialect: str, schema: str | None, parts: set[tuple[str | None, str]]
) -> Iterator[TableFacts]:
    if dialect == "postgresql":
        hidden = (SCHEMA, "information_schema")
        found = [name for name in about.get_schema_names() if name not in hidden and not name.startswith("pg_")]
        schemas: list[str | None] = [schema] if schema else list(found)
    else:
        schemas = [None]
    for each in schemas:
        for name in sorted(about.get_table_names(schema=each)):
            if name not in OWN and (each, name) not in parts:
                yield _table(about, name, each)


def _table(about: sa.Inspector, name: str, schema: str | None) -> TableFacts:
    primary = about.get_pk_constraint(name, schema=schema)["constrained_columns"]
    uniques = [tuple(each["column_names"]) for each in about.get_unique_constraints(name, schema=schema)]
    uniques += [
        tuple(str(column) for column in each["column_names"])
        for each in about.get_indexes(name, schema=schema)
        if each.get("unique")
        and all(each["column_names"])
        and not each.get("dialect_options", {}).get("postgresql_where")
    ]
    references = [
        ReferenceFacts(
            tuple(each["constrained_columns"]),
            each["referred_table"],
            tuple(each["referred_columns"]),
            each.get("referred_schema") or "",
        )
        for each in about.get_foreign_keys(name, schema=schema)
    ]
    checked = _choices(each["sqltext"] for each in about.get_check_constraints(name, schema=schema))
    columns = tuple(_column(each, checked) for each in about.get_columns(name, schema=schema))
    return TableFacts(name, schema or "", columns, tuple(primary), tuple(dict.fromkeys(uniques)), tuple(references))


def _choices(conditions: Iterable[str]) -> dict[str, tuple[str, ...]]:
    """Column → the words that a check such as ``state IN ('new', 'used')`` allows; other checks say nothing."""
    found: dict[str, tuple[str, ...]] = {}
    for condition in conditions:
        words = re.findall(r"'((?:[^']|'')*)'", condition)
        bare = re.sub(r"'(?:[^']|'')*'", "", condition)
        column = re.match(r'[\s(]*"?(\w+)"?[\s)]*(?:::\w+[\s\w]*)?[\s)]*(?:IN\s*\(|=\s*ANY)', bare, re.IGNORECASE)
        if column and words and not re.search(r"\b(?:AND|OR|NOT)\b", bare, re.IGNORECASE):
            found[column[1]] = tuple(dict.fromkeys(word.replace("''", "'") for word in words))
    return found


def views_of(database: Database, schema: str | None = None) -> list[str]:
    """The names of a database's views, or of one of its schemas."""
    if database.dialect == "sqlite":
        rows = database.run("SELECT name FROM sqlite_master WHERE type = 'view' ORDER BY name")
    else:
        rows = database.run(
            "SELECT n.nspname || '.' || c.relname FROM pg_catalog.pg_class AS c JOIN pg_catalog.pg_namespace AS n "
            "ON n.oid = c.relnamespace WHERE c.relkind IN ('v', 'm') AND n.nspname NOT LIKE 'pg\\_%' "
            "AND n.nspname <> 'information_schema' AND n.nspname = coalesce(?, n.nspname) ORDER BY 1",
            [schema],
        )
    return [str(name) for (name,) in rows]


def _column(each: Any, checked: Mapping[str, Sequence[str]]) -> ColumnFacts:
    identity = each.get("identity")
    made = bool(identity or each.get("computed")) or "nextval(" in str(each.get("default") or "")
    of = each["type"]
    # A domain is described as what it rests on.
    of = getattr(of, "data_type", of)
    kind, length, decimals = _kind(of)
    choices = tuple(of.enums or ()) if isinstance(of, types.Enum) else ()
    choices = choices or tuple(checked.get(each["name"], ()))
    remark = f"{of}: shown only" if kind == "other" else ""
    return ColumnFacts(
        name=each["name"],
        kind=kind,
        length=length,
        decimals=decimals,
        must=not each.get("nullable", True) and each.get("default") is None and not made,
        made=made,
        always_made=bool(each.get("computed")) or bool(identity and identity.get("always")),
        has_default=each.get("default") is not None,
        zoned=bool(getattr(of, "timezone", False)),
        choices=choices,
        remark=remark,
    )


def _kind(of: Any) -> tuple[str, int | None, int | None]:
    """The kind of a column, its length and its decimals."""
    if isinstance(of, types.Boolean):
        return "yes_no", None, None
    if isinstance(of, types.Integer):
        return "whole", None, 0
    if isinstance(of, types.Numeric | types.Float):
        return "decimal", None, getattr(of, "scale", None)
    if isinstance(of, types.DateTime | types.TIMESTAMP):
        return "moment", None, None
    if isinstance(of, types.Date):
        return "date", None, None
    if isinstance(of, types.Uuid):
        return "uuid", 36, None
    if isinstance(of, types.String):
        return "text", of.length, None
    return "other", None, None
