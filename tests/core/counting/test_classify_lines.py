"""Lines looked at as whole columns, and one by one, say the same."""

from __future__ import annotations

import unittest
from decimal import Decimal

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.counting.classify_lines import left_lines, moved_of, parted, quiet_lines
from kotrel.core.counting.frames import as_entries, as_places, line_frame, place_frame
from kotrel.core.counting.selection import FROZEN
from kotrel.core.counting.tolerances import EXACT
from kotrel.core.counting.variance import CountEntry, lines_of, totals_of
from kotrel.core.stock.sums import PLACE
from tests.core.counting.test_variance import minute

KEYS = [("ROPE", "SHED", "S-1", None, None), ("ROPE", "SHED", None, None, None), ("PAINT", None, None, "L-1", None)]
QUANTITIES = st.sampled_from(["50", "50.000000", "47.5", "0", "1E+1", "0.0000000000000001", "50.0000000000000001"])
ENTRIES = st.lists(
    st.builds(
        CountEntry, st.integers(1, 3), st.sampled_from([0, 0, 0, 1]), QUANTITIES.map(Decimal), st.sampled_from(["", "ola"]),
        st.sampled_from([None, minute(10), minute(20)]), st.just("a.xlsx H5"),
    ),
    max_size=5,
)  # fmt: skip
MOVES = st.lists(
    st.tuples(st.sampled_from(KEYS), st.sampled_from([minute(5), minute(15)]), st.sampled_from(["-1", "2"])), max_size=3
)


def frame(rows, *columns):
    return pl.DataFrame(
        [(*key, *rest) for key, *rest in rows], dict.fromkeys((*PLACE, *columns), pl.String), orient="row"
    )


class Parting(unittest.TestCase):
    @settings(deadline=None, max_examples=150)
    @given(ENTRIES, MOVES, st.booleans(), st.sampled_from(["recount", "add"]), st.permutations(KEYS))
    def test_parted_or_not(self, entries, moves, trading, second, held):
        rows = [(*key, "50", "4.20", "M", "Rope", "") for key in KEYS]
        places = place_frame(pl.DataFrame(rows, dict.fromkeys(FROZEN, pl.String), orient="row"))
        # One of the places holds nothing now, and is in no sum.
        now = frame([(key, "50.000000" if n else "47.5") for n, key in enumerate(held[:2])], "quantity")
        since = frame(moves, "posted_at", "quantity")
        whole = lines_of(as_places(places), entries, trading, moved_of(places, now, since), second, EXACT)
        parts = parted(places, line_frame(entries), now, since)
        told = lines_of(
            as_places(parts.told), as_entries(parts.lines), trading, moved_of(parts.told, now, since), second, EXACT
        )
        quiet, left = quiet_lines(parts.quiet), left_lines(parts.left)
        self.assertEqual(sorted([*quiet, *left, *told], key=lambda line: line.place.number), whole)
        self.assertTrue(all(line.counted == line.expected and not line.recount for line in quiet))
        self.assertTrue(all(line.counted is None for line in left))
        self.assertEqual(totals_of(told, EXACT, len(quiet), len(left)), totals_of(whole, EXACT))
