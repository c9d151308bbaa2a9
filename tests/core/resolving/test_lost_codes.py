"""What a spreadsheet has done to codes and texts for good: told at its cells, never guessed."""

import unittest

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.resolving.repairing import repair
from tests.support import rows, state


class Lost(unittest.TestCase):
    def test_long_codes_that_are_texts_have_lost_nothing(self):
        kinds = {"A": pl.Series(["text", "text", "number"])}
        sheet = rows(("Item code",), ("12345678901234567",), ("1",), kinds=kinds)
        self.assertEqual(repair(sheet, state(), {}).findings, ())

    def test_what_is_lost_is_told_at_its_cells_only(self):
        sheet = rows(
            ("Item code", "Unit"),
            ("A", "1.2E+9"),
            ("B", "M"),
            ("C", "12345678901234567"),
            ("D", "999999999999999"),
            kinds={"B": pl.Series(["text", "text", "text", "number", "number"])},
        )
        done = repair(sheet, state(unit={"code": ["M"], "name": ["metre"]}), {})
        self.assertEqual(
            [(group.kind, *group.cells[ROW]) for group in done.findings],
            [("digits-lost", 2), ("digits-lost", 4)],
        )

    def test_what_a_spreadsheet_made_of_texts_is_told(self):
        cells = ("3-12", "2026-12-03", "TRUE", "1234567890123456", "123456789012345", "12345678901234567")
        sheet = rows(
            ("Item code", "Description"),
            *((f"N{place}", cell) for place, cell in enumerate(cells)),
            kinds={"B": pl.Series(["text", "text", "date", "yes_no", "number", "number", "text"])},
        )
        found = repair(sheet, state(), {}).findings
        self.assertEqual(
            [(group.severity, group.kind, group.cells[ROW].to_list()) for group in found],
            [("warning", "became-date", [3]), ("warning", "became-yes-no", [4]), ("error", "digits-lost", [5])],
        )
