"""An exported workbook that is edited, and a system that others change meanwhile, against a plain model of both.

A cell that nobody edited changes nothing. An edited one is loaded, unless the system has changed too: then it is an
error, or whatever ``--clash`` says. A blank clears only where that is asked for; a row that is missing deletes nothing.
"""

from __future__ import annotations

import contextlib
import csv
import random
import shutil
import sqlite3
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl

from tests.support import fresh_shop
from tests.walks.common import Wrong, rows, said

HEADINGS = {"description": "Description", "cost": "Cost", "note": "Note", "brand": "Brand", "price": "Standard price"}
SCALES = {"cost": 10_000, "price": 100}
GROUP = "CHAIN-LINK"
Cell = tuple[str, str]


def stored(field: str, value: Any) -> Any:
    """A value as the practice database has it."""
    return int(value * SCALES[field]) if isinstance(value, Decimal) else value


class Edits:
    """One export, its edits, those of others, and one load."""

    def __init__(self, home: Path, pick: random.Random) -> None:
        shutil.copytree(fresh_shop(), home, dirs_exist_ok=True)
        self.database, self.pick, self.log = home / "practice.db", pick, list[str]()
        self.brands = [code for (code,) in rows(self.database, "SELECT code FROM brand ORDER BY code")]

    def close(self) -> None:
        """Nothing is left open."""

    def image(self) -> dict[Cell, Any]:
        held = rows(self.database, f"SELECT code, {', '.join(HEADINGS)} FROM item WHERE category = ?", [GROUP])
        return {(code, name): value for code, *values in held for name, value in zip(HEADINGS, values, strict=True)}

    def value(self, field: str) -> Any:
        if field in SCALES:
            return Decimal(self.pick.randint(1, 9_999)) / 100
        if field == "brand":
            return self.pick.choice(self.brands)
        return f"{self.pick.choice(('new words', 'X', 'size 5 in'))} {self.pick.randint(0, 99)}"

    def go(self) -> None:
        fields = self.pick.sample(list(HEADINGS), self.pick.randint(2, len(HEADINGS)))
        name = self.pick.choice(("e.xlsx", "e.xlsx", "e.csv"))
        said("export", "item", "-o", name, "--fields", ",".join(["code", *fields]), "--where", f"category is '{GROUP}'")
        exported = self.image()
        codes = list(dict.fromkeys(code for code, _ in exported))
        edits = self._edits(codes, fields)
        kept = [code for code in codes if self.pick.random() > 0.02 or any(code == of for of, _ in edits)]
        (self._edit_workbook if name == "e.xlsx" else self._edit_text)(name, edits, kept)
        self._others(codes, fields, edits)
        before = self.image()
        clash, clear = self.pick.choice((None, "sheet", "system")), self.pick.random() < 0.3
        wanted = self._model(exported, before, edits, clash, clear)
        words = [
            "load",
            name,
            "--yes",
            *(["--clash", clash] if clash else []),
            *(["--blanks", "clear"] if clear else []),
        ]
        got = said(*words, *(["--since", name] if name == "e.csv" else []))
        self.log += [f"edits {edits}", f"{words}: {got.get('status')} {got.get('error', '')}"]
        after = self.image()
        if wanted is None:
            if got.get("status") != "refused" or after != before:
                raise Wrong("it should be refused")
        elif got.get("status") not in ("loaded", "nothing to do"):
            raise Wrong("it should be loaded")
        elif after != wanted:
            raise Wrong(f"{ {cell: (after[cell], wanted[cell]) for cell in after if after[cell] != wanted[cell]} }")

    def _edits(self, codes: list[str], fields: list[str]) -> dict[Cell, Any]:
        edits: dict[Cell, Any] = {}
        for code in self.pick.sample(codes, self.pick.randint(1, 6)):
            for field in self.pick.sample(fields, self.pick.randint(1, 2)):
                chance = self.pick.random()
                emptied = None if chance < 0.15 else "(clear)" if chance < 0.25 and field != "description" else ""
                edits[code, field] = self.value(field) if emptied == "" else emptied
        return edits

    def _edit_workbook(self, name: str, edits: dict[Cell, Any], kept: list[str]) -> None:
        book = openpyxl.load_workbook(name)
        page = book.worksheets[0]
        columns = {cell.value: cell.column for cell in page[1]}
        for row in range(page.max_row, 1, -1):
            code = page.cell(row, 1).value
            for (of, field), value in edits.items():
                if of == code:
                    page.cell(row, columns[HEADINGS[field]]).value = (
                        float(value) if isinstance(value, Decimal) else value
                    )
            if code not in kept:
                page.delete_rows(row)
        book.save(name)

    def _edit_text(self, name: str, edits: dict[Cell, Any], kept: list[str]) -> None:
        with Path(name).open(encoding="utf-8-sig", newline="") as file:
            heads, *lines = csv.reader(file)
        for line in lines:
            for (code, field), value in edits.items():
                if code == line[0]:
                    line[heads.index(HEADINGS[field])] = "" if value is None else str(value)
        with Path(name).open("w", encoding="utf-8-sig", newline="") as file:
            csv.writer(file).writerows([heads, *(line for line in lines if line[0] in kept)])

    def _others(self, codes: list[str], fields: list[str], edits: dict[Cell, Any]) -> None:
        """What somebody else changes meanwhile, some of it in the same cells, and now and then to the same."""
        cells = [*edits, *((code, field) for code in self.pick.sample(codes, 3) for field in fields)]
        with contextlib.closing(sqlite3.connect(self.database)) as database, database:
            for code, field in self.pick.sample(cells, self.pick.randint(0, 4)):
                same = edits.get((code, field))
                value = same if self.pick.random() < 0.2 and same not in (None, "(clear)") else self.value(field)
                database.execute(f"UPDATE item SET {field} = ? WHERE code = ?", (stored(field, value), code))
                self.log.append(f"others: {code} {field} {value}")

    def _model(
        self, exported: dict[Cell, Any], before: dict[Cell, Any], edits: dict[Cell, Any], clash: str | None, clear: bool
    ) -> dict[Cell, Any] | None:
        """What should be held after the load; None where it should be refused."""
        wanted, refused = dict(before), False
        for cell, value in edits.items():
            is_said = value == "(clear)"
            new = None if value is None or is_said else stored(cell[1], value)
            if (value is None and not clear) or (new == exported[cell] and not is_said):
                continue
            if before[cell] not in (exported[cell], new):
                refused = refused or clash is None
                if clash == "system":
                    continue
            # Every item has a description.
            refused = refused or (new is None and cell[1] == "description")
            wanted[cell] = new
        return None if refused else wanted
