"""What SQLAlchemy does not say of PostgreSQL's tables: parts of tables, lengths of domains, views."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any

from msgspec.structs import replace

from kotrel.core.description.table_facts import TableFacts

Run = Callable[..., list[tuple[Any, ...]]]
"""Runs a statement with bound values and returns its rows."""


def schemas(run: Run) -> list[str]:
    """The schemas that hold people's tables, in alphabetical order."""
    rows = run(
        "SELECT nspname::text FROM pg_catalog.pg_namespace "
        "WHERE nspname NOT LIKE 'pg\\_%' AND nspname <> 'information_schema' ORDER BY 1"
    )
    return [name for (name,) in rows]


def parts_of_tables(run: Run) -> set[tuple[str | None, str]]:
    """Schema and name of the parts of partitioned tables: the whole stands for them."""
    rows = run(
        "SELECT n.nspname::text, c.relname::text FROM pg_catalog.pg_class AS c "
        "JOIN pg_catalog.pg_namespace AS n ON n.oid = c.relnamespace WHERE c.relispartition"
    )
    return {(schema, name) for schema, name in rows}


def completed(run: Run, tables: Sequence[TableFacts]) -> list[TableFacts]:
    """The tables with the lengths of columns whose type is a domain: only the domain has them."""
    rows = run(
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


def written_by_triggers(run: Run, schema: str, table: str) -> set[str]:
    """The columns that the functions of a table's triggers give a value: ``NEW.column := …``."""
    rows = run(
        "SELECT p.prosrc FROM pg_catalog.pg_trigger AS t JOIN pg_catalog.pg_proc AS p ON p.oid = t.tgfoid "
        "JOIN pg_catalog.pg_class AS c ON c.oid = t.tgrelid JOIN pg_catalog.pg_namespace AS n ON n.oid = c.relnamespace "
        "WHERE NOT t.tgisinternal AND n.nspname = ? AND c.relname = ?",
        [schema, table],
    )
    return {
        name for (source,) in rows for name in re.findall(r"\bNEW\.\"?(\w+)\"?\s*:?=[^=]", str(source), re.IGNORECASE)
    }


def views(run: Run, schema: str | None) -> list[str]:
    """The names of the views, with their schema."""
    rows = run(
        "SELECT n.nspname || '.' || c.relname FROM pg_catalog.pg_class AS c JOIN pg_catalog.pg_namespace AS n "
        "ON n.oid = c.relnamespace WHERE c.relkind IN ('v', 'm') AND n.nspname NOT LIKE 'pg\\_%' "
        "AND n.nspname <> 'information_schema' AND n.nspname = coalesce(?, n.nspname) ORDER BY 1",
        [schema],
    )
    return [str(name) for (name,) in rows]
