"""New codes that lead to a row the system has: the same question as wherever a code is typed."""

from __future__ import annotations

import unittest
from collections.abc import Mapping

import polars as pl
from msgspec.structs import replace

from kotrel.core.checking.own_codes import check_own_codes
from kotrel.core.columns import ROW
from kotrel.core.resolving.known_otherwise import find_known_otherwise
from kotrel.core.resolving.row_lookup import codes_in_key, match_other_codes
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.load_options import ALL
from kotrel.core.rows.system_state import is_new
from tests.builders import rows_in_sheet, system_of
from tests.core.resolving.test_known_as import SYSTEM

HELD = {
    "item": {
        "code": ["A", "B", "C", "D"],
        "barcode": ["1", None, None, None],
        "vendor": ["V", "V", "W", None],
        "number": ["N-1", "N-2", "N-2", None],
    },
    "old": {"code": ["OLD/7", "C"], "item": ["B", "D"]},
}


def groups(
    held: Mapping[str, Mapping[str, list[str | None]]], *codes: str, new: tuple[str, ...] = ()
) -> list[FindingGroup]:
    sheet, state = rows_in_sheet(SYSTEM.records["item"], {"code": list(codes)}), system_of(SYSTEM, held)
    return find_known_otherwise(sheet, state, lambda: is_new(sheet, state), new)


def found(*codes: str, really_new: tuple[str, ...] = ()) -> list[tuple[str, int, str | None]]:
    """Severity, row and suggestion of each finding."""
    return [
        (group.severity, row, suggestion)
        for group in groups(HELD, *codes, new=really_new)
        for row, suggestion in group.cells.select(ROW, "suggestion").iter_rows()
    ]


class KnownOtherwise(unittest.TestCase):
    def test_a_code_on_the_list_of_other_codes_is_never_a_new_row(self):
        self.assertEqual(found("OLD/7", "A", "Z"), [("error", 2, "B")])
        self.assertEqual(found("old 7", "Y", "Z"), [("error", 2, "B")], "as it is found wherever it is typed")
        self.assertEqual(found("C", "A"), [], "a row's own code comes first")
        self.assertEqual(found("OLD/7", really_new=("OLD/7",)), [])
        self.assertEqual(found("OLD/7", really_new=(ALL,)), [])

    def test_somebody_elses_code_may_be_an_own_one_by_chance_but_not_that_of_most_rows(self):
        self.assertEqual(found("N-1", "X", "Y"), [("warning", 2, "A")])
        # Two vendors have N-2: nobody knows which row is meant.
        self.assertEqual(found("N-1", "N-2", "1", "Y"), [("error", 2, "A"), ("error", 3, None), ("error", 4, "A")])

    def test_rows_are_matched_on_other_codes_however_these_are_written(self):
        held = {**HELD, "old": {"code": ["OLD/7", "0012", "X", "x"], "item": ["B", "A", "C", "D"]}}
        codes = ["OLD/7", "old-7", "12", "X", "Z", None]
        sheet = rows_in_sheet(SYSTEM.records["item"], {"code": codes})
        sheet = replace(
            sheet, table=replace(sheet.table, kinds={"A": pl.Series(["text", "text", "number", *["text"] * 3])})
        )
        done = match_other_codes(sheet, ("old", "code"), system_of(SYSTEM, held))
        self.assertEqual(done.values["code"].to_list(), ["B", "B", "A", "C", "Z", None])
        told = {(group.kind, row) for group in done.findings for row in group.cells[ROW]}
        self.assertEqual(told, {("found-otherwise", 3), ("found-otherwise", 4), ("not-found", 6)})
        [repair] = done.repairs
        self.assertEqual(repair.cells["after"].to_list(), ["B", "B", "A", "C"])
        # Several rows out of one row of a sheet have its number.
        wide = rows_in_sheet(SYSTEM.records["item"], {"code": ["OLD/7", "X"]})
        wide = replace(wide, values=wide.values.with_columns(pl.lit(2, pl.UInt32).alias(ROW)))
        done = match_other_codes(wide, ("old", "code"), system_of(SYSTEM, held))
        self.assertEqual(done.values["code"].to_list(), ["B", "C"])
        twice = {**HELD, "old": {"code": ["O-1", "O-1"], "item": ["A", "B"], "from_vendor": ["V", "W"]}}
        sheet = rows_in_sheet(SYSTEM.records["item"], {"code": ["O-1", "o-1"]})
        done = match_other_codes(sheet, ("old", "code"), system_of(SYSTEM, twice))
        self.assertEqual([group.kind for group in done.findings], ["not-unique"])
        self.assertEqual(done.values["code"].to_list(), ["O-1", "o-1"])

    def test_the_key_column_of_a_whole_sheet_holds_other_codes(self):
        """A supplier's own codes under the heading of ours: one answer finds all rows."""
        held = {**HELD, "item": {**HELD["item"], "number": ["N-1", "N-2", "N-3", "A"]}}
        codes, state = ["N-1", "n2", "N-3"], system_of(SYSTEM, held)
        [group] = groups(held, *codes)
        self.assertEqual((group.severity, group.option), ("error", ("--match-on", "number")))
        sheet = rows_in_sheet(SYSTEM.records["item"], {"code": codes})
        self.assertEqual(codes_in_key(sheet, "number"), ("item", "number"))
        done = match_other_codes(sheet, ("item", "number"), state)
        self.assertEqual(done.values["code"].to_list(), ["A", "B", "C"])
        # D has the number A: that is what was asked for, and a doubt. B's own code is no number of anything.
        sheet = rows_in_sheet(SYSTEM.records["item"], {"code": ["A", "B", "Z", "N-1"]})
        done = match_other_codes(sheet, ("item", "number"), state)
        self.assertEqual(done.values["code"].to_list(), ["D", "B", "Z", "A"])
        told = {(group.kind, row) for group in done.findings for row in group.cells[ROW]}
        self.assertEqual(told, {("own-code", 2), ("not-found", 3), ("not-found", 4)})
        # Where nothing in it is such a code, the column is missing. Where there is one, the key column holds keys.
        [finding] = match_other_codes(
            rows_in_sheet(SYSTEM.records["item"], {"code": ["Y"]}), ("item", "number"), state
        ).findings
        self.assertEqual(finding.kind, "no-key-column")
        self.assertIsNone(
            codes_in_key(rows_in_sheet(SYSTEM.records["item"], {"code": ["A"], "number": ["N-1"]}), "number")
        )
        # Half a sheet of them is no column of other codes, and neither is one whose codes lead to two rows.
        self.assertEqual([group.option for group in groups(HELD, "N-1", "A", "B")], [()])
        self.assertEqual([group.option for group in groups(HELD, "N-2")], [()])

    def test_however_many_new_codes_there_are(self):
        many = [f"S/{number:05}" for number in range(60_000)]
        held = {"item": {"code": [f"I-{number}" for number in range(60_000)], "number": many}}
        [group] = groups(held, *(code.lower() for code in many))
        self.assertEqual((group.count, group.cells["suggestion"][59_999]), (60_000, "I-59999"))

    def test_another_code_that_is_an_own_code_leads_to_its_own_row(self):
        state = system_of(SYSTEM, HELD)
        sheet = rows_in_sheet(SYSTEM.records["old"], {"code": ["A", "B", "X9"], "item": ["B", "B", "A"]})
        [group] = check_own_codes(sheet, state)
        self.assertEqual((group.kind, group.severity, group.cells[ROW].to_list()), ("own-code", "warning", [2]))
        self.assertEqual(check_own_codes(rows_in_sheet(SYSTEM.records["item"], {"code": ["A"]}), state), [])

    def test_every_way_in_which_a_code_leads_to_a_row_is_told_of_a_new_one(self):
        from kotrel.core.resolving.other_codes import known_as

        codes = ["OLD/7", "old-7", "N-1", "n1", "N-2", "1", "01", "Q", "A", "C"]
        state = system_of(SYSTEM, HELD)
        leading = set(known_as(SYSTEM.records["item"], pl.Series(codes), state)) - set(HELD["item"]["code"])
        self.assertEqual({codes[row - 2] for _, row, _ in found(*codes)}, leading)


if __name__ == "__main__":
    unittest.main()
