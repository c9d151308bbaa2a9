"""Long lists are looked through by columns first, and where many rows have one value not each is taken with each:
the same is found.
"""

from __future__ import annotations

import unittest
from unittest.mock import patch

import polars as pl
from hypothesis import given
from hypothesis import strategies as st
from rapidfuzz.distance import OSA

from kotrel.core.description import list_names as likely_rows
from kotrel.core.description.list_names import ListNames
from kotrel.core.resolving.code_list import UNDAMAGED, CodeList, Damage
from kotrel.core.rows.duplicate_places import also_in
from kotrel.core.values.near_codes import OneEditAway
from tests.support import small

CODES = [
    "00120", "120", "1E5", "100000", "1.50", "3-12", "MAR-5", "10-10", "KEL", "kel", "ROPE-10", "ROPE10", "R0PE-1O", "\u0410B-1",
    "AB-1", "QUAY 2", "BILL", "B1LL", "7", "007", "Stra\u00dfe", "STRASSE", "12-Mar", "A/B", "1250", "12.50", "5E3", "KE\u00a0L",
]  # fmt: skip
NAMES = ("Keldrift", "keldrift ropes", "ROPE-10", "Stra\u00dfe", "120", None)
MADE = (
    str.swapcase, str.strip, lambda text: text.replace("A", "\u0410"), lambda text: text.replace("-", ""), lambda text: f"\u200b{text}",
    lambda text: text.replace("O", "0").replace("I", "1"), lambda text: text.lstrip("0"), lambda text: f"00{text}", lambda text: f"{text}.0",
    lambda text: {"100000": "1E5", "1250": "1.25E+03", "1E5": "100000", "1.50": "1.5", "120": "1.2E+02", "3-12": "3-Dec", "MAR-5": "2026-03-05"}.get(text, text),
)  # fmt: skip
"""What people and spreadsheets make of a code."""


class LongLists(unittest.TestCase):
    def test_the_same_is_repaired_and_suggested(self):
        record = small().records["unit"]
        for held in (CODES, CODES[::3]):
            names = (NAMES * len(held))[: len(held)]
            rows = pl.DataFrame({"code": held, "name": names}, schema={"code": pl.String, "name": pl.String})
            words = {
                made + (f"{between}{name or 'x'}" if between else "")
                for code, name in zip(held, names, strict=True)
                for change in MADE
                for made in (change(code), change(name or code))
                for between in ("", " - ")
            }

            def found(word, rows=rows, first=held[0]):
                known = CodeList(rows, record, [word])
                return [
                    *(
                        known.repair(word, {"stk": first}, damage)
                        for damage in (UNDAMAGED, Damage(frozenset([word]), frozenset([word]), frozenset([word])))
                    ),
                    ListNames(rows, record, [word]).suggestion(word),
                ]

            for word in sorted(words - {""}):
                with self.subTest(word):
                    wanted = found(word)
                    with patch.object(likely_rows, "LONG", 0):
                        self.assertEqual(found(word), wanted)

    @given(st.text("ABC1", min_size=1, max_size=4), st.lists(st.text("ABC1", max_size=5), max_size=12))
    def test_one_edit_away_is_all_that_a_slip_can_make(self, code, others):
        wanted = sorted({other for other in others if OSA.distance(code, other) == 1})
        self.assertEqual(OneEditAway(others).of(code), wanted)
        long = "X" * 100
        self.assertEqual(OneEditAway(long + other for other in others).of(long + code), [long + one for one in wanted])

    @given(st.lists(st.integers(2, 60), min_size=2, max_size=9, unique=True), st.data())
    def test_the_first_places_and_how_many_more(self, rows, data):
        own = data.draw(st.sampled_from(rows))
        others = [row for row in rows if row != own]
        more = f" and {len(others) - 3} more" if len(others) > 3 else ""
        wanted = "also in " + ", ".join(f"A{row}" for row in others[:3]) + more
        self.assertEqual(also_in(rows, own, lambda row: f"A{row}"), wanted)
