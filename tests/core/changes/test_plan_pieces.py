"""A plan in pieces of text, and put together again."""

from __future__ import annotations

import unittest
from datetime import UTC, date, datetime

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.changes.change_set import RecordChanges, RefusedRows
from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan, Undoing
from kotrel.core.changes.plan_pieces import changes_in, from_text, header_of, pieces_of, stamp_from, undoing_from
from kotrel.core.columns import ACTION, MESSAGE, ROW, before
from tests.support import small

STAMP = Stamp(datetime(2026, 11, 26, 9, tzinfo=UTC), "ola", ("a.xlsx",), "0" * 64, "spring")
FIELDS = ("code", "description", "unit")
texts = st.none() | st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), min_size=1, max_size=12)


def changes(rows: list[tuple[str, str | None, str | None]]) -> RecordChanges:
    """Action, description after and description before of rows with the codes C0, C1 …"""
    table = [
        {ROW: n + 2, ACTION: action, MESSAGE: "wrong" if action == "refused" else None,
         "code": None if action == "removed" else f"C{n}", before("code"): None if action in ("new", "refused") else f"C{n}",
         "description": None if action == "removed" else now, before("description"): None if action in ("new", "refused") else was,
         "unit": "EA", before("unit"): None if action in ("new", "refused") else "EA"}
        for n, (action, now, was) in enumerate(rows)
    ]  # fmt: skip
    names = [MESSAGE, *FIELDS, *(before(name) for name in FIELDS)]
    frame = pl.DataFrame(table, schema={ROW: pl.UInt32, ACTION: pl.String, **dict.fromkeys(names, pl.String)})
    left = frame.filter(pl.col(ACTION) == "refused")
    cells = left.select(ROW, pl.lit("1,5").alias("A"), pl.col("description").alias("B"))
    kinds = left.select(ROW, pl.lit("text").alias("A"), pl.lit(None, pl.String).alias("B"))
    return RecordChanges(
        small().records["item"], "a.xlsx", "Items", FIELDS, frame, RefusedRows(("Code", "What"), cells, kinds)
    )


def back(plan: Plan, most_bytes: int = 10**6) -> tuple[RecordChanges, pl.Series]:
    [(changes, follows, _)] = changes_in(header_of(plan, False), list(pieces_of(plan, most_bytes)), small())
    return changes, follows


class Pieces(unittest.TestCase):
    @given(
        st.lists(st.tuples(st.sampled_from(["new", "changed", "removed", "refused"]), texts, texts), max_size=8),
        st.sampled_from([1, 80, 10**6]),
    )
    def test_what_comes_back_is_what_was_sent(self, rows, most_bytes):
        sent = changes(rows)
        got, follows = back(Plan((sent,), STAMP), most_bytes)
        self.assertEqual((got.record.name, got.file, got.sheet, got.fields), ("item", "a.xlsx", "Items", FIELDS))
        self.assertTrue(got.frame.sort(ROW).equals(sent.frame.select(got.frame.columns)), got.frame)
        self.assertFalse(follows.any())
        if sent.count("refused"):
            self.assertEqual(got.rest.headings, ("Code", "What"))
            self.assertTrue(got.rest.cells.sort(ROW).equals(sent.rest.cells))
            self.assertTrue(got.rest.kinds.sort(ROW).equals(sent.rest.kinds))
        else:
            self.assertIsNone(got.rest)

    def test_several_sheets_of_a_load_stay_apart(self):
        sent = [changes([("new", text, None)] * rows) for text, rows in (("one", 3), ("two", 1), ("three", 2))]
        plan = Plan(tuple(sent), STAMP)
        got = changes_in(header_of(plan, False), list(pieces_of(plan, 80)), small())
        self.assertEqual(
            [each.changes.frame["description"].to_list() for each in got], [["one"] * 3, ["two"], ["three"] * 2]
        )

    def test_no_piece_is_larger_than_wanted_unless_it_is_one_row(self):
        plan = Plan((changes([("new", "x" * 40, None)] * 30 + [("new", "y" * 500, None)]),), STAMP)
        sizes = [(len(text), from_text(text).height) for _, text in pieces_of(plan, 300)]
        self.assertEqual(sum(rows for _, rows in sizes), 31)
        self.assertTrue(all(size <= 300 or rows == 1 for size, rows in sizes), sizes)

    def test_what_follows_is_marked(self):
        plan = Plan((changes([("new", "a", None), ("changed", "b", "c")]),), STAMP, {"item": frozenset({"C1"})})
        got, follows = back(plan)
        self.assertEqual(dict(zip(got.frame[ROW], follows, strict=True)), {2: False, 3: True})

    def test_the_header_says_who_and_what_is_undone(self):
        undo = Undoing(7, True, date(2026, 12, 1))
        plan = Plan((changes([]),), STAMP, undoing=undo)
        header = header_of(plan, True)
        self.assertEqual((header["kind"], header["trial"], undoing_from(header)), ("undo", True, undo))
        stamp = stamp_from(header)
        self.assertEqual((stamp.at, stamp.who, stamp.files, stamp.remark, stamp.of),
                         (STAMP.at, "ola", ("a.xlsx",), "spring", 7))  # fmt: skip
        self.assertIsNone(undoing_from(header_of(Plan((changes([]),), STAMP), False)))

    def test_what_is_no_piece_is_said(self):
        header = header_of(Plan((changes([]),), STAMP), False)
        for text, says in (
            (b"", "no comma-separated text"),
            (b"code\nA\n", "no column #action"),
            (
                b"#row,#action,code,unit\n2,new,A,EA\n3,new,B\n",
                "line 3 of a piece has 3 cells, and there are 4 headings",
            ),
            (b'#row,#action,code,unit\n2,new,"A, B\nC",EA\n3,new,"B"\n', "line 3 of a piece has 3 cells"),
            (b"#row,#action,#given\n2,new,A\n", "a column #given"),
            (b"," * 20_000 + b"\n", "more than 16,384 columns"),
            (b"#row,#action,code\n2,gone,A\n", "the action “gone”"),
            (b"#row,#action,code\nx,new,A\n", "a #row that is no number"),
            (b"#row,#action,price\n2,new,1\n", "a column price that its part does not name"),
        ):
            with self.subTest(text), self.assertRaisesRegex(ValueError, says):
                changes_in(header, [(0, text)], small())
        for part, says in (
            ({"record": "goods", "fields": []}, "there is no record goods"),
            ({"record": "item", "fields": ["code", "colour"]}, "has no field colour"),
            ({"record": "item", "fields": ["unit"]}, "needs its key: code"),
        ):
            with self.subTest(part), self.assertRaisesRegex(ValueError, says):
                changes_in({"parts": [part]}, [], small())

    def test_rows_without_numbers_are_counted(self):
        header = header_of(Plan((changes([]),), STAMP), False)
        piece = [(0, b"#action,code\nnew,A\nnew,B\n")]
        with self.assertRaisesRegex(ValueError, "0 rows of item were announced, and 2 came"):
            changes_in(header, piece, small())
        header["parts"][0].pop("count")
        [(got, *_)] = changes_in(header, piece, small())
        self.assertEqual(got.frame.select(ROW, "code").rows(), [(1, "A"), (2, "B")])
