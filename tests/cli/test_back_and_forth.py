"""Loads, what takes them back, and what takes that back again:
on every kind of system the same rows stand after each step.
"""

from __future__ import annotations

import csv
from pathlib import Path

from tests.support import Program

HEADINGS = "Item code,Description,UoM,Category,Price"
ROPE = ("Braided rope 3 mm white", "1.11")


class OnSqlite(Program):
    """What stands is written down by hand: code → description and price."""

    def setUp(self) -> None:
        super().setUp()
        self.start_shop()
        self.was = self.standing()["ROP-00010"]

    def answered(self, load: str) -> None:
        """A system that answers later has answered; this one has at once."""

    def standing(self) -> dict[str, tuple[str, str]]:
        out = self.folder / "standing.csv"
        out.unlink(missing_ok=True)
        where = "code begins with 'NEW-' or code is 'ROP-00010'"
        self.kotrel(
            "export", "item", "-o", "standing.csv", "--fields", "code,description,price,archived", "--where", where
        )
        with out.open(encoding="utf-8-sig", newline="") as file:
            lines = list(csv.reader(file))[1:]
        return {code: (words, price) for code, words, price, archived in lines if archived != "yes"}

    def load(self, *lines: str) -> None:
        self.write("sheet.csv", HEADINGS, *lines)
        self.answered(self.json("load", "sheet.csv", "--yes", "--again")["load"])

    def undo(self, load: str) -> None:
        self.answered(self.json("undo", load, "--yes")["undo"])

    def test_every_step_back_and_forth(self) -> None:
        was = {"ROP-00010": self.was}
        one, two = ("New rope", ""), ("Chain", "1.00")
        self.load("NEW-1,New rope,M,ROPE-BRAID,", "NEW-2,Chain,EA,CHAIN-LINK,1.00")
        self.assertEqual(self.standing(), was | {"NEW-1": one, "NEW-2": two})
        self.load(
            "NEW-2,Long chain,EA,CHAIN-LINK,1.25", "ROP-00010,,,,0.99", "NEW-1,,,,2.50", "NEW-3,Hook,EA,CHAIN-LINK,3.00"
        )
        changed = {"ROP-00010": (self.was[0], "0.99"), "NEW-1": ("New rope", "2.50"), "NEW-2": ("Long chain", "1.25"),
                   "NEW-3": ("Hook", "3.00")}  # fmt: skip
        self.assertEqual(self.standing(), changed)
        # L0001 is not the last word on NEW-2: nothing was collected from it back before L0002 is.
        self.assertEqual(self.json("undo", "L0001", "--yes", status=1)["status"], "refused")
        self.undo("L0002")
        self.assertEqual(self.standing(), was | {"NEW-1": one, "NEW-2": two})
        self.undo("L0001")
        self.assertEqual(self.standing(), was)
        # And back: what was removed comes again, and goes again.
        self.undo("L0004")
        self.assertEqual(self.standing(), was | {"NEW-1": one, "NEW-2": two})
        self.undo("L0003")
        self.assertEqual(self.standing(), changed)
        self.undo("L0006")
        self.undo("L0005")
        self.assertEqual(self.standing(), was)
        stand = {each["load"]: each["status"] for each in self.json("history")["loads"]}
        self.assertEqual(
            stand, {"L0001": "undone", "L0002": "undone", "L0003": "loaded", "L0004": "loaded",
                    "L0005": "undone", "L0006": "undone", "L0007": "loaded", "L0008": "loaded"},
        )  # fmt: skip


class OnPostgres(OnSqlite):
    def start_shop(self) -> None:
        self.start_on_postgres()


class OnService(OnSqlite):
    def start_shop(self) -> None:
        self.start_on_service()


class OnFiles(OnSqlite):
    """A till cannot remove: what was new is archived, and counts as gone."""

    def start_shop(self) -> None:
        self.till = Path(f"{self.folder}-till")
        self.kotrel("init", ".", "--system", f"folder:{self.till}", "--practice")

    def answered(self, load: str) -> None:
        self.kotrel("practice", "till", str(self.till), "--once", "--slow", "0")
        said = {each["outcome"] for each in self.json("outcome", load, "--wait")["rows"]}
        self.assertLessEqual(said, {"done", "warning"}, "a price is missing")
