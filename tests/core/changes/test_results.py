"""What a program's result file says of each row that was sent."""

from __future__ import annotations

import unittest
from datetime import date
from typing import Any

import polars as pl

from kotrel.core.changes.results import Answering, Answers, answers_in, result_record
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.tables.detection import find_table
from kotrel.core.values.conventions import Conventions
from tests.support import grid, small

LINES = pl.DataFrame({"line": [1, 2, 3, 4], "key": ["A-1", "A1", "B 7", "C"]}, schema_overrides={"line": pl.Int64})


def said(
    *cells: tuple[str | None, ...],
    only_refused: bool = False,
    lines: pl.DataFrame = LINES,
    numbers: pl.DataFrame | None = None,
    **sheet: Any,
) -> Answers:
    record = result_record([small().records["item"]], ["ArtNo"])
    table = find_table(grid(*cells), 1)
    rows = understand(table, match_headings(table, record), Conventions(), date(2026, 11, 26))
    return answers_in([Answering(rows, **sheet)], lines, ["L0001-3f2a"], only_refused, numbers)


class Results(unittest.TestCase):
    def test_a_key_is_one_row_or_none(self) -> None:
        found = said(("ArtNo", "Result"), ("A-1", "ok"), ("b7", "error"), ("C", "OK"))
        self.assertEqual([(each.line, each.outcome) for each in found.rows], [(1, "done"), (3, "refused"), (4, "done")])
        self.assertEqual((found.unmentioned, found.findings), (1, []))
        # a_1 could be A-1 or A1: neither is guessed.
        [group] = said(("ArtNo", "Result"), ("a_1", "ok")).findings
        self.assertEqual((group.kind, group.cells["message"].to_list()), ("not-in-load", ["it could be A-1 or A1"]))

    def test_a_file_answers_for_what_was_in_it_and_a_part_of_a_key_may_do(self) -> None:
        keys = ["A-1", "SHOP / A-1 / EA", "SHOP / B / EA", "YARD / B / EA"]
        lines = LINES.with_columns(pl.Series("key", keys), pl.Series("record", ["item", "price", "price", "price"]))
        result = (("ArtNo", "Result"), ("A-1", "error"))
        self.assertEqual([each.line for each in said(*result, lines=lines).rows], [1])
        of_prices = {"lines": lines, "records": frozenset({"price"})}
        self.assertEqual([each.line for each in said(*result, **of_prices).rows], [2])
        [group] = said(("ArtNo", "Result"), ("B", "ok"), **of_prices).findings
        self.assertEqual(group.cells["message"][0], "it could be SHOP / B / EA or YARD / B / EA")
        # Without a key, a line speaks of all that was in the file; of several files, of none.
        self.assertEqual([each.line for each in said(("Result",), ("ok",), **of_prices).rows], [2, 3, 4])
        self.assertEqual(
            [each.kind for each in said(("Result",), ("ok",), **of_prices, whole=False).findings], ["missing"]
        )

    def test_the_programs_own_numbers_lead_to_their_rows_or_to_none(self) -> None:
        lines = LINES.with_columns(pl.lit("item").alias("record"))
        numbers = pl.DataFrame({"record": ["item", "item"], "key": ["C", "A1"], "given": ["901", "902"]})
        told = (("ArtNo", "Number", "Result"), (None, "901", "refused"), (None, "902", "ok"), ("A-1", None, "ok"))
        found = said(*told, lines=lines, numbers=numbers)
        self.assertEqual([(each.line, each.outcome) for each in found.rows], [(1, "done"), (2, "done"), (4, "refused")])
        # Of a number that nobody knows, no row is guessed; nor does it speak of all of them.
        found = said(*told, lines=lines)
        self.assertEqual([(group.kind, group.count) for group in found.findings], [("not-in-load", 2)])
        self.assertEqual([each.line for each in found.rows], [1])
        # Nor does a footer, unless it names the file.
        footer = (("ArtNo", "Result", "Message"), ("A-1", "ok", None), (None, "refused", "54 rows read"))
        found = said(*footer, lines=lines)
        self.assertEqual(
            ([group.kind for group in found.findings], [each.line for each in found.rows]), (["missing"], [1])
        )

    def test_the_worst_counts_and_everything_that_was_said_stays(self) -> None:
        found = said(
            ("ArtNo", "Result", "Message", "Advice", "Number"),
            ("C", "ok", None, None, "70"), ("C", "warning", "dear.", "Look at it.", None), ("C", "ok", "dear", None, "71"),
        )  # fmt: skip
        [row] = found.rows
        self.assertEqual((row.outcome, row.message, row.number), ("warning", "dear. Look at it; dear", "71"))

    def test_what_cannot_be_understood_is_told(self) -> None:
        for cells, kind in (
            ((("ArtNo", "Result"), ("C", "perhaps")), "not-an-outcome"),
            ((("ArtNo", "Result"), ("D", "ok")), "not-in-load"),
            ((("ArtNo", "Result", "Reference"), ("C", "ok", "L0002-aaaa")), "other-reference"),
            ((("ArtNo", "Price"), ("C", "1")), "no-outcome"),
        ):
            self.assertEqual([group.kind for group in said(*cells).findings], [kind])

    def test_a_line_without_a_key_speaks_of_all_and_a_list_of_refusals_of_the_rest(self) -> None:
        found = said(("ArtNo", "Result", "Reference"), (None, "rejected", "upload L0001-3f2a.csv"))
        self.assertEqual([each.outcome for each in found.rows], ["refused"] * 4)
        [nothing] = said(("ArtNo", "Result", "Reference"), (None, "ok", "L0001-3f2a"), lines=LINES.clear()).findings
        self.assertEqual(nothing.kind, "not-in-load", "of nothing that was sent, nothing can be said")
        found = said(("ArtNo", "Message"), ("C", "no price"), only_refused=True)
        self.assertEqual([each.outcome for each in found.rows], ["done", "done", "done", "refused"])
