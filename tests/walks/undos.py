"""Loads and undos at random, and undos of undos.

Every step is judged by images of the table from before and after it, and by the plain rule: what an undo takes back is
as it was before the load, nothing else is touched, and what is refused changes nothing.
"""

from __future__ import annotations

import contextlib
import csv
import random
import shutil
import sqlite3
from pathlib import Path
from typing import Any

from tests.support import Program, fresh_shop, run_kotrel
from tests.walks.common import Wrong, said

STEPS = 14
CODES = ("NEW-0", "NEW-1", "NEW-2", "NEW-3", "NEW-4", "ROP-00010", "ROP-00015", "ROP-00020")
CHOICES = {
    "Price": ("", "1.10", "2.20", "(clear)"),
    "Cost": ("", "0.5", "0.25"),
    "Note": ("", "n1", "n2", "(clear)"),
    "Brand": ("", "KELD", "(clear)"),
}
FILE_CHOICES = {"Price": ("", "1.10", "2.20")}
Image = dict[str, dict[str, Any]]


class Shop:
    """The practice system on SQLite."""

    choices = CHOICES
    codes = CODES

    def __init__(self, home: Path) -> None:
        shutil.copytree(fresh_shop(), home, dirs_exist_ok=True)
        self.database = home / "practice.db"

    def image(self) -> Image:
        with contextlib.closing(sqlite3.connect(self.database)) as database:
            database.row_factory = sqlite3.Row
            rows = database.execute(
                "SELECT * FROM item WHERE code LIKE 'NEW-%' OR code LIKE 'ROP-0001%' OR code LIKE 'ROP-0002%'"
            )
            return {row["code"]: dict(row) for row in rows}

    def edited(self, code: str, note: str) -> None:
        """Somebody else changes a row meanwhile."""
        with contextlib.closing(sqlite3.connect(self.database)) as database, database:
            database.execute("UPDATE item SET note = ? WHERE code = ?", (note, code))

    def answered(self, load: str) -> None:
        """The system has answered for a load."""

    def is_gone(self, row: dict[str, Any] | None) -> bool:
        """Was a new row taken back?"""
        return row is None

    def close(self) -> None:
        """Ends the walk."""


class Service(Shop):
    """The same behind a service."""

    def __init__(self, home: Path) -> None:
        self.program = Program()
        self.program.folder = home
        self.database = self.program.start_on_service() / "practice.db"

    def close(self) -> None:
        self.program.doCleanups()


class Files(Shop):
    """A till that takes files, and archives what it cannot remove."""

    choices = FILE_CHOICES
    codes = (*CODES, "new_9")  # which the till refuses

    def __init__(self, home: Path) -> None:
        self.till = home / "till"
        run_kotrel(home, "init", ".", "--system", f"folder:{self.till}", "--practice")

    def image(self) -> Image:
        with (self.till / "lists" / "articles.csv").open(encoding="cp1252", newline="") as file:
            rows = list(csv.DictReader(file, delimiter=";"))
        return {row["ArtNo"]: {**row, "Number": ""} for row in rows if row["ArtNo"] in self.codes}

    def edited(self, code: str, note: str) -> None:
        """Nobody works at the till."""

    def answered(self, load: str) -> None:
        run_kotrel(self.till.parent, "practice", "till", str(self.till), "--once", "--slow", "0")
        said("outcome", load)

    def is_gone(self, row: dict[str, Any] | None) -> bool:
        return row is not None and row["Active"] == "N"


class Undos:
    """One walk: what each load changed (code → its row before and after), and which undo took it back."""

    def __init__(self, shop: Shop, pick: random.Random) -> None:
        self.shop, self.pick = shop, pick
        self.did: dict[int, dict[str, tuple[dict[str, Any] | None, dict[str, Any] | None]]] = {}
        self.undone_by: dict[int, int] = {}
        self.log: list[str] = []

    def go(self) -> None:
        for number in range(STEPS):
            self.step(number)
        self.judge_history()

    def close(self) -> None:
        self.shop.close()

    def step(self, number: int) -> None:
        what = self.pick.choice(("load", "load", "undo", "undo", "undo", "partial", "edit"))
        before = self.shop.image()
        if what == "edit":
            self.shop.edited(self.pick.choice(sorted(before)), f"edited {number}")
        elif what == "load":
            self.load(before)
        elif self.did:
            self.undo(self.pick.choice(sorted(self.did)), what == "partial", before)

    def load(self, before: Image) -> None:
        more = self.pick.sample(sorted(self.shop.choices), self.pick.randint(0, len(self.shop.choices)))
        lines = [",".join(("Item code", "Description", "UoM", "Category", *more))]
        for code in self.pick.sample(self.shop.codes, self.pick.randint(1, 4)):
            is_new = code not in before
            words = f"d{self.pick.randint(0, 3)}" if is_new or self.pick.random() < 0.6 else ""
            unit, category = (
                ("EA", "CHAIN-LINK")
                if is_new
                else (self.pick.choice(("", "EA", "M")), self.pick.choice(("", "ROPE-BRAID")))
            )
            rest = [self.pick.choice(self.shop.choices[name]) for name in more]
            lines.append(
                ",".join(
                    (code, words, unit, category, *("" if is_new and each == "(clear)" else each for each in rest))
                )
            )
        Path("sheet.csv").write_text("\n".join([*lines, ""]), "utf-8")
        got = said("load", "sheet.csv", "--yes", "--again", "--new-codes", "all")
        self.log.append(f"load {lines}: {got.get('status')} {got.get('load')} {got.get('error', '')}")
        if got.get("status") in ("loaded", "sent"):
            self.shop.answered(got["load"])
            self.did[int(got["load"][1:])] = _changed(before, self.shop.image())
        elif got.get("status") not in ("nothing to do", "refused") or self.shop.image() != before:
            raise Wrong("a load that was none")

    def undo(self, number: int, partial: bool, before: Image) -> None:
        got = said("undo", f"L{number:04d}", "--yes", *(["--partial"] if partial else []))
        left = {each["key"] for each in got.get("blocked_by", ())}
        self.log.append(
            f"undo {number}, partial: {partial}: {got.get('status')} {got.get('undo')} {sorted(left)} {got.get('error', '')}"
        )
        if got.get("undo"):
            self.shop.answered(got["undo"])
        after = self.shop.image()
        did = self.did[number]
        if got.get("undo") is None:
            reason = got.get("error", {}).get("kind") == "undone-already" and not self.stands(number)
            reason = reason or any(before.get(code) != row for code, (_, row) in did.items())
            if not reason or after != before:
                raise Wrong("refused without a reason" if after == before else "refused, and yet something changed")
            return
        if not self.stands(number):
            raise Wrong("undone twice")
        for code in set(_changed(before, after)) - set(did):
            raise Wrong(f"{code} is not of the load, and changed")
        for code, (was, became) in did.items():
            self._judge(code, was, became, before.get(code), after.get(code), code in left)
        self.did[int(got["undo"][1:])] = _changed(before, after)
        if got["status"] == "undone":
            self.undone_by[number] = int(got["undo"][1:])

    def _judge(self, code: str, was: Any, became: Any, stood: Any, stands: Any, left: bool) -> None:
        """Is a row of a load that was taken back as it was before?"""
        if left:
            if stood != stands:
                raise Wrong(f"{code} is left, and changed")
        elif was is None:
            if not self.shop.is_gone(stands):
                raise Wrong(f"{code} was new, and is not gone")
        elif stands is None:
            raise Wrong(f"{code} is gone")
        else:
            for name in was:
                # What the load did not change stays as others have made it.
                wanted = was[name] if became is None or stood is None or was[name] != became[name] else stood[name]
                if stands[name] != wanted:
                    raise Wrong(f"{code}: {name} is {stands[name]!r}, not {wanted!r}")

    def stands(self, number: int) -> bool:
        by = self.undone_by.get(number)
        return by is None or not self.stands(by)

    def judge_history(self) -> None:
        for entry in said("history")["loads"]:
            number = int(entry["load"][1:])
            if number in self.did and (entry["status"] != "undone") != self.stands(number):
                raise Wrong(f"the history says of {entry['load']}: {entry['status']}")


def _changed(before: Image, after: Image) -> dict[str, tuple[dict[str, Any] | None, dict[str, Any] | None]]:
    codes = {code for code in {**before, **after} if before.get(code) != after.get(code)}
    return {code: (before.get(code), after.get(code)) for code in codes}
