from __future__ import annotations

import unittest
from datetime import date
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.values.scans import Scan, is_gtin, read_scan

TODAY = date(2026, 11, 23)
words = st.text("ABCXYZ0123456789-/.", min_size=1, max_size=20)


class Scans(unittest.TestCase):
    def test_the_check_digit(self) -> None:
        # 2026381333931: 2 + 3·0 + 2 + 3·6 + 3 + 3·8 + 1 + 3·3 + 3 + 3·3 + 9 + 3·3 = 89, so the digit is 1.
        self.assertTrue(is_gtin("2026381333931"))
        self.assertFalse(is_gtin("2026381333932"))
        self.assertFalse(is_gtin("202638133393X"))
        self.assertFalse(is_gtin("２０２６３８１３３３９３１"), "full-width digits")

    def test_codes_and_element_strings(self) -> None:
        self.assertTrue(is_gtin("02026381333931"))
        cases = {
            "ROP-00120": Scan("ROP-00120"),
            "2026381333931": Scan("2026381333931"),
            "]E02026381333931": Scan("2026381333931"),
            "(01)02026381333931": Scan("02026381333931"),
            "(01)02026381333931(17)290400(10)VM-2704": Scan("02026381333931", None, "VM-2704", None, "2029-04-30"),
            "(01)02026381333931(15)290431": None,
            "(02)02026381333931(37)24": Scan("02026381333931", Decimal(24)),
            "010202638133393117280229\x1d10L1\x1d21S9": Scan("02026381333931", None, "L1", "S9", "2028-02-29"),
            "010202638133393117270229\x1d10L1": None,
            "]d2010202638133393110L1\x1d3012": Scan("02026381333931", Decimal(12), "L1"),
            # A net weight has six digits, an amount to be paid ends at a separator.
            "]d20102026381333931310300125010L1": Scan("02026381333931", None, "L1", measure="3103"),
            "]d2010202638133393139221234\x1d10L1": Scan("02026381333931", None, "L1", measure="3922"),
            "(01)02026381333932": None,
            # A long number whose digits in the middle happen to be a GTIN is a code like any other.
            "9902026381333931123": Scan("9902026381333931123"),
            "(01)02026381333931(17)29O400": None,
            "(01)02026381333931(17)2904001": None,
            "(01)02026381333931(1)X": None,
            "": None,
        }
        for text, expected in cases.items():
            with self.subTest(text=text):
                self.assertEqual(read_scan(text, TODAY), expected)

    def test_the_century_of_a_date(self) -> None:
        def expiry(text: str) -> str | None:
            found = read_scan(f"(01)02026381333931(17){text}", TODAY)
            return found.expires_on if found else None

        self.assertEqual(
            (expiry("751231"), expiry("251231"), expiry("990100")), ("2075-12-31", "2025-12-31", "1999-01-31")
        )
        # From 2026: 77 is 51 years ahead, so in the past century; 76 is 50 ahead.
        self.assertEqual(
            (expiry("761231"), expiry("771231"), expiry("260200")), ("2076-12-31", "1977-12-31", "2026-02-28")
        )

    def test_what_is_no_element_string_is_told_apart(self) -> None:
        gtin = "02026381333931"
        cases = {
            # Without a separator, only what cannot be anything else: an identifier, a GTIN, and more.
            f"01{gtin}10L1": Scan(gtin, None, "L1"),
            f"02{gtin}3712": Scan(gtin, Decimal(12)),
            f"01{gtin}": Scan(f"01{gtin}"),
            f"03{gtin}10L1": Scan(f"03{gtin}10L1"),
            "010202638133393210L1": Scan("010202638133393210L1"),
            # With the mark of element strings, the same may stand alone.
            f"]C101{gtin}": Scan(gtin),
            f"]d201{gtin}": Scan(gtin),
            # What follows must be known, whole, digits where digits belong, and no longer than it may be.
            f"]d201{gtin}99X": None,
            f"]d201{gtin}1729043": None,
            f"]d201{gtin}1729O430": None,
            f"]d201{gtin}10": None,
            f"]d201{gtin}10{'L' * 20}": Scan(gtin, None, "L" * 20),
            f"]d201{gtin}10{'L' * 21}": None,
            f"]d201{gtin}10L1\x1d\x1d21S": Scan(gtin, None, "L1", "S"),
            f"]d2\x1d01{gtin}": Scan(gtin),
            "]d210L1": None,
            "(10)L1": None,
            f"(01){gtin[1:]}": None,
            f"(01){gtin}(30)1x": None,
            f"(01){gtin}(30)0": Scan(gtin, Decimal(0)),
            f"(01){gtin}(17)291301": None,
            f"(01){gtin}(17)290001": None,
            f"(01){gtin}(17)290229": None,
            f"(01){gtin}(17)280229": Scan(gtin, None, None, None, "2028-02-29"),
            f"(01){gtin}(17)290115(15)290110": Scan(gtin, None, None, None, "2029-01-15"),
            f"(01){gtin}(15)290110": Scan(gtin, None, None, None, "2029-01-10"),
        }
        for text, expected in cases.items():
            with self.subTest(text=text):
                self.assertEqual(read_scan(text, TODAY), expected)

    @given(
        st.fixed_dictionaries(
            {"01": st.just("02026381333931")},
            optional={
                "10": words,
                "21": words,
                "30": st.integers(1, 99_999_999).map(str),
                "17": st.dates(date(2027, 1, 1), date(2070, 12, 31)).map("{:%y%m%d}".format),
            },
        ),
        st.randoms(use_true_random=False),
    )
    def test_both_ways_of_writing_say_the_same(self, parts: dict[str, str], order: object) -> None:
        names = list(parts)
        order.shuffle(names)  # type: ignore[attr-defined]
        fixed = ("01", "17")
        written = "".join(name + parts[name] + ("" if name in fixed else "\x1d") for name in names)
        expires = parts.get("17")
        expected = Scan(
            parts["01"], Decimal(parts["30"]) if "30" in parts else None, parts.get("10"), parts.get("21"),
            f"20{expires[:2]}-{expires[2:4]}-{expires[4:]}" if expires else None,
        )  # fmt: skip
        self.assertEqual(read_scan(f"]d2{written}", TODAY), expected)
        self.assertEqual(read_scan(f"]d2{written.removesuffix(chr(29))}", TODAY), expected)
        self.assertEqual(read_scan("".join(f"({name}){parts[name]}" for name in names), TODAY), expected)
