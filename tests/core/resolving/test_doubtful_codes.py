"""Cells that could mean two codes: nothing proves which, and they stay as they are."""

import unittest

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.resolving.repairing import repair
from tests.core.resolving.test_repairing import repaired
from tests.support import rows, state


class Doubtful(unittest.TestCase):
    def test_only_codes_of_their_own_are_doubted_for_looking_like_a_date(self):
        for field, doubted in (("Barcode", True), ("Unit", False), ("Description", False)):
            with self.subTest(field):
                self.assertEqual("became-date" in repaired("3-Jan", field=field)[2], doubted)
        sheet = rows(("Item code", "Barcode"), ("A", "3-Jan"), ("B", "3-JAN"), ("C", "2010002700080"))
        [group] = [group for group in repair(sheet, state(), {}).findings if group.kind == "became-date"]
        self.assertEqual(group.cells[ROW].to_list(), [2])
        done = repair(rows(("Item code", "Unit"), ("3-Jan", "EA")), state(), {})
        self.assertNotIn("became-date", [group.kind for group in done.findings])

    def test_a_name_that_is_also_a_code_proves_nothing(self):
        held = state(unit={"code": ["KEL", "BRA", "ROPE"], "name": ["BRA", "Brannoch", "Rope, all"]})
        for value, wanted in (
            ("ROPE - Rope, all", "ROPE"),
            ("Rope, all (ROPE)", "ROPE"),
            ("KEL - BRA", "KEL - BRA"),
            ("KEL - Brannoch", "KEL - Brannoch"),
        ):
            with self.subTest(value):
                self.assertEqual(repaired(value, system=held)[0], [wanted])

    def test_a_date_that_two_codes_could_have_become_proves_nothing(self):
        held = state(unit={"code": ["3-12", "3-DEC", "4-12"], "name": [None, None, None]})
        kinds = pl.Series(["text", "date"])
        self.assertEqual(repaired("2026-12-03", kinds=kinds, system=held)[0], ["2026-12-03"])
        self.assertEqual(repaired("2026-12-04", kinds=kinds, system=held)[0], ["4-12"])
