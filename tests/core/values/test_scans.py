from __future__ import annotations

import unittest
from datetime import date
from decimal import Decimal

from kotrel.core.values.scans import Scan, is_gtin, read_scan

TODAY = date(2026, 11, 23)


class Scans(unittest.TestCase):
    def test_the_check_digit(self) -> None:
        # 4006381333931: 4 + 3·0 + 0 + 3·6 + 3 + 3·8 + 1 + 3·3 + 3 + 3·3 + 9 + 3·3 = 89, so the digit is 1.
        self.assertTrue(is_gtin("4006381333931"))
        self.assertFalse(is_gtin("4006381333932"))
        self.assertFalse(is_gtin("400638133393X"))
        self.assertFalse(is_gtin("４００６３８１３３３９３１"), "full-width digits")

    def test_codes_and_element_strings(self) -> None:
        self.assertTrue(is_gtin("04006381333931"))
        cases = {
            "ROP-00120": Scan("ROP-00120"),
            "4006381333931": Scan("4006381333931"),
            "]E04006381333931": Scan("4006381333931"),
            "(01)04006381333931": Scan("04006381333931"),
            "(01)04006381333931(17)290400(10)VM-2704": Scan("04006381333931", None, "VM-2704", None, "2029-04-30"),
            "(01)04006381333931(15)290431": None,
            "(02)04006381333931(37)24": Scan("04006381333931", Decimal(24)),
            "010400638133393117280229\x1d10L1\x1d21S9": Scan("04006381333931", None, "L1", "S9", "2028-02-29"),
            "010400638133393117270229\x1d10L1": None,
            "]d2010400638133393110L1\x1d3012": Scan("04006381333931", Decimal(12), "L1"),
            "(01)04006381333932": None,
            # A long number whose digits in the middle happen to be a GTIN is a code like any other.
            "9904006381333931123": Scan("9904006381333931123"),
            "(01)04006381333931(17)29O400": None,
            "(01)04006381333931(17)2904001": None,
            "(01)04006381333931(1)X": None,
            "": None,
        }
        for text, expected in cases.items():
            with self.subTest(text=text):
                self.assertEqual(read_scan(text, TODAY), expected)

    def test_the_century_of_a_date(self) -> None:
        def expiry(text: str) -> str | None:
            found = read_scan(f"(01)04006381333931(17){text}", TODAY)
            return found.expires_on if found else None

        # From 2026: 77 is 51 years ahead, so in the past century; 76 is 50 ahead.
        self.assertEqual(
            (expiry("761231"), expiry("771231"), expiry("260200")), ("2076-12-31", "1977-12-31", "2026-02-28")
        )
