"""Loading and taking back on real databases: SQLite and a real PostgreSQL, the same tests on both."""

import threading
import unittest
from pathlib import Path

import polars as pl

from kotrel.core.changes.plan import Plan
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.practice.installing import base_lists, set_up
from kotrel.systems.interface import Refused
from kotrel.systems.opening_systems import database_at, open_system, without_password
from kotrel.systems.sql.refusals import MOST_REFUSALS
from tests.systems.practice_databases import STAMP, PracticeDatabase, quiet


class OnAnyDatabase(PracticeDatabase):
    """The tests; the classes below say on which database."""

    def test_values_come_back_exactly(self):
        self.load(*self.LINES)
        got = self.items().filter(pl.col("code").is_in(["ROP-40001", "ROP-40002", "ROP-00010"]))
        told = got.select("code", "description", "cost", "price", "archived", "note").rows()
        self.assertEqual(told[0][:5], ("ROP-00010", "Other words", "0.0001", "123456789.01", "yes"))
        self.assertEqual(told[1], ("ROP-40001", 'Rope "new"; it\'s\t\\ =1+1', "4.4000", "7.90", "no", "two\nlines 🐟"))
        self.assertEqual(told[2], ("ROP-40002", "Rope, second", None, None, None, None))

    def test_the_databases_own_refusal_names_the_rows_and_leaves_nothing(self):
        # A rule that the description does not tell: the database is the second line.
        self.forbid_price(13)
        before = self.items()
        lines = [
            (f"ROP-5{place:04}", "Rope", "M", "ROPE", "", "13" if place in (7, 23) else "14", "", "")
            for place in range(40)
        ]
        with self.assertRaises(Refused) as caught:
            self.load(*lines)
        self.assertEqual(
            [(each.key, each.row) for each in caught.exception.refusals], [("ROP-50007", 9), ("ROP-50023", 25)]
        )
        self.assertTrue(self.items().equals(before))
        self.assertEqual(self.system.history(), [])
        with self.assertRaises(Refused) as caught:
            self.load(*((f"ROP-5{place:04}", "Rope", "M", "ROPE", "", "13", "", "") for place in range(60)))
        self.assertEqual(len(caught.exception.refusals), MOST_REFUSALS)

    def test_two_loads_of_the_same_item_never_interleave(self):
        """The second waits, and then compares with what the first left."""
        first_is_in, seen = threading.Event(), []

        def second():
            first_is_in.wait(10)
            with self.system.writing() as writing:
                change = self.change(("ROP-00010", "", "", "", "", "2.00", "", ""), writing=writing)
                seen.append(change.changed_cells().rows())
                writing.take(Plan((change,), STAMP), quiet)

        other = threading.Thread(target=second)
        other.start()
        with self.system.writing() as writing:
            change = self.change(("ROP-00010", "", "", "", "", "1.00", "", ""), writing=writing)
            first_is_in.set()
            other.join(0.5)
            self.assertTrue(other.is_alive(), "the second load has to wait")
            writing.take(Plan((change,), STAMP), quiet)
        other.join(20)
        self.assertEqual(seen, [[(2, "ROP-00010", "price", "1.00", "2.00")]])
        self.assertEqual(len(self.system.history()), 2)

    def test_a_load_that_breaks_off_leaves_nothing(self):
        before = self.items()
        with self.assertRaises(RuntimeError), self.system.writing() as writing:
            writing.take(Plan((self.change(*self.LINES, writing=writing),), STAMP), quiet)
            raise RuntimeError("power cut")
        self.assertTrue(self.items().equals(before))
        self.assertEqual(self.system.history(), [])

    def test_the_outcome_has_every_row_in_the_sheets_order(self):
        number = self.load(*self.LINES, ("ROP-00020", "", "", "", "", "", "", ""))
        got = self.system.outcome(number).select("row", "key", "action", "outcome").rows()
        self.assertEqual(
            got,
            [
                (2, "ROP-40001", "new", "done"),
                (3, "ROP-40002", "new", "done"),
                (4, "ROP-00010", "changed", "done"),
                (5, "ROP-00020", "same", "done"),
            ],
        )

    def test_the_tables_have_real_constraints(self):
        from kotrel.systems.sql.database import RowRefused

        insert = (
            f"INSERT INTO {self.item} (code, description, unit, category, {{}}) VALUES ('X-1', 'x', 'EA', 'ROPE', {{}})"
        )
        for column, value in (
            ("price", "-1"),
            ("vendor", "'NOBODY'"),
            ('"condition"', "'broken'"),
            ("barcode", f"'{self.items()['barcode'].drop_nulls()[0]}'"),
            ("length", "5"),
        ):
            with self.subTest(column), self.assertRaises(RowRefused):
                self.database.run(insert.format(column, value))
        with self.assertRaises(RowRefused):
            self.database.run(f"INSERT INTO {self.item} (code) VALUES ('X-1')")

    def test_a_practice_system_that_is_there_is_used_as_it_is(self):
        self.load(*self.LINES)
        before = self.items()
        _, made = set_up(self.database)
        self.assertFalse(made)
        self.assertTrue(self.items().equals(before))

    def test_the_base_lists_are_there(self):
        with self.system.reading() as reading:
            for name, want in base_lists().items():
                got = reading.read(name, want.columns)
                self.assertTrue(got.sort(want.columns).equals(want.sort(want.columns)), name)


class OnSqlite(OnAnyDatabase, unittest.TestCase):
    def forbid_price(self, price):
        self.database.run(
            f"CREATE TRIGGER no_such_price BEFORE INSERT ON item WHEN NEW.price = {price}00 BEGIN SELECT RAISE(ABORT, 'unlucky price'); END"
        )

    def test_decimals_are_whole_numbers_inside(self):
        self.load(*self.LINES)
        [(cost, kind)] = self.database.run("SELECT cost, typeof(cost) FROM item WHERE code = 'ROP-40001'")
        self.assertEqual((cost, kind), (44000, "integer"))

    def test_a_file_that_is_no_database(self):
        (self.folder / "no.db").write_bytes(b"not a database, but long enough to look at" * 50)
        for url in ("sqlite:no.db", "sqlite:gone.db"):
            with self.assertRaises(OutOfReach), open_system(url, self.description, self.folder).reading():
                pass

    def test_values_with_the_marks_of_the_fast_road_take_the_slow_one(self):
        self.database.run("UPDATE item SET note = 'a' || char(31) || 'b' || char(30) WHERE code = 'ROP-00010'")
        got = self.items().filter(pl.col("code") == "ROP-00010")
        self.assertEqual((got["note"][0], got.height, self.items().height), ("a\x1fb\x1e", 1, 1200))


class OnPostgres(OnAnyDatabase, unittest.TestCase):
    kind = "postgresql"

    def forbid_price(self, price):
        self.database.run(f"ALTER TABLE practice.item ADD CONSTRAINT no_such_price CHECK (price <> {price}) NOT VALID")

    def test_a_change_by_another_program_meanwhile_is_never_lost(self):
        from kotrel.systems.interface import ConcurrentChange

        with self.assertRaises(ConcurrentChange), self.system.writing() as writing:
            change = self.change(("ROP-00010", "", "", "", "", "1.00", "", ""), writing=writing)
            self.database.run("UPDATE practice.item SET price = 5 WHERE code = 'ROP-00010'")
            writing.take(Plan((change,), STAMP), quiet)
        [(price,)] = self.database.run("SELECT price FROM practice.item WHERE code = 'ROP-00010'")
        self.assertEqual(price, 5)

    def test_a_read_that_fails_amid_many_rows_is_told_and_the_connection_goes_on(self):
        rest = "FROM generate_series(1, 20000) AS g"
        whole = self.database.frame(["CAST(g AS text)", "NULL", "'ä,\"'"], ["a", "b", "c"], rest)
        self.assertEqual(
            (whole.height, whole.row(0), whole.row(-1)), (20000, ("1", None, 'ä,"'), ("20000", None, 'ä,"'))
        )
        for bad in (1, 2, 15000, 20000):
            with self.assertRaisesRegex(Exception, "division by zero"):
                self.database.frame([f"CAST(1 / (g - {bad}) AS text)"], ["a"], rest)
            self.database.connection.rollback()
            self.assertEqual(self.database.run("SELECT 1"), [(1,)])
        lost = database_at(self.url, self.folder)()
        with self.assertRaises(OutOfReach):
            lost.frame(
                ["CAST(CASE WHEN g = 15000 THEN pg_terminate_backend(pg_backend_pid()) END AS text)"], ["a"], rest
            )
        lost.close()

    def test_nothing_is_created_where_only_a_connection_was_asked_for(self):
        self.drop_everything()
        with self.assertRaises(WrongUse) as caught, self.system.writing():
            pass
        self.assertEqual(caught.exception.kind, "no-journal")
        self.assertEqual(self.system.history(), [])


class Addresses(unittest.TestCase):
    def test_passwords_are_taken_out_of_addresses(self):
        self.assertEqual(without_password("postgresql://me:se%20cret@h:1/d"), ("postgresql://me@h:1/d", True))
        self.assertEqual(without_password("postgresql://me@h/d"), ("postgresql://me@h/d", False))
        with self.assertRaises(WrongUse):
            open_system("ftp://x", None, Path())

    def test_a_server_that_is_down_is_told(self):
        with (
            self.assertRaises(OutOfReach) as caught,
            open_system("postgresql://me@127.0.0.1:9/x", None, Path()).reading(),
        ):
            pass
        self.assertEqual(caught.exception.kind, "system-down")
