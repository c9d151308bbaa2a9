"""What people wrote on a count sheet, line by line: what is taken, what is found elsewhere, what cannot be."""

from __future__ import annotations

import unittest
from decimal import Decimal

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.counting.counted_times import CountingTime, TimeHabits
from kotrel.core.counting.entries import Sheet, collect
from kotrel.core.counting.frames import as_entries, place_frame
from kotrel.core.counting.known_places import Known, KnownPlaces
from kotrel.core.counting.selection import FROZEN
from kotrel.core.counting.sheet_record import count_record
from kotrel.core.description.description_reading import read_description
from kotrel.practice.installing import description_text
from tests.builders import rows_in_sheet

PLACES = [
    ("ROPE", "SHED", "S-1", None, None, "50", "4.20", "M", "Rope", ""),
    ("PAINT", "SHED", "S-1", "L-1", None, "12", "9", "L", "Paint", ""),
    ("PUMP", "SHED", "S-1", None, "77-A", "1", "90", "EA", "Pump", ""),
    ("OLD", "SHED", "S-1", None, None, "3", "2", "EA", "Old", ""),
]
KNOWN = Known(
    units={"ROPE": "M", "PAINT": "L", "PUMP": "EA", "OLD": "EA"},
    factors={("ROPE", "COIL"): Decimal(200)},
    tracked={"PAINT": ("lot",), "PUMP": ("serial",)},
    bins=frozenset([("SHED", "S-1"), ("SHED", "S-2"), ("YARD", "Y-1")]),
    decimals={"EA": 0, "M": 2},
    archived=frozenset(["OLD"]),
)
NAMES = ("item", "warehouse", "bin", "lot", "serial", "unit", "counted", "time", "date")


def collected(*lines, sheet=Sheet(warehouse="SHED")):  # noqa: B008
    """Lines as ITEM, BIN and ``name=value``; what is counted is last."""
    table = [{"item": item, "bin": bin_, "counted": counted, **more} for item, bin_, counted, more in lines]
    columns = {name: [line.get(name) for line in table] for name in NAMES}
    places = KnownPlaces(place_frame(pl.DataFrame(PLACES, dict.fromkeys(FROZEN, pl.String), orient="row")))
    return collect(rows_in_sheet(count_record(read_description(description_text())), columns), places, KNOWN, sheet)


def line(item, bin_, counted, **more):
    return item, bin_, counted, more


class CountedLines(unittest.TestCase):
    def taken(self, *lines, **more):
        return [(each.place, str(each.counted)) for each in as_entries(collected(*lines, **more).lines)]

    def wrong(self, *lines, **more):
        done = collected(*lines, **more)
        self.assertEqual((done.lines.height, done.finds), (0, []), "nothing is taken that is wrong")
        return [(group.kind, group.field, row) for group in done.rows.findings for row in group.cells[ROW]]

    def test_lines_at_known_places_in_the_order_of_the_sheet_and_in_the_base_unit(self):
        lines = [
            line("OLD", "S-1", "3"),
            line("ROPE", "S-1", "2", unit="COIL"),
            line("PUMP", "S-1", "0", serial="77-A"),
            line("PAINT", "S-1", "11.125", lot="L-1"),
            line("ROPE", "S-1", "47.25", unit="M"),
        ]
        self.assertEqual(self.taken(*lines), [(4, "3"), (1, "400"), (3, "0"), (2, "11.125"), (1, "47.25")])

    def test_codes_of_places_in_another_form(self):
        lines = line("ROPE", "s 1", "5"), line("PAINT", "S-1", "5", lot="l 1"), line("PUMP", "S-1", "1", serial="77 a")
        done = collected(*lines)
        self.assertEqual([each.place for each in as_entries(done.lines)], [1, 2, 3])
        self.assertEqual(
            [(each.field, each.cells.row(0)[1:3]) for each in done.rows.repairs],
            [("bin", ("s 1", "S-1")), ("lot", ("l 1", "L-1")), ("serial", ("77 a", "77-A"))],
        )

    def test_finds(self):
        lines = (
            line("ROPE", "S-2", "5"),
            line("ROPE", "S-2", "0"),
            line("PUMP", "S-2", "1", serial="78-B"),
            line("ROPE", "Y-1", "2", warehouse="YARD"),
        )
        done = collected(*lines)
        self.assertEqual(
            [(key, str(entry.counted)) for key, entry in done.finds],
            [
                (("ROPE", "SHED", "S-2", None, None), "5"),
                (("PUMP", "SHED", "S-2", None, "78-B"), "1"),
                (("ROPE", "YARD", "Y-1", None, None), "2"),
            ],
            "a zero where nothing was is no find",
        )

    def test_what_cannot_be_taken(self):
        for each, kind, name in (
            (line("NOPE", "S-1", "5"), "not-on-list", "item"),
            (line(None, "S-1", "5"), "missing", "item"),
            (line("ROPE", "S-1", "5", unit="KG"), "not-its-own", "unit"),
            (line("ROPE", "Y-1", "5"), "not-on-list", "bin"),
            (line("PAINT", "S-2", "5"), "lot-needed", "lot"),
            (line("PUMP", "S-2", "1"), "serial-needed", "serial"),
            (line("ROPE", "S-1", "5", lot="L-9"), "lot-not-tracked", "lot"),
            (line("ROPE", "S-1", "5", serial="1"), "serial-not-tracked", "serial"),
            (line("PUMP", "S-1", "2", serial="77-A"), "serial-not-one", "counted"),
            (line("ROPE", "S-1", "-1"), "not-countable", "counted"),
            (line("ROPE", "S-1", "1.125"), "not-countable", "counted"),
            (line("OLD", "S-1", "2.5"), "not-countable", "counted"),
            (line("OLD", "S-1", "2"), "archived", "item"),
            (line("ROPE", "S-1", "5", time="soon"), "not-a-time", "time"),
            (line("ROPE", "S-1", "5", time="14:30"), "not-a-time", "time"),
        ):
            with self.subTest(each):
                self.assertEqual(self.wrong(each), [(kind, name, 2)])
        self.assertEqual(self.wrong(line("ROPE", "S-1", "5"), sheet=Sheet()), [("missing", "item", 2)])
        self.assertEqual(self.wrong(line("ROPE", "S-1", "5", time="24:30"), sheet=Sheet(warehouse="SHED", times=TimeHabits(day="2027-01-09"))), [("not-a-time", "time", 2)])  # fmt: skip

    def test_what_was_not_counted(self):
        lines = line("ROPE", "S-1", None), line("ROPE", "S-2", None), line(None, None, None)
        self.assertEqual((collected(*lines).blank, self.taken(*lines)), (2, []))
        as_expected = Sheet(warehouse="SHED", as_expected=True)
        done = collected(*lines, sheet=as_expected)
        [entry] = as_entries(done.lines)
        self.assertEqual((entry.place, entry.counted, entry.remark, done.blank), (1, Decimal(50), "as expected", 1))

    def test_while_goods_move_nothing_was_counted_before_the_freeze_or_in_times_to_come(self):
        between = CountingTime("2027-01-09 09:12:40", "2027-01-09 12:00:00")
        sheet = Sheet(warehouse="SHED", times=TimeHabits(day="2027-01-09", between=between))
        for time, impossible in (
            ("9:11", True), ("9:12", False), ("12:00", False), ("12:05", False), ("12:06", True), ("21:30", True),
            ("2027-01-08 23:59", True), ("2027-01-10 09:30", True), (None, False),
        ):  # fmt: skip
            with self.subTest(time):
                done = collected(line("ROPE", "S-1", "5", time=time), sheet=sheet)
                kinds = [group.kind for group in done.rows.findings]
                self.assertEqual((kinds, done.lines.height), (["impossible-time"], 0) if impossible else ([], 1))
        # With trading stopped, the time makes no difference.
        stopped = replace(sheet, times=TimeHabits(day="2027-01-09"))
        self.assertEqual(collected(line("ROPE", "S-1", "5", time="21:30"), sheet=stopped).lines.height, 1)

    def test_when_a_line_was_counted(self):
        sheet = Sheet(warehouse="SHED", times=TimeHabits("2027-01-09 17:00:00", "2027-01-09"))
        for time, at in (
            (None, "2027-01-09 17:00:00"),
            ("14:30", "2027-01-09 14:30:00"),
            ("9.05", "2027-01-09 09:05:00"),
            ("2027-01-08 09:15", "2027-01-08 09:15:00"),
            ("2027-01-09", "2027-01-09 17:00:00"),  # a day says no time: the file's own counts
            ("2027-01-08", None),  # and not where it is of another day
        ):
            with self.subTest(time):
                done = collected(line("ROPE", "S-1", "5", time=time), sheet=sheet)
                self.assertEqual([each.at for each in as_entries(done.lines)], [at])

    def test_days_and_times_as_people_write_them(self):
        sheet = Sheet(warehouse="SHED", times=TimeHabits("2027-01-09 17:00:00", "2027-01-09", this_year=2027))
        for time, date, at in (
            ("2:30 pm", None, "2027-01-09 14:30:00"),
            ("12:05 AM", None, "2027-01-09 00:05:00"),
            ("12:05 p.m.", None, "2027-01-09 12:05:00"),
            ("14h30", None, "2027-01-09 14:30:00"),
            ("14:30:20 Uhr", None, "2027-01-09 14:30:20"),
            ("25/12/2026 09.05", None, "2026-12-25 09:05:00"),
            ("4 Jan 2027, 2:30 PM", None, "2027-01-04 14:30:00"),
            ("14:30", "2027-01-08", "2027-01-08 14:30:00"),
            ("14:30", "25.12.26", "2026-12-25 14:30:00"),
            (None, "2027-01-08 14:30", "2027-01-08 14:30:00"),
            ("2027-01-08 14:30", "2027-01-08", "2027-01-08 14:30:00"),
            (None, "2027-01-09", "2027-01-09 17:00:00"),
            (None, "2027-01-08", None),
            ("14:30", "2027-01-08 00:00:00", "2027-01-08 14:30:00"),
            ("14:30 pm", None, "not-a-time time"),
            ("24:30", None, "not-a-time time"),
            ("4/1/2027 14:30", None, "not-a-time time"),  # the first of April, or the fourth of January
            ("2027-01-09 14:30", "2027-01-08", "not-a-time time"),
            (None, "14:30", "not-a-time date"),
            (None, "soon", "not-a-time date"),
        ):
            with self.subTest(time=time, date=date):
                done = collected(line("ROPE", "S-1", "5", time=time, date=date), sheet=sheet)
                wrong = [f"{group.kind} {group.field}" for group in done.rows.findings]
                self.assertEqual([each.at for each in as_entries(done.lines)] or wrong[0:1], [at])
        # What comes first in a day, the others of the sheet say, or the user.
        both = [line("ROPE", place, "5", date=day) for place, day in (("S-1", "4/1/27"), ("S-2", "25/12/26"))]
        days = {each.at for each in as_entries(collected(*both, sheet=Sheet(warehouse="SHED", times=TimeHabits("2027-01-04 08:00:00", this_year=2027))).lines)}  # fmt: skip
        self.assertEqual(days, {"2027-01-04 08:00:00"})
        month = Sheet(warehouse="SHED", times=TimeHabits("2027-04-01 08:00:00", this_year=2027), dates="month")
        self.assertEqual(as_entries(collected(both[0], sheet=month).lines)[0].at, "2027-04-01 08:00:00")


if __name__ == "__main__":
    unittest.main()
