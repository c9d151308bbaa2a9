"""A second table below the first is told at its headings, and nothing else is taken for one."""

import unittest

from kotrel.core.matching.second_tables import headings_below
from kotrel.core.tables.detection import find_table
from tests.support import grid, small

HEAD = ("code", "description", "unit", "cost")


def below(*lines):
    table = find_table(grid(HEAD, ("A", "a rope", "M", "1"), *lines), 1)
    return [row for row, _ in headings_below(table, small().records.values())]


class SecondTables(unittest.TestCase):
    def test_headings_after_a_gap_are_told_with_their_row(self):
        blank, more = ("", ""), ("B", "a cord", "M", "1")
        self.assertEqual(below(blank, ("Code", "Cost"), more), [4])
        self.assertEqual(below(blank, ("Prices",), ("unit", "COST"), more), [5])
        self.assertEqual(below(blank, more, blank, blank, ("unit", "code", "shade"), more), [])
        self.assertEqual(below(blank, more, blank, blank, ("unit", "code", "description", "shade"), more), [7])

    def test_rows_are_no_headings(self):
        blank = ("", "")
        for line in (
            ("B", "cost", "M", "1"),
            ("code",),
            ("code", "code"),
            ("B", "description", "unit", "1"),
            ("unit", "7"),
        ):
            with self.subTest(line):
                self.assertEqual(below(blank, line), [])
        # Without a gap they belong to the rows.
        self.assertEqual(below(("B", "a cord", "M", "2"), ("unit", "cost", "", "")), [])
