"""Undo with the installed program: all of a load, or what can be undone of it."""

import os
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import openpyxl
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.support import Program, fresh_shop, workbook_of
from tests.walks.common import said


class Undo(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()

    def state(self, code: str) -> int | None:
        """The price that the system holds, in cents."""
        with closing(sqlite3.connect(self.folder / "practice.db")) as database:
            found = database.execute("SELECT price FROM item WHERE code = ?", [code]).fetchone()
        return found and found[0]

    def test_an_undo_takes_back_what_it_can_and_lists_the_rest(self):
        self.write("vendor.csv", "Vendor code,Name", "NEWVEN,New vendor")
        self.write(
            "new.csv", "Item code;Description;Unit;Category;Vendor;Price",
            "ROP-40010;Rope a;M;ROPE;NEWVEN;7,90", "ROP-40020;Rope b;M;ROPE;KELDRIFT;8,00", "ROP-00010;;;;;0,61",
        )  # fmt: skip
        self.json("load", "vendor.csv", "new.csv", "--yes")
        # Somebody changes one new item since: its vendor has to stay too.
        self.write("later.csv", "Item code;Price", "ROP-40010;9,99")
        self.json("load", "later.csv", "--yes")
        whole = self.json("undo", "L0001", "--yes", status=1)
        self.assertEqual((whole["status"], self.state("ROP-00010")), ("refused", 61))
        self.assertIn("--partial", self.kotrel("undo", "L0001", "--yes", status=1).stdout)
        # It is no next step where nothing else is left to undo.
        self.write("only.csv", "Item code;Price", "ROP-40010;9,50")
        self.json("load", "only.csv", "--yes")
        self.write("later.csv", "Item code;Price", "ROP-40010;9,60")
        self.json("load", "later.csv", "--yes")
        self.assertNotIn("--partial", self.kotrel("undo", "L0003", "--yes", status=1).stdout)
        for number in ("L0004", "L0003"):
            self.json("undo", number, "--yes")
        dated = self.kotrel("undo", "L0001", "--yes", "--date", "2026-01-01", status=2)
        self.assertIn("L0001 posted none", dated.stderr)
        part = self.json("undo", "L0001", "--yes", "--partial")
        self.assertEqual((part["status"], part["removed"], part["restored"]), ("undone in part", 1, 1))
        self.assertEqual(
            {(way["record"], way["key"]) for way in part["blocked_by"]}, {("item", "ROP-40010"), ("vendor", "NEWVEN")}
        )
        self.assertEqual((self.state("ROP-40020"), self.state("ROP-00010"), self.state("ROP-40010")), (None, 60, 999))
        sheet = openpyxl.load_workbook(self.folder / part["left"]).active
        self.assertEqual({row[1].value for row in sheet.iter_rows(min_row=2)}, {"ROP-40010", "NEWVEN"})
        # The load stands; once the later one is undone, the rest of it goes too.
        self.json("undo", "L0002", "--yes")
        self.assertEqual(self.json("history")["loads"][0]["status"], "loaded")
        shown = self.kotrel("undo", "L0001", "--yes").stdout
        self.assertIn("2 removed, 2 as before already", shown)
        self.assertIsNone(self.state("ROP-40010"))
        self.assertEqual(self.json("history")["loads"][0]["status"], "undone")

    def book(self, items: list[tuple[object, ...]], stock: list[tuple[object, ...]]) -> None:
        """A workbook with new items and their opening stock."""
        book = openpyxl.Workbook()
        book.active.title = "Items"
        book.active.append(("Item code", "Description", "Unit", "Category", "Vendor"))
        book.create_sheet("Opening stock").append(("Item", "Warehouse", "Quantity", "Unit cost"))
        for sheet, lines in zip(book, (items, stock), strict=True):
            for line in lines:
                sheet.append(line)
        book.save(self.folder / "new.xlsx")

    def dump(self, *but: str) -> dict[str, list[tuple[object, ...]]]:
        """Every table but those, row by row."""
        with closing(sqlite3.connect(self.folder / "practice.db")) as database:
            names = [name for (name,) in database.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
            return {
                name: sorted(database.execute(f'SELECT * FROM "{name}"').fetchall(), key=repr)
                for name in names
                if name not in but and not name.startswith(("kotrel_", "sqlite_"))
            }

    def test_items_with_their_opening_stock_are_taken_back_together(self):
        posted = ("item", "vendor", "opening_stock", "opening_stock_line", "stock_movement", "stock_balance")
        before = self.dump(*posted)
        self.book(
            [("ZZX-00001", "Zed a", "EA", "ROPE", "NEWVEN"), ("ZZX-00002", "Zed b", "EA", "ROPE", "KELDRIFT"), ("ZZX-00003", "Zed c", "EA", "ROPE", None)],
            [("ZZX-00001", "QUAY", 10, 5), ("ZZX-00002", "LOFT", 4, 6.5)],
        )  # fmt: skip
        files = ("new.xlsx", "--create", "vendor")
        self.json("load", *files, "--yes")
        loaded = self.dump()
        undone = self.json("undo", "L0001", "--yes")
        # Two items have postings: they and the new vendor of one of them stay, archived; the third goes.
        self.assertEqual(
            (undone["status"], undone["archived"], undone["removed"], undone["restored"]), ("undone", 3, 1, 0)
        )
        self.assertEqual(len(undone["documents"]), 2)
        self.assertEqual(self.dump(*posted), before)
        self.json(
            "export", "item", "-o", "left.csv", "--where", "code begins with 'ZZX'", "--fields", "code,archived,on_hand"
        )
        left = (self.folder / "left.csv").read_text("utf-8-sig").splitlines()[1:]
        self.assertEqual(left, ["ZZX-00001,yes,0", "ZZX-00002,yes,0"])
        # The undo can be undone: all is as it was loaded, but for the documents that came and went.
        self.json("undo", "L0002", "--yes")
        documents = ("opening_stock", "opening_stock_line", "stock_movement")
        self.assertEqual(
            {name: rows for name, rows in self.dump().items() if name not in documents},
            {name: rows for name, rows in loaded.items() if name not in documents},
        )

    def test_whatever_one_load_brings_its_undo_takes_away(self):
        """A law over loads of items, their units, prices and documents:
        all but the documents' own trail is as before.
        """
        trail = ("opening_stock", "opening_stock_line", "adjustment", "adjustment_line", "stock_movement")
        lists = {
            "item": ("Item code,Description,Unit,Category,Price,Cost,Note", ["{i},Zed,EA,ROPE,{n},1.2{n},x", "ROP-00010,,,,{n}.77,,", "ROP-00020,,,,,,n{n}"]),
            "unit_conversion": ("Item,Unit,Factor", ["{i},BOX,{n}", "ROP-00020,BOX,1{n}"]),
            "price": ("Price list,Item,From date,Price", ["RETAIL,{i},2027-03-0{n},{n}.50", "RETAIL,ROP-00010,2027-04-0{n},{n}"]),
            "item_code": ("Alternative code,Item", ["ALT{n},{i}", "ALT9{n},ROP-00010"]),
            "adjustment": ("Document,Date,Warehouse,Item,Quantity", ["A-{i},2026-11-02,LOFT,{i},{n}", "A-{i},2026-11-02,LOFT,ROP-00020,{n}"]),
        }  # fmt: skip
        self.addCleanup(os.chdir, Path.cwd())
        os.chdir(self.folder)

        @settings(deadline=None, max_examples=6, database=None)
        @given(st.lists(st.sampled_from([(name, n) for name in lists for n in range(len(lists[name][1]))]), min_size=2, max_size=6, unique=True),
               st.integers(1, 9))  # fmt: skip
        def law(chosen: list[tuple[str, int]], n: int) -> None:
            shutil.copyfile(fresh_shop() / "practice.db", "practice.db")
            code = "ZZY-00001"
            before = self.dump(*trail)
            # The item itself is always there: the others may need it.
            wanted = {"item": [0]} | {name: [] for name, _ in chosen if name != "item"}
            for name, place in chosen:
                wanted[name] = [*wanted[name], *({place} - set(wanted[name]))]
            sheets = {name: [lists[name][0].split(","), *(lists[name][1][place].format(i=code, n=n).split(",") for place in places)]
                      for name, places in wanted.items()}  # fmt: skip
            workbook_of(self.folder / "all.xlsx", sheets)
            numbered = "adjustment" in sheets
            loaded = said("load", "all.xlsx", "--yes", "--again", "--new-codes", "all")
            self.assertEqual(loaded.get("status"), "loaded", loaded)
            undone = said("undo", loaded["load"], "--yes")
            self.assertEqual(
                (undone.get("status"), len(undone.get("documents", []))), ("undone", int(numbered)), undone
            )
            after = self.dump(*trail)
            kept = {"item", "stock_balance"} if numbered else set()
            for name, held in before.items():
                # An item that has postings cannot go: it is archived. The places where they were hold nothing.
                rows = [
                    row
                    for row in after[name]
                    if row in held or not (name in kept and (code in row or row[-2:] == (0, 0)))
                ]
                self.assertEqual(rows, held, name)

        law()

    def test_an_item_that_somebody_else_has_moved_stays_blocked_by(self):
        self.book([("ZZX-00001", "Zed a", "EA", "ROPE", None)], [("ZZX-00001", "QUAY", 10, 5)])
        self.json("load", "new.xlsx", "--yes")
        self.write("more.csv", "Item,Warehouse,Quantity,Unit cost", "ZZX-00001,QUAY,3,5")
        self.json("load", "more.csv", "--as", "opening_stock", "--number", "OP-2", "--yes")
        undone = self.json("undo", "L0001", "--yes", status=1)
        self.assertEqual(undone["status"], "refused")
        self.assertIn(("item", "on_hand"), {(way["record"], way["field"]) for way in undone["blocked_by"]})

    def test_an_undo_that_is_in_somebodys_way_is_refused_with_both_values(self):
        self.write("first.csv", "Item code,Price", "ROP-00010,0.61")
        self.write("second.csv", "Item code,Price", "ROP-00010,0.62")
        self.kotrel("load", "first.csv", "--yes")
        self.kotrel("load", "second.csv", "--yes")
        undone = self.json("undo", "1", "--yes", status=1)
        [way] = undone["blocked_by"]
        self.assertEqual((way["key"], way["field"]), ("ROP-00010", "price"))
        self.assertIn("0.61", way["message"])
        self.assertIn("0.62", way["message"])
        self.assertEqual(self.state("ROP-00010"), 62)
