"""Loading and taking back on real databases: SQLite and a real PostgreSQL, the same tests on both."""

import tempfile
import threading
import unittest
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock

import polars as pl

from kotrel.core.changes.change_set import compare
from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.practice.setup import base_lists, set_up
from kotrel.stages.undoing import undo_load
from kotrel.systems.interface import Refused
from kotrel.systems.opening import database_at, open_system, without_password
from kotrel.systems.sql.refusals import MOST_REFUSALS
from tests.support import postgres_url

STAMP = Stamp(datetime(2026, 11, 23, 9, 0, tzinfo=UTC), "tester", ("test.xlsx",), "f" * 64, "why")


def quiet(step):
    pass


class OnAnyDatabase:
    """The tests; the classes below say on which database."""

    url: str

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.database = database_at(self.url, self.folder, create=True)()
        self.addCleanup(self.database.close)
        self.addCleanup(self.tear_down_tables)
        self.description, _ = set_up(self.database)
        self.system = open_system(self.url, self.description, self.folder)

    def tear_down_tables(self):
        pass

    @property
    def item(self):
        return "practice.item" if self.database.dialect == "postgresql" else "item"

    def items(self):
        with self.system.reading() as reading:
            return reading.read("item", list(self.description.records["item"].fields)).sort("code")

    def change(
        self,
        *lines,
        heading=("Item code", "Description", "Unit", "Category", "Cost", "Standard price", "Archived", "Note"),
        writing=None,
    ):
        from kotrel.core.tables.detection import find_table
        from kotrel.core.understanding.matching import match_headings
        from kotrel.core.understanding.reading import understand
        from kotrel.core.values.conventions import Conventions
        from tests.support import TODAY, grid

        table = find_table(grid(heading, *lines), 1)
        sheet = understand(table, match_headings(table, self.description.records["item"]), Conventions(), TODAY)
        carried = [name for name in sheet.record.loadable if name in sheet.fields]
        return compare(sheet, writing.read("item", carried, ("code", sheet.values["code"])))

    def load(self, *lines, **more):
        with self.system.writing() as writing:
            return writing.take(Plan((self.change(*lines, writing=writing, **more),), STAMP), quiet).number

    LINES = (
        ("ROP-40001", 'Rope "new"; it\'s\t\\ =1+1', "M", "ROPE", "4.4", "7.90", "no", "two\nlines 🐟"),
        ("ROP-40002", "Rope, second", "M", "ROPE", "", "", "", ""),
        ("ROP-00010", "Other words", "", "", "0.0001", "123456789.01", "yes", ""),
    )

    def test_values_come_back_exactly(self):
        self.load(*self.LINES)
        got = self.items().filter(pl.col("code").is_in(["ROP-40001", "ROP-40002", "ROP-00010"]))
        told = got.select("code", "description", "cost", "price", "archived", "note").rows()
        self.assertEqual(told[0][:5], ("ROP-00010", "Other words", "0.0001", "123456789.01", "yes"))
        self.assertEqual(told[1], ("ROP-40001", 'Rope "new"; it\'s\t\\ =1+1', "4.4000", "7.90", "no", "two\nlines 🐟"))
        self.assertEqual(told[2], ("ROP-40002", "Rope, second", None, None, None, None))

    def test_many_removed_rows_are_checked_against_what_refers_to_them(self):
        number = self.load(*self.LINES)
        self.load(
            ("ROP-40003", "V", "M", "ROPE", "ROP-40001"),
            heading=("Item code", "Description", "Unit", "Category", "Variant of"),
        )
        with mock.patch("kotrel.systems.sql.merging.MANY", 1):
            refused = undo_load(self.system, number, "tester", "", STAMP.at, quiet, self.folder)
            self.assertEqual(refused.status, "refused")
            self.assertEqual(
                undo_load(self.system, number + 1, "tester", "", STAMP.at, quiet, self.folder).count("removed"), 1
            )
            self.assertEqual(
                undo_load(self.system, number, "tester", "", STAMP.at, quiet, self.folder).count("removed"), 2
            )
        self.assertIn("ROP-00010", self.items()["code"])
        with self.assertRaises(Refused):
            self.load(
                ("ROP-40004", "V", "M", "ROPE", "ROP-49999"),
                heading=("Item code", "Description", "Unit", "Category", "Variant of"),
            )

    def test_undo_leaves_all_as_it_was_and_can_be_undone(self):
        before = self.items()
        number = self.load(*self.LINES)
        after = self.items()
        self.assertFalse(after.equals(before))
        undone = undo_load(self.system, number, "tester", "", STAMP.at, quiet, self.folder)
        self.assertEqual((undone.status, undone.count("removed"), undone.count("changed")), ("undone", 2, 1))
        self.assertTrue(self.items().equals(before))
        again = undo_load(self.system, undone.number, "tester", "", STAMP.at, quiet, self.folder)
        self.assertEqual(again.status, "undone")
        self.assertTrue(self.items().equals(after))
        self.assertEqual([entry.status for entry in self.system.history()], ["loaded", "undone", "loaded"])
        with self.assertRaises(WrongUse):
            undo_load(self.system, undone.number, "tester", "", STAMP.at, quiet, self.folder)

    def test_rows_with_a_key_of_two_fields_are_taken_back(self):
        from kotrel.core.columns import ROW
        from kotrel.core.rows.rows import Rows
        from kotrel.core.tables.table import Table

        def held():
            with self.system.reading() as reading:
                return reading.read("unit_conversion", ["item", "unit", "factor"]).sort("item", "unit")

        before = held()
        values = pl.DataFrame(
            {
                ROW: [2, 3],
                "item": ["ROP-00010", "ROP-00020"],
                "unit": ["BOX", "BOX"],
                "factor": ["7.000000", "8.000000"],
            }
        )
        values = values.with_columns(pl.col(ROW).cast(pl.UInt32))
        sheet = Rows(
            Table("u.csv", "", 1, (), values.select(ROW), {}), self.description.records["unit_conversion"], {}, values
        )
        with self.system.writing() as writing:
            change = compare(sheet, writing.read("unit_conversion", ["item", "unit", "factor"]))
            number = writing.take(Plan((change,), STAMP), quiet).number
        self.assertEqual(held().height, before.height + 2)
        self.assertEqual(undo_load(self.system, number, "tester", "", STAMP.at, quiet, self.folder).count("removed"), 2)
        self.assertTrue(held().equals(before))

    def test_what_refers_to_a_new_row_or_changed_since_is_in_the_way(self):
        number = self.load(*self.LINES)
        self.load(
            ("ROP-40003", "Variant", "M", "ROPE", "ROP-40001"),
            heading=("Item code", "Description", "Unit", "Category", "Variant of"),
        )
        self.database.run(f"UPDATE {self.item} SET price = 1000 WHERE code = 'ROP-00010'")
        # Five of it have come in meanwhile: the ledger says so.
        ledger = self.item.replace("item", "stock_movement")
        five = 5 if self.database.dialect == "postgresql" else 5_000_000
        self.database.run(
            f"INSERT INTO {ledger} (kind, document, line, part, counts_as, date, posted_at, item, quantity, value) "
            f"VALUES ('goods_receipt', 'GR-1', '1', 1, 'on hand', '2026-11-20', '2026-11-20 08:00:00', 'ROP-40002', {five}, 0)"
        )
        before = self.items()
        undone = undo_load(self.system, number, "tester", "", STAMP.at, quiet, self.folder)
        self.assertEqual(undone.status, "refused")
        self.assertEqual(
            {(each.key, each.field) for each in undone.in_the_way},
            {
                ("ROP-40001", "variant_of"),
                ("ROP-00010", "price"),
                ("ROP-40002", "on_hand"),
                ("ROP-40002", "last_moved"),
                ("ROP-40002", "item"),
            },
        )
        self.assertTrue(self.items().equals(before), "nothing of a refused undo stays")

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
            ("condition", "'broken'"),
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
    url = "sqlite:practice.db"

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
    @property
    def url(self):
        return postgres_url()

    def tear_down_tables(self):
        self.database.run("DROP SCHEMA IF EXISTS practice CASCADE")
        self.database.run("DROP SCHEMA IF EXISTS kotrel CASCADE")

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

    def test_nothing_is_created_where_only_a_connection_was_asked_for(self):
        self.tear_down_tables()
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
