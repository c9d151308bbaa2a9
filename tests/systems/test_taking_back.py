"""Loads taken back: what was new is gone, what was changed is as it was, and what blocks it is named."""

import unittest
from unittest import mock

import polars as pl

from kotrel.core.changes.plan import Plan
from kotrel.core.changes.row_comparison import compare
from kotrel.core.errors import WrongUse
from kotrel.loading.loads.undoing import undo_load
from kotrel.systems.interface import Refused
from tests.builders import rows_of
from tests.systems.practice_databases import STAMP, PracticeDatabase, quiet


class OnAnyDatabase(PracticeDatabase):
    """The tests; the classes below say on which database."""

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

    def test_rows_with_a_key_of_two_fields_are_taken_back(self):
        from kotrel.core.columns import ROW

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
        sheet = rows_of(self.description.records["unit_conversion"], values)
        with self.system.writing() as writing:
            change = compare(sheet, writing.read("unit_conversion", ["item", "unit", "factor"]))
            number = writing.take(Plan((change,), STAMP), quiet).number
        self.assertEqual(held().height, before.height + 2)
        self.assertEqual(undo_load(self.system, number, "tester", "", STAMP.at, quiet, self.folder).count("removed"), 2)
        self.assertTrue(held().equals(before))

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

    def test_what_refers_to_a_new_row_or_changed_since_is_blocked_by(self):
        number = self.load(*self.LINES)
        self.load(
            ("ROP-40003", "Variant", "M", "ROPE", "ROP-40001"),
            heading=("Item code", "Description", "Unit", "Category", "Variant of"),
        )
        self.database.run(f"UPDATE {self.item} SET price = 1000 WHERE code = 'ROP-00010'")
        # Five of it have come in meanwhile: the ledger says so.
        ledger = self.item.replace("item", "stock_movement")
        five = 5 if self.database.dialect.decimals == "exact" else 5_000_000
        self.database.run(
            f"INSERT INTO {ledger} (kind, document, line, part, counts_as, date, posted_at, item, quantity, value) "
            f"VALUES ('goods_receipt', 'GR-1', '1', 1, 'on hand', '2026-11-20', '2026-11-20 08:00:00', 'ROP-40002', {five}, 0)"
        )
        before = self.items()
        undone = undo_load(self.system, number, "tester", "", STAMP.at, quiet, self.folder)
        self.assertEqual(undone.status, "refused")
        self.assertEqual(
            {(each.key, each.field) for each in undone.blocked_by},
            {
                ("ROP-40001", "parent_item"),
                ("ROP-00010", "price"),
                ("ROP-40002", "on_hand"),
                ("ROP-40002", "last_moved"),
                ("ROP-40002", "item"),
            },
        )
        self.assertTrue(self.items().equals(before), "nothing of a refused undo stays")

    def test_rows_may_refer_to_new_ones_of_the_same_list_and_are_let_go_again(self):
        from kotrel.core.columns import ROW

        def held():
            with self.system.reading() as reading:
                return reading.read("category", ["code", "parent"]).sort("code")

        before = held()
        # Two new ones, the first below the second, and one that is there below the first.
        lines = {
            "code": ["ZZ-1", "ZZ-2", "ROPE-BRAID"],
            "name": ["One", "Two", "Braided rope"],
            "parent": ["ZZ-2", None, "ZZ-1"],
        }
        values = pl.DataFrame({ROW: pl.Series([2, 3, 4], dtype=pl.UInt32), **lines})
        sheet = rows_of(self.description.records["category"], values)
        with self.system.writing() as writing:
            change = compare(sheet, writing.read("category", ["code", "name", "parent"]))
            number = writing.take(Plan((change,), STAMP), quiet).number
        after = dict(held().rows())
        self.assertEqual([after[code] for code in lines["code"]], lines["parent"])
        for _ in range(2):
            undone = undo_load(self.system, number, "tester", "", STAMP.at, quiet, self.folder)
            self.assertEqual((undone.status, undone.blocked_by), ("undone", ()))
            self.assertTrue(held().equals(before))
            again = undo_load(self.system, undone.number, "tester", "", STAMP.at, quiet, self.folder)
            self.assertEqual((again.status, dict(held().rows())), ("undone", after))
            number = again.number


class OnSqlite(OnAnyDatabase, unittest.TestCase):
    pass


class OnPostgres(OnAnyDatabase, unittest.TestCase):
    kind = "postgresql"
