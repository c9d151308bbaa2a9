"""The journal's two tables, for a database that is to have one."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.schema import CreateIndex, CreateSchema, CreateTable

from kotrel.core.changes.journal import ROW_COLUMNS
from kotrel.systems.sql.dialect import Dialect
from kotrel.systems.sql.outcome_pages import SPECIAL


def create_statements(dialect: Dialect) -> list[str]:
    """The statements that create the journal."""
    metadata = sa.MetaData(schema=dialect.schema_of_journal())
    loads = sa.Table(
        dialect.in_journal("load")[1],
        metadata,
        sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("at", sa.Text, nullable=False),
        sa.Column("who", sa.Text, nullable=False),
        sa.Column("files", sa.Text, nullable=False),
        sa.Column("fingerprint", sa.Text, nullable=False),
        sa.Column("remark", sa.Text, nullable=False),
        sa.Column("of", sa.Integer),
        sa.Column("undone_by", sa.Integer),
        sa.Column("parts", sa.Text, nullable=False),
        sa.Column("login", sa.Text, nullable=False),
        sa.Column("lines", sa.Integer),
        sa.Column("digest", sa.Text),
        sa.Column("chain", sa.Text),
    )
    rows = sa.Table(
        dialect.in_journal("load_row")[1],
        metadata,
        sa.Column("load", sa.Integer, sa.ForeignKey(loads.c.number), nullable=False),
        sa.Column("line", sa.Integer, nullable=False),
        *(sa.Column(name, sa.Text) for name in ("record", "file", "sheet")),
        sa.Column("row", sa.Integer),
        *(sa.Column(name, sa.Text) for name in ROW_COLUMNS[6:]),
        sa.PrimaryKeyConstraint("load", "line"),
    )
    schema = [dialect.compiled(CreateSchema(metadata.schema, if_not_exists=True))] if metadata.schema else []
    # Few rows are refused or have a warning, and they are looked for first.
    special = sa.Index(
        "kotrel_load_row_special",
        rows.c.load,
        rows.c.line,
        sqlite_where=sa.text(SPECIAL),
        postgresql_where=sa.text(SPECIAL),
    )
    return [
        *schema,
        *(dialect.compiled(each) for each in (CreateTable(loads), CreateTable(rows), CreateIndex(special))),
    ]
