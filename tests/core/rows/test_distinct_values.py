"""A column judged by its distinct values, and by each of its cells, comes out the same."""

from __future__ import annotations

import unittest
from unittest.mock import patch

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.checking.all_checks import check_rows
from kotrel.core.resolving.repairing import repair
from kotrel.core.rows import distinct_values as few
from kotrel.core.rows.searching import run_position
from tests.support import rows, state

HEAD = ("Item code", "Description", "Unit", "Barcode", "Cost", "Lot tracked", "Condition", "Since", "Length", "Parent")
CHOICES = (
    ["A", "a ", "00120", "ITEM-000001", "1.2E+05", "5/Mar", "=A"],
    ["rope", " rope", "Rop\u00eb", "rope\x07", "'=x", "#N/A", "(Clear)", "", "a name much longer than it may ever be"],
    ["EA", "ea", "each", "BOX", "", "M"],
    ["20123451", "2012345", "20123452", "x", ""],
    ["1.50", "1,5", "1.234", "1,234", "-1.00", "1500.00", "2.555", "on request", "", "\uff11\uff12"],
    ["yes", "No", "maybe", ""],
    ["new", "NEW", "old", ""],
    ["2026-03-31", "31/03/2026", "04/05/2026", "13.1.26", ""],
    ["1.5", "1", "1.55", ""],
    ["A", "a", "KEPT", "LOST", ""],
)


def outcome(lines, numbers):
    there = state(item={"code": ["KEPT", "120"], "barcode": ["20123451", None]})
    ready = repair(rows(HEAD, *lines, kinds={"E": "number"} if numbers else {}), there, {})
    checked = check_rows(ready, there)
    told = [(group.kind, group.field, *cell) for group in checked.findings for cell in group.cells.rows()]
    mended = [(group.kind, group.field, *cell) for group in checked.repairs for cell in group.cells.rows()]
    return checked.values.rows(), sorted(told, key=str), sorted(mended, key=str)


class Few(unittest.TestCase):
    @settings(deadline=None, max_examples=25)
    @given(
        st.lists(st.tuples(*(st.sampled_from(choices) for choices in CHOICES)), min_size=1, max_size=9), st.booleans()
    )
    def test_distinct_values_say_as_much_as_all_cells(self, lines, numbers):
        if numbers:
            lines = [(*line[:4], "1.5" if line[4] else "", *line[5:]) for line in lines]
        with (
            patch("kotrel.core.matching.row_reading.few_of", lambda values: None),
            patch.object(few, "few_of", lambda values: None),
        ):
            wanted = outcome(lines, numbers)
        with (
            patch("kotrel.core.matching.row_reading.few_of", lambda values: values.unique()),
            patch.object(few, "few_of", lambda values: values.unique()),
        ):
            self.assertEqual(outcome(lines, numbers), wanted)

    def test_what_is_known_of_a_column_is_not_taken_for_another(self):
        kept = few.Few()
        first, second = pl.DataFrame({"x": ["A", "A", "B", "B"] * 2}), pl.DataFrame({"x": ["A", "A", "C\t", "C\t"] * 2})
        kept.keep("x", first["x"], None, True)
        kept.stands_in(first)
        for frame, values, plain in (
            (first, {"A", "B"}, True),
            (second, {"A", "C\t"}, False),
            (first.clone(), {"A", "B"}, True),
        ):
            self.assertEqual((set(kept.of("x", frame)), kept.plain("x", frame)), (values, plain))
        self.assertIsNone(kept.of("y", pl.DataFrame({"y": list("ABCDEFG")})))

    @given(st.lists(st.sampled_from("ABC")), st.lists(st.sampled_from("ABCD")))
    def test_values_stand_where_a_list_has_them_one_after_the_other(self, values, there):

        at = run_position(pl.Series(values, dtype=pl.String), pl.Series(there, dtype=pl.String))
        if at is not None:
            self.assertEqual(there[at : at + len(values)], values)
        elif len(set(there)) == len(there) and values:
            # Keys are unique: the only place where they could stand begins with the first.
            self.assertNotIn("".join(values), "".join(there))
