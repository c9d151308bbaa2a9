"""The journal's two tables, for a database that is to have one."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.dialects import mysql
from sqlalchemy.schema import CreateIndex, CreateSchema, CreateTable

from kotrel.core.changes.journal import ROW_COLUMNS
from kotrel.systems.sql.dialect import Dialect
from kotrel.systems.sql.outcome_pages import SPECIAL


def journal_statements(dialect: Dialect) -> list[str]:
    """The statements that create the journal."""
    # Its images of rows may be longer than MariaDB's plain texts.
    long = sa.Text().with_variant(mysql.LONGTEXT(), "mysql")
    metadata = sa.MetaData(schema=dialect.schema_of_journal())
    loads = sa.Table(
        dialect.in_journal("load")[1],
        metadata,
        sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("kind", long, nullable=False),
        sa.Column("at", long, nullable=False),
        sa.Column("who", long, nullable=False),
        sa.Column("files", long, nullable=False),
        sa.Column("fingerprint", long, nullable=False),
        sa.Column("remark", long, nullable=False),
        sa.Column("of", sa.Integer),
        sa.Column("undone_by", sa.Integer),
        sa.Column("parts", long, nullable=False),
        sa.Column("login", long, nullable=False),
        sa.Column("lines", sa.Integer),
        sa.Column("digest", long),
        sa.Column("chain", long),
    )
    rows = sa.Table(
        dialect.in_journal("load_row")[1],
        metadata,
        sa.Column("load", sa.Integer, sa.ForeignKey(loads.c.number), nullable=False),
        sa.Column("line", sa.Integer, nullable=False),
        *(sa.Column(name, long) for name in ("record", "file", "sheet")),
        sa.Column("row", sa.Integer),
        *(sa.Column(name, long) for name in ROW_COLUMNS[6:]),
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
