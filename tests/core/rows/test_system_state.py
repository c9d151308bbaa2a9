"""What the system holds, with what comes earlier in the same load."""

import unittest
from concurrent.futures import ThreadPoolExecutor
from unittest.mock import patch

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing
from kotrel.core.description.description_reading import read_description
from kotrel.core.rows import beside
from kotrel.core.rows.kept_answers import Answers
from kotrel.core.rows.system_state import PendingRows, SystemState, is_new
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


LETTERS = st.sampled_from("ABCDE")
TWO_PART_KEY = read_description(
    """
    [system]
    title = "Two"
    [record.place]
    key = ["house", "bin"]
    [record.place.field]
    house = { kind = "code", length = 4, must = "always" }
    bin = { kind = "code", length = 4 }
    """,
    "two.toml",
)


class SameQuestions(unittest.TestCase):
    @settings(deadline=None)
    @given(
        st.lists(LETTERS, unique=True),
        st.lists(st.tuples(st.lists(st.one_of(st.none(), LETTERS)), st.lists(LETTERS, unique=True)), max_size=5),
    )
    def test_what_is_known_follows_the_values_and_what_the_load_brings(self, held, asked):
        item = small().records["item"]
        state = SystemState(small(), lambda record, fields, *_: pl.DataFrame({"code": held}, {"code": pl.String}))
        for values, coming in asked:
            brought = {"item": PendingRows(pl.DataFrame({"code": coming}, {"code": pl.String}), {})} if coming else {}
            known = state.with_pending(brought).are_known(item, pl.Series(values, dtype=pl.String))
            self.assertEqual(known.to_list(), [None if each is None else each in {*held, *coming} for each in values])

    @settings(deadline=None)
    @given(
        st.sets(st.tuples(LETTERS, LETTERS)),
        st.lists(st.lists(st.tuples(LETTERS, st.one_of(st.none(), LETTERS)), min_size=1), max_size=4),
    )
    def test_rows_are_new_by_all_parts_of_their_key(self, held, sheets):
        there = pl.DataFrame(sorted(held), ["house", "bin"], orient="row").cast(pl.String)
        state = SystemState(TWO_PART_KEY, lambda record, fields, *_: there.select(fields))
        given_rows = rows(("Item code",), ("A",))
        for sheet in sheets:
            values = pl.DataFrame([(n, *key) for n, key in enumerate(sheet)], [ROW, "house", "bin"], orient="row").cast(
                {ROW: pl.UInt32, "house": pl.String, "bin": pl.String}
            )
            these = replace(given_rows, record=TWO_PART_KEY.records["place"], values=values)
            for _ in range(2):
                self.assertEqual(is_new(these, state).to_list(), [key not in held for key in sheet])

    def test_a_column_is_searched_for_once_however_many_checks_ask(self):
        answers, found = Answers(), []
        column = pl.Series(["A", "B"])

        def find():
            found.append(1)
            return column.len()

        with ThreadPoolExecutor(4) as pool:
            list(pool.map(lambda _: answers.of("how many", pl.Series(["A", "B"]), find), range(20)))
        self.assertEqual(len(found), 1)
        answers.of("how many", pl.Series(["A", "C"]), find)
        answers.of("how many now", pl.Series(["A", "C"]), find)
        self.assertEqual(len(found), 3)


if __name__ == "__main__":
    unittest.main()
