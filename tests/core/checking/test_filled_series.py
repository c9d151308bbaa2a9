"""A run of amounts that count up is found wherever it begins; shorter ones and other steps are none."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.checking.filled_series import check_filled_series
from kotrel.core.columns import ROW
from tests.support import rows, state


def counted_up(*costs: str) -> list[int]:
    """The rows of the sheet that follow one another."""
    lines = [(f"A-{number}", cost) for number, cost in enumerate(costs)]
    found = check_filled_series(rows(("Item code", "Cost"), *lines), state())
    return [row for group in found for row in group.cells[ROW]]


class FilledSeries(unittest.TestCase):
    @given(st.integers(0, 12), st.integers(2, 12), st.integers(1, 900))
    def test_a_run_is_found_where_it_is_long_enough(self, before, long, first):
        # The others fall by three from row to row, so that they never go up by one.
        others = [f"{990 - 3 * number}.25" for number in range(before)]
        run = [f"{first + number}.40" for number in range(long)]
        expected = list(range(before + 3, before + 2 + long)) if long >= 6 else []
        self.assertEqual(counted_up(*others, *run, "5.75"), expected)

    def test_other_steps_are_no_series(self):
        self.assertEqual(counted_up(*(f"{n}.{n}0" for n in range(1, 9))), [], "1.10 more")
        self.assertEqual(counted_up(*(f"{2 * n}.00" for n in range(1, 9))), [])
        self.assertEqual(counted_up(*["7.00"] * 9), [])
        self.assertEqual(counted_up("1", "2", "3", "x", "5", "6", "7"), [])
