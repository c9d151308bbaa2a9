"""What a count posts, and which counted lines are taken."""

from __future__ import annotations

import unittest
from decimal import Decimal
from unittest import mock

import polars as pl
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.counting import entries as collecting
from kotrel.core.counting.count_posting import (
    Adjusted,
    adjustment_family,
    as_documents,
    as_list,
    countable_list,
    numbered_documents,
    to_close,
)
from kotrel.core.counting.counted_times import TimeHabits
from kotrel.core.counting.entries import Sheet, collect, plain_lines
from kotrel.core.counting.frames import as_entries, place_frame
from kotrel.core.counting.known_places import Known, KnownPlaces
from kotrel.core.counting.selection import FROZEN
from kotrel.core.counting.variance import CountLine, CountPlace, with_serials
from kotrel.core.description.description_reading import read_description
from tests.builders import columns_of, rows_of, values_of
from tests.core.counting.test_variance import entry, moved, one
from tests.core.documents.shop import practice

FRAME = place_frame(
    pl.DataFrame(
        [("ROPE", "SHED", "S-1", None, None, "50", "4.20", "M", "ROPE", "")],
        schema=dict.fromkeys(FROZEN, pl.String),
        orient="row",
    )
)
SHOP = read_description("""
[record.item]
key = ["code"]
[record.item.field]
code = { kind = "code", must = "always" }
[record.stock]
key = ["item", "warehouse"]
nature = "stock"
[record.stock.field]
item = { kind = "reference", to = "item", must = "always" }
warehouse = { kind = "code", must = "always" }
quantity = { kind = "quantity", decimals = 2, must = "new" }
""")
IN_SHED = Sheet(warehouse="SHED")


def adjusted(
    number: int, quantity: str, warehouse: str = "SHED", lot: str | None = None, serial: str | None = None
) -> Adjusted:
    where = CountPlace(number, "ROPE", warehouse, "S-1", lot, serial, Decimal(50), Decimal("4.20"), "M", "ROPE")
    return Adjusted(replace(one([entry("47")]), place=where), Decimal(quantity), "counted")


class Posting(unittest.TestCase):
    def test_what_is_closed_and_how(self):
        counted, not_counted = one([entry("47")]), one([])
        undecided = one([entry("45")], True, moved("46", (10, "-4")))
        lines = [counted, not_counted, undecided]
        for rest, wanted in (
            ("open", [(-3, "counted")]),
            ("leave", [(-3, "counted"), (0, "not counted, left as it is")]),
            ("zero", [(-3, "counted"), (-50, "not counted, counted as zero")]),
        ):
            self.assertEqual([(each.adjustment, each.why) for each in to_close(lines, rest)], wanted, rest)

    def test_a_list_of_stock_gets_what_is_there_after_the_count(self):
        stock = SHOP.stock_list
        self.assertIs(countable_list(SHOP), stock)
        self.assertIsNone(countable_list(practice()), "a ledger keeps the stock")
        now = pl.DataFrame({"item": ["ROPE", "ROPE"], "warehouse": ["SHED", "LOFT"], "quantity": ["47.50", "8.00"]})
        lines = [adjusted(1, "-2.5"), adjusted(2, "0", "LOFT"), adjusted(3, "4", "YARD")]
        [rows] = as_list(lines, stock, now, "spring")
        self.assertEqual(rows.values.rows(), [(1, "ROPE", "SHED", "45.00"), (3, "ROPE", "YARD", "4.00")])

    def test_a_serial_number_is_at_one_place(self):
        def line(number, expected, counted, bin_="S-1", serial="7"):
            place = CountPlace(number, "PUMP", "SHED", bin_, None, serial, Decimal(expected), Decimal(90), "EA", "Pump")
            return CountLine(place, Decimal(expected), None if counted is None else Decimal(counted))

        def told(*lines, elsewhere=None):
            done = with_serials(lines, elsewhere or {})
            return [(each.counted, each.recount, each.undecided, each.remarks) for each in done]

        gone, found_at = line(1, 1, None), line(2, 0, 1, "S-2")
        self.assertEqual(
            told(gone, found_at),
            [(0, "", False, ("moved to SHED S-2",)), (1, "", False, ("moved from SHED S-1",))],
        )
        self.assertEqual(told(line(1, 1, 1), line(3, 1, None, serial="8")), [(1, "", False, ()), (None, "", False, ())])
        twice = told(line(1, 1, 1), line(2, 0, 1, "S-2"))
        self.assertEqual(
            [each[1:3] for each in twice],
            [(f"the serial number was also counted in SHED {bin_}", True) for bin_ in ("S-2", "S-1")],
        )
        [alone] = told(line(2, 0, 1, "S-2"), elsewhere={("PUMP", "7"): "LOFT L-1"})
        self.assertEqual((alone[1][:46], alone[2]), ("the system has this serial number in LOFT L-1:", True))
        # Where it was expected and counted, what the system has elsewhere is another question.
        self.assertEqual(told(line(1, 1, 1), elsewhere={("PUMP", "7"): "LOFT L-1"}), [(1, "", False, ())])
        self.assertEqual(told(line(1, 1, 0), found_at)[0][3], ("moved to SHED S-2",))

    def test_a_document_for_each_warehouse_under_a_number_that_is_free(self):
        lines = [adjusted(1, "2"), adjusted(2, "0"), adjusted(3, "-1", "LOFT"), adjusted(4, "1")]
        taken = {"COUNT-spring-SHED", "COUNT-spring-SHED-2"}
        done = numbered_documents(lines, "spring", taken)
        self.assertEqual(
            [each.document for each in done], ["COUNT-spring-SHED-3", None, "COUNT-spring-LOFT", "COUNT-spring-SHED-3"]
        )
        self.assertEqual(numbered_documents([adjusted(1, "2")], "spring", taken)[0].document, "COUNT-spring-SHED-4")
        [long] = numbered_documents([adjusted(1, "2")], "the-whole-of-the-long-loft", set())
        self.assertEqual(long.document, "COUNT-the-whole-of-the-lon")

    def test_header_lines_and_lots(self):
        family = adjustment_family(practice())
        self.assertEqual(family.header.name, "adjustment", "opening stock and receipts take nothing out")
        lines = [
            adjusted(1, "2.5"),
            adjusted(2, "0"),
            adjusted(3, "-1", lot="L-7"),
            adjusted(4, "1", "LOFT", serial="S-9"),
        ]
        lines = numbered_documents(lines, "c", set())
        headers, rows, lots = as_documents(lines, family, "c", "2027-01-09", "SHRINK")
        shed, loft = "COUNT-c-SHED", "COUNT-c-LOFT"
        self.assertEqual(
            headers.values.rows(),
            [
                (1, shed, "SHED", "2027-01-09", "SHRINK", "Count c"),
                (4, loft, "LOFT", "2027-01-09", "SHRINK", "Count c"),
            ],
        )
        names = ("document", "line", "item", "warehouse", "bin", "quantity", "unit")
        self.assertEqual(
            rows.values.select(ROW, *names).rows(),
            [
                (1, shed, "1", "ROPE", "SHED", "S-1", "2.500", "M"),
                (3, shed, "2", "ROPE", "SHED", "S-1", "-1.000", "M"),
                (4, loft, "1", "ROPE", "LOFT", "S-1", "1.000", "M"),
            ],
        )
        self.assertEqual(
            lots.values.select(ROW, "document", "line", "part", "lot", "serial", "quantity").rows(),
            [(3, shed, "2", "1", "L-7", None, "-1.000"), (4, loft, "1", "1", None, "S-9", "1.000")],
        )
        self.assertEqual([part.record.name for part in as_documents(lines[:1], family, "c", "2027-01-09", None)],
                         ["adjustment", "adjustment_line"])  # fmt: skip
        bare = as_documents(lines, replace(family, lots=None), "c", "2027-01-09", None)
        self.assertEqual([part.record.name for part in bare], ["adjustment", "adjustment_line"])
        self.assertNotIn("account", bare[0].values.columns)


class Collecting(unittest.TestCase):
    KNOWN = Known({"ROPE": "M", "PAINT": "L", "RADIO": "EA"}, {("ROPE", "COIL"): Decimal(200)},
                  {"PAINT": ("lot",), "RADIO": ("serial",)}, frozenset({("SHED", "S-1"), ("SHED", "S-2")}))  # fmt: skip

    def collected(
        self,
        *lines: dict[str, str | None],
        sheet: Sheet = IN_SHED,
        known: Known = KNOWN,
        places: pl.DataFrame | None = None,
    ):
        names = ("item", "warehouse", "bin", "lot", "serial", "unit", "counted", "time")
        rows = rows_of(practice().records["adjustment_line"], values_of(columns_of(lines, names)))
        return collect(rows, KnownPlaces(FRAME), known, sheet)

    def test_which_lines_are_taken(self):
        cases = [
            ({"item": "ROPE", "bin": "S-1", "counted": "47"}, "at 1: 47"),
            ({"item": "ROPE", "bin": "S-1", "counted": "2", "unit": "COIL"}, "at 1: 400"),
            ({"item": "ROPE", "bin": "S-1", "counted": "0"}, "at 1: 0"),
            ({"item": "ROPE", "bin": "S-1"}, "blank"),
            ({"item": "ROPE", "bin": "S-2", "counted": "5"}, "find: 5"),
            ({"item": "ROPE", "bin": "S-2", "counted": "0"}, "nothing"),
            ({"item": "ROPE", "bin": "S-9", "counted": "5"}, "not-on-list"),
            ({"item": "ROPE", "bin": "S-1", "counted": "5", "unit": "BOX"}, "not-its-own"),
            ({"item": "ROPES", "counted": "5"}, "not-on-list"),
            ({"item": None, "counted": "5"}, "missing"),
            ({"item": None, "counted": None}, "nothing"),
            ({"item": "PAINT", "bin": "S-1", "counted": "5"}, "lot-needed"),
            ({"item": "PAINT", "bin": "S-1", "counted": "5", "lot": "L"}, "find: 5"),
            ({"item": "RADIO", "bin": "S-1", "counted": "1"}, "serial-needed"),
            ({"item": "ROPE", "bin": "S-2", "counted": "1", "lot": "L"}, "lot-not-tracked"),
            ({"item": "ROPE", "bin": "S-1", "counted": "47", "time": "half past"}, "not-a-time"),
        ]
        for line, wanted in cases:
            with self.subTest(line):
                done = self.collected(line)
                got = [group.kind for group in done.rows.findings]
                got += [f"at {each.place}: {each.counted:f}" for each in as_entries(done.lines)]
                got += [f"find: {each.counted:f}" for _, each in done.finds]
                got += ["blank"] * done.blank
                self.assertEqual(got or ["nothing"], [wanted])

    def test_without_lists_of_bins_any_bin_is_taken_and_without_a_warehouse_none(self):
        line = {"item": "ROPE", "bin": "S-9", "counted": "5"}
        done = self.collected(line, known=replace(self.KNOWN, bins=None))
        self.assertEqual([key for key, _ in done.finds], [("ROPE", "SHED", "S-9", None, None)])
        self.assertEqual([group.kind for group in self.collected(line, sheet=Sheet()).rows.findings], ["missing"])

    def test_entries_come_in_the_order_of_the_sheet(self):
        line = {"item": "ROPE", "bin": "S-1"}
        done = self.collected(
            {**line, "counted": "1", "unit": "COIL"}, {**line, "counted": "2"}, {**line, "counted": "3", "unit": "COIL"}
        )
        self.assertEqual([(each.counted, each.where) for each in as_entries(done.lines)],
                         [(200, "t.csv line 2"), (2, "t.csv line 3"), (600, "t.csv line 4")])  # fmt: skip

    @given(
        st.lists(
            st.fixed_dictionaries(
                {"item": st.sampled_from(["ROPE", "PAINT", "NONE", None]), "bin": st.sampled_from(["S-1", "S-2", "S-9", None]),
                 "lot": st.sampled_from([None, None, "L"]), "unit": st.sampled_from([None, "M", "COIL", "BOX"]),
                 "counted": st.sampled_from([None, "0", "47", "1.5"]), "time": st.sampled_from([None, "14:30", "soon"])}
            ),
            max_size=8,
        ),
        st.booleans(),
    )  # fmt: skip
    def test_lines_read_at_once_and_one_by_one_are_the_same(self, lines, as_expected):
        sheet = Sheet(warehouse="SHED", times=TimeHabits(day="2027-01-09"), as_expected=as_expected)

        def told():
            done = self.collected(*lines, sheet=sheet)
            findings = [(group.kind, group.field, group.cells.rows()) for group in done.rows.findings]
            return as_entries(done.lines), done.finds, done.blank, sorted(findings, key=str)

        at_once = told()

        def none_of_them(rows, lines, known, moments, round_):
            found, plain = plain_lines(rows, lines, known, moments, round_)
            return found.clear(), pl.zeros(len(plain), dtype=pl.Boolean, eager=True)

        with mock.patch.object(collecting, "plain_lines", none_of_them):
            self.assertEqual(told(), at_once)

    def test_only_differences_filled_in(self):
        lines = ({"item": "ROPE", "bin": "S-1"}, {"item": "ROPE", "bin": "S-2"})
        done = self.collected(*lines, sheet=Sheet(warehouse="SHED", as_expected=True))
        self.assertEqual(
            [(each.place, each.counted, each.remark) for each in as_entries(done.lines)], [(1, 50, "as expected")]
        )
        self.assertEqual((done.blank, done.lines["counter"][0]), (1, ""))

    def test_a_time_of_day_has_the_day_of_the_sheet(self):
        line = {"item": "ROPE", "bin": "S-1", "counted": "47"}
        for time, at in (
            ("14:30", "2027-01-09 14:30:00"),
            ("14:30:07", "2027-01-09 14:30:07"),
            ("9.05", "2027-01-09 09:05:00"),
        ):
            with self.subTest(time):
                done = self.collected(
                    {**line, "time": time}, sheet=Sheet(warehouse="SHED", times=TimeHabits(day="2027-01-09"))
                )
                self.assertEqual([(each.at, each.counter) for each in as_entries(done.lines)], [(at, "")])
