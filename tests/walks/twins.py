"""The same work on SQLite, PostgreSQL, MariaDB and over a service: whatever is said and held must be the same."""

from __future__ import annotations

import csv
import os
import random
from pathlib import Path
from typing import Any

from tests import mariadb_server
from tests.support import Program
from tests.walks.common import Wrong, said

STEPS = 12
OF_THE_MOMENT = ("at", "when", "job", "reference", "export", "on", "who", "by")
"""What may differ between the systems: times and names."""
ITEMS = ("CHT-00030", "CLO-00190", "ENG-00040", "CHN-00350", "CHN-00360", "ZQA-00001", "ZQA-00002", "ROP-00010")
RECORDS = ("item", "price", "item_warehouse", "brand", "item_code", "adjustment_line", "goods_receipt_line")
ITEM_CELLS = {
    "Description": ("w1", "w2", "", "Größe"), "Base unit": ("EA", "M", "", "XX"), "Category": ("CHAIN-LINK", "ROPE", "", "NOPE"),
    "Cost": ("1.5", "2.25", "", "(clear)", "lots", "0"), "Note": ("n1", "", "(clear)"), "Brand": ("KELD", "", "NEWB", "(clear)"),
    "Barcode": ("2010000000014", "", "2026381333931", "123"), "Tags": ("a; b", "", "c"), "Weight": ("1.5", ""),
}  # fmt: skip
CONDITIONS = (
    "cost > 10 and barcode is not blank", "description contains 'rope' or category begins with 'CH'", "on_hand > 100",
    "brand is 'KELD' and not (cost < 5)", "note is blank and tags is not blank",
)  # fmt: skip


class Twins:
    """One walk through three shops at once."""

    def __init__(self, home: Path, pick: random.Random) -> None:
        self.pick, self.log, self.loads, self.documents = pick, list[str](), 0, 0
        self.programs: dict[str, Program] = {}
        for name in ("sqlite", "postgres", "service", *(["mariadb"] if mariadb_server.found() else [])):
            program = self.programs[name] = Program()
            program.folder = home / name
            program.folder.mkdir()
        self.programs["sqlite"].start_shop()
        self.programs["postgres"].start_on_postgres()
        self.programs["service"].start_on_service()
        if "mariadb" in self.programs:
            mariadb_server.start_shop(self.programs["mariadb"].folder)

    def close(self) -> None:
        for program in self.programs.values():
            program.doCleanups()

    def go(self) -> None:
        for _ in range(STEPS):
            work = self.pick.choice((self.items, self.items, self.prices, self.documents_, self.documents_, self.levels, self.codes, self.look, self.look, self.undo, self.undo))  # fmt: skip
            words = work()
            if words is not None:
                self.same(*words)
        for record in RECORDS:
            self.same("export", record, "-o", "held.csv")

    def same(self, *words: str) -> None:
        """Does it everywhere, and compares."""
        told: dict[str, Any] = {}
        for name, program in self.programs.items():
            os.chdir(program.folder)
            Path("held.csv").unlink(missing_ok=True)
            got = said(*words)
            held = Path("held.csv").read_text("utf-8-sig") if Path("held.csv").exists() else None
            told[name] = (_lasting(got), held)
            for number in (got.get("load"), got.get("undo")):
                if isinstance(number, str) and number.startswith("L"):
                    self.loads = max(self.loads, int(number[1:]))
        self.log.append(f"{words}: {told['sqlite'][0].get('status', '')} {told['sqlite'][0].get('error', '')}")
        for name in [each for each in self.programs if each != "sqlite"]:
            if told[name] != told["sqlite"]:
                raise Wrong(f"{name} says {_first_difference(told['sqlite'], told[name])}")

    def sheet(self, *lines: list[str]) -> None:
        for program in self.programs.values():
            with (program.folder / "in.csv").open("w", encoding="utf-8", newline="") as file:
                csv.writer(file).writerows(lines)
        self.log.append(str(lines))

    def _load(self, record: str, *options: str) -> tuple[str, ...]:
        words = ("in.csv", "--as", record, *options)
        if self.pick.random() < 0.5:
            self.same("preview", *(word for word in words if word not in ("--good-rows", "--again")))
        return ("load", *words, "--yes")

    def items(self) -> tuple[str, ...]:
        columns = [name for name in ITEM_CELLS if self.pick.random() < 0.5]
        cells = [
            [self.pick.choice(ITEMS), *(self.pick.choice(ITEM_CELLS[name]) for name in columns)]
            for _ in range(self.pick.randint(1, 4))
        ]
        self.sheet(["Item code", *columns], *cells)
        options = [("--good-rows",), ("--create", "brand"), ("--blanks", "clear"), ("--duplicates", "last")]
        chosen = [word for each in options if self.pick.random() < 0.3 for word in each]
        return self._load("item", "--new-codes", "all", "--again", *chosen)

    def prices(self) -> tuple[str, ...]:
        lines = [
            [self.pick.choice(("SHOP", "YARD")), self.pick.choice(ITEMS[:6]), f"2027-{self.pick.randint(1, 12):02}-01",
             self.pick.choice(("", "", "2027-12-31")), self.pick.choice(("1.5", "2.25", "0", "9.999"))]
            for _ in range(self.pick.randint(1, 3))
        ]  # fmt: skip
        self.sheet(["Price list", "Item", "From date", "To date", "Price"], *lines)
        return self._load("price", "--again")

    def documents_(self) -> tuple[str, ...]:
        self.documents += 1
        record = self.pick.choice(("goods_receipt", "goods_issue", "adjustment", "transfer"))
        to = ["To warehouse"] if record == "transfer" else []
        lines = [
            [f"D{self.documents}", "2026-11-26", self.pick.choice(("QUAY", "SHED")), *(["LOFT"] if to else []),
             self.pick.choice(ITEMS[:5]), self.pick.choice(("1", "2", "5", "-1"))]
            for _ in range(self.pick.randint(1, 2))
        ]  # fmt: skip
        self.sheet(["Document", "Date", "Warehouse", *to, "Item", "Quantity"], *lines)
        return self._load(record)

    def levels(self) -> tuple[str, ...]:
        choose = self.pick.choice
        lines = [
            [choose(ITEMS[:6]), choose(("QUAY", "LOFT")), choose(("1", "5", "")), choose(("3", "20", ""))]
            for _ in range(2)
        ]
        self.sheet(["Item", "Warehouse", "Reorder point", "Order up to"], *lines)
        return self._load("item_warehouse", "--again")

    def codes(self) -> tuple[str, ...]:
        self.sheet(
            ["Alternative code", "Item"],
            *([self.pick.choice(("ALT-1", "ALT-2", "OLD/KE00010")), self.pick.choice(ITEMS)] for _ in range(2)),
        )
        return self._load("item_code", "--again")

    def undo(self) -> tuple[str, ...] | None:
        number = f"L{self.pick.randint(1, max(self.loads, 1)):04}"
        what = self.pick.choice(
            (
                ("undo", number, "--yes"),
                ("undo", number, "--yes", "--partial"),
                ("outcome", number),
                ("verify", number),
            )
        )
        return what if self.loads else None

    def look(self) -> tuple[str, ...]:
        day = f"2027-{self.pick.randint(1, 12):02}-15"
        return self.pick.choice((
            ("stock",), ("stock", "--by", "category"), ("stock", "--by", "item,warehouse,bin,lot"), ("stock", "--at", "2026-06-30"),
            ("stock", "--from", "2026-11-01", "--to", "2026-11-30"), ("reorder",), ("reorder", "--with-orders"),
            ("price", self.pick.choice(ITEMS[:5]), "--on", day, "--quantity", self.pick.choice(("1", "12"))),
            ("export", "item", "-o", "held.csv", "--where", self.pick.choice(CONDITIONS)),
        ))  # fmt: skip


def _lasting(said_: Any) -> Any:
    if isinstance(said_, dict):
        return {name: _lasting(value) for name, value in said_.items() if name not in OF_THE_MOMENT}
    # A service is not sent the rows that stay the same, so its journal has none.
    return (
        [_lasting(each) for each in said_ if not (isinstance(each, dict) and each.get("action") == "same")]
        if isinstance(said_, list)
        else said_
    )


def _first_difference(one: Any, other: Any, path: str = "") -> str:
    if isinstance(one, dict) and isinstance(other, dict):
        pairs = [(f"{path}.{name}", one.get(name), other.get(name)) for name in sorted({*one, *other})]
    elif isinstance(one, (list, tuple)) and isinstance(other, (list, tuple)) and len(one) == len(other):
        pairs = [(f"{path}[{place}]", *each) for place, each in enumerate(zip(one, other, strict=True))]
    else:
        return f"{path}: {str(other)[:400]!r}, and not {str(one)[:400]!r}"
    return next(_first_difference(mine, theirs, at) for at, mine, theirs in pairs if mine != theirs)
