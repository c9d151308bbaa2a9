"""Change sets: what a load would do, and that its way back really is the way back."""

import unittest
from contextlib import contextmanager
from random import Random
from unittest import mock

import polars as pl
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.changes import row_comparison
from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.reference_order import in_reference_order
from kotrel.core.changes.reversal import reverse, reverse_by_fields
from kotrel.core.changes.row_comparison import compare
from kotrel.core.checking.all_checks import check_rows
from kotrel.core.columns import ACTION
from kotrel.core.rows import beside
from tests.support import rows, small, state

FIELDS = ("code", "description", "unit", "cost")
LOADABLE = small().records["item"].loadable


def table(*lines):
    """What the system holds, with all loadable fields."""
    frame = pl.DataFrame(lines, schema=dict.fromkeys(FIELDS, pl.String), orient="row")
    return frame.select(pl.col(name) if name in FIELDS else pl.lit(None, pl.String).alias(name) for name in LOADABLE)


def changes(now, *lines):
    return compare(rows(("Item code", "Description", "Unit", "Cost"), *lines), now)


def applied(now: pl.DataFrame, change: RecordChanges) -> pl.DataFrame:
    """What the system holds after the changes, worked out row by row."""
    key = {row["code"]: row for row in now.iter_rows(named=True)}
    for row in change.frame.iter_rows(named=True):
        if row[ACTION] == "removed":
            del key[row["before code"]]
        elif row[ACTION] in ("new", "changed"):
            stood = key.get(row["code"], dict.fromkeys(LOADABLE))
            key[row["code"]] = {**stood, **{name: row[name] for name in change.fields}}
    return pl.DataFrame(list(key.values()), schema=dict.fromkeys(LOADABLE, pl.String)).sort("code")


class Comparing(unittest.TestCase):
    def test_new_changed_same_and_blank_cells_change_nothing(self):
        now = table(("A", "rope", "EA", "1.00"), ("B", "chain", "EA", "2.00"))
        change = changes(now, ("A", "", "", "1.50"), ("B", "chain", "", "2"), ("C", "cleat", "EA", "3"))
        self.assertEqual(change.counts, {"new": 1, "changed": 1, "same": 1, "refused": 0})
        self.assertEqual(change.changed_cells().rows(), [(2, "A", "cost", "1.00", "1.50")])
        self.assertEqual(change.touched_fields(), ["cost"])

    def test_a_row_with_an_error_is_refused_and_changes_nothing(self):
        checked = check_rows(rows(("Item code", "Description", "Unit"), ("A", "x", "??"), ("B", "x", "EA")), state())
        self.assertEqual(compare(checked, table()).frame[ACTION].to_list(), ["refused", "new"])


class Order(unittest.TestCase):
    def test_a_sheet_comes_after_the_one_whose_new_rows_it_refers_to(self):
        def of(*line):
            return compare(rows(("Item code", "Description", "Unit", "Parent"), line), table())

        child, parent = of("B", "b", "EA", "A"), of("A", "a", "B", "")
        self.assertEqual(in_reference_order([child, parent]), [parent, child])
        self.assertEqual(in_reference_order([parent, child]), [parent, child])
        # A unit that is called like an item is no item.
        first, second = of("C", "c", "D", "X"), of("D", "d", "EA", "X")
        self.assertEqual(in_reference_order([first, second]), [first, second])

    def test_sheets_that_need_each_other_are_divided(self):
        def of(*lines):
            head = ("Item code", "Description", "Unit", "Parent")
            return compare(rows(head, *((code, "x", "EA", parent) for code, parent in lines)), table())

        first, second = of(("A", "A"), ("B", "C"), ("E", "D")), of(("C", "A"), ("D", "B"), ("G", "H"), ("H", "G"))
        done = in_reference_order([first, second])
        self.assertEqual(
            [each.frame["code"].to_list() for each in done], [["A"], ["C"], ["B"], ["D"], ["E"], ["G", "H"]]
        )

    @given(
        st.permutations("ABCDEF"),
        st.lists(st.tuples(st.integers(0, 5), st.integers(0, 5)), max_size=8),
        st.lists(st.booleans(), min_size=6, max_size=6),
        st.lists(st.integers(0, 2), min_size=6, max_size=6),
    )
    def test_every_row_comes_after_the_new_rows_of_other_sheets_that_it_needs(self, codes, links, there, sheet_of):
        # A row may refer to itself, to rows of other sheets, and to rows that the system has: those need no order.
        parents = {low: high for low, high in links if low <= high}
        now = table(*((codes[n], "x", "EA", "1.00") for n in range(6) if there[n]))
        sheets = []
        for sheet in sorted(set(sheet_of)):
            lines = [
                (code, "new name", "EA", codes[parents[n]] if n in parents else "")
                for n, code in enumerate(codes)
                if sheet_of[n] == sheet
            ]
            sheets.append(compare(rows(("Item code", "Description", "Unit", "Parent"), *lines), now))
        written = in_reference_order(sheets)
        place = {code: n for n, each in enumerate(written) for code in each.frame["code"]}
        self.assertEqual(sorted(code for each in written for code in each.frame["code"]), sorted(codes))
        for low, high in parents.items():
            if not there[high] and low != high:
                # Rows of one sheet may be written together: the database looks at all of them at once.
                self.assertLessEqual(place[codes[high]], place[codes[low]])
                if sheet_of[high] != sheet_of[low]:
                    self.assertLess(place[codes[high]], place[codes[low]])


codes = st.sampled_from("ABCDEF")
values = st.sampled_from(["1.00", "2.00", "3.00"])
lines = st.dictionaries(
    codes,
    st.tuples(st.sampled_from(["x", "y", ""]), st.sampled_from(["EA", "M"]), st.one_of(values, st.just(""))),
    max_size=6,
)
held_lines = st.dictionaries(
    codes, st.tuples(st.sampled_from(["x", "y"]), st.just("EA"), st.one_of(values, st.none())), max_size=6
)


class ByFields(unittest.TestCase):
    @given(held_lines, lines.filter(bool), st.integers(1, 3), st.integers().map(Random))
    def test_a_few_fields_at_a_time_say_the_same_in_whatever_order_the_rows_come(self, before, sheet, at_once, chance):
        now = table(*((code, *rest) for code, rest in before.items()))
        there = rows(("Item code", "Description", "Unit", "Cost"), *((code, *rest) for code, rest in sheet.items()))
        with few_fields(now, at_once, chance) as (read, asked):
            change = row_comparison.compare_by_fields(there, read)
        self.assertTrue(change.frame.equals(compare(there, now).frame))
        self.assertEqual(len(asked), -(-3 // at_once))

    @given(held_lines, lines.filter(bool), held_lines, st.integers(1, 3), st.integers().map(Random))
    def test_the_way_back_too(self, before, sheet, meanwhile, at_once, chance):
        change = changes(table(*((c, *rest) for c, rest in before.items())), *((c, *rest) for c, rest in sheet.items()))
        # Others have since written anything, or nothing.
        now = table(*((code, *rest) for code, rest in meanwhile.items()))
        for present in (now, applied(table(*((c, *rest) for c, rest in before.items())), change)):
            with few_fields(present, at_once, chance) as (read, _):
                back, blocked_by = reverse_by_fields(change, read)
            plain, plainly_blocked = reverse(change, present)
            self.assertTrue(back.frame.equals(plain.frame))
            self.assertEqual(blocked_by, plainly_blocked)


@contextmanager
def few_fields(now, at_once, chance):
    """Reads a few fields of the system's rows at a time, in another order each second time; and what was asked."""
    asked: list[list[str]] = []

    def read(fields: list[str]) -> pl.DataFrame:
        asked.append(fields)
        order = list(range(now.height))
        if len(asked) % 2:
            chance.shuffle(order)
        return now[order].select(fields) if order else now.select(fields)

    with mock.patch.object(beside, "LARGE", 0), mock.patch.object(beside, "FIELDS_AT_ONCE", at_once):
        yield read, asked


class WayBack(unittest.TestCase):
    @given(held_lines, lines.filter(bool))
    def test_a_load_and_its_way_back_leave_all_as_it_was(self, before, sheet):
        now = table(*((code, *rest) for code, rest in before.items()))
        change = changes(now, *((code, *rest) for code, rest in sheet.items()))
        after = applied(now, change)
        back, blocked_by = reverse(change, after)
        self.assertEqual(blocked_by, [])
        self.assertTrue(applied(after, back).equals(now.sort("code")))

    @given(held_lines, lines.filter(bool), codes, values)
    def test_what_somebody_changed_since_is_blocked_by_and_nothing_else(self, before, sheet, code, value):
        now = table(*((code, *rest) for code, rest in before.items()))
        change = changes(now, *((code, *rest) for code, rest in sheet.items()))
        after = applied(now, change)
        moved = after.with_columns(pl.when(pl.col("code") == code).then(pl.lit(value)).otherwise("cost").alias("cost"))
        did = {row["code"]: row for row in change.frame.iter_rows(named=True)}.get(code)
        ours = did is not None and (
            did[ACTION] == "new" or (did[ACTION] == "changed" and did["cost"] != did["before cost"])
        )
        # What somebody has restored already is in nobody's way.
        restored = did is not None and did[ACTION] == "changed" and value == did["before cost"]
        expected = [code] if ours and did["cost"] != value and not restored else []
        self.assertEqual([each.key for each in reverse(change, moved)[1]], expected)

    def test_what_a_way_back_removes_is_what_was_new(self):
        now = table(("A", "rope", "EA", "1.00"))
        change = changes(now, ("A", "", "", "2.00"), ("B", "chain", "EA", "3"))
        back = reverse(change, applied(now, change))[0]
        self.assertEqual(back.removed_keys().rows(), [("B",)])
        self.assertEqual(change.removed_keys().rows(), [])

    def test_what_the_system_fills_in_by_itself_is_not_blocked_by(self):
        change = changes(table(), ("B", "chain", "EA", ""))
        after = applied(table(), change).with_columns(pl.lit("9").alias("length"), pl.lit("4").alias("width"))
        for given_by_system, expected in (
            ({"length": "9", "width": "4"}, []),
            ({"length": None, "width": None}, []),  # it gives each row its own
            ({"length": "9", "width": "5"}, ["width"]),
            ({}, ["length", "width"]),
        ):
            others = after.select("code", "length", "width", pl.lit("0").alias("on_hand"))
            blocked_by = reverse(replace(change, given=given_by_system), after, others)[1]
            self.assertEqual([each.field for each in blocked_by], expected)

    def test_both_values_are_named(self):
        now = table(("A", "rope", "EA", "1.00"))
        change = changes(now, ("A", "", "", "2.00"))
        [way] = reverse(change, table(("A", "rope", "EA", "5.00")))[1]
        self.assertEqual((way.field, way.message), ("cost", "Cost was 2.00 after the load and is 5.00 now"))
        [gone] = reverse(change, table())[1]
        self.assertIn("no longer", gone.message)


class Narrowed(unittest.TestCase):
    def test_an_update_writes_what_changes_and_a_new_row_all_of_it(self):
        now = table(("A", "a", "EA", "1.00"), ("B", "b", "EA", "2.00"))
        update = changes(now, ("A", "a", "EA", "1.50"), ("B", "b", "EA", "2.00")).narrowed()
        self.assertEqual(update.fields, ("code", "cost"))
        both = changes(now, ("A", "a", "EA", "1.50"), ("C", "c", "M", "2.00")).narrowed()
        self.assertEqual(both.fields, FIELDS)
