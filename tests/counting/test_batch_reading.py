"""Count sheets read as one, and each by itself, give the same rows."""

from __future__ import annotations

import unittest
from datetime import date

from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.counting.sheet_record import count_record
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.resolving.repairing import repair
from kotrel.core.tables.detection import find_table
from kotrel.core.values.conventions import Conventions
from kotrel.counting.batch_reading import read_alike
from tests.builders import system_of
from tests.core.documents.shop import practice
from tests.support import grid

TODAY = date(2027, 1, 9)
KNOWN = {"item": ["ROPE", "00120", "PAINT"], "warehouse": ["SHED"], "unit": ["EA", "M"]}
HEADINGS = ("Item", "Warehouse", "Bin", "Lot", "Unit", "Expected", "Counted", "Counter", "Time", "Remark")
PLAIN = st.tuples(
    st.sampled_from(["ROPE", "00120", "PAINT"]), st.just("SHED"), st.sampled_from(["S-1", ""]), st.just(""), st.sampled_from(["EA", ""]),
    st.sampled_from(["3", "50", ""]), st.sampled_from(["1.234", "47", "0", ""]), st.sampled_from(["Ola", ""]), st.just("14:30"), st.just(""),
)  # fmt: skip
ODD = st.tuples(
    st.sampled_from(["rope", "120", " ROPE", "ROPES", ""]), st.sampled_from(["SHED", "shed", "LOFT"]), st.just("S-1"), st.sampled_from(["", "L"]),
    st.sampled_from(["EA", "ea", "BOX"]), st.sampled_from(["1,234", "1.234", "x"]), st.sampled_from(["1.5", "n/c", "1,5", "3 EA"]), st.just("Ola "),
    st.sampled_from(["14.30", ""]), st.sampled_from(["(clear)", "#N/A", "'=x"]),
)  # fmt: skip


def state():
    return system_of(practice(), {record: {"code": codes} for record, codes in KNOWN.items()})


def sheet(lines, place, numbers):
    record = count_record(practice())
    kinds = {"G": "number"} if numbers else {}
    table = find_table(grid(HEADINGS, *lines, name=f"Count {place}", kinds=kinds), 1)
    return table, match_headings(table, record)


def alone(table, match):
    rows = understand(table, match, Conventions(), TODAY)
    rows = rows.only(rows.values["item"].is_not_null() | rows.values["counted"].is_not_null())
    return repair(rows, state(), {})


class Alike(unittest.TestCase):
    @settings(deadline=None, max_examples=60)
    @given(
        st.lists(st.lists(st.one_of(PLAIN, PLAIN, PLAIN, ODD), min_size=1, max_size=4), min_size=2, max_size=4),
        st.booleans(),
    )
    def test_read_as_one_and_each_by_itself(self, sheets, numbers):
        pairs = [sheet(lines, place, numbers) for place, lines in enumerate(sheets)]
        found = read_alike(pairs, state(), Conventions(), TODAY)
        if found is None:
            return
        for rows, (table, match) in zip(found, pairs, strict=True):
            own = alone(table, match)
            self.assertEqual((own.findings, own.repairs), ((), ()))
            self.assertEqual(rows.values.rows(named=True), own.values.rows(named=True))
            self.assertEqual(
                (rows.table.sheet, rows.table.rows, rows.letters), (own.table.sheet, own.table.rows, own.letters)
            )

    def test_plain_sheets_are_read_as_one_and_others_are_not(self):
        plain = [("ROPE", "SHED", "S-1", "", "EA", "50", "47", "Ola", "14:30", "")]
        pairs = [sheet(plain, place, True) for place in range(3)]
        found = read_alike(pairs, state(), Conventions(), TODAY)
        self.assertEqual([rows.values["counted"].to_list() for rows in found or []], [["47.000000"]] * 3)
        # What a number means that is written as a text, the sheet it stands in has to show.
        text = [("ROPE", "SHED", "S-1", "", "EA", "50", "1,234", "Ola", "14:30", "")]
        self.assertIsNone(read_alike([*pairs, sheet(text, 9, False)], state(), Conventions(), TODAY))
        self.assertIsNone(read_alike(pairs[:1], state(), Conventions(), TODAY))
