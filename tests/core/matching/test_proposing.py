"""Proposed matches: sheets in six languages against the truth, and what headings mean."""

import unittest

from benchmarks.maps.__main__ import Measured, measure
from benchmarks.maps.sheets import SHEETS

from kotrel.core.description.description_reading import read_description
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.heading_words import terms_of
from kotrel.practice.installing import description_text
from tests.support import grid


class Proposals(unittest.TestCase):
    def test_headings_in_six_languages(self):
        measured = Measured()
        for sheets in SHEETS.values():
            measure(sheets[::3], measured)
        self.assertGreaterEqual(measured.precision, 97, measured.wrong)
        self.assertGreaterEqual(measured.recall, 85, measured.missed)
        self.assertEqual(measured.sure_wrong, 0, measured.wrong)

    def test_what_headings_mean(self):
        for one, other in (
            ("Lief.-Art.-Nr.", "Supplier item no"), ("Einkaufspreis", "Buying price"), ("Eenh.", "UoM"), ("N.º de artículo", "Item number"),
            ("Code-barres", "Barcode"), ("ArtNr", "Article No."), ("Sous-famille", "Category"), ("Hersteller-Nr.", "Manufacturer number"),
        ):  # fmt: skip
            self.assertEqual(terms_of(one), terms_of(other), one)
        self.assertNotEqual(terms_of("Länge"), terms_of("Lange omschrijving"))
        self.assertEqual(terms_of("Zzyzx 12"), frozenset({"zzyzx"}))

    def test_which_of_two_columns_is_the_code_is_asked(self):
        item = read_description(description_text()).records["item"]
        for other in ("Art. no.", "Artikel-Nr", "Réf. article", "Article code (old)", "Product no"):
            matched = match_headings(find_table(grid((other, "Article"), ("A", "1")), heading_row=1), item)
            both = [column.heading for column in matched.doubled.get("code", ())]
            self.assertEqual(both, [other, "Article"], other)
            self.assertEqual(matched.unknown, ())
        for other in ("Vendor code", "Article name", "Remarks", "Part number"):
            matched = match_headings(find_table(grid((other, "Article"), ("A", "1")), heading_row=1), item)
            self.assertEqual(matched.doubled, {}, other)

    def test_headings_people_give_the_practice_system(self):
        records = read_description(description_text()).records
        for record, heading, field in (
            ("price", "From", "from_date"), ("price", "To", "to_date"), ("goods_receipt_line", "Doc", "document"), ("goods_receipt_lot", "Doc", "document"),
        ):  # fmt: skip
            table = find_table(grid(("Item", heading), ("A", "1")), heading_row=1)
            self.assertIn(field, match_headings(table, records[record]).sources, (record, heading))
