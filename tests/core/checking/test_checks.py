"""Every family of checks: what is wrong is found at its row, what is right is left alone."""

import unittest

import polars as pl

from kotrel.core.checking.across_sheets import check_across
from kotrel.core.checking.all_checks import check_rows
from kotrel.core.columns import ROW
from kotrel.core.rows.findings import rows_with
from kotrel.core.values.meaningless_texts import DITTO, NOTHING
from tests.support import found, rows, state

HEAD = ("Item code", "Description", "Unit")


def errors(*lines, heading=HEAD, system=None, kinds=None, **conventions):
    checked = check_rows(rows(heading, *lines, kinds=kinds, **conventions), system or state())
    return {
        each
        for group in checked.findings
        if group.severity == "error"
        for each in ((group.kind, group.field, row) for row in group.cells[ROW])
    }


def extra(field, *values, **more):
    """Errors of rows that are right but for one field."""
    return errors(
        *((f"N{place}", "d", "EA", value) for place, value in enumerate(values)), heading=(*HEAD, field), **more
    )


def message_of(kind, checked):
    """The one message of a kind of finding."""
    [message] = {text for group in checked.findings if group.kind == kind for text in group.cells["message"]}
    return message


class Checks(unittest.TestCase):
    def test_a_right_sheet_has_no_findings(self):
        self.assertEqual(found(check_rows(rows(HEAD, ("A1", "Rope", "M"), ("A2", "Chain", "EA")), state())), set())

    def test_a_barcode_that_says_nothing_is_one_error(self):
        self.assertEqual(
            extra("Barcode", "n/a", "-", "do.", "ABC"),
            {("no-value-word", "barcode", 2), ("no-value-word", "barcode", 3), ("ditto", "barcode", 4),
             ("barcode-with-letters", "barcode", 5)},
        )  # fmt: skip

    def test_words_for_no_value_are_found_in_any_case(self):
        words = sorted(NOTHING - DITTO)
        cases = [case(word) for word in words for case in (str, str.upper, str.title, str.swapcase)]
        found = {row for kind, _, row in extra("Barcode", *cases) if kind == "no-value-word"}
        self.assertEqual(found, set(range(2, 2 + len(cases))))
        self.assertEqual({each for each in extra("Barcode", *DITTO) if each[0] != "ditto"}, set())

    def test_missing_for_new_rows_only(self):
        system = state(item={"code": ["OLD"], "barcode": [None], "more_barcodes": [None]})
        self.assertEqual(errors(("OLD", "", ""), ("NEW", "", "EA"), system=system), {("missing", "description", 3)})

    def test_a_column_that_new_rows_need_is_missed_for_them(self):
        system = state(item={"code": ["OLD"]})
        self.assertEqual(
            errors(("OLD", "x"), ("NEW", "y"), heading=HEAD[:2], system=system), {("not-there-yet", "code", 3)}
        )
        # Where every row is new, once for the sheet is enough.
        only_new = check_rows(rows(HEAD[:2], ("N1", "x"), ("N2", "y")), system)
        self.assertEqual(found(only_new), {("column-missing", "unit", 0)})
        self.assertIn("if a column has it", message_of("column-missing", only_new))

    def test_a_missing_column_is_told_with_the_one_that_may_have_it(self):
        sheet = rows(
            ("Item code", "Name", "Sold in", "Colour"), ("NEW", "new", "EA", "red"), ("OTHER", "other", "M", "M")
        )
        told = message_of("column-missing", check_rows(sheet, state()))
        self.assertIn("column C “Sold in” may have it (100 % of its values are on the unit list)", told)
        keyless = rows(("Code or so", "Name", "Unit"), *((f"K-{n}", f"item {n}", "EA") for n in range(5)))
        told = message_of("no-key-column", check_rows(keyless, state()))
        self.assertIn("column A “Code or so” may have it", told)
        known = state(item={"code": ["OLD"]})
        some = rows(("Item code", "Name", "Sold in"), ("NEW", "new", "EA"), ("OLD", "old", "M"))
        self.assertIn(
            "add a column for unit; column C “Sold in” may", message_of("not-there-yet", check_rows(some, known))
        )

    def test_keys(self):
        self.assertEqual(
            errors(("A", "x", "EA"), ("B", "x", "EA"), ("A", "y", "EA"), ("", "z", "EA")),
            {("twice-in-sheet", "code", 2), ("twice-in-sheet", "code", 4), ("missing", "code", 5)},
        )
        self.assertEqual(errors(("x", "EA"), heading=HEAD[1:]), {("no-key-column", None, 0)})

    def test_how_rows_with_one_key_differ(self):
        def told(*lines):
            sheet = rows(("Item code", "Description", "Unit", "Price USD"), *lines)
            [group] = [each for each in check_rows(sheet, state()).findings if each.kind == "twice-in-sheet"]
            return group.cells["message"][0]

        self.assertIn("the rows are identical", told(("A", "x", "EA", "1"), ("A", "x", "EA", "1")))
        self.assertIn("the rows differ in description", told(("A", "x", "EA", "1"), ("A", "y", "EA", "2")))
        # Nobody deletes one of two prices because what is read of their rows is the same.
        only = told(("A", "x", "EA", "1"), ("A", "x", "EA", "2"))
        self.assertIn("differ only in “Price USD”, which is not read", only)

    def test_kinds(self):
        self.assertEqual(extra("Cost", "12.50", "abc", "7", "1,000.00"), {("not-a-number", "cost", 3)})
        self.assertEqual(extra("Lot tracked", "Ja", "maybe", "X"), {("not-yes-or-no", "lot_tracked", 3)})
        self.assertEqual(extra("Condition", "NEW", "broken"), {("not-a-choice", "condition", 3)})
        self.assertEqual(
            extra("Since", "2026-02-28", "2026-02-30", "3/4/2026"),
            {("impossible-date", "since", 3), ("ambiguous-date", "since", 4)},
        )
        self.assertEqual(extra("Since", "3/4/2026", dates="month"), set())

    def test_shape(self):
        self.assertEqual(extra("Cost", "1.25", "1.255", "1.250", "-0.01", "1000.01", "1000"),
                         {("too-many-decimals", "cost", 3), ("too-small", "cost", 5), ("too-big", "cost", 6)})  # fmt: skip
        self.assertEqual(
            errors(("A23456789012", "x", "EA"), ("ok", "y" * 31, "EA")),
            {("too-long", "code", 2), ("too-long", "description", 3)},
        )
        self.assertEqual(errors(("A\nB", "line\nbreak", "EA")), {("strange-letters", "code", 2)})

    def test_an_ambiguous_number_is_an_error_unless_the_workspace_says(self):
        self.assertEqual(extra("Cost", "1,234"), {("ambiguous-number", "cost", 2)})
        self.assertEqual(extra("Cost", "1.234"), {("ambiguous-number", "cost", 2)})
        self.assertEqual(extra("Cost", "1.234", "7,50"), {("ambiguous-number", "cost", 2)}, "one witness")
        self.assertEqual(extra("Cost", "1.234", "7,50", "8,25"), {("too-big", "cost", 2)})
        self.assertEqual(extra("Cost", "1.234", "7,50", "2.75"), {("ambiguous-number", "cost", 2)}, "a contradiction")
        self.assertEqual(extra("Cost", "1.234", decimal_mark=","), {("too-big", "cost", 2)})
        self.assertEqual(extra("Cost", "1.234", decimal_mark="."), {("too-many-decimals", "cost", 2)})

    def test_errors_of_the_spreadsheet_are_never_blanks(self):
        kinds = {"D": pl.Series(["text", "error", "uncalculated"])}
        self.assertEqual(
            extra("Cost", "#N/A", "formula", kinds=kinds), {("error-value", "cost", 2), ("not-calculated", "cost", 3)}
        )

    def test_lists_with_the_nearest_or_the_code_of_that_name(self):
        checked = check_rows(rows(HEAD, ("A", "x", "metre"), ("B", "x", "EAA"), ("C", "x", "m ")), state())
        [group] = checked.findings
        self.assertEqual(
            dict(zip(group.cells[ROW], group.cells["suggestion"], strict=True)),
            {2: "M (metre)", 3: "EA?", 4: "M (metre)"},
        )
        self.assertEqual(extra("Parent", "N1", ""), set(), "a row of the same sheet may be referred to")
        self.assertEqual(extra("Parent", "N9", ""), {("not-on-list", "parent", 2)})

    def test_barcodes(self):
        # 2012345 has check digit 1 (worked out in test_values).
        self.assertEqual(
            extra("Barcode", "20123451", "20123452", "123", "20123A51"),
            {("check-digit", "barcode", 3), ("barcode-length", "barcode", 4), ("barcode-with-letters", "barcode", 5)},
        )

    def test_a_barcode_is_on_one_item_only(self):
        self.assertEqual(
            extra("Barcode", "20123451", "20123451"),
            {("shared-in-sheet", "barcode", 2), ("shared-in-sheet", "barcode", 3)},
        )
        for where in ("barcode", "more_barcodes"):
            blank = {"barcode": [None], "more_barcodes": [None]}
            system = state(item={"code": ["OLD"], **blank, where: ["20123451"]})
            self.assertEqual(extra("Barcode", "20123451", system=system), {("taken", "barcode", 2)})
            own = state(item={"code": ["N0"], **blank, where: ["20123451"]})
            self.assertEqual(extra("Barcode", "20123451", system=own), set(), "the item itself may have it")

    def test_a_barcode_that_another_row_gives_up_is_free(self):
        system = state(item={"code": ["N0", "N1"], "barcode": ["20123451", "20123468"], "more_barcodes": [None, None]})
        # N0 takes another barcode and N1 clears its own: N2 and N3 may have both.
        self.assertEqual(extra("Barcode", "20123475", "(clear)", "20123451", "20123468", system=system), set())
        self.assertEqual(
            extra("Barcode", "20123475", "", "20123451", "20123468", system=system), {("taken", "barcode", 5)}
        )

    def test_all_of_a_group_or_none(self):
        heading = (*HEAD, "Length", "Width")
        lines = (("A", "x", "EA", "1", "2"), ("B", "x", "EA", "1", ""), ("C", "x", "EA", "", ""))
        self.assertEqual(errors(*lines, heading=heading), {("not-together", "length", 3)})
        full = state(item={"code": ["B"], "length": ["5.0"], "width": ["6.0"]})
        self.assertEqual(errors(*lines[1:2], heading=heading, system=full), set(), "the system has the other one")

    def test_fields_the_system_keeps(self):
        system = state(item={"code": ["OLD", "N1"], "on_hand": ["12.000", None]})
        lines = (("OLD", "x", "EA", "12"), ("N1", "x", "EA", "0"))
        checked = check_rows(rows((*HEAD, "On hand"), *lines), system)
        self.assertEqual({(g.severity, g.kind) for g in checked.findings}, {("note", "kept-column")})
        self.assertEqual(
            errors(("OLD", "x", "EA", "13"), heading=(*HEAD, "On hand"), system=system),
            {("kept-by-system", "on_hand", 2)},
        )

    def test_headings_that_mean_nothing_or_the_same(self):
        checked = check_rows(rows((*HEAD, "Colour", "Name"), ("A", "x", "EA", "red", "y")), state())
        self.assertEqual(
            {(g.severity, g.kind) for g in checked.findings},
            {("warning", "unknown-heading"), ("error", "heading-twice")},
        )
        self.assertEqual(rows_with(checked.findings, "error").to_list(), [])


class SeveralSheets(unittest.TestCase):
    """Keys and values that may stand once, on sheets of one load."""

    def across(self, *sheets):
        parts = [rows(*lines) for lines in sheets]
        return [
            {(group.kind, group.field, *cell) for group in groups for cell in group.cells.select(ROW, "value").rows()}
            for groups in check_across(parts, state())
        ]

    def test_only_what_stands_on_two_sheets_is_found(self):
        head = ("Item code", "Barcode", "More barcodes")
        self.assertEqual(
            self.across(
                (head, ("A", "1", ""), ("B", "2", "3; 4"), ("C", "", ""), ("C", "", "")),
                (head, ("A", "5", ""), ("D", "4", "6"), ("E", "", "")),
                (("Item code", "Description"), ("F", "x"), ("D", "x")),
            ),
            [
                {("twice-in-load", "code", 2, "A"), ("shared-in-load", "barcode", 3, "4")},
                {("twice-in-load", "code", 2, "A"), ("twice-in-load", "code", 3, "D"), ("shared-in-load", "barcode", 3, "4")},
                {("twice-in-load", "code", 3, "D")},
            ],
        )  # fmt: skip
        self.assertEqual(self.across((head, ("A", "1", "")), (head, ("B", "2", ""))), [set(), set()])

    def test_the_other_place_is_named(self):
        head = ("Item code", "Barcode")
        found = check_across([rows(head, ("A", "1"), ("B", "2")), rows(head, ("C", "3"), ("B", "4"))], state())
        self.assertEqual(
            [group.cells["message"].to_list() for groups in found for group in groups], [["also in Sheet1!A3"]] * 2
        )


class Tidying(unittest.TestCase):
    def test_values_become_canonical_and_every_mend_is_told(self):
        tidied = rows(
            (*HEAD, "Cost", "Lot tracked", "More barcodes"),
            (" A1\u00a0", "x", "EA", "€ 1.234,5", "WAHR", "1 ; 2,3\n4"),
            ("B", "y", "EA", "0,75", "", ""),
        )
        self.assertEqual(
            tidied.values.drop(ROW).rows(),
            [("A1", "x", "EA", "1234.50", "yes", "1; 2,3; 4"), ("B", "y", "EA", "0.75", None, None)],
        )
        self.assertEqual(
            {(repair.field, repair.kind) for repair in tidied.repairs},
            {("code", "stray-spaces"), ("cost", "number-as-typed")},
        )

    def test_rounding_noise_of_number_cells_is_taken_away_but_nothing_else(self):
        kinds = {"D": "number"}
        noisy = rows((*HEAD, "Cost"), ("A", "x", "EA", "18.400000000000002"), ("B", "x", "EA", "18.3968"), kinds=kinds)
        self.assertEqual(noisy.values["cost"].to_list(), ["18.40", "18.3968"])
        full = rows((*HEAD, "Cost"), ("A", "x", "EA", "1.2300000000000002"), kinds=kinds)
        self.assertEqual(full.values["cost"].to_list(), ["1.23"])
