"""Which lists a count takes in: several sheets, several of one name, a hand scanner's."""

from __future__ import annotations

import contextlib
import sqlite3
from typing import Any

import openpyxl

from tests.cli.test_counts import QUAY
from tests.cli.test_counts import Counting as _Counting
from tests.support import workbook_of


class Lists(_Counting):
    """A count with trading stopped."""

    def test_a_line_that_a_counter_struck_through_is_told(self) -> None:
        self.json("count", "freeze", "quay", "--where", QUAY, "--stopped")
        book = workbook_of(
            self.folder / "ola.xlsx",
            {"Count": [["Item", "Bin", "Counted"], ["FST-00020", "Q-04-D", 36], ["FST-00060", "Q-05-A", 8]]},
        )
        for cell in book["Count"][3]:
            cell.font = openpyxl.styles.Font(strike=True)
        book.save(self.folder / "ola.xlsx")
        done = self.json("count", "collect", "quay", "ola.xlsx")
        [said] = done["files"][0]["findings"]
        self.assertEqual((said["kind"], said["row"]), ("struck-through", 3))

    def test_lists_of_one_name_are_not_taken_for_each_other(self) -> None:
        self.json("count", "freeze", "quay", "--where", QUAY, "--stopped")
        lines = {
            "a": "FST-00020,Q-04-D,36",
            "b": "FST-00060,Q-05-A,8",
            "c": "FST-00100,Q-05-B,13",
            "d": "FST-00140,Q-05-C,1",
        }

        def collect(name: str, keys: str, *more: str, status: int = 0) -> Any:
            self.write(name, "Item,Bin,Counted", *(lines[key] for key in keys))
            return self.json("count", "collect", "quay", name, *more, status=status)

        def counted() -> set[str]:
            return {item for item, line in self.lines().items() if line["counted"] is not None}

        for folder in ("ola", "mia"):
            (self.folder / folder).mkdir()
        collect("ola/count.csv", "a")
        self.assertEqual(collect("mia/count.csv", "b")["files"][0]["replaced"], 0)
        # A scanner calls its next list the same; with all its places and more, it is the same list.
        self.assertTrue(collect("ola/count.csv", "c")["files"][0]["beside"])
        self.assertEqual(counted(), {"FST-00020", "FST-00060", "FST-00100"})
        self.assertEqual(collect("ola/count.csv", "cd")["files"][0]["replaced"], 1)
        self.assertEqual(collect("ola/count.csv", "da", "--corrected")["files"][0]["replaced"], 3)
        self.assertEqual(counted(), {"FST-00020", "FST-00060", "FST-00140"})
        self.assertEqual(collect("ola/count.csv", "dab")["files"][0]["replaced"], 2)
        # A few of its places may be either.
        self.assertEqual(collect("ola/count.csv", "bc", status=1)["error"]["kind"], "collected-before")
        # A recount of some places leaves the others as they were counted first.
        lines["b"] = "FST-00060,Q-05-A,7"
        collect("ola/count.csv", "d", "--corrected")
        collect("mia/count.csv", "b", "--recount")
        self.assertEqual((self.lines()["FST-00060"]["counted"], counted()), ("7", {"FST-00060", "FST-00140"}))

    def test_every_sheet_of_a_workbook_is_counted_or_named(self) -> None:
        self.json("count", "freeze", "quay", "--where", QUAY, "--stopped")
        heads = ("Item", "Bin", "Counted", "Second")
        book = workbook_of(self.folder / "own.xlsx", {
            "Low": [heads, ("FST-00020", "Q-04-D", 36, None)],
            "High": [heads, ("FST-00060", "Q-05-A", "some", None), ("FST-00100", None, None, None)],
            "Words": [("Words",), ("a broken shelf",)],
        })  # fmt: skip
        refused = self.json("count", "collect", "quay", "own.xlsx", "--marked", status=1)
        [error] = [each for each in refused["files"][0]["findings"] if each["severity"] == "error"]
        self.assertEqual((refused["files"][0]["status"], error["sheet"], error["row"]), ("refused", "High", 2))
        marked = openpyxl.load_workbook(self.folder / refused["marked"][0])
        self.assertIsNotNone(marked["High"]["C2"].comment)
        self.assertEqual(self.json("count", "variance", "quay")["totals"]["gross"], "0")
        book["High"]["C2"] = 8
        book.save(self.folder / "own.xlsx")
        shown = self.kotrel("count", "collect", "quay", "own.xlsx").stdout
        for words in (
            "2 lines counted, 1 blank, not counted, on 2 sheets",
            "“Words” has 1 row and is not read",
            "column D “Second”",
        ):
            self.assertIn(words, shown)
        lines = self.lines()
        self.assertEqual((lines["FST-00020"]["variance"], lines["FST-00060"]["variance"]), ("-3", "2"))

    def test_a_hand_scanner_adds_up(self) -> None:
        self.json("count", "freeze", "quay", "--where", QUAY, "--stopped")
        # A piece of FST-00020 thirty times with its barcode and eight by its code; FST-00060 by an element string.
        barcodes = {item: self.barcode(item) for item in ("FST-00020", "FST-00060")}
        lines = [barcodes["FST-00020"]] * 30 + ["FST-00020;8", f"(01)0{barcodes['FST-00060']}(37)6"]
        self.write("scans.txt", *lines)
        [done] = self.json("count", "collect", "quay", "scans.txt")["files"]
        self.assertEqual((done["status"], done["lines"]), ("collected", 2))
        found = self.lines()
        self.assertEqual((found["FST-00020"]["counted"], found["FST-00060"]["counted"]), ("38", "6"))
        self.write("odd.txt", *lines, "2026381333931")
        [odd] = self.json("count", "collect", "quay", "odd.txt", status=1)["files"]
        self.assertEqual(odd["findings"][0]["row"], len(lines) + 1)
        # A code that leads to two items leads to none.
        with contextlib.closing(sqlite3.connect(self.folder / "practice.db")) as database, database:
            database.execute("INSERT INTO item_barcode VALUES (?, 'FST-00060', 'BOX')", [barcodes["FST-00020"]])
        self.write("two.txt", "FST-00060;5", "FST-00020;8", barcodes["FST-00020"])
        [two] = self.json("count", "collect", "quay", "two.txt", status=1)["files"]
        self.assertEqual([(each["kind"], each["row"]) for each in two["findings"]], [("unknown-code", 3)])

    def barcode(self, item: str) -> str:
        name = f"{item}.csv"
        self.kotrel("export", "item", "-o", name, "--fields", "barcode", "--where", f"code is '{item}'")
        return (self.folder / name).read_text("utf-8-sig").splitlines()[1].split(",")[1]
