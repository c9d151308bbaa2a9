"""What a PostgreSQL says of its tables, drafted, and loaded as drafted."""

from __future__ import annotations

import unittest
from contextlib import closing
from datetime import UTC, datetime

import polars as pl
import psycopg

from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.row_comparison import compare
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.description.drafting import draft_description
from kotrel.systems.sql import journal_tables
from kotrel.systems.sql.catalogue import read_catalogue
from kotrel.systems.sql.database_system import SqlSystem
from kotrel.systems.sql.postgresql import PostgresDatabase
from kotrel.systems.sql.postgresql_dialect import POSTGRESQL
from tests.builders import rows_of
from tests.support import postgres_url

TABLES = """
CREATE SCHEMA erp; CREATE SCHEMA old;
CREATE TYPE erp.state AS ENUM ('new', 'used');
CREATE DOMAIN erp.item_code AS varchar(12) CHECK (VALUE <> '');
CREATE TABLE erp.maker (id uuid PRIMARY KEY, "Name" text NOT NULL);
CREATE TABLE erp.goods (code erp.item_code PRIMARY KEY, state erp.state NOT NULL DEFAULT 'new', maker uuid REFERENCES erp.maker,
  weight real, price double precision, made timestamptz DEFAULT now(), spot point);
CREATE TABLE old.goods (code varchar(12) PRIMARY KEY, now varchar(12) REFERENCES erp.goods);
CREATE TABLE erp.moves (number integer, year integer, PRIMARY KEY (number, year)) PARTITION BY LIST (year);
CREATE TABLE erp.moves_2026 PARTITION OF erp.moves FOR VALUES IN (2026);
CREATE VIEW erp.seen AS SELECT code FROM erp.goods;
"""
MAKER = "6f9619ff-8b86-d011-b42d-00cf4fc964ff"


class Catalogue(unittest.TestCase):
    def tidy_up(self, url):
        with closing(psycopg.connect(url, autocommit=True)) as connection:
            connection.execute("DROP SCHEMA erp, old, kotrel CASCADE")

    def test_tables_of_every_kind_are_drafted_and_take_loads_as_drafted(self):
        url = postgres_url()
        with closing(psycopg.connect(url, autocommit=True)) as connection:
            connection.execute(TABLES)
            for statement in ("DROP SCHEMA IF EXISTS kotrel CASCADE", *journal_tables.journal_statements(POSTGRESQL)):
                connection.execute(statement.encode())
        self.addCleanup(self.tidy_up, url)
        with closing(PostgresDatabase(url, "erp")) as database:
            text = draft_description([*read_catalogue(database, "erp"), *read_catalogue(database, "old")])
        read = read_description(text)
        self.assertEqual(
            sorted(read.records), ["goods", "goods_2", "maker", "moves"], "partitions once, views not at all"
        )
        goods = read.records["goods"].fields
        self.assertEqual(
            (goods["code"].length, goods["state"].choices, goods["maker"].to), (12, ("new", "used"), "maker")
        )
        self.assertEqual((goods["weight"].kind, goods["price"].kind), ("number", "money"))
        self.assertTrue(goods["made"].is_kept and goods["spot"].is_kept)
        self.assertEqual(goods["state"].must, "may", "it has a default")
        self.assertEqual(
            (read.records["goods_2"].storage.schema, read.records["goods_2"].fields["now"].to), ("old", "goods")
        )
        system = SqlSystem(lambda: PostgresDatabase(url, "erp"), read, "erp")
        with system.writing() as writing:
            changes = []
            for name, given in (
                ("maker", {"id": MAKER, "name": "Keldrift"}),
                ("goods", {"code": "A-1", "maker": MAKER, "weight": "1.5000", "state": None}),
                ("goods_2", {"code": "X", "now": "A-1"}),
            ):
                values = pl.DataFrame(
                    {
                        ROW: pl.Series([2], dtype=pl.UInt32),
                        **{k: pl.Series([v], dtype=pl.String) for k, v in given.items()},
                    }
                )
                sheet = rows_of(read.records[name], values)
                changes.append(compare(sheet, writing.read(name, list(given))))
            writing.take(
                Plan(tuple(changes), Stamp(datetime(2026, 1, 1, tzinfo=UTC), "me", ("f",), "0")), lambda step: None
            )
        with closing(psycopg.connect(url)) as connection:
            found = connection.execute(
                'SELECT g.code, g.state::text, m."Name", g.weight, o.code FROM erp.goods g JOIN erp.maker m ON m.id = g.maker JOIN old.goods o ON o.now = g.code'
            ).fetchall()
        self.assertEqual(found, [("A-1", "new", "Keldrift", 1.5, "X")])
