"""Dates with a time: one form, and no zone that nobody said."""

import unittest
from datetime import UTC, datetime

from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.values.dates import read_moment


class Moments(unittest.TestCase):
    def test_forms(self):
        for text, zoned, value, trouble in (
            ("2026-03-31 14:30", False, "2026-03-31 14:30:00", ""), ("2026-03-31T14:30:05.250", False, "2026-03-31 14:30:05.25", ""),
            ("2026-03-31", False, "2026-03-31 00:00:00", ""), ("2026-03-31 14:30+02:00", True, "2026-03-31 12:30:00Z", ""),
            ("2026-01-01 00:30+0100", True, "2025-12-31 23:30:00Z", ""), ("2026-03-31 14:30Z", True, "2026-03-31 14:30:00Z", ""),
            ("2026-03-31 14:30", True, None, "no-zone"), ("2026-03-31 14:30Z", False, None, "needless-zone"),
            ("2026-02-30 10:00", False, None, "impossible-date"), ("2026-03-31 25:00", False, None, "impossible-date"), ("31.3.2026", False, None, "not-a-moment"),
        ):  # fmt: skip
            with self.subTest(text):
                found = read_moment(text, zoned)
                self.assertEqual((found.value, found.trouble), (value, trouble))
        self.assertTrue(read_moment("2026-03-31", False).midnight)

    @given(st.datetimes(datetime(1900, 1, 1), datetime(2200, 1, 1)), st.timezones())
    def test_whatever_the_zone_it_is_the_same_moment(self, moment, zone):
        there = moment.replace(tzinfo=UTC).astimezone(zone)
        offset = there.utcoffset()
        if offset.total_seconds() % 60:
            return
        read = read_moment(there.isoformat(), True).value
        self.assertEqual(datetime.fromisoformat(read), moment.replace(tzinfo=UTC))
