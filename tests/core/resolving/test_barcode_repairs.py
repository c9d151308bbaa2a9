"""Damaged barcodes: repaired where the check digit or the item itself proves them, and only there."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.resolving.repairing import repair
from kotrel.core.values.code_formats import gtin_check_digit
from tests.core.resolving.test_repairing import repaired
from tests.support import rows, state


class Barcodes(unittest.TestCase):
    @given(st.integers(1, 10**7), st.integers(1, 9))
    def test_lost_zeros_come_back_when_the_check_digit_proves_them(self, number, more):
        body = f"{number:012d}"
        whole = body + gtin_check_digit(body)
        short = whole.lstrip("0")
        other = "2012345678900"
        if len(short) in (8, 12, 13) or len(short) < 4:
            return
        values, kinds, _ = repaired(short, other[:-1] + gtin_check_digit(other[:-1]), field="Barcode")
        self.assertEqual((values[0], kinds), (whole, ["leading-zeros"]))
        wrong = short[:-1] + str((int(short[-1]) + more) % 10)
        self.assertEqual(repaired(wrong, field="Barcode")[0], [wrong])

    def test_blanks_dashes_and_a_point_zero_are_no_part_of_a_barcode(self):
        for value in ("2 010002 700080", "2-010002-700080", "2010002700080.0", "2 010002 700080.0"):
            with self.subTest(value):
                self.assertEqual(
                    repaired(value, "20123451", field="Barcode")[:2], (["2010002700080", "20123451"], ["digits-apart"])
                )
        for value in ("2 010002 700081", "2010002700081.0", "2  010002 700080", "2010002700080.5", "12 3"):
            with self.subTest(value):
                self.assertEqual(repaired(value, "20123451", field="Barcode")[:2], ([value, "20123451"], []))

    def test_what_differs_only_by_zeros_is_the_barcode_that_the_item_has(self):
        # With 8 digits the check digit of 1234503 would be right too, but the item has it with 13.
        held = state(item={"code": ["N0", "N1", "N2"], "barcode": ["0000001234503", "20123451", None]})
        for value, wanted in (
            ("1234503", "0000001234503"),
            ("01234503", "0000001234503"),
            ("0000001234503", "0000001234503"),
        ):
            with self.subTest(value):
                self.assertEqual(repaired(value, "20123451", "", field="Barcode", system=held)[0][0], wanted)
        same = repaired("0000001234503", "20123451", "", field="Barcode", system=held)
        self.assertEqual(same[1], [], "what is right is no repair")
        # Another item's barcode proves nothing, and the column's others have 8 digits.
        self.assertEqual(repaired("", "1234503", "20123451", field="Barcode", system=held)[0][1], "01234503")
        other = repaired("20999995", "20123451", "", field="Barcode", system=held)[0][0]
        self.assertEqual(other, "20999995", "a higher number is another barcode")
        # Codes of ten digits are no barcodes, nor are words of thirteen letters: without others, nothing says how long it was.
        for others in (("1234567890", "1234567891"), ("ABCDEFGHIJKLM", "NOPQRSTUVWXYZ"), ()):
            self.assertEqual(repaired("1234503", *others, field="Barcode")[0][0], "1234503")

    def test_zeros_are_given_back_only_where_the_check_digit_is_right(self):
        # 2010002700080 has 13 digits. 1234503 is right with a zero before it, 1234504 is not, and 12345678 is of a length of its own.
        for value, wanted in (
            ("1234503", "0000001234503"),
            ("1234504", "1234504"),
            ("12345678", "12345678"),
            ("20123451", "20123451"),
        ):
            with self.subTest(value):
                self.assertEqual(repaired(value, "2010002700080", field="Barcode")[0][0], wanted)

    def test_a_barcode_with_letters_or_of_a_row_without_a_code_is_left_alone(self):
        held = state(item={"code": ["N0"], "barcode": ["ABC12"]})
        self.assertEqual(repaired("0ABC12", field="Barcode", system=held)[0], ["0ABC12"])
        sheet = rows(("Barcode", "Description"), ("1234503", "x"), ("2010002700080", "y"))
        self.assertEqual(repair(sheet, state(), {}).values["barcode"].to_list(), ["0000001234503", "2010002700080"])
