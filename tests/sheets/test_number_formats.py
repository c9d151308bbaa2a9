"""What the formats of numbers say beside them: words, currencies, masks."""

import unittest
from contextlib import nullcontext
from pathlib import Path
from types import SimpleNamespace
from unittest.mock import patch

from kotrel.core.tables.number_display import Shown, code_shown, is_code_of, masked
from kotrel.sheets.ooxml import number_formats
from kotrel.sheets.ooxml.number_formats import SheetFormats, currency_of, mask_of, words_shown


class Formats(unittest.TestCase):
    def test_words_beside_a_number_or_instead_of_it(self):
        for code, words in (
            ('0" per 100"', " per 100"),
            ('"on request"', "on request"),
            (";;;", ""),
            ('"";', ""),
            ('""', None),
            ("General", None),
            ('yyyy"-"mm"-"dd', None),
            ('"day "d', None),
            ('@" note"', None),
            ('0.00" EUR"', None),
            ('0" pcs"', None),
            ('0" dozen"', " dozen"),
            ('0.00" Fr."', None),
            ("0\\ \\x\\ \\1\\2", " x 12"),
            ('0,"k"', "k (in thousands)"),
            ("#,##0", None),
            ('0;"minus "0', None),
        ):
            with self.subTest(code):
                self.assertEqual(words_shown(code), words)

    def test_the_currency_of_a_format(self):
        for code, currency in (
            ("[$€-407] #,##0.00", "€"), ('"USD" 0.00', "USD"), ("$0", "$"), ("0.00", ""), ('"pcs" 0', ""), ("[Red]0", ""),
            ("[$-407]0", ""), ("0;[$£]0", ""), ('"x" £0', "£"),
        ):  # fmt: skip
            with self.subTest(code):
                self.assertEqual(currency_of(code), currency)

    def test_the_mask_of_a_code(self):
        for code, mask in (
            ("000000", "000000"), ("00-000", "00\\-000"), ('"A-"0000', "\\A\\-0000"), ("0", ""), ("General", ""), ("\\A0", "\\A0"),
            ("000;-000", "000"), ("000;-000;0", ""), ("000;-000;0;@", "000"), ("[Red]000", "000"), ("_(000", "000"), ('"only"', ""),
            ("0.00", ""),
        ):  # fmt: skip
            with self.subTest(code):
                self.assertEqual(mask_of(code), mask)

    def test_a_number_as_its_mask_shows_it(self):
        for digits, mask, shown in (
            ("1234", "000000", "001234"), ("1234", "00\\-000", "01-234"), ("1234567", "00\\-000", "1234-567"), ("7", "#0", "7"),
            ("7", "\\A\\-0000", "A-0007"), ("12", "#\\-#\\-#", "-1-2"), ("0", "00", "00"),
        ):  # fmt: skip
            with self.subTest(mask):
                self.assertEqual(masked(digits, mask), shown)

    def test_a_cell_that_shows_its_number_as_a_code(self):
        for shown, held, is_code in (
            ("001234", "1234", True), ("01-234", "1234", True), ("1234", "1234", False), ("1,234", "1234", False), ("1 234 567", "1234567", False),
            ("12.34", "12.34", False), ("12-34", "12.34", False), ("A-1234", "1234", True), ("001235", "1234", False), ("0", "00", True),
        ):  # fmt: skip
            with self.subTest(shown):
                self.assertEqual(is_code_of(shown, held), is_code)

    def test_an_old_workbook_may_name_a_format_that_it_does_not_have(self):
        sheet = SimpleNamespace(nrows=1, row_types=lambda row: [2, 1], cell_xf_index=lambda row, column: 0)
        for formats, wanted in (({5: SimpleNamespace(format_str="0.00")}, {1: Shown(2)}), ({}, {})):
            book = SimpleNamespace(xf_list=[SimpleNamespace(format_key=5)], format_map=formats)
            with patch.object(number_formats, "old_sheet", lambda *_, told=(book, sheet): nullcontext(told)):
                self.assertEqual(SheetFormats(Path("x.xls"), "S").of("A"), wanted)

    def test_a_code_as_its_cell_shows_it(self):
        for held, how, has_decimals, shown in (
            ("12", Shown(2), True, "12.00"), ("1.5", Shown(2), True, "1.50"), ("1.125", Shown(2), True, "1.125"), ("12", Shown(2), False, "12"),
            ("12", Shown(None), True, "12"), ("12", Shown(0), True, "12"), ("A-1", Shown(2), True, "A-1"), ("7", Shown(0, mask="000"), False, "007"),
            ("1.5", Shown(0, mask="000"), False, "1.5"), ("7", Shown(0, mask="000", text="seven"), False, "seven"),
        ):  # fmt: skip
            with self.subTest(held, how=how):
                self.assertEqual(code_shown(held, how, has_decimals), shown)


if __name__ == "__main__":
    unittest.main()
