"""Damaged barcodes: repaired where the check digit or the item itself proves them, and only there."""

import unittest

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.resolving.repairing import repair
from kotrel.core.values.code_formats import gtin_check_digit
from tests.core.resolving.test_repairing import repaired
from tests.support import rows, state


class Barcodes(unittest.TestCase):
    @given(
        st.lists(st.integers(10**9, 10**10 - 1), min_size=5, max_size=9, unique=True), st.integers(1, 9), st.booleans()
    )
    def test_zeros_come_back_to_number_cells_that_all_have_their_check_digit(self, numbers, more, as_text):
        bodies = [f"{number:011d}" for number in numbers]
        whole = [body + gtin_check_digit(body) for body in bodies]
        short = [code.lstrip("0") for code in whole]
        kinds = pl.Series(["text"] + ["text" if as_text else "number"] * len(short))
        wanted = short if as_text else whole
        self.assertEqual(repaired(*short, field="Barcode", kinds=kinds)[0], wanted)
        # One that is wrong shows that they are something else; four prove nothing.
        wrong = [*short[1:], short[0][:-1] + str((int(short[0][-1]) + more) % 10)]
        self.assertEqual(repaired(*wrong, field="Barcode", kinds=kinds)[0], wrong)
        self.assertEqual(repaired(*short[:4], field="Barcode", kinds=kinds[:5])[0], short[:4])

    def test_fewer_than_seven_digits_are_no_barcode(self):
        codes = [f"{n}" + gtin_check_digit(f"{n}") for n in range(1234, 1242)]
        self.assertEqual(repaired(*codes, field="Barcode", kinds=pl.Series(["text"] + ["number"] * 8))[0], codes)

    def test_blanks_dashes_and_a_point_zero_are_no_part_of_a_barcode(self):
        for value in (
            "2 010002 700080",
            "2\u00a0010002\u2009700080",
            "2-010002-700080",
            "2010002700080.0",
            "2 010002 700080.0",
        ):
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
        # That no cell is blank, and all are as long as barcodes are, changes nothing.
        self.assertEqual(repaired("01234503", "20123451", field="Barcode", system=held)[0][0], "0000001234503")
        same = repaired("0000001234503", "20123451", "", field="Barcode", system=held)
        self.assertEqual(same[1], [], "what is right is no repair")
        # Another item's barcode proves nothing.
        self.assertEqual(repaired("", "1234503", "20123451", field="Barcode", system=held)[0][1], "1234503")
        other = repaired("20999995", "20123451", "", field="Barcode", system=held)[0][0]
        self.assertEqual(other, "20999995", "a higher number is another barcode")
        # Codes of ten digits are no barcodes, nor are words of thirteen letters: without others, nothing says how long
        # it was.
        for others in (("1234567890", "1234567891"), ("ABCDEFGHIJKLM", "NOPQRSTUVWXYZ"), ()):
            self.assertEqual(repaired("1234503", *others, field="Barcode")[0][0], "1234503")

    def test_a_barcode_with_letters_or_of_a_row_without_a_code_is_left_alone(self):
        held = state(item={"code": ["N0"], "barcode": ["ABC12"]})
        self.assertEqual(repaired("0ABC12", field="Barcode", system=held)[0], ["0ABC12"])
        sheet = rows(("Barcode", "Description"), ("1234503", "x"), ("2010002700080", "y"))
        self.assertEqual(repair(sheet, state(), {}).values["barcode"].to_list(), ["1234503", "2010002700080"])
