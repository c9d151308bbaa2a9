"""Proposed matches: sheets in six languages against the truth, and what headings mean."""

import unittest

from benchmarks.maps.__main__ import Measured, measure
from benchmarks.maps.sheets import SHEETS

from kotrel.core.tables.heading_words import terms_of


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
