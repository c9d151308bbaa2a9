"""Products and rounding of whole columns, against Python's own decimals."""

import unittest
from decimal import ROUND_CEILING, ROUND_FLOOR, ROUND_HALF_UP, Context, Decimal, localcontext
from fractions import Fraction

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.columns import decimal_type
from kotrel.core.expressions.exact import times, to_decimals, to_multiples

NUMBERS = st.lists(
    st.none()
    | st.decimals(-100, 100, places=3)
    | st.decimals(-10_000, 10_000, places=12)
    | st.decimals(-(10**19), 10**19, places=12),
    min_size=1,
)
PLACE = Decimal("1E-12")


def column(numbers, made):
    texts = pl.Series("n", [None if each is None else f"{each:f}" for each in numbers], dtype=pl.String)
    found = texts.cast(decimal_type()).to_frame().select(made(pl.col("n")))
    return found["n"].to_list()


class ColumnsAreAsExactAsSingleNumbers(unittest.TestCase):
    def setUp(self):
        self.enterContext(localcontext(Context(prec=90)))

    def same(self, numbers, made, by_hand):
        for number, found in zip(numbers, column(numbers, made), strict=True):
            self.assertEqual(found, None if number is None else by_hand(number), number)

    @settings(deadline=None, max_examples=60)
    @given(NUMBERS, st.decimals(-5000, 5000, places=4))
    def test_products(self, numbers, by):
        self.same(
            numbers, lambda n: times(n, Fraction(by)), lambda one: (one * by).quantize(PLACE, rounding=ROUND_HALF_UP)
        )

    @settings(deadline=None, max_examples=60)
    @given(NUMBERS, st.integers(1, 10_000))
    def test_quotients(self, numbers, by):
        self.same(
            numbers, lambda n: times(n, Fraction(1, by)), lambda one: (one / by).quantize(PLACE, rounding=ROUND_HALF_UP)
        )

    @settings(deadline=None, max_examples=60)
    @given(NUMBERS, st.integers(0, 12))
    def test_decimals(self, numbers, places):
        self.same(
            numbers,
            lambda n: to_decimals(n, places),
            lambda one: one.quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP),
        )

    @settings(deadline=None, max_examples=60)
    @given(NUMBERS, st.decimals("0.001", 100, places=3))
    def test_multiples(self, numbers, of):
        for way, rounding in (("up", ROUND_CEILING), ("down", ROUND_FLOOR)):
            self.same(
                numbers,
                lambda n, way=way: to_multiples(n, of, way),
                lambda one, rounding=rounding: (one / of).to_integral_value(rounding) * of,
            )
        nearest = column(numbers, lambda n: to_multiples(n, of, "nearest"))
        for number, found in zip(numbers, nearest, strict=True):
            if number is not None:
                self.assertEqual(found % of, 0)
                self.assertLessEqual(abs(found - number), of / 2)

    @settings(deadline=None, max_examples=60)
    @given(NUMBERS, st.decimals(-50, 50, places=3), st.integers(1, 99), st.integers(0, 6))
    def test_several_steps_are_one_after_the_other(self, numbers, by, part, places):
        def by_hand(one):
            product = (one * by).quantize(PLACE, rounding=ROUND_HALF_UP)
            shared = (product / part).quantize(PLACE, rounding=ROUND_HALF_UP)
            return shared.quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP)

        self.same(numbers, lambda n: to_decimals(times(times(n, Fraction(by)), Fraction(1, part)), places), by_hand)

    def test_what_is_too_large_for_whole_numbers_is_as_exact(self):
        # 10^22 times 1,000.0001 is 10^25 + 10^18; in last places that is more than 2^127.
        self.assertEqual(
            column([Decimal(10) ** 22], lambda n: times(n, Fraction("1000.0001"))),
            [Decimal("10000001000000000000000000")],
        )
