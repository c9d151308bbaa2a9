"""What the user may choose: lists added to and taken from, blanks that wipe, defaults for new rows."""

from __future__ import annotations

import unittest

import polars as pl
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.changes.change_set import before
from kotrel.core.changes.row_comparison import compare, list_after
from kotrel.core.checking.system_kept import check_kept
from kotrel.core.columns import ACTION, ROW
from kotrel.core.description.model import DefaultSet
from kotrel.core.resolving.filling import make_values
from kotrel.core.resolving.list_additions import created_rows
from kotrel.core.resolving.row_lookup import choose_rows, clear_blanks, match_group
from kotrel.core.rows.load_options import LoadOptions
from tests.support import found, rows, small, state

ITEM = small().records["item"]
words = st.lists(st.sampled_from(["deck", "sale", "new", "old"]), unique=True, max_size=4)


class Lists(unittest.TestCase):
    @given(words, words)
    def test_added_and_taken_again_is_what_was(self, stood, given_words):
        fresh = [word for word in given_words if word not in stood]
        if not fresh:
            return
        was = pl.Series("tags", ["; ".join(stood) or None], dtype=pl.String)
        says = pl.Series("tags", ["; ".join(fresh)], dtype=pl.String)
        added = list_after(says, was, add=True)
        self.assertEqual(added[0], "; ".join([*stood, *fresh]))
        self.assertEqual(list_after(says, added, add=False)[0], "; ".join(stood))

    def test_a_blank_cell_changes_no_list(self):
        self.assertEqual(
            list_after(pl.Series([None], dtype=pl.String), pl.Series(["a; b"]), add=False).to_list(), [None]
        )


class ListsOfRows(unittest.TestCase):
    def test_lists_are_replaced_added_to_or_taken_from(self):
        now = pl.DataFrame({"code": ["A", "B"], "more_barcodes": ["1; 2", None]})
        for how, wanted in (("replace", ["2; 3", "1"]), ("add", ["1; 2; 3", "1"]), ("take", ["1", None])):
            sheet = rows(("Item code", "More barcodes"), ("A", "2; 3"), ("B", "1"))
            sheet = replace(
                sheet, sources={**sheet.sources, "more_barcodes": replace(sheet.sources["more_barcodes"], how=how)}
            )
            self.assertEqual(compare(sheet, now).frame["more_barcodes"].to_list(), wanted, how)
        sheet = rows(("Item code", "More barcodes"), ("A", "1; 2"))
        sheet = replace(
            sheet, sources={**sheet.sources, "more_barcodes": replace(sheet.sources["more_barcodes"], how="take")}
        )
        self.assertEqual(
            compare(sheet, now).frame.select(ACTION, "more_barcodes").row(0), ("changed", None), "nothing is left"
        )


class Blanks(unittest.TestCase):
    NOW = pl.DataFrame({"code": ["A", "B"], "description": ["a", "b"], "cost": ["1.00", None]})

    def changes(self, given_rows):
        made = compare(given_rows, self.NOW)
        return {
            row["code"]: (row[ACTION], row["cost"], row[before("cost")]) for row in made.frame.iter_rows(named=True)
        }

    def test_a_blank_wipes_only_when_told_and_only_what_is_there(self):
        sheet = rows(("Item code", "Cost"), ("A", ""), ("B", ""))
        self.assertEqual(self.changes(sheet), {"A": ("same", "1.00", "1.00"), "B": ("same", None, None)})
        self.assertEqual(self.changes(clear_blanks(sheet)), {"A": ("changed", None, "1.00"), "B": ("same", None, None)})

    def test_the_word_wipes_one_value_however_it_is_written(self):
        for word in ("(clear)", "(Clear)", "(CLEAR)"):
            sheet = rows(("Item code", "Cost"), ("A", word), ("B", "2"))
            self.assertEqual(self.changes(sheet), {"A": ("changed", None, "1.00"), "B": ("changed", "2.00", None)})
            self.assertEqual(found(sheet), set(), "it is no wrong number")

    def test_what_the_system_keeps_is_never_wiped(self):
        sheet = rows(("Item code", "On hand"), ("A", "(clear)"), ("B", ""))
        self.assertEqual(
            {(group.kind, *group.cells[ROW]) for group in check_kept(sheet, state())}, {("kept-by-system", 2)}
        )

    def test_a_key_is_never_wiped(self):
        self.assertEqual(clear_blanks(rows(("Item code", "Cost"), ("", "1"), ("B", "2"))).cleared, ())


class Choosing(unittest.TestCase):
    SHEET = (("Item code", "Cost"), ("A", "1"), ("B", "2"), ("A", "3"), ("", "4"), ("", "5"))

    def left(self, **options) -> tuple[list[str | None], list[str | None]]:
        done, _ = choose_rows(rows(*self.SHEET), LoadOptions(**options), state(item={"code": ["B"]}))
        return done.values["code"].to_list(), done.values["cost"].to_list()

    def test_which_of_two_rows_counts(self):
        self.assertEqual(self.left(duplicates="first"), (["A", "B", None, None], ["1.00", "2.00", "4.00", "5.00"]))
        self.assertEqual(self.left(duplicates="last"), (["B", "A", None, None], ["2.00", "3.00", "4.00", "5.00"]))
        self.assertEqual(len(self.left()[0]), 5, "rows without a key are for the checks, whatever is chosen")

    def test_only_changes(self):
        self.assertEqual(self.left(only="changes")[0], ["B"])

    def test_the_rows_that_are_left_out_are_named_as_far_as_one_reads(self):
        for count, wanted in (
            (1, "row 2"),
            (2, "rows 2, 3"),
            (5, "rows 2, 3, 4, 5, 6"),
            (6, "rows 2, 3, 4, 5, 6 and 1 more"),
        ):
            sheet = rows(("Item code", "Cost"), *((f"N-{n}", "1") for n in range(count)), ("B", "2"))
            done, remarks = choose_rows(sheet, LoadOptions(only="changes"), state(item={"code": ["B"]}))
            said = f"{count} row{'' if count == 1 else 's'} left out, not there yet ({wanted})"
            self.assertEqual((remarks, done.left_out, done.values["code"].to_list()), ([said], count, ["B"]))

    def test_a_field_brings_its_group(self):
        record = replace(ITEM, also_known_by=(("unit", "description"),))
        self.assertEqual(match_group(record, "description"), ("unit", "description"))
        self.assertEqual(match_group(record, "barcode"), ("barcode",))


class Defaults(unittest.TestCase):
    def make(self, new: list[bool], *sets: DefaultSet):
        sheet = rows(("Item code", "Unit", "Condition"), ("A", "M", ""), ("B", "EA", "used"), ("C", "M", ""))
        return make_values(
            sheet, lambda name: {}, lambda name: pl.Series([], dtype=pl.String), lambda: pl.Series(new), sets
        )

    def test_only_new_rows_only_blank_cells_and_the_first_set_counts(self):
        metres = DefaultSet("metres", "item", "unit is 'M'", {"condition": "new", "lot_tracked": "yes"})
        others = DefaultSet("others", "item", None, {"condition": "used", "lot_tracked": "no"})
        made = self.make([True, True, False], metres, others)
        self.assertEqual(made.values["condition"].to_list(), ["new", "used", None])
        self.assertEqual(made.values["lot_tracked"].to_list(), ["yes", "no", None])
        told = {(each.field, each.value, each.source): each.rows.to_list() for each in made.defaulted}
        self.assertEqual(
            told,
            {
                ("condition", "new", "metres"): [2],
                ("lot_tracked", "yes", "metres"): [2],
                ("lot_tracked", "no", "others"): [3],
            },
        )

    def test_a_wiped_cell_gets_none(self):
        sheet = rows(("Item code", "Condition"), ("A", "(clear)"))
        one = DefaultSet("one", "item", None, {"condition": "new"})
        made = make_values(
            sheet, lambda name: {}, lambda name: pl.Series([], dtype=pl.String), lambda: pl.Series([True]), [one]
        )
        self.assertIsNone(made.values["condition"][0])


class Creating(unittest.TestCase):
    def test_each_new_value_once_at_its_first_row_and_near_ones_are_doubted(self):
        sheet = rows(("Item code", "Unit"), ("A", "CRATE"), ("B", "EA"), ("C", "CRATE"), ("D", "BAG"))
        held = state(unit={"code": ["EA", "BAGS"], "name": ["each", "bags"]})
        _, [consequence] = created_rows(sheet, ["unit"], held)
        made = consequence.rows
        self.assertEqual(made.values.rows(), [(2, "CRATE", "CRATE"), (5, "BAG", "BAG")])
        self.assertEqual(found(made), {("nearly-on-list", "code", 5)})
        self.assertEqual(created_rows(sheet, [], state())[1], ())
        # A value that the list has is none of the spellings of a new one.
        sheet = rows(("Item code", "Unit"), ("A", "EA"), ("B", "ea"), ("C", "ea"))
        self.assertEqual(created_rows(sheet, ["unit"], held)[0].values["unit"].to_list(), ["EA", "ea", "ea"])
        # CRATE is used in rows 2 and 4, BAG in row 5: where only rows 3 and 4 are good, BAG is not created.
        self.assertEqual(
            consequence.caused_by(pl.Series([3, 4], dtype=pl.UInt32), made).values["code"].to_list(), ["CRATE"]
        )
