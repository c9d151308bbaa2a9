"""Single values: numbers, dates, yes and no, check digits."""

import unittest
from decimal import Decimal

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.values import dates, numbers
from kotrel.core.values.code_formats import gtin_check_digit, gtin_fits, gtin_has_length
from kotrel.core.values.yes_no import read_yes_no

amounts = st.decimals(min_value=-(10**9), max_value=10**9, places=2)


def grouped(value: Decimal, thousands: str, mark: str) -> str:
    return f"{value:,.2f}".replace(",", "T").replace(".", mark).replace("T", thousands)


class Numbers(unittest.TestCase):
    @given(
        amounts,
        st.sampled_from([(",", "."), (".", ","), (" ", ","), ("'", "."), ("\u202f", ",")]),
        st.sampled_from(["", "€", "EUR ", "$"]),
    )
    def test_an_amount_written_by_any_convention_reads_back(self, value, marks, currency):
        thousands, mark = marks
        read = numbers.read_number(currency + grouped(abs(value), thousands, mark), mark)
        self.assertEqual((read.value, read.trouble), (abs(value), ""))

    @given(amounts)
    def test_negatives_in_brackets_or_with_a_minus_behind(self, value):
        text = f"{abs(value):.2f}"
        for shape in (f"({text})", f"{text}-", f"-{text}", f"−{text}"):
            self.assertEqual(numbers.read_number(shape, ".").value, -abs(value))

    def test_what_can_be_read_two_ways_is_not_read(self):
        for text in ("1,234", "1.234", "€ 12.345", "(1,234)"):
            self.assertEqual(numbers.read_number(text, None).trouble, "ambiguous", text)
        # These have only one sensible reading.
        for text, value in (("1,234,567", "1234567"), ("0,125", "0.125"), ("1234,567", "1234.567"), ("12,5", "12.5")):
            self.assertEqual(numbers.read_number(text, None).value, Decimal(value), text)

    def test_what_is_no_number(self):
        for text in ("POA", "ROP-40010", "12 mm", "1,23,456", "--5", "(5", "5)", "1.2.3,4,5", "", "€", "1e5x"):
            self.assertIsNone(numbers.read_number(text, ".").value, text)

    def test_a_number_against_the_columns_mark_is_told(self):
        self.assertEqual(numbers.read_number("7,90", ".").trouble, "other-mark")
        self.assertTrue(numbers.mark_of(["7.90", "8.10", "9,5"]).contradicts)
        self.assertEqual(numbers.mark_of(["1.234", "5"]), numbers.Marks(None))


class Dates(unittest.TestCase):
    @given(st.dates(min_value=dates.date(1980, 1, 1), max_value=dates.date(2040, 12, 31)))
    def test_every_day_reads_back_in_both_orders(self, day):
        self.assertEqual(dates.read_date(f"{day.day}/{day.month}/{day.year}", "day", 2026).value, day.isoformat())
        self.assertEqual(
            dates.read_date(f"{day.month:02}.{day.day:02}.{day.year}", "month", 2026).value, day.isoformat()
        )
        self.assertEqual(dates.read_date(day.isoformat(), None, 2026).value, day.isoformat())

    def test_doubt_and_impossible_days(self):
        for text, trouble in (
            ("3/4/2026", "ambiguous"),
            ("31.2.2026", "impossible"),
            ("2026-13-01", "impossible"),
            ("soon", "no-date"),
            ("1/2", "no-date"),
        ):
            self.assertEqual(dates.read_date(text, None, 2026).trouble, trouble, text)
        self.assertEqual(dates.read_date("4/4/2026", None, 2026).value, "2026-04-04")
        self.assertEqual(dates.read_date("12 March 2026", None, 2026).value, "2026-03-12")
        self.assertEqual(dates.order_of(["3/4/2026", "13/4/2026"]), ("day", False))

    def test_two_digit_years_are_told(self):
        read = dates.read_date("5.6.45", "day", 2026)
        self.assertEqual((read.value, read.guessed_century), ("2045-06-05", True))
        self.assertEqual(dates.read_date("5.6.47", "day", 2026).value, "1947-06-05")


class Words(unittest.TestCase):
    def test_yes_and_no(self):
        self.assertEqual([read_yes_no(word) for word in ("Yes", "x", "1", "OUI", "ja", "✓")], ["yes"] * 6)
        self.assertEqual([read_yes_no(word) for word in ("no", "0", "Nein", "FALSE")], ["no"] * 4)
        self.assertIsNone(read_yes_no("maybe"))


class Barcodes(unittest.TestCase):
    def test_check_digits_worked_out_by_hand(self):
        # 229144150021: from the right 1×3+2×1+0×3+0×1+5×3+1×1+4×3+4×1+1×3+9×1+2×3+2×1 = 57 → 3
        self.assertEqual(gtin_check_digit("229144150021"), "3")
        # 2012345: 5×3+4×1+3×3+2×1+1×3+0×1+2×3 = 39 → 1
        self.assertEqual(gtin_check_digit("2012345"), "1")

    @given(
        st.sampled_from([7, 11, 12, 13]).flatmap(lambda n: st.text("0123456789", min_size=n, max_size=n)),
        st.integers(1, 9),
    )
    def test_the_right_digit_fits_and_no_other_does(self, body, more):
        right = gtin_check_digit(body)
        wrong = str((int(right) + more) % 10)
        frame = pl.DataFrame({"code": [body + right, body + wrong]})
        self.assertEqual(frame.select(gtin_fits(pl.col("code"))).to_series().to_list(), [True, False])
        self.assertTrue(frame.select(gtin_has_length(pl.col("code")).all()).item())
