"""What one unit is in another; the factors are those of the tables of weights and measures."""

import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.values.measures import _SIGNS, measure_of, one_is

signs = st.sampled_from(sorted(_SIGNS))


class Measures(unittest.TestCase):
    def test_known_factors(self):
        for unit, other, number in (
            ("g", "KG", "0.001"), ("GRM", "KGM", "0.001"), ("t", "kg", "1000"), ("lb", "g", "453.59237"), ("lbs.", "KG", "0.45359237"),
            ("mm", "CM", "0.1"), ("in", "mm", "25.4"), ("ft", "in", "12"), ("yd", "ft", "3"), ("ml", "L", "0.001"), ("m³", "L", "1000"),
            ("Kg", "KGM", "1"),
        ):  # fmt: skip
            self.assertEqual(one_is(unit, other), Decimal(number), (unit, other))

    def test_what_is_no_conversion(self):
        self.assertIsNone(one_is("g", "M"), "a mass and a length")
        self.assertIsNone(one_is("EA", "KG"))
        self.assertIsNone(one_is("in", "ft"), "a twelfth has no end")
        self.assertIsNone(measure_of("BOX"))

    @given(signs, signs)
    def test_there_and_back_is_one(self, one, other):
        there, back = one_is(one, other), one_is(other, one)
        if there is not None and back is not None:
            self.assertEqual(there * back, 1)
