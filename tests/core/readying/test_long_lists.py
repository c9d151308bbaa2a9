"""Long lists are looked through by columns first, and where many rows have one value not each is taken with each: the same is found."""

from __future__ import annotations

import unittest
from unittest.mock import patch

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st
from rapidfuzz.distance import OSA

from kotrel.core.checking.elsewhere import also_in
from kotrel.core.description import likely_rows
from kotrel.core.description.list_names import ListNames
from kotrel.core.readying.repairing import _List
from kotrel.core.values.near_codes import one_edit_away
from tests.support import small

LETTERS = "aAbBoOQiIlL0125-. /eE+\u0410\u00df\u00a0\u017f"
codes = st.one_of(
    st.text(LETTERS, min_size=1, max_size=5),
    st.sampled_from(["00120", "120", "1E5", "100000", "1.50", "3-12", "MAR-5", "10-10", "KEL", "ROPE-10", "12-Mar"]),
)
words = st.one_of(
    codes,
    st.tuples(codes, st.sampled_from([" - ", " (", ": ", " "]), codes).map("".join),
    st.sampled_from(["1.2E+02", "120.0", "2026-12-03", "3-Dec", "keldrift", "rope 10"]),
)


class LongLists(unittest.TestCase):
    @settings(deadline=None, max_examples=150)
    @given(st.lists(st.tuples(codes, st.one_of(st.none(), words)), min_size=1, max_size=8, unique_by=lambda row: row[0]), st.lists(words, min_size=1, max_size=4), st.booleans())  # fmt: skip
    def test_the_same_is_repaired_and_suggested(self, held, asked, is_date):
        record = small().records["unit"]
        rows = pl.DataFrame(held, schema={"code": pl.String, "name": pl.String}, orient="row")
        spelled = {"stk": held[0][0]}

        def found():
            known, names = _List(rows, record, asked), ListNames(rows, record, asked)
            return [(known.repair(word, spelled, is_date), names.suggestion(word)) for word in asked]

        wanted = found()
        with patch.object(likely_rows, "LONG", 0):
            self.assertEqual(found(), wanted)

    @given(st.text("ABC1", min_size=1, max_size=4), st.lists(st.text("ABC1", max_size=5), max_size=12))
    def test_one_edit_away_is_all_that_a_slip_can_make(self, code, others):
        away = one_edit_away(code, "ABC1")
        for other in others:
            self.assertEqual(other in away, OSA.distance(code, other) == 1, other)

    @given(st.lists(st.integers(2, 60), min_size=2, max_size=9, unique=True), st.data())
    def test_the_first_places_and_how_many_more(self, rows, data):
        own = data.draw(st.sampled_from(rows))
        others = [row for row in rows if row != own]
        more = f" and {len(others) - 3} more" if len(others) > 3 else ""
        wanted = "also in " + ", ".join(f"A{row}" for row in others[:3]) + more
        self.assertEqual(also_in(rows, own, lambda row: f"A{row}"), wanted)
