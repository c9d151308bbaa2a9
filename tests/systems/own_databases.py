"""Small databases with rules of their own, for several tests."""

from __future__ import annotations

import contextlib
import sqlite3
import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path

import psycopg

from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.row_comparison import compare
from kotrel.core.description.description_reading import read_description
from kotrel.core.rows.findings import cells_of
from kotrel.core.rows.rows import Rows
from kotrel.loading.loads.undoing import undo_load
from kotrel.systems.interface import Refused
from kotrel.systems.sql import journal_tables
from kotrel.systems.sql.database_system import SqlSystem
from kotrel.systems.sql.postgresql import PostgresDatabase
from kotrel.systems.sql.postgresql_dialect import POSTGRESQL
from kotrel.systems.sql.sqlite import SqliteDatabase
from kotrel.systems.sql.sqlite_dialect import SQLITE
from tests.builders import columns_of, rows_of, values_of
from tests.support import postgres_url


class NewSqlite(unittest.TestCase):
    """An empty SQLite database in a temporary folder: ``self.path``, and open as ``self.database``."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.db"
        self.database = SqliteDatabase(self.path, create=True)
        self.addCleanup(self.database.close)


STAMP = Stamp(datetime(2026, 1, 1, tzinfo=UTC), "me", ("f.csv",), "0" * 64)
TEXT = """
[system]
decimals = "plain"
[record.goods]
key = ["no"]
store = { yes_no = ["Y", "N"] }
[record.goods.field]
no = { kind = "code", must = "always" }
title = { kind = "text" }
seen = { kind = "date" }
sold = { kind = "yes_no" }
price = { kind = "money", decimals = 2 }
weight = { kind = "number", decimals = 1 }
note = { kind = "text" }
above = { kind = "code" }
"""
GOODS = """CREATE TABLE goods (no varchar(20) PRIMARY KEY, title varchar(40), seen {moment}, sold char(1), price numeric,
  weight {real}, note text NOT NULL DEFAULT 'n/a', above varchar(20) REFERENCES goods (no) DEFERRABLE INITIALLY DEFERRED,
  undescribed {moment})"""
DESCRIPTION = read_description(TEXT)
FIELDS = ("no", "title", "seen", "sold", "price", "weight", "note", "above")


def rows(*lines: dict[str, str | None]) -> Rows:
    names = [name for name in FIELDS if any(name in line for line in lines)]
    return rows_of(DESCRIPTION.records["goods"], values_of(columns_of(lines, names)))


class Fixture:
    """Loads and undoes, whatever the kind of database."""

    system: SqlSystem

    def run_sql(self, statement: str) -> list[tuple]:
        raise NotImplementedError

    def everything(self) -> list[tuple]:
        raise NotImplementedError

    def load(self, *lines, wrong=()):
        """Loads the lines; those whose rows are wrong have an error in the sheet."""
        sheet = rows(*lines)
        if wrong:
            sheet = sheet.with_findings([sheet.group("error", "e", "t", "no", cells_of(wrong, None, "no"))])
        with self.system.writing() as writing:
            change = compare(sheet, writing.read("goods", sheet.fields))
            self.told = writing.replaced_otherwise(change)
            return writing.take(Plan((change,), STAMP), lambda step: None)

    def undo(self, number):
        with tempfile.TemporaryDirectory() as folder:
            return undo_load(self.system, number, "me", "", STAMP.at, lambda step: None, Path(folder))

    def refused(self, *lines, wrong=()):
        before = self.everything()
        with self.assertRaises(Refused) as caught:
            self.load(*lines, wrong=wrong)
        self.assertEqual((self.everything(), self.system.history()), (before, []))
        return {each.key: each.message for each in caught.exception.refusals}


class SqliteFixture(Fixture, unittest.TestCase):
    """A SQLite database with one table, and the rules that tests give it."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "own.db"
        with contextlib.closing(SqliteDatabase(self.path, create=True)) as database:
            database.create([GOODS.format(moment="datetime", real="real"), *journal_tables.journal_statements(SQLITE)])
        self.system = SqlSystem(lambda: SqliteDatabase(self.path), DESCRIPTION, "own")

    def run_sql(self, statement, values=()):
        with contextlib.closing(sqlite3.connect(self.path)) as database, database:
            return database.execute(statement, values).fetchall()

    def everything(self):
        columns = ", ".join(f"typeof({name}) || quote({name})" for name in (*FIELDS, "undescribed"))
        return self.run_sql(f"SELECT {columns} FROM goods ORDER BY no")

    def fill(self, *lines):
        for line in lines:
            self.run_sql(f"INSERT INTO goods VALUES ({', '.join('?' * 9)})", line)

    def round_prices(self):
        for when in ("INSERT", "UPDATE OF price"):
            self.run_sql(
                f"CREATE TRIGGER round_{when[:3]} AFTER {when} ON goods WHEN NEW.price <> round(NEW.price) "
                "BEGIN UPDATE goods SET price = round(price), undescribed = 'now' WHERE no = NEW.no; END"
            )

    def change_titles(self):
        for when in ("INSERT", "UPDATE OF price"):
            self.run_sql(
                f"CREATE TRIGGER title_{when[:3]} AFTER {when} ON goods BEGIN UPDATE goods SET title = 'changed' WHERE no = NEW.no; END"
            )

    def upper_keys(self):
        self.run_sql(
            "CREATE TRIGGER up AFTER INSERT ON goods WHEN NEW.no <> upper(NEW.no) "
            "BEGIN UPDATE goods SET no = upper(no) WHERE no = NEW.no; END"
        )

    def take_away(self, code):
        self.run_sql(
            f"CREATE TRIGGER gone AFTER INSERT ON goods WHEN NEW.no = '{code}' BEGIN DELETE FROM goods WHERE no = '{code}'; END"
        )

    def leave_out(self, code):
        self.run_sql(
            f"CREATE TRIGGER out BEFORE INSERT ON goods WHEN NEW.no = '{code}' BEGIN SELECT RAISE(IGNORE); END"
        )


class PostgresFixture(Fixture, unittest.TestCase):
    """The same on PostgreSQL."""

    @classmethod
    def setUpClass(cls):
        cls.url = postgres_url()

    def setUp(self):
        with psycopg.connect(self.url, autocommit=True) as connection:
            connection.execute("DROP SCHEMA IF EXISTS kotrel CASCADE")
            connection.execute("DROP TABLE IF EXISTS goods CASCADE")
            connection.execute(GOODS.format(moment="timestamp", real="double precision").encode())
            for statement in journal_tables.journal_statements(POSTGRESQL):
                connection.execute(statement.encode())
        self.system = SqlSystem(lambda: PostgresDatabase(self.url, "own"), DESCRIPTION, "own")

    def run_sql(self, statement, values=()):
        with psycopg.connect(self.url, autocommit=True) as connection:
            cursor = connection.execute(statement.encode(), values)
            return cursor.fetchall() if cursor.description else []

    def everything(self):
        columns = ", ".join(f"{name}::text" for name in (*FIELDS, "undescribed"))
        return self.run_sql(f"SELECT {columns} FROM goods ORDER BY no")

    def fill(self, *lines):
        for line in lines:
            self.run_sql(f"INSERT INTO goods VALUES ({', '.join(['%s'] * 9)})", line)

    def before_trigger(self, name, body, when="INSERT OR UPDATE"):
        self.run_sql(f"CREATE OR REPLACE FUNCTION {name}() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN {body} END $$")
        self.run_sql(f"CREATE TRIGGER {name} BEFORE {when} ON goods FOR EACH ROW EXECUTE FUNCTION {name}()")

    def round_prices(self):
        self.before_trigger("rounding", "IF NEW.price <> round(NEW.price) THEN NEW.price := round(NEW.price); END IF; NEW.undescribed := now(); RETURN NEW;")  # fmt: skip

    def change_titles(self):
        self.before_trigger("titling", "NEW.title := 'changed'; RETURN NEW;")

    def upper_keys(self):
        self.before_trigger("uppering", "NEW.no := upper(NEW.no); RETURN NEW;", "INSERT")

    def take_away(self, code):
        self.before_trigger("gone", f"DELETE FROM public.goods WHERE no = '{code}'; RETURN NEW;", "INSERT")
        self.run_sql("DROP TRIGGER gone ON goods")
        self.run_sql("CREATE TRIGGER gone AFTER INSERT ON goods FOR EACH ROW EXECUTE FUNCTION gone()")

    def leave_out(self, code):
        self.before_trigger("leaving", f"IF NEW.no = '{code}' THEN RETURN NULL; END IF; RETURN NEW;")
