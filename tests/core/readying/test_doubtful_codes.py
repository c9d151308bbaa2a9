"""Cells that could mean two codes: nothing proves which, and they stay as they are."""

import unittest

import polars as pl

from tests.core.readying.test_repairing import repaired
from tests.support import state


class Doubtful(unittest.TestCase):
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
