"""What a journal keeps and gives back, and what stands in an undo's way: against plain lists."""

from __future__ import annotations

import unittest
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.changes.canonical import require_canonical
from kotrel.core.changes.change_set import Origin, RecordChanges, RefusedRows, before, join_changes
from kotrel.core.changes.journal import (
    Entry,
    changes_from,
    counts_of,
    entry_parts,
    journal_rows,
    refused_rows,
    rest_from,
    standing,
)
from kotrel.core.changes.reversal import reverse
from kotrel.core.changes.row_comparison import compare
from kotrel.core.columns import ACTION, MESSAGE, ROW
from kotrel.core.errors import WrongUse
from kotrel.core.rows.findings import cells_of
from tests.support import rows, small

ITEM = small().records["item"]
FIELDS = ("code", "description", "cost")
text = st.one_of(st.none(), st.text(st.sampled_from('ab"\\\n\t\x0b\x00\x7fÖ🚤'), min_size=1, max_size=4))
lines = st.lists(
    st.tuples(st.sampled_from(["new", "changed", "removed", "same", "refused"]), text, text, text, text), max_size=6
)


def changes(given_lines: list[tuple[Any, ...]], first_row: int = 2) -> RecordChanges:
    """Changes with keys K0, K1 …; the values before and after as given."""
    table = [
        {
            ROW: place + first_row, ACTION: action, MESSAGE: None,
            "code": None if action == "removed" else f"K{place}", before("code"): None if action == "new" else f"K{place}",
            "description": a, before("description"): b, "cost": c, before("cost"): d,
        }
        for place, (action, a, b, c, d) in enumerate(given_lines)
    ]  # fmt: skip
    names = [ROW, ACTION, MESSAGE, *FIELDS, *map(before, FIELDS)]
    schema = {name: pl.UInt32 if name == ROW else pl.String for name in names}
    return RecordChanges(ITEM, "a.xlsx", "S", FIELDS, pl.DataFrame(table, schema=schema))


class Journal(unittest.TestCase):
    @given(lines, lines, st.integers(1, 4))
    def test_what_was_done_comes_back_record_by_record(self, first, second, at_once):
        done = [changes(first), changes(second, 20)]
        kept, line = [], 1
        for each in done:
            kept.append(journal_rows(each, 7, line))
            line += kept[-1].height
        rows_kept = pl.concat(kept)
        self.assertEqual(rows_kept["line"].to_list(), list(range(1, line)))
        touched = rows_kept.filter(pl.col("action") != "same").with_columns(pl.col("row").cast(pl.UInt32))
        # However many lines are read at a time.
        spans = [pl.col("line").is_between(start, start + at_once - 1) for start in range(1, line, at_once)]
        back = list(changes_from(entry_parts(done), (touched.filter(span) for span in spans), small(), 7))
        start = 1
        for each, read in zip(done, back, strict=True):
            left = each.frame.filter(~pl.col(ACTION).is_in(["same", "refused"]))
            counted = each.frame.filter(pl.col(ACTION) != "refused").height
            self.assertEqual(read.origin, Origin(7, start, start + counted - 1))
            start += counted
            for row, stands in zip(left.iter_rows(named=True), read.frame.iter_rows(named=True), strict=True):
                after = row[ACTION] in ("new", "changed")
                former = row[ACTION] in ("removed", "changed")
                self.assertEqual((stands[ROW], stands[ACTION]), (row[ROW], row[ACTION]))
                for name in FIELDS:
                    self.assertEqual(stands[name], row[name] if after else None)
                    self.assertEqual(stands[before(name)], row[before(name)] if former else None)

    def test_outcomes_and_counts(self):
        each = changes(
            [("new", "a", None, None, None), ("changed", "a", "b", None, None), ("removed", None, "x", None, None)]
        )
        each = RecordChanges(
            ITEM, "a.xlsx", "S", FIELDS, each.frame.with_columns(pl.Series(MESSAGE, [None, "warning: look", None]))
        )
        kept = journal_rows(each, 1, 5)
        self.assertEqual(kept["outcome"].to_list(), ["done", "warning", "done"])
        self.assertEqual(kept["key"].to_list(), ["K0", "K1", "K2"])
        parts = entry_parts([each, each])
        self.assertEqual(counts_of(parts), {"item": {"new": 2, "changed": 2, "same": 0, "refused": 0, "removed": 2}})
        with self.assertRaises(WrongUse):
            list(changes_from([{**parts[0], "fields": ["gone"]}], [kept], small(), 1))

    def test_refused_rows_come_back_as_they_were_in_their_sheet(self):
        sheet = rows(
            ("Item code", "Description"),
            ("A", "x"),
            ("B", "1"),
            ("C", "y\tz"),
            kinds={"B": pl.Series(["text", "text", "number", "text"])},
        )
        bad = sheet.with_findings(
            [sheet.group("error", "e", "t", "description", cells_of([2, 4], None, ["no number", "odd"]))]
        )
        bad = bad.with_findings([bad.group("note", "n", "t", None, cells_of([2], None, "not worth it"))])
        done = compare(bad, pl.DataFrame(schema=dict.fromkeys(("code", "description"), pl.String)))
        self.assertEqual(done.frame[ACTION].to_list(), ["refused", "new", "refused"])
        self.assertEqual(
            done.frame[MESSAGE].to_list(), ["error: Description: no number", None, "error: Description: odd"]
        )
        self.assertEqual(done.rest.cells[ROW].to_list(), [2, 4])
        kept = refused_rows(done, 3, 9).with_columns(pl.col("row").cast(pl.UInt32))
        self.assertEqual((kept["line"].to_list(), kept["row"].to_list()), ([9, 10], [2, 4]))
        [(file, name, rest, reasons)] = rest_from(entry_parts([done]), pl.concat([kept, kept]))
        self.assertEqual((file, name, rest.headings), ("test.xlsx", "Sheet1", ("Item code", "Description")))
        self.assertEqual(rest.cells.rows(), [(2, "A", "x"), (4, "C", "y\tz")])
        self.assertEqual(rest.kinds["B"].to_list(), ["text", "text"])
        self.assertEqual(reasons[2], "error: Description: no number", "each once")

    def test_a_refused_sheet_refuses_every_row(self):
        sheet = rows(("Item code", "Cost"), ("A", "1"), ("B", "2"))
        sheet = sheet.with_findings([sheet.sheet_finding("error", "x", "t", "m")])
        self.assertEqual(
            compare(sheet, pl.DataFrame(schema=dict.fromkeys(("code", "cost"), pl.String))).counts["refused"], 2
        )

    def test_a_value_in_another_form_is_never_stored(self):
        def changes(cost):
            frame = pl.DataFrame(
                {ROW: [2], ACTION: ["new"], MESSAGE: [None], "code": ["K"], "cost": [cost]},
                schema_overrides={MESSAGE: pl.String, "cost": pl.String},
            )
            return RecordChanges(ITEM, "a.xlsx", "S", ("code", "cost"), frame)

        require_canonical([changes("0.99"), changes("-12.00"), changes(None)])
        for cost in ("0.9", "12", "1,50", "1.500", "", "1.50\n"):
            with self.assertRaises(ValueError):
                require_canonical([changes(cost)])

    def test_which_load_stands(self):
        entries = [
            Entry(number, kind, "", "me", (), "", "", None, undone, waiting=number == 3)  # type: ignore[arg-type]
            for number, kind, undone in (
                (1, "load", None),
                (2, "refused", None),
                (3, "load", None),
                (4, "load", 5),
                (5, "undo", None),
            )
        ]
        self.assertEqual([each.status for each in entries], ["loaded", "refused", "sent", "undone", "loaded"])
        self.assertEqual((standing(entries, 1, "").number, standing(entries, 5, "").number), (1, 5))
        for number, kind, words in (
            (2, "load-refused", "none of it"),
            (3, "load-sent", "not answered"),
            (4, "undone-already", "L0005"),
            (9, "no-such-load", "L0009"),
        ):
            with self.assertRaises(WrongUse) as caught:
                standing(entries, number, "see {undo}")
            self.assertEqual(caught.exception.kind, kind)
            self.assertIn(words, caught.exception.message)
        with self.assertRaises(WrongUse) as caught:
            standing(entries, 4, "see {undo}")
        self.assertEqual(caught.exception.hint, "see L0005")


class Parts(unittest.TestCase):
    def test_only_parts_of_the_same_sheet_and_fields_are_joined(self):
        one, two = changes([("new", "a", None, None, None)]), changes([("same", "b", "b", None, None)], 9)
        other = RecordChanges(ITEM, "a.xlsx", "T", FIELDS, one.frame)
        self.assertEqual([each.frame[ROW].to_list() for each in join_changes([one, two, other])], [[2, 9], [2]])

    def test_refused_rows_of_two_matches_count_once(self):
        cells = pl.DataFrame({ROW: [2, 3], "A": ["x", "y"]}, schema_overrides={ROW: pl.UInt32})
        rest = RefusedRows(("h",), cells, cells)
        more = pl.DataFrame({ROW: [3, 4], "A": ["y", "z"]}, schema_overrides={ROW: pl.UInt32})
        first, second = changes([]), changes([])
        first = RecordChanges(ITEM, "a.xlsx", "S", FIELDS, first.frame, rest)
        second = RecordChanges(ITEM, "a.xlsx", "S", FIELDS, second.frame, RefusedRows(("h",), more, more))
        [both] = join_changes([first, second])
        self.assertEqual((both.rest.cells[ROW].to_list(), both.rest.kinds[ROW].to_list()), ([2, 3, 4], [2, 3, 4]))
        [one] = join_changes([first, RecordChanges(ITEM, "a.xlsx", "S", FIELDS, second.frame)])
        self.assertEqual(one.rest.cells[ROW].to_list(), [2, 3])
        [other] = join_changes([RecordChanges(ITEM, "a.xlsx", "S", FIELDS, first.frame), second])
        self.assertEqual(other.rest.cells[ROW].to_list(), [3, 4])


cells = st.sampled_from(["1.00", "2.00", None])
loads = st.lists(
    st.tuples(
        st.sampled_from(["new", "changed", "removed", "same"]),
        cells,
        cells,
        st.sampled_from(["gone", "1.00", "2.00", None]),
        st.sampled_from(["0.000", "2.00", None]),
    ),
    max_size=5,
)


class UndoConflict(unittest.TestCase):
    @given(loads, st.booleans())
    def test_exactly_what_is_no_longer_as_the_load_left_it(self, given_lines, given_by_system):
        """For each row: what the load did, its cost before and after, what the cost is now, and the stock now."""
        done = changes([(action, None, None, after, former) for action, former, after, _, _ in given_lines])
        done = RecordChanges(ITEM, "f", "S", FIELDS, done.frame, given={"on_hand": "2.00"} if given_by_system else {})
        held = [(f"K{n}", None, now) for n, (_, _, _, now, _) in enumerate(given_lines) if now != "gone"]
        system = pl.DataFrame(held, schema=dict.fromkeys(FIELDS, pl.String), orient="row")
        stock = pl.DataFrame(
            [(f"K{n}", stock) for n, (_, _, _, now, stock) in enumerate(given_lines) if now != "gone"],
            schema={"code": pl.String, "on_hand": pl.String}, orient="row",
        )  # fmt: skip
        back, ways = reverse(done, system, stock)
        wanted = set()
        for n, (action, former, after, now, stock_now) in enumerate(given_lines):
            touched = action == "new" or (action == "changed" and former != after)
            if action == "new" and now == "gone":
                continue  # as before the load
            if (action == "changed" and now == "gone") or (action == "removed" and now != "gone"):
                wanted.add((f"K{n}", None))
            elif touched and now != after and not (action == "changed" and now == former):
                wanted.add((f"K{n}", "cost"))
            if (
                action == "new"
                and now != "gone"
                and stock_now is not None
                and stock_now != ("2.00" if given_by_system else "0.000")
            ):
                wanted.add((f"K{n}", "on_hand"))
        self.assertEqual({(way.key, way.field) for way in ways}, wanted)
        turned = {"new": "removed", "changed": "changed", "removed": "new"}
        as_before = [former in (after, None if now == "gone" else now) for _, former, after, now, _ in given_lines]
        self.assertEqual(
            back.frame[ACTION].to_list(),
            [
                "same" if (action == "changed" and nothing) or (action, now) == ("new", "gone") else turned[action]
                for (action, _, _, now, _), nothing in zip(given_lines, as_before, strict=True)
                if action != "same"
            ],
        )
        for row in back.frame.iter_rows(named=True):
            action, former, after, now, _ = given_lines[row[ROW] - 2]
            # A changed row gets its cost back where the load changed it, and keeps what it has where it did not.
            if action == "changed":
                self.assertEqual(row["cost"], former if former != after else (None if now == "gone" else now))
            elif action == "removed":
                self.assertEqual(row["cost"], former)
            else:
                self.assertIsNone(row["code"])

    def test_a_zero_that_people_typed_is_blocked_by(self):
        done = changes([("new", "a", None, None, None)])
        there = pl.DataFrame([("K0", "a", None)], schema=dict.fromkeys(FIELDS, pl.String), orient="row")
        others = pl.DataFrame({"code": ["K0"], "length": ["0.0"], "on_hand": ["0.000"]})
        self.assertEqual([way.field for way in reverse(done, there, others)[1]], ["length"], "a kept zero says nothing")

    def test_only_what_the_journal_has_whole_is_not_written_again(self):
        new = changes([("new", "a", None, None, None)] * 2)
        there = pl.DataFrame(
            {"code": ["K0", "K1"], "description": ["a", "a"], "cost": [None, None]},
            schema=dict.fromkeys(FIELDS, pl.String),
        )
        for origin, kept in ((Origin(1, 1, 2), True), (Origin(1, 1, 3), False), (None, False)):
            back, _ = reverse(RecordChanges(ITEM, "f", "S", FIELDS, new.frame, origin=origin), there)
            self.assertEqual(back.origin, origin if kept else None)
        mixed = changes([("new", "a", None, None, None), ("changed", "a", "b", None, None)])
        self.assertIsNone(
            reverse(RecordChanges(ITEM, "f", "S", FIELDS, mixed.frame, origin=Origin(1, 1, 2)), there)[0].origin
        )
        moved = there.with_columns(pl.lit("z").alias("description"))
        self.assertIsNone(
            reverse(RecordChanges(ITEM, "f", "S", FIELDS, new.frame, origin=Origin(1, 1, 2)), moved)[0].origin
        )
