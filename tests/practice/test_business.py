"""The made-up business: its data is sound, and the same every time."""

import tempfile
import unittest
from collections import Counter
from pathlib import Path

import polars as pl

from kotrel.core.checking.all_checks import check_rows
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.code_formats import gtin_check_digit
from kotrel.practice import story
from kotrel.practice.installing import base_lists, description_text, practice_data
from kotrel.practice.items import barcode, items
from kotrel.sheets.opening_files import open_sheets
from tests.builders import rows_of

DESCRIPTION = read_description(description_text())


class Data(unittest.TestCase):
    def test_it_is_the_same_every_time_and_of_the_size_told(self):
        self.assertTrue(items().equals(items()))
        self.assertEqual((items().height, items(50).height), (1200, 50))
        self.assertEqual(base_lists()["category"].height, 40)

    def test_every_row_passes_kotrels_own_checks(self):
        data = practice_data()

        def nothing_yet(record, fields, among=None, filled=None):
            # Only what was loaded before is there: the load order has to be right.
            frame = data[record] if record in done else data[record].clear()
            return frame.select(
                pl.col(name) if name in frame.columns else pl.lit(None, pl.String).alias(name) for name in fields
            )

        done: set[str] = set()
        for record in DESCRIPTION.in_load_order():
            if record.name not in data:
                continue
            rows = data[record.name].with_row_index(ROW, 2).with_columns(pl.col(ROW).cast(pl.UInt32))
            checked = check_rows(rows_of(record, rows), SystemState(DESCRIPTION, nothing_yet))
            self.assertEqual(
                [(g.kind, g.field, g.cells.head(2).rows()) for g in checked.findings if g.severity == "error"],
                [],
                record.name,
            )
            done.add(record.name)

    def test_codes_and_barcodes_are_of_the_made_up_kind(self):
        frame = items()
        self.assertTrue(
            frame["code"].str.contains(r"^[A-Z]{3}-[0-4][0-9]{4}$").all(), "demo items take numbers below 50000"
        )
        for code in frame["barcode"].drop_nulls():
            self.assertTrue(code.startswith("2") and len(code) == 13 and code[-1] == gtin_check_digit(code[:-1]), code)
        self.assertEqual(len(barcode(1)), 13)

    def test_the_fixed_codes_are_there(self):
        lists = base_lists()
        for record, codes in (
            ("warehouse", "QUAY LOFT SHED TENDER"), ("unit", "EA PAIR M COIL BOX L TIN KG SET"), ("tax_class", "STD RED ZERO"),
            ("vendor", "KELDRIFT BRANNOCH VELLAMAR TIDEWARDEN ORLUNE"), ("price_list", "SHOP YARD FLEET"),
            ("account", "OPENING ADJUST SALES-COST"), ("category", "ROPE CHAIN FASTENING PAINT RESIN SAFETY ELECTRONICS ENGINE CHARTS CLOTHING"),
        ):  # fmt: skip
            self.assertLessEqual(set(codes.split()), set(lists[record]["code"]), record)
        self.assertIn("Q-01-A", lists["bin"]["code"])
        self.assertTrue(items()["parent_item"].drop_nulls().is_in(items()["code"].implode()).all())


class Story(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.xlsx"

    def cells(self):
        [grid] = open_sheets(self.path)
        return grid

    def test_the_new_range_is_damaged_and_the_mended_one_is_not(self):
        story.write_new_range(self.path)
        hurt = self.cells()
        self.assertEqual(hurt.kinds["H"].to_list().count("error"), 1)
        story.write_new_range_fixed(self.path, slip=False)
        repaired = self.cells()
        self.assertNotIn("error", repaired.kinds["H"].to_list())
        differing = sum(1 for a, b in zip(hurt.cells.rows(), repaired.cells.rows(), strict=True) if a != b)
        self.assertEqual(differing, 11, "ten rows with errors and one with blanks")
        story.write_new_range_fixed(self.path, slip=True)
        prices = [a[8] for a in self.cells().cells.rows() if a[8] not in {b[8] for b in repaired.cells.rows()}]
        self.assertEqual(len(prices), 1)

    def test_barcodes_of_the_new_colours_are_numbers(self):
        story.write_new_colours(self.path)
        self.assertEqual(Counter(self.cells().kinds["E"].to_list())["number"], 12)
