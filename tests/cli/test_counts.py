from __future__ import annotations

import time
import unittest
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

import openpyxl

from tests.support import Program

QUAY = "warehouse is 'QUAY' and category begins with 'FASTENING'"


class Counting(Program):
    """What counts need."""

    def setUp(self) -> None:
        super().setUp()
        self.start()

    def start(self) -> None:
        self.start_shop()

    def fill(self, name: str, counted: Callable[[dict[str, Any]], object], **more: object) -> None:
        """Fills in a sheet: ``counted`` gets each line as heading → value, and returns what was counted or None."""
        path = self.folder / name
        book = openpyxl.load_workbook(path)
        sheet = book.worksheets[0]
        heads = {cell.value: cell.column for cell in sheet[4]}
        for row in range(5, sheet.max_row + 1):
            line = {head: sheet.cell(row, column).value for head, column in heads.items()}
            if line["Item"] is None:
                continue
            value = counted(line)
            if value is not None:
                sheet.cell(row, heads["Counted"]).value = value
                for head, given in more.items():
                    sheet.cell(row, heads[head]).value = given
        book.save(path)

    def on_hand(self, item: str, warehouse: str = "QUAY") -> str:
        rows = self.json("stock", item, "--where", f"warehouse is '{warehouse}'", "--with-empty")["rows"]
        return str(rows[0]["on_hand"])

    def sell(self, number: str, item: str, quantity: int) -> None:
        bins = {"FST-00020": "Q-04-D", "FST-00060": "Q-05-A"}
        self.write(
            f"sale{number}.csv",
            "Document,Warehouse,Date,Item,Quantity,Bin",
            f"S-{number},QUAY,2026-11-26,{item},{quantity},{bins[item]}",
        )
        self.json("load", f"sale{number}.csv", "--as", "goods_issue", "--yes")

    def lines(self, name: str = "quay") -> dict[str, dict[str, Any]]:
        return {line["item"]: line for line in self.json("count", "variance", name)["lines"]}


class Trading(Counting):
    """The shop keeps trading; on SQLite and on PostgreSQL."""

    def test_goods_keep_moving_while_they_are_counted(self) -> None:
        self.json("count", "freeze", "quay", "--where", QUAY, "--trading")
        [sheet] = self.json("count", "sheets", "quay", "--blind", "-o", "sheets")["files"]
        places = {row["item"]: row["on_hand"] for row in self.json("stock", "--where", QUAY)["rows"]}
        self.sell("1", "FST-00020", 4)
        time.sleep(0.01)
        at = f"{datetime.now():%Y-%m-%d %H:%M:%S.%f}"
        time.sleep(0.01)
        # One is missing: 39 - 4 sold - 1 = 34.
        wanted = {"FST-00020": 34}
        self.fill(
            sheet["file"],
            lambda line: None if line["Item"] == "FST-00060" else wanted.get(line["Item"], places[line["Item"]]),
            Time=at,
        )
        self.sell("2", "FST-00020", 2)
        self.sell("3", "FST-00060", 1)
        tomorrow = f"{datetime.now() + timedelta(days=1):%Y-%m-%d %H:%M}"
        self.write("typo.csv", "Warehouse,Item,Bin,Counted,Time", f"QUAY,FST-00060,Q-05-A,5,{tomorrow}")
        told = self.kotrel("count", "collect", "quay", "typo.csv", status=1).stdout
        self.assertIn("write when it was counted", " ".join(told.split()))
        for step in (("collect", "quay", "typo.csv"), ("set", "quay", "FST-00060", "--counted", "5", "--reason", "x")):
            done = self.kotrel("count", *step, "--counted-at", "2026-01-09 10:00", status=2)
            self.assertIn("the count was frozen later", done.stderr)
        self.write("late.csv", "Warehouse,Item,Bin,Counted", "QUAY,FST-00060,Q-05-A,5")
        done = self.json("count", "collect", "quay", sheet["file"], "late.csv")
        self.assertEqual([each["status"] for each in done["files"]], ["collected", "collected"])
        lines = self.lines()
        self.assertEqual([lines["FST-00020"][name] for name in ("expected", "counted", "variance")], ["35", "34", "-1"])
        self.assertIn("does not say when", lines["FST-00060"]["recount"])
        self.json("count", "post", "quay", "--yes")
        self.assertEqual(self.on_hand("FST-00020"), "32")
        self.assertEqual(self.on_hand("FST-00060"), "5")


class TradingOnPostgres(Trading):
    def start(self) -> None:
        self.start_on_postgres()


class Counts(Counting):
    """Physical counts through the installed program, trading stopped."""

    def test_from_freeze_to_post_and_back(self) -> None:
        frozen = self.json("count", "freeze", "quay", "--where", QUAY, "--stopped")
        [sheet] = self.json("count", "sheets", "quay", "-o", "sheets")["files"]
        self.assertEqual(sheet["lines"], frozen["places"])
        # FST-00020 has 39, FST-00060 has 6, FST-00100 has 13.
        odd = {"FST-00020": 36, "FST-00060": 8, "FST-00100": None}
        self.fill(sheet["file"], lambda line: odd.get(line["Item"], line["Expected"]), Counter="ola")
        done = self.json("count", "collect", "quay", sheet["file"])["files"][0]
        self.assertEqual((done["status"], done["blank"]), ("collected", 1))
        self.assertEqual(self.json("count", "collect", "quay", sheet["file"])["files"][0]["status"], "again")
        lines = self.lines()
        self.assertEqual((lines["FST-00020"]["variance"], lines["FST-00060"]["variance"]), ("-3", "2"))
        self.assertEqual(lines["FST-00100"]["counted"], None)
        self.assertEqual({item for item, line in lines.items() if line["recount"]}, {"FST-00020", "FST-00060"})
        # The recount: 38 and 6; the first counts stay on record.
        [again] = self.json("count", "sheets", "quay", "--recount", "-o", "sheets")["files"]
        self.assertEqual(again["lines"], 2)
        self.fill(again["file"], lambda line: {"FST-00020": 38, "FST-00060": 6}[line["Item"]], Counter="kari")
        self.json("count", "collect", "quay", again["file"])
        self.assertEqual((self.lines()["FST-00020"]["variance"], self.lines()["FST-00060"]["variance"]), ("-1", "0"))
        self.kotrel("count", "set", "quay", "FST-00060", "--counted", "7", "--reason", "one on the bench")
        self.assertEqual(self.lines()["FST-00060"]["variance"], "1")
        posted = self.json("count", "post", "quay", "--yes", "-o", "record.xlsx")
        self.assertEqual(
            (posted["status"], posted["documents"], posted["adjusted"]), ("posted", ["COUNT-quay-QUAY"], 2)
        )
        self.assertEqual([self.on_hand(item) for item in ("FST-00020", "FST-00060", "FST-00100")], ["38", "7", "13"])
        self.assertEqual(self.json("count", "post", "quay", "--yes")["status"], "nothing to post")
        record = openpyxl.load_workbook(self.folder / "record.xlsx")
        self.assertEqual(record.sheetnames, ["Count", "Lines", "Entries", "Files"])
        headings, *entries = record["Entries"].iter_rows(values_only=True)
        place = headings.index("Counted")
        self.assertEqual([int(row[place]) for row in entries if row[0] == "FST-00060"], [8, 6, 7])
        # An undo opens the count again, and it can be posted again.
        self.json("undo", posted["load"], "--yes")
        self.assertEqual(self.on_hand("FST-00020"), "39")
        self.assertEqual(self.json("count", "list")["counts"][0]["posted"], 0)
        self.assertEqual(
            self.json("count", "post", "quay", "--yes", "--not-counted", "leave")["documents"], ["COUNT-quay-QUAY-2"]
        )
        self.assertEqual(self.json("count", "variance", "quay")["not_counted"], 0)

    def test_a_sheet_of_another_shape_comes_in_through_a_saved_match(self) -> None:
        self.json("count", "freeze", "quay", "--where", QUAY, "--stopped")
        self.write("other.csv", "Thing;Place;Found", "FST-00020;Q-04-D;n/a", "FST-00060;Q-05-A;five", "FST-00100;;12")
        self.json("map", "other.csv", "count", "--name", "other")
        match = self.folder / "maps" / "other.toml"
        match.write_text(
            'record = "count"\n[field]\nitem.column = "Thing"\nbin.column = "Place"\n'
            'counted = { column = "Found", translate = { "n/a" = "", five = "5" } }\n', "utf-8"
        )  # fmt: skip
        self.assertIn("kotrel count collect", self.kotrel("check", "other.csv", "--map", "other", status=2).stderr)
        refused = self.json("count", "collect", "quay", "other.csv", "--map", "other", status=None)["files"][0]
        self.assertEqual((refused["status"], refused["lines"]), ("collected", 2))
        self.assertEqual(self.lines()["FST-00060"]["counted"], "5")
        # Other work is not disturbed by a mapping for such sheets, nor by a word for "not counted".
        (self.folder / "kotrel.toml").write_text(
            (self.folder / "kotrel.toml").read_text("utf-8") + '\n[count]\nnot_counted = "skip"\n', "utf-8"
        )
        self.write("b.csv", "Item,Bin,Counted", "FST-00020,Q-04-D,SKIP", "FST-00060,Q-05-A,6")
        done = self.json("count", "collect", "quay", "b.csv")["files"][0]
        self.assertEqual((done["lines"], done["blank"]), (1, 1))

    def test_what_moves_although_trading_is_stopped_is_said(self) -> None:
        self.json("count", "freeze", "quay", "--where", QUAY, "--stopped")
        self.sell("1", "FST-00020", 4)
        self.write("one.csv", "Warehouse,Item,Bin,Counted", "QUAY,FST-00020,Q-04-D,38")
        self.json("count", "collect", "quay", "one.csv")
        self.assertIn("1 place moved although trading is stopped", self.kotrel("count", "variance", "quay").stdout)
        # 39 at the freeze, 38 counted: one is taken off what is there now.
        posted = self.kotrel("count", "post", "quay", "--yes").stdout
        self.assertIn("1 line where stock moved although trading is stopped", posted)
        self.assertEqual(self.on_hand("FST-00020"), "34")

    def test_what_two_counts_find_is_corrected_once(self) -> None:
        for trading in ("--stopped", "--trading"):
            with self.subTest(trading):
                names = [f"{name}-{trading.strip('-')}" for name in ("ola", "kari", "per")]
                for name in names:
                    self.json("count", "freeze", name, "--where", QUAY, trading)
                there = int(self.on_hand("FST-00020"))
                at = datetime.now().isoformat(sep=" ", timespec="seconds")
                self.write("once.csv", "Warehouse,Item,Bin,Counted,Time", f"QUAY,FST-00020,Q-04-D,{there + 7},{at}")
                self.write("more.csv", "Warehouse,Item,Bin,Counted,Time", f"QUAY,FST-00020,Q-04-D,{there + 8},{at}")
                for name in names:
                    self.json("count", "collect", name, "more.csv" if name == names[2] else "once.csv")
                self.json("count", "post", names[0], "--yes")
                self.assertEqual(int(self.on_hand("FST-00020")), there + 7)
                # The second found the same, and the third one more: no other figure is right, in whatever order.
                shown = self.kotrel("count", "variance", names[1]).stdout
                self.assertIn(f"corrected since the freeze by the count {names[0]}", shown)
                self.assertEqual(self.json("count", "variance", names[1])["corrected_by"], [names[0]])
                self.kotrel("count", "drop", names[0])
                for name, wanted in ((names[1], there + 7), (names[2], there + 8)):
                    self.json("count", "post", name, "--yes")
                    self.assertEqual(int(self.on_hand("FST-00020")), wanted)

    def test_what_was_posted_and_undone_moved_nothing(self) -> None:
        # Without a time, a line at a place where goods moved could not be posted.
        self.json("count", "freeze", "quay", "--where", QUAY, "--trading")
        self.write("one.csv", "Warehouse,Item,Bin,Counted", "QUAY,FST-00020,Q-04-D,41")
        self.json("count", "collect", "quay", "one.csv")
        self.json("count", "freeze", "later", "--where", QUAY, "--trading")
        self.json("count", "collect", "later", "one.csv")
        for name in ("quay", "quay", "later"):
            load = self.json("count", "post", name, "--yes")["load"]
            self.assertEqual(self.on_hand("FST-00020"), "41")
            self.json("undo", load, "--yes")
            self.assertEqual(self.on_hand("FST-00020"), "39")

    def test_a_sheet_with_errors_is_not_taken_by_halves(self) -> None:
        self.json("count", "freeze", "quay", "--where", QUAY, "--stopped")
        self.write("bad.csv", "Warehouse,Item,Bin,Unit,Counted", "QUAY,FST-00020,Q-04-D,EA,39", "QUAY,FST-00060,Q-99-Z,EA,6",
                   "QUAY,NOPE-1,Q-04-D,EA,1", "QUAY,FST-00100,Q-05-B,COIL,1", "QUAY,FST-00140,Q-05-C,EA,many")  # fmt: skip
        [done] = self.json("count", "collect", "quay", "bad.csv", status=1)["files"]
        self.assertEqual({(each["kind"], each["row"]) for each in done["findings"] if each["severity"] == "error"},
                         {("not-on-list", 3), ("not-on-list", 4), ("not-its-own", 5), ("not-a-number", 6)})  # fmt: skip
        self.assertEqual(self.json("count", "variance", "quay")["totals"]["counted"], 0)

    def test_boxes_are_pieces_and_finds_are_taken(self) -> None:
        self.json("count", "freeze", "quay", "--where", QUAY, "--stopped")
        self.write(
            "boxes.csv",
            "Warehouse,Item,Bin,Unit,Counted,Counter",
            "QUAY,FST-00020,Q-04-D,BOX,1,ola",
            "QUAY,FST-00010,Q-01-A,EA,2,ola",
        )
        [done] = self.json("count", "collect", "quay", "boxes.csv")["files"]
        self.assertEqual((done["lines"], done["finds"]), (2, 1))
        lines = self.lines()
        self.assertEqual((lines["FST-00020"]["counted"], lines["FST-00010"]["expected"]), ("100", "0"))
        # The same sheet once more, corrected, takes the place of what it said before.
        self.write("boxes.csv", "Warehouse,Item,Bin,Unit,Counted,Counter", "QUAY,FST-00020,Q-04-D,EA,39,ola")
        [done] = self.json("count", "collect", "quay", "boxes.csv")["files"]
        self.assertEqual(done["replaced"], 2)
        self.assertEqual(self.lines()["FST-00020"]["variance"], "0")

    def test_a_serial_number_has_moved_or_a_person_confirms_it(self) -> None:
        """ELC00040-001 and -002 lie in Q-05-A, ELC00280-001 in TENDER T-01-B, which nobody counts."""
        self.json("count", "freeze", "q5", "--where", "warehouse is 'QUAY' and bin begins with 'Q-05'", "--stopped")
        self.write("found.csv", "Warehouse,Item,Bin,Serial,Counted", "QUAY,ELC-00040,Q-05-A,ELC00040-001,1",
                   "QUAY,ELC-00040,Q-05-B,ELC00040-002,1 EA", "QUAY,ELC-00280,Q-05-B,ELC00280-001,1")  # fmt: skip
        self.json("count", "collect", "q5", "found.csv")

        def told() -> dict[tuple[str, str], tuple[str | None, str]]:
            return {
                (line["serial"], line["bin"]): (line["counted"], " ".join([*line["remarks"], line["recount"] or ""]))
                for line in self.json("count", "variance", "q5")["lines"]
                if line["serial"]
            }

        lines = told()
        self.assertEqual(lines["ELC00040-002", "Q-05-A"], ("0", "moved to QUAY Q-05-B "))
        self.assertEqual(lines["ELC00040-002", "Q-05-B"], ("1", "moved from QUAY Q-05-A "))
        self.assertIn("in TENDER T-01-B", lines["ELC00280-001", "Q-05-B"][1])

        def places() -> set[tuple[str, str, str]]:
            held = self.json("stock", "--by", "item,warehouse,bin,serial", "--where", "serial begins with 'ELC00'")
            mine = ("ELC00040-001", "ELC00040-002", "ELC00280-001")
            return {(row["serial"], row["warehouse"], row["bin"]) for row in held["rows"] if row["serial"] in mine}

        before = places()
        # Nothing is posted of what nobody has confirmed; said to be wrong after all, it is gone from the count.
        words = ("count", "set", "q5", "ELC-00280", "--serial", "ELC00280-001", "--bin", "Q-05-B", "--reason", "seen")
        self.assertEqual(self.json(*words, "--counted", "1")["moved_from"], "TENDER T-01-B")
        self.json(*words, "--counted", "0")
        self.assertNotIn(("ELC00280-001", "T-01-B"), {key for key, (_, said) in told().items() if "moved" in said})
        self.json(*words, "--counted", "1")
        posted = self.json("count", "post", "q5", "--yes", "-o", "record.xlsx")
        self.assertEqual((posted["documents"], posted["adjusted"]), (["COUNT-q5-QUAY", "COUNT-q5-TENDER"], 4))
        self.assertEqual(places(), {("ELC00040-001", "QUAY", "Q-05-A"), ("ELC00040-002", "QUAY", "Q-05-B"),
                                    ("ELC00280-001", "QUAY", "Q-05-B")})  # fmt: skip
        self.json("undo", posted["load"], "--yes")
        self.assertEqual(places(), before)
        # The record prints: landscape, as wide as the page, its headings on each.
        for sheet in openpyxl.load_workbook(self.folder / "record.xlsx"):
            self.assertEqual(sheet.page_setup.orientation, "landscape", sheet.title)
            self.assertTrue(sheet.sheet_properties.pageSetUpPr.fitToPage, sheet.title)
            self.assertTrue(sheet.print_title_rows or sheet.title == "Count", sheet.title)

    def test_errors_of_the_command_line(self) -> None:
        self.json("count", "freeze", "quay", "--where", QUAY, "--stopped")
        for words, status, said in (
            (("freeze", "quay", "--stopped"), 2, "already"),
            (("freeze", "x", "--where", "warehouse is 'NOWHERE'", "--stopped"), 2, "there is no warehouse “NOWHERE”"),
            (
                ("freeze", "x", "--where", "bin begins with 'NOWHERE'", "--stopped"),
                1,
                "nothing to count: no location fits",
            ),
            (("variance", "quai"), 2, "Did you mean quay?"),
            (("post", "quay"), 2, "--yes"),
            (("set", "quay", "NOPE", "--counted", "1", "--reason", "x"), 2, "there is no item NOPE"),
            (
                ("set", "quay", "ROP-00010", "--bin", "Z-9", "--counted", "1", "--reason", "x"),
                2,
                "no such place of ROP-00010",
            ),
        ):
            with self.subTest(words=words):
                self.assertIn(said, self.kotrel("count", *words, status=status).stderr)
        self.assertIn(".dropped", self.json("count", "drop", "quay")["dropped"])
        self.assertEqual(self.json("count", "list")["counts"], [])


if __name__ == "__main__":
    unittest.main()
