"""Databases with rules of their own: values we cannot show whole, defaults, triggers, deferred constraints, policies."""

from __future__ import annotations

import contextlib
import sqlite3
import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path

import polars as pl
import psycopg
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from kotrel.core.changes.change_set import compare
from kotrel.core.changes.journal import Stamp
from kotrel.core.columns import ROW
from kotrel.core.description.reading import read_description
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.table import Table
from kotrel.stages.undoing import undo_load
from kotrel.stages.verifying import verify_load
from kotrel.systems.interface import Refused
from kotrel.systems.sql import journal_tables
from kotrel.systems.sql.postgresql import PostgresDatabase
from kotrel.systems.sql.refusals import VANISHED
from kotrel.systems.sql.sqlite import SqliteDatabase
from kotrel.systems.sql.system import SqlSystem
from tests.support import postgres_url

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
GOODS = """CREATE TABLE goods (no varchar(20) PRIMARY KEY, title varchar(40), seen {moment}, sold char(1), price numeric(12, 4),
  weight {real}, note text NOT NULL DEFAULT 'n/a', above varchar(20) REFERENCES goods (no) DEFERRABLE INITIALLY DEFERRED,
  undescribed {moment})"""
DESCRIPTION = read_description(TEXT)
FIELDS = ("no", "title", "seen", "sold", "price", "weight", "note", "above")


def rows(*lines: dict[str, str | None]) -> Rows:
    names = [name for name in FIELDS if any(name in line for line in lines)]
    values = pl.DataFrame(
        {ROW: pl.Series(range(2, len(lines) + 2), dtype=pl.UInt32)}
        | {name: pl.Series([line.get(name) for line in lines], dtype=pl.String) for name in names}
    )
    return Rows(Table("t.csv", "", 1, (), values.select(ROW), {}), DESCRIPTION.records["goods"], {}, values)


class Fixture:
    """Loads and undoes, whatever the kind of database."""

    system: SqlSystem

    def run_sql(self, statement: str) -> list[tuple]:
        raise NotImplementedError

    def everything(self) -> list[tuple]:
        raise NotImplementedError

    def load(self, *lines):
        sheet = rows(*lines)
        with self.system.writing() as writing:
            change = compare(sheet, writing.read("goods", sheet.fields))
            self.told = writing.replaced_otherwise(change)
            return writing.apply([change], STAMP, lambda step: None)

    def undo(self, number):
        with tempfile.TemporaryDirectory() as folder:
            return undo_load(self.system, number, "me", "", STAMP.at, lambda step: None, Path(folder))

    def refused(self, *lines):
        before = self.everything()
        with self.assertRaises(Refused) as caught:
            self.load(*lines)
        self.assertEqual((self.everything(), self.system.history()), (before, []))
        return {each.key: each.message for each in caught.exception.refusals}


class Own(Fixture):
    """What both kinds of database do alike."""

    SHOWN_OTHERWISE: list[tuple] = []

    def test_only_what_a_row_changes_is_written(self):
        self.fill(("A", "a", "2026-01-02 03:04:05", "?", "1.2345", "0.1", "", None, "2020-01-01 01:01:01"),
                  ("B", "b", "2026-01-02 03:04:05", "Y", "1.2345", "0.1", "x", None, None))  # fmt: skip
        before = self.everything()
        # B gets another day, word and price; A only another title.
        done = self.load(
            {"no": "A", "title": "new"}, {"no": "B", "seen": "2026-02-01", "sold": "no", "price": "2.00", "note": "y"}
        )
        self.assertEqual(self.told, self.SHOWN_OTHERWISE)
        after = self.everything()
        self.assertEqual(
            [value for n, value in enumerate(after[0]) if n != 1],
            [value for n, value in enumerate(before[0]) if n != 1],
        )
        self.assertTrue(verify_load(self.system, done.number, lambda step: None).ok)
        self.assertEqual(self.undo(done.number).in_the_way, ())
        self.assertEqual(self.everything(), before)

    cells = st.fixed_dictionaries(
        {
            "title": st.sampled_from([None, "", "a", "ä b", "it's"]),
            "seen": st.sampled_from([None, "2026-01-02 00:00:00", "2026-01-02 03:04:05.25"]),
            "sold": st.sampled_from([None, "Y", "N", "?"]),
            "price": st.sampled_from([None, "1", "1.5000", "1.2345"]),
            "weight": st.sampled_from([None, "0.1", "0.30000000000000004", "5"]),
            "note": st.sampled_from(["", "x"]),
        }
    )
    edits = st.fixed_dictionaries(
        {},
        optional={
            "title": st.sampled_from(["a", "z"]),
            "seen": st.sampled_from(["2026-01-02", "2027-03-04"]),
            "sold": st.sampled_from(["yes", "no"]),
            "price": st.sampled_from(["1.00", "1.50", "9.99"]),
            "weight": st.sampled_from(["0.1", "7.0"]),
            "note": st.sampled_from(["x", "y"]),
        },
    )

    @settings(max_examples=40, suppress_health_check=[HealthCheck.differing_executors])
    @given(st.lists(cells, min_size=1, max_size=3), st.lists(edits, min_size=4, max_size=4))
    def test_after_load_and_undo_every_column_is_as_it_was(self, held, edited):
        self.run_sql("DELETE FROM goods")
        names = "ABCD"
        self.fill(
            *(
                (names[n], *(row[name] for name in FIELDS[1:7]), None, "2020-01-01 01:01:01")
                for n, row in enumerate(held)
            )
        )
        before = self.everything()
        done = self.load(*({"no": names[n], **edit} for n, edit in enumerate(edited)))
        for row, edit in zip(self.everything(), edited, strict=False):
            former = dict(zip(names, before, strict=False)).get(row[0])
            for place, name in enumerate(FIELDS):
                if former is not None and name not in edit:
                    self.assertEqual(row[place], former[place], name)
        self.assertEqual(self.undo(done.number).in_the_way, ())
        self.assertEqual(self.everything(), before)

    def test_the_databases_own_defaults_stand_for_blanks_and_are_told(self):
        done = self.load({"no": "A", "note": None, "title": "t"}, {"no": "B", "note": "own", "title": None})
        self.assertEqual(self.run_sql("SELECT no, note FROM goods ORDER BY no"), [("A", "n/a"), ("B", "own")])
        self.assertEqual(
            [(each.key, each.field, each.sent, each.came_out) for each in done.altered], [("A", "note", None, "n/a")]
        )
        self.assertTrue(verify_load(self.system, done.number, lambda step: None).ok)
        self.assertEqual(self.undo(done.number).status, "undone")
        self.assertEqual(self.everything(), [])

    def test_what_a_trigger_makes_of_values_is_told_kept_and_undone(self):
        self.round_prices()
        self.fill(("A", "a", None, "Y", "1", None, "", None, None))
        before = self.everything()
        done = self.load({"no": "A", "price": "3.33"}, {"no": "N", "price": "5.55"}, {"no": "M", "price": "4.00"})
        self.assertEqual(
            {(each.key, each.field, each.sent, each.came_out) for each in done.altered},
            {("A", "price", "3.33", "3.00"), ("N", "price", "5.55", "6.00")},
        )
        self.assertTrue(verify_load(self.system, done.number, lambda step: None).ok)
        messages = dict(self.system.outcome(done.number).select("key", "message").iter_rows())
        self.assertEqual(messages, {"A": "the system put 3.00 into Price, not 3.33", "N": "the system put 6.00 into Price, not 5.55", "M": None})  # fmt: skip
        self.assertEqual(self.undo(done.number).in_the_way, ())
        self.assertNotEqual(self.everything(), before, "the time of the last change is the database's own affair")
        self.assertEqual([row[:-1] for row in self.everything()], [row[:-1] for row in before])

    def test_a_key_that_the_database_changes_is_followed(self):
        self.upper_keys()
        done = self.load({"no": "abc", "title": "x"}, {"no": "DEF", "title": "y"}, {"no": "ghi", "title": "z"})
        self.assertEqual(
            self.run_sql("SELECT no, title FROM goods ORDER BY no"), [("ABC", "x"), ("DEF", "y"), ("GHI", "z")]
        )
        self.assertEqual([(each.sent, each.came_out) for each in done.altered], [("abc", "ABC"), ("ghi", "GHI")])
        self.assertTrue(verify_load(self.system, done.number, lambda step: None).ok)
        self.assertEqual(self.undo(done.number).status, "undone")
        self.assertEqual(self.everything(), [])

    def test_rows_that_the_database_leaves_out_are_named(self):
        self.leave_out("X")
        self.assertEqual(self.refused({"no": "A"}, {"no": "X"}, {"no": "B"}), {"X": VANISHED})

    def test_a_constraint_that_is_checked_last_names_its_rows(self):
        # B refers to a row of the same load that comes later, which is right.
        told = self.refused(
            {"no": "A", "above": "GONE"},
            {"no": "B", "above": "C"},
            {"no": "C", "above": None},
            {"no": "D", "above": "LOST"},
        )
        self.assertEqual(set(told), {"A", "D"})
        self.load({"no": "B", "above": "C"}, {"no": "C", "above": None})


class OnSqlite(Own, unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "own.db"
        with contextlib.closing(SqliteDatabase(self.path, create=True)) as database:
            database.create([GOODS.format(moment="datetime", real="real"), *journal_tables.create_statements("sqlite")])
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

    def upper_keys(self):
        self.run_sql(
            "CREATE TRIGGER up AFTER INSERT ON goods WHEN NEW.no <> upper(NEW.no) "
            "BEGIN UPDATE goods SET no = upper(no) WHERE no = NEW.no; END"
        )

    def leave_out(self, code):
        self.run_sql(
            f"CREATE TRIGGER out BEFORE INSERT ON goods WHEN NEW.no = '{code}' BEGIN SELECT RAISE(IGNORE); END"
        )


class PostgresFixture(Fixture, unittest.TestCase):
    """A database with one table."""

    @classmethod
    def setUpClass(cls):
        cls.url = postgres_url()

    def setUp(self):
        with psycopg.connect(self.url, autocommit=True) as connection:
            connection.execute("DROP SCHEMA IF EXISTS kotrel CASCADE")
            connection.execute("DROP TABLE IF EXISTS goods CASCADE")
            connection.execute(GOODS.format(moment="timestamp", real="double precision").encode())
            for statement in journal_tables.create_statements("postgresql"):
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

    def upper_keys(self):
        self.before_trigger("uppering", "NEW.no := upper(NEW.no); RETURN NEW;", "INSERT")

    def leave_out(self, code):
        self.before_trigger("leaving", f"IF NEW.no = '{code}' THEN RETURN NULL; END IF; RETURN NEW;")


class OnPostgres(Own, PostgresFixture):
    SHOWN_OTHERWISE = [(3, "seen", "2026-01-02 03:04:05")]
