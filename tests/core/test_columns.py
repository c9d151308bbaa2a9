"""Texts made of columns."""

import unittest

import polars as pl

from kotrel.core.columns import worded


class Worded(unittest.TestCase):
    def test_a_text_for_each_row_blank_where_a_part_is(self):
        frame = pl.DataFrame({"a": ["x", None, "z"], "n": [1, 2, 3]})
        self.assertEqual(
            frame.select(worded("{} is {}.", "a", pl.col("n"))).to_series().to_list(), ["x is 1.", None, "z is 3."]
        )
        self.assertEqual(pl.select(worded("({})", pl.Series(["p", "q"]))).to_series().to_list(), ["(p)", "(q)"])

    def test_a_column_with_an_empty_piece(self):
        # Of a large sheet, the rows of a finding are those left of many pieces.
        pieces = [pl.DataFrame({"a": [f"{letter}{n}" for n in range(3)]}) for letter in "pqr"]
        whole = pl.concat(pieces, rechunk=False)
        left = whole.filter(~whole["a"].str.starts_with("q"))
        self.assertIn(0, left["a"].chunk_lengths())
        self.assertEqual(
            left.select(worded("<{}>", "a")).to_series().to_list(), ["<p0>", "<p1>", "<p2>", "<r0>", "<r1>", "<r2>"]
        )
