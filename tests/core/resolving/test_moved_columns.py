"""A column that was sorted alone or has slipped gives rows the values of others; edits by hand do not."""

import unittest

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.resolving.moved_columns import ENOUGH, may_have_moved, moved_cells

prices = st.lists(st.integers(1, 30), min_size=ENOUGH, max_size=40)


def moved(before, after):
    """The places that count as moved."""
    found = moved_cells(pl.Series(before, dtype=pl.String), pl.Series(after, dtype=pl.String))
    return None if found is None else found.arg_true().to_list()


class Moved(unittest.TestCase):
    @given(prices, st.randoms(use_true_random=False))
    def test_any_other_order_of_a_column_is_found(self, numbers, random):
        before = [str(each) for each in numbers]
        after = list(before)
        random.shuffle(after)
        changed = [place for place, (one, other) in enumerate(zip(before, after, strict=True)) if one != other]
        enough = may_have_moved(len(changed), len({after[place] for place in changed}))
        found = moved(before, after)
        # A column that has slipped as a whole has a few places less, at its ends.
        self.assertEqual(found is not None and len(found) >= max(len(changed) - 3, ENOUGH), enough)

    @given(prices)
    def test_a_rise_by_more_than_any_price_is_no_move(self, numbers):
        self.assertIsNone(moved([str(each) for each in numbers], [str(each + 100) for each in numbers]))

    def test_a_column_that_slips_by_a_cell(self):
        before = ["10", "20", "30", "40", "50", "60", "70", "80"]
        # A cell inserted in the third row: the value that is typed there is its own.
        self.assertEqual(moved(before, ["10", "20", "25", "30", "40", "50", "60", "70"]), [3, 4, 5, 6, 7])
        # One deleted, and the last left blank, which changes nothing.
        self.assertEqual(moved(before, ["10", "30", "40", "50", "60", "70", "80", None]), [1, 2, 3, 4, 5, 6])

    def test_what_people_do_is_no_move(self):
        before = ["10", "20", "30", "40", "50", "60"]
        self.assertIsNone(moved(before, ["20", "10", "30", "40", "60", "50"]), "two exchanged, twice")
        self.assertIsNone(moved(before, ["50", "50", "50", "50", "60", "50"]), "one value for all")
        self.assertIsNone(moved(before, [None] * 6), "nothing changed")
        words = ["yes", "no"] * 10
        self.assertIsNone(moved(words, words[::-1]), "few words: each has one of the others by chance")

    def test_levels_that_are_given_anew_are_no_move(self):
        # Of five levels, each row has one that some other row had.
        levels = ["5", "10", "20", "50", "100"]
        before = [levels[n % 5] for n in range(200)]
        after = [levels[(n * n + 1) % 5] for n in range(200)]
        self.assertIsNone(moved(before, after))
        self.assertIsNone(moved(before[:8], ["10", "20", "5", "100", "50", "10", "20", "5"]), "of few rows, by chance")
        # Sorted alone, all of them are the same again.
        self.assertIsNotNone(moved(before, sorted(before, key=int)))

    def test_a_tenth_may_have_been_changed_besides(self):
        before = [f"{place}.50" for place in range(40)]
        after = before[::-1]
        after[3], after[30] = "99.10", "99.20"
        self.assertEqual(len(moved(before, after)), 38)
        for place in range(5):
            after[place] = f"98.{place}0"
        self.assertIsNone(moved(before, after), "too many of its own")
