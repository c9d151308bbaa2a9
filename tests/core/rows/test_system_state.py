"""What the system holds, with what comes earlier in the same load."""

import unittest
from unittest.mock import patch

import polars as pl
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing
from kotrel.core.rows import beside
from kotrel.core.rows.system_state import PendingRows, SystemState
from tests.support import rows, small


class Behind(unittest.TestCase):
    def test_what_the_same_load_clears_is_not_there(self):
        held = {"code": ["A", "B", "C"], "unit": ["M", "EA", "L"], "cost": ["1.00"] * 3}
        values = {"code": ["A", "B", "N"], "unit": [None, None, "KG"], clearing("unit"): [True, False, None]}
        state = SystemState(
            small(),
            lambda record, fields, *given: pl.DataFrame(held).select(fields),
            {"item": PendingRows(pl.DataFrame(values), {})},
        )
        found = state.behind(small().records["item"], pl.Series(["A", "B", "C", "N"]), ["unit", "cost"]).sort("code")
        self.assertEqual(found["unit"].to_list(), [None, "EA", "L", "KG"])
        self.assertEqual(found["cost"].to_list(), ["1.00", "1.00", "1.00", None])


CODES = st.sampled_from(["A", "B", "C", "D"])
CELLS = st.sampled_from(["x", "y", None])
LINES = st.tuples(CELLS, CELLS, CELLS)


class Beside(unittest.TestCase):
    @given(st.dictionaries(CODES, LINES), st.lists(st.tuples(CODES, LINES)), st.integers(1, 3), st.booleans())
    def test_what_is_held_of_each_row_in_the_order_of_the_sheet(self, held, sheet, at_once, untouched):
        names = ["description", "unit", "cost"]
        if untouched:
            sheet = list(held.items())
        there = pl.DataFrame([(code, *line) for code, line in held.items()], ["code", *names], orient="row")
        lines = [("Item code", "Description", "Unit", "Cost"), *((code, *("" for _ in line)) for code, line in sheet)]
        given_rows = replace(
            rows(*lines),
            values=pl.DataFrame(
                [(n + 2, code, *line) for n, (code, line) in enumerate(sheet)], [ROW, "code", *names], orient="row"
            ).cast({ROW: pl.UInt32, **dict.fromkeys(("code", *names), pl.String)}),
        )
        asked = []

        def read(record, fields, *_):
            asked.append(fields)
            return there.cast(pl.String).select(fields)[:: (-1) ** len(asked)]

        # As of a large sheet: a few fields at a time, in whatever order the rows come.
        with patch.object(beside, "LARGE", 0), patch.object(beside, "FIELDS_AT_ONCE", at_once):
            found = SystemState(small(), read).beside(given_rows, names)
        self.assertEqual(found.rows(), [(code, *held[code]) for code in dict(sheet) if code in held])
        self.assertEqual(len(asked), -(-3 // at_once))


if __name__ == "__main__":
    unittest.main()
