"""What people read: plain consoles, words, and findings worst first."""

import io
import itertools
import unittest
from unittest.mock import patch

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.columns import ROW
from kotrel.core.description.in_words import rules, what
from kotrel.core.phrases import count, listed, short
from kotrel.core.rows.findings import FindingGroup, cells_of, count_by_severity, rows_with, worst_first
from kotrel.screen.screen import Screen
from tests.support import small


class Words(unittest.TestCase):
    def test_numbers_and_lists_in_words(self):
        self.assertEqual(
            (count(1, "row"), count(1204, "row"), count(2, "entry", "entries")), ("1 row", "1,204 rows", "2 entries")
        )
        self.assertEqual((listed(["a", "b"]), listed(list("abcdef"), 2)), ("a, b", "a, b and 4 more"))
        self.assertEqual((short(None), short("a\nb\tc"), short("x" * 9, 5)), ("(blank)", "a⏎b⇥c", "xxxx…"))

    def test_every_field_is_said_in_words(self):
        item = small().records["item"]
        self.assertEqual(what(item.fields["unit"]), "a code from the unit list")
        self.assertEqual(what(item.fields["cost"]), "an amount, 2 decimals")
        self.assertEqual(what(item.fields["condition"]), "one of: new, used")
        self.assertIn("never below zero; at most 1000", rules(item.fields["cost"]))
        self.assertIn("never loaded", rules(item.fields["on_hand"]))


class Consoles(unittest.TestCase):
    def printed(self, encoding: str, text: str) -> bytes:
        raw = io.BytesIO()
        stream = io.TextIOWrapper(raw, encoding=encoding)
        with patch("sys.stdout", stream):
            Screen()
            stream.write(text)
            stream.flush()
        return raw.getvalue()

    def test_letters_a_console_lacks_are_shown_plainly(self):
        self.assertEqual(self.printed("ascii", "“a” → b · c – d… 🐟"), b'"a" -> b - c - d... ?')
        self.assertEqual(self.printed("cp437", "é → é"), b"\x82 -> \x82")
        self.assertEqual(self.printed("utf-8", "“a” → 🐟"), "“a” → 🐟".encode())

    @given(st.text())
    def test_no_text_ends_the_program(self, text):
        for encoding in ("ascii", "cp1252", "utf-8"):
            self.printed(encoding, text)


groups = st.lists(
    st.builds(
        lambda severity, kind, rows: FindingGroup(severity, kind, kind, "item", "code", "A", cells_of(rows)),
        st.sampled_from(["error", "warning", "note"]),
        st.sampled_from("abc"),
        st.lists(st.integers(0, 9), min_size=1, max_size=5),
    ),
    max_size=6,
)


class Findings(unittest.TestCase):
    @given(groups)
    def test_the_worst_and_the_most_come_first(self, found):
        ordered = worst_first(found)
        rank = [("error", "warning", "note").index(group.severity) for group in ordered]
        self.assertEqual(rank, sorted(rank))
        for first, second in itertools.pairwise(ordered):
            if first.severity == second.severity:
                self.assertGreaterEqual(first.count, second.count)
        self.assertEqual(sum(count_by_severity(found).values()), sum(group.count for group in found))

    @given(groups)
    def test_rows_with_errors_are_each_counted_once(self, found):
        by_hand = {row for group in found if group.severity == "error" for row in group.cells[ROW].to_list() if row}
        self.assertEqual(rows_with(found, "error").to_list(), sorted(by_hand))

    def test_cells_have_their_columns_whatever_is_given(self):
        cells = cells_of([3, 1], ["x", None], "same", [None, "y"])
        self.assertEqual(
            cells.schema, {ROW: pl.UInt32, "value": pl.String, "message": pl.String, "suggestion": pl.String}
        )
        self.assertEqual(cells.rows(), [(3, "x", "same", None), (1, None, "same", "y")])
