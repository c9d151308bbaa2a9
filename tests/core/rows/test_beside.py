"""Rows put beside a sheet's, whatever the order of both."""

from __future__ import annotations

import unittest

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.rows.beside import beside

CODES = st.sampled_from(["A", "B", "C", "D", None])
KEYS = st.lists(st.tuples(CODES, CODES), max_size=6)


class BesideEachOther(unittest.TestCase):
    @given(KEYS, KEYS, st.booleans(), st.sampled_from([["one"], ["one", "two"]]))
    def test_each_row_has_the_first_with_its_key(self, ours, theirs, as_theirs, key):
        if as_theirs:
            # A sheet that nobody sorted, or a part of one.
            ours = theirs[len(theirs) // 3 :]
        schema = {"one": pl.String, "two": pl.String}
        values = pl.DataFrame(ours, schema=schema, orient="row")
        others = pl.DataFrame(theirs, schema=schema, orient="row").with_row_index("what")
        found = beside(values, others, key)
        there = [line[: len(key)] for line in theirs]
        wanted = [
            there.index(line[: len(key)]) if None not in line[: len(key)] and line[: len(key)] in there else None
            for line in ours
        ]
        self.assertEqual(found.column("what").to_list(), wanted)
        self.assertEqual(found.is_there.to_list(), [each is not None for each in wanted])
        if found.in_order:
            self.assertEqual(wanted, list(range(len(theirs))))
