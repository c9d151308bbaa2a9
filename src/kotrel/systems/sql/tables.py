"""A description → tables with real constraints, for a system that Kotrel sets up itself."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import sqlalchemy as sa
from sqlalchemy.schema import CreateIndex, CreateSchema, CreateTable

from kotrel.core.description.model import Description, Field, Record
from kotrel.systems.sql.dialect import Dialect, literal, quoted
from kotrel.systems.sql.kept_balances import balance_statements
from kotrel.systems.sql.store import store_of


def create_statements(description: Description, dialect: Dialect) -> list[str]:
    """The statements that create a description's tables, in load order."""
    metadata = sa.MetaData(schema=dialect.own_schema(description.schema))
    tables = [_table(metadata, description, record, dialect) for record in description.in_load_order()]
    statements = []
    if metadata.schema:
        statements.append(dialect.compiled(CreateSchema(metadata.schema)))
    for table in tables:
        statements.append(dialect.compiled(CreateTable(table)))
        statements += [
            dialect.compiled(CreateIndex(index)) for index in sorted(table.indexes, key=lambda i: str(i.name))
        ]
    return [*statements, *balance_statements(description, dialect)]


def bare_statements(description: Description, dialect: Dialect) -> list[str]:
    """The statements that create a description's tables without keys and rules, for rows that nobody vouches for."""
    metadata = sa.MetaData()
    tables = [
        sa.Table(
            store_of(description, record, dialect).table,
            metadata,
            *(
                sa.Column(field.name, dialect.type_of(field))
                for field in record.fields.values()
                if field.from_ledger is None
            ),
            sa.Index(f"{record.name}_by_key", *record.key),
        )
        for record in description.records.values()
    ]
    statements = []
    for table in tables:
        statements.append(dialect.compiled(CreateTable(table)))
        statements += [dialect.compiled(CreateIndex(index)) for index in table.indexes]
    return statements


def _indexes(description: Description, record: Record) -> Iterator[sa.Index]:
    for group in record.also_known_by:
        if len(group) > 1:
            yield sa.Index(f"{record.name}_by_{'_'.join(group)}", *group)
    # Without an index, every removed item would need a search through the whole table. Short lists need none.
    for field in record.references:
        if field.name != record.key[0] and _is_long(description.records[str(field.to)], record):
            yield sa.Index(f"{record.name}_by_{field.name}", *field.within, field.name)


def _table(metadata: sa.MetaData, description: Description, record: Record, dialect: Dialect) -> sa.Table:
    columns = [_column(field, record, dialect) for field in record.fields.values() if field.from_ledger is None]
    if record.nature == "balance":
        return sa.Table(store_of(description, record, dialect).table, metadata, *columns)
    unique = [field for field in record.fields.values() if field.unique]
    return sa.Table(
        store_of(description, record, dialect).table,
        metadata,
        *columns,
        sa.PrimaryKeyConstraint(*record.key),
        *_references(metadata, description, record),
        *_rules(record, dialect),
        *(sa.UniqueConstraint(field.name) for field in unique if field.kind != "list"),
        *(sa.UniqueConstraint(*group) for group in record.unique_together),
        *_indexes(description, record),
        # All lists of values that must be unique are read, even for a small sheet: few rows have one.
        *(_of_filled(record, field) for field in unique if field.kind == "list"),
    )


def _of_filled(record: Record, field: Field) -> sa.Index:
    filled = sa.text(f"{quoted(field.name)} IS NOT NULL")
    return sa.Index(
        f"{record.name}_with_{field.name}",
        *(name for name in (*record.key, field.name)),
        sqlite_where=filled,
        postgresql_where=filled,
        mysql_length={field.name: 100},
    )


def _is_long(target: Record, record: Record) -> bool:
    """True for lists that may be long: those that refer to others themselves, and the record's own."""
    return target.name == record.name or any(field.to != target.name for field in target.references)


def _column(field: Field, record: Record, dialect: Dialect) -> sa.Column[Any]:
    needed = (field.name in record.key and record.nature != "balance") or field.must in ("always", "new")
    return sa.Column(field.name, dialect.type_of(field), nullable=not needed)


def _references(metadata: sa.MetaData, description: Description, record: Record) -> Iterator[sa.ForeignKeyConstraint]:
    schema = f"{metadata.schema}." if metadata.schema else ""
    for field in record.references:
        target = description.records[str(field.to)]
        yield sa.ForeignKeyConstraint(
            [*field.within, field.name], [f"{schema}{target.name}.{name}" for name in target.key]
        )


def _rules(record: Record, dialect: Dialect) -> Iterator[sa.CheckConstraint]:
    for field in record.fields.values():
        column: sa.ColumnClause[Any] = sa.column(field.name)
        scale = dialect.scale(field) if field.is_decimal else 1
        rules: list[tuple[str, sa.ColumnElement[bool]]] = []
        if field.from_ledger is not None:
            continue
        if field.least is not None:
            rules.append(("least", column >= sa.literal_column(str(field.least * scale))))
        if field.most is not None:
            rules.append(("most", column <= sa.literal_column(str(field.most * scale))))
        if field.length is not None:
            rules.append(("length", getattr(sa.func, dialect.length)(column) <= sa.literal_column(str(field.length))))
        if field.choices:
            rules.append(("choice", column.in_([sa.literal_column(literal(choice)) for choice in field.choices])))
        if field.kind == "yes_no" and dialect.yes_no_as_number:
            rules.append(("yes_no", column.in_([sa.literal_column("0"), sa.literal_column("1")])))
        for rule, condition in rules:
            yield sa.CheckConstraint(condition, name=f"{record.name}_{field.name}_{rule}")
    for index, group in enumerate(record.together, start=1):
        columns: list[sa.ColumnClause[Any]] = [sa.column(name) for name in group]
        first, others = columns[0], columns[1:]
        same = sa.and_(*((first.is_(None)) == (other.is_(None)) for other in others))
        yield sa.CheckConstraint(same, name=f"{record.name}_together_{index}")
    for index, group in enumerate(record.exactly_one, start=1):
        columns = [sa.column(name) for name in group]
        filled: sa.ColumnElement[Any] = sa.literal_column("0")
        for column in columns:
            filled = filled + sa.case((column.is_(None), sa.literal_column("0")), else_=sa.literal_column("1"))
        yield sa.CheckConstraint(filled == sa.literal_column("1"), name=f"{record.name}_one_of_{index}")
    for low, high in record.in_order:
        yield sa.CheckConstraint(sa.column(low) <= sa.column(high), name=f"{record.name}_{low}_before_{high}")
