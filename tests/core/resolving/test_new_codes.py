"""New codes that look alike, lost their zeros, carry a footnote, or are written in another alphabet."""

import unittest
from unittest import mock

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.columns import ROW
from kotrel.core.resolving.ready_rows import ready_rows
from kotrel.core.rows.load_options import LoadOptions
from kotrel.core.values.conventions import Conventions
from kotrel.core.values.near_codes import all_of_one_shape, near_form
from tests.support import rows, small, state


def found(*codes, kinds=None, held=(), new_codes=(), only=None):
    """Kind, severity and sheet row of what is said of codes."""
    sheet = rows(
        ("Item code", "Description", "Unit"), *((code, f"thing {n}", "EA") for n, code in enumerate(codes)),
        kinds={"A": pl.Series(["text", *kinds])} if kinds else None,
    )  # fmt: skip
    system = state(
        item={"code": list(held), "description": [f"held {n}" for n in range(len(held))], "unit": ["EA"] * len(held)}
    )
    done = ready_rows(sheet, None, system, LoadOptions(new_codes=new_codes, only=only), Conventions())
    return {(group.kind, group.severity, row) for group in done.rows.findings for row in group.cells[ROW]}


class NewCodes(unittest.TestCase):
    def test_codes_that_differ_in_capitals_or_separators_are_one(self):
        self.assertEqual(
            found("HA-DUPE", "ha dupe", "OTHER-1"), {("nearly-twice", "error", 2), ("nearly-twice", "error", 3)}
        )
        self.assertEqual(found("B-0123", "B-O123"), {("nearly-twice", "warning", 2), ("nearly-twice", "warning", 3)})
        self.assertEqual(found("HA-DUPE", "ha dupe", new_codes=("HA-DUPE", "ha dupe")), set())
        self.assertEqual(found("HA-DUPE", "ha dupe", new_codes=("all",)), set())
        self.assertEqual(found("A-1", "A-2", "A-10", "A-11"), set(), "numbers that differ")

    def test_numbers_divided_in_other_places_are_other_codes(self):
        self.assertEqual(found("1-12", "11-2", "X-7-10", "X 71 0"), set())
        self.assertEqual(
            found("1-12", "11-2", "112"), {("nearly-twice", "error", row) for row in (2, 3, 4)}, "112 may be either"
        )

    @settings(deadline=None, max_examples=60)
    @given(
        st.sampled_from(["", "-"]), st.lists(st.tuples(st.integers(0, 29), st.integers(0, 29)), min_size=2, unique=True)
    )
    def test_codes_of_one_shape_need_no_closer_look(self, between, numbers):
        codes = pl.Series([f"BOLT-{one:02}{between}{other:02}" for one, other in numbers])
        self.assertTrue(all_of_one_shape(codes))
        with mock.patch("kotrel.core.resolving.new_codes.all_of_one_shape", return_value=False):
            self.assertEqual(found(*codes), set())

    def test_numbers_beside_codes_with_zeros_have_lost_them(self):
        kinds = ["text", "number", "text"]
        self.assertEqual(found("004101", "4100", "004102", kinds=kinds), {("zeros-lost", "error", 3)})
        self.assertEqual(found("004101", "4100", "004102"), {("zeros-lost", "warning", 3)}, "typed as a text")
        self.assertEqual(found("004101", "4100", "04102", kinds=kinds), set(), "codes of every length")
        # The system's codes say it too, and a number that is a code there may be another one.
        self.assertEqual(found("4100", kinds=["number"], held=("004101", "004102")), {("zeros-lost", "error", 2)})
        self.assertEqual(found("91", kinds=["number"], held=("91", "000091")), {("zeros-lost", "warning", 2)})

    def test_a_footnote_behind_a_key_is_no_part_of_it(self):
        held = [f"BKY-{n}" for n in range(10100, 10110)]
        for mark in ("¹", "²", "†", "*", " (new)", " NEW", " neu", "**", "[1]"):
            with self.subTest(mark):
                codes = [*held[1:], f"{held[0]}{mark}"]
                self.assertEqual(found(*codes, held=held), {("nearly-there", "error", 11)})
        self.assertEqual(found(*held[1:], "BKY-NEW", held=held), set(), "a code of its own")

    def test_codes_that_only_look_latin_are_reported(self):
        self.assertEqual(found("КАНАТ-1", "ЯКОРЬ-2"), {("other-alphabet", "warning", 2)})

    def test_typed_numbers_of_an_update_are_no_other_codes(self):
        held = ("000490", "000012", "000182")
        for typed in ("0049E1", "12", "182.0"):
            sheet = rows(("Item code", "Description"), (typed, "x"))
            done = ready_rows(sheet, None, state(item={"code": list(held)}), LoadOptions(), Conventions())
            self.assertEqual(done.rows.values["code"].to_list(), [typed])
        named = rows(("Item code", "Description"), ("182", "x"), kinds={"A": pl.Series(["text", "number"])})
        for options in (LoadOptions(new_codes=("182",)), LoadOptions(only="new")):
            done = ready_rows(named, None, state(item={"code": list(held)}), options, Conventions())
            self.assertEqual(done.rows.values["code"].to_list(), ["182"], "the user says that it is new")

    def test_the_preview_counts_rows_that_were_found_by_a_repair(self):
        sheet = rows(
            ("Item code", "Description"),
            ("182", "x"),
            ("ROPE", "y"),
            kinds={"A": pl.Series(["text", "number", "text"])},
        )
        done = ready_rows(sheet, None, state(item={"code": ["000182", "ROPE"]}), LoadOptions(), Conventions())
        self.assertIn("1 row found only through a repaired key (kotrel check --repairs lists them)", done.remarks)

    def test_one_shape_means_that_none_are_near(self):
        for codes in (["A-1", "A-2"], ["ROP-00120", "CHN-00120"], ["X1", "X2", "X3"]):
            self.assertTrue(all_of_one_shape(pl.Series(codes)), codes)
            self.assertEqual(near_form(pl.Series(codes)).n_unique(), len(codes))
        for codes in (["A-1", "A-02"], ["BIG-1", "BLG-1"], ["a-1", "a-2"], ["A-1", "A 1"]):
            self.assertFalse(all_of_one_shape(pl.Series(codes)), codes)


class Item(unittest.TestCase):
    def test_the_records_of_these_tests_have_the_fields(self):
        self.assertLessEqual({"code", "description", "unit"}, set(small().records["item"].fields))
