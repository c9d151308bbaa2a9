"""Codes that a spreadsheet takes for dates, and how such a date is shown."""

import unittest
from datetime import date

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.values.dated_codes import SHAPED_LIKE_DATE, became, days_of, days_shown
from kotrel.core.values.spreadsheet_damage import could_become

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


class DatedCodes(unittest.TestCase):
    def test_days_a_code_can_be_taken_for(self):
        self.assertEqual(days_of("3-12"), {(3, 12, None), (12, 3, None)})
        self.assertEqual(days_of("MAR-5"), {(3, 5, None)})
        self.assertEqual(days_of("31-12"), {(12, 31, None)})
        self.assertEqual(days_of("MAR-35"), {(3, 1, 35)})
        self.assertEqual(days_of("1-2003"), {(1, 1, 3)})
        self.assertEqual(days_of("2024-3-12"), {(3, 12, 24)})
        for code in ("ROP-10", "13-13", "XYZ-5", "3-12-245", "12"):
            self.assertEqual(days_of(code), set(), code)

    def test_a_year_that_the_code_says_must_agree(self):
        self.assertTrue(became("3-12-24", days_shown("2024-12-03")))
        self.assertFalse(became("3-12-24", days_shown("2025-12-03")))
        self.assertTrue(became("3-12", days_shown("2025-12-03")))
        self.assertFalse(became("3-12", days_shown("2025-12-04")))

    @given(st.dates(date(1950, 1, 1), date(2049, 12, 31)), st.booleans())
    def test_every_shape_of_a_date_leads_back_to_its_code(self, day, month_first):
        first, second = (day.month, day.day) if month_first else (day.day, day.month)
        code = f"{first}-{second}"
        short = f"{day.day}-{MONTHS[day.month - 1]}"
        for shown in (
            day.isoformat(), short, f"{short}-{day.year % 100:02}", f"{day:%d.%m.%Y}", f"{day:%m/%d/%Y}",
            f"{day.isoformat()} 00:00:00",
        ):  # fmt: skip
            self.assertTrue(could_become(code, shown), (code, shown))
            self.assertTrue(pl.Series([shown]).str.contains(SHAPED_LIKE_DATE)[0], shown)

    @given(st.text("0123456789-./ JanMARb", max_size=12))
    def test_the_pattern_for_columns_is_the_same_as_reading(self, text):
        shaped = pl.Series([text.strip()]).str.contains(SHAPED_LIKE_DATE)[0]
        self.assertTrue(shaped or not days_shown(text))
