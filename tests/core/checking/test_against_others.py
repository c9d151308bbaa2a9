"""Rows held against the system and against the other sheets of their load: what is there twice, elsewhere, or kept."""

import unittest

from kotrel.core.checking.across_sheets import check_across
from kotrel.core.checking.keys import check_keys
from kotrel.core.checking.list_references import check_lists
from kotrel.core.checking.system_kept import check_kept
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.rows.system_state import PendingRows
from tests.builders import rows_in_sheet, system_of, values_of

SYSTEM = read_description("""
[system]
decimals = "plain"
[record.house]
key = ["code"]
[record.house.field]
code = { kind = "code", must = "always" }
[record.bin]
key = ["house", "code"]
[record.bin.field]
house = { kind = "reference", to = "house", must = "always" }
code = { kind = "code", must = "always" }
[record.item]
key = ["code"]
unique_together = [["vendor", "number"]]
no_circle = [["above", "code"]]
[record.item.field]
code = { kind = "code", must = "always" }
above = { kind = "reference", to = "item" }
vendor = { kind = "code" }
number = { kind = "code" }
on_hand = { kind = "quantity", decimals = 2, kept_by = "system" }
state = { kind = "text", kept_by = "system" }
[record.spot]
key = ["item", "house"]
[record.spot.field]
item = { kind = "reference", to = "item", must = "always" }
house = { kind = "reference", to = "house", must = "always" }
bin = { kind = "reference", to = "bin", within = ["house"] }
""")
HELD = {
    "house": {"code": ["Q", "Y"]},
    "bin": {"house": ["Q", "Q", "Y"], "code": ["S-1", "S-2", "T-1"]},
    "item": {
        "code": ["A", "B", "B", "C"],
        "on_hand": ["5.00", None, None, "0.00"],
        "state": ["open", None, None, None],
    },
}


def items(**columns):
    return rows_in_sheet(SYSTEM.records["item"], columns)


def told(groups):
    return [(each.severity, each.kind, each.field, row) for each in groups for row in each.cells[ROW]]


class AgainstTheSystem(unittest.TestCase):
    def test_a_key_that_the_system_has_twice(self):
        [group] = check_keys(items(code=["A", "B", "N"]), system_of(SYSTEM, HELD))
        self.assertEqual(told([group]), [("error", "twice-in-system", "code", 3)])
        self.assertIn("the system has 2 rows with this key", group.cells["message"][0])
        self.assertEqual(check_keys(items(code=["A", "C"]), system_of(SYSTEM, HELD)), [])
        bins = rows_in_sheet(SYSTEM.records["bin"], {"house": ["Q", "Y"], "code": ["S-1", "S-1"]})
        self.assertEqual(check_keys(bins, system_of(SYSTEM, HELD)), [], "of two fields together, once")
        twice = {**HELD, "bin": {"house": ["Q", "Q"], "code": ["S-1", "S-1"]}}
        self.assertEqual(told(check_keys(bins, system_of(SYSTEM, twice))), [("error", "twice-in-system", "house", 2)])

    def test_a_bin_of_its_warehouse(self):
        def spots(house, bin_):
            columns = {"item": ["A"] * len(house), "house": house, "bin": bin_}
            return rows_in_sheet(SYSTEM.records["spot"], columns)

        sheet = spots(["Q", "Y", "Q", None, "Y"], ["S-1", "S-1", "T-1", "S-1", "T-12"])
        [group] = check_lists(sheet, system_of(SYSTEM, HELD))
        self.assertEqual(
            list(group.cells.select(ROW, "message", "suggestion").iter_rows()),
            [
                (3, "Y has no bin with that code; it belongs to house Q", None),
                (4, "Q has no bin with that code; it belongs to house Y", None),
                (6, "Y has no bin with that code", "T-1?"),
            ],
        )
        coming = PendingRows(values_of({"house": ["Q"], "code": ["S-9"]}), {"Y / S-8": "Bins!B7"})
        sheet = spots(["Q", "Y", "Y"], ["S-9", "S-8", "S-9"])
        groups = check_lists(sheet, system_of(SYSTEM, HELD, pending={"bin": coming}))
        self.assertEqual(
            told(groups),
            [("error", "refused-in-load", "bin", 3), ("error", "not-on-list", "bin", 4)],
            "rows of the load count",
        )
        self.assertIn("Bins!B7", groups[0].cells["message"][0])

    def test_what_the_system_keeps(self):
        def found(**columns):
            return [
                (*each[:3], each[3] or None) for each in told(check_kept(items(**columns), system_of(SYSTEM, HELD)))
            ]

        code = ["A", "C", "N"]
        self.assertEqual(found(code=code), [])
        self.assertEqual(found(code=code, on_hand=[None] * 3), [])
        self.assertEqual(
            found(code=code, on_hand=["5.0", "0", "0"]), [("note", "kept-column", None, None)], "unchanged"
        )
        self.assertEqual(
            found(code=code, on_hand=["6.00", "0.01", "1.00"]),
            [("error", "kept-by-system", "on_hand", row) for row in (2, 3, 4)],
        )
        self.assertEqual(found(code=code, state=["open", "shut", None]), [("error", "kept-by-system", "state", 3)])


class AgainstOtherSheets(unittest.TestCase):
    def across(self, *parts):
        return [told(groups) for groups in check_across(parts, system_of(SYSTEM, {}))]

    def test_values_that_are_unique_together(self):
        first = items(code=["A", "B", "C"], vendor=["V", "V", None], number=["1", "2", "3"])
        second = items(code=["D", "E", "F"], vendor=["V", "W", None], number=["2", "1", "3"])
        third = items(code=["G"], number=["2"])
        self.assertEqual(
            self.across(first, second, third),
            [[("error", "shared-in-load", "number", 3)], [("error", "shared-in-load", "number", 2)], []],
        )

    def test_circles_that_only_several_sheets_make(self):
        first = items(code=["A", "B", "X", "Y"], above=["B", "C", "Y", "X"])
        second = items(code=["C", "D"], above=["A", "A"])
        third = items(code=["E"], vendor=["V"])
        # X and Y lead to each other on one sheet, which is found there.
        self.assertEqual(
            self.across(first, third, second),
            [[("error", "circle", "code", 2), ("error", "circle", "code", 3)], [], [("error", "circle", "code", 2)]],
        )
        self.assertEqual(self.across(first, third), [[], []])


if __name__ == "__main__":
    unittest.main()
