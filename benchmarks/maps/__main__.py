"""``python -m benchmarks.maps``: proposes a mapping for each sheet and holds it against the truth.

Wanted: of 100 proposals 97 right, of 100 columns 85 found, and none sure and wrong.
"""

from __future__ import annotations

import random
import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cache

import polars as pl

from benchmarks.damage.trial import system
from benchmarks.maps.sheets import SHEETS
from kotrel.core.description.list_names import ListNames
from kotrel.core.matching.proposing import propose
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.table import Grid, letter_of

SURE = 90
"""A proposal of so many per cent is called sure."""


def columns_of(sheet: str, seed: int, new: bool) -> tuple[list[str], list[str], list[list[str | None]]]:
    """Headings, true fields, and values below them: of items of the practice system,
    or with codes that it does not have.
    """
    memory = system()[1]
    pick = random.Random(seed)
    items = pick.sample(memory.data["item"].to_dicts(), 40)
    pairs = [part.strip().rpartition("=") for part in sheet.split(";")]
    values: list[list[str | None]] = []
    for _, _, name in pairs:
        if name == "-":
            values.append([str(n) for n in range(1, len(items) + 1)])
        elif name == "code" and new:
            values.append([f"{pick.choice('ABKX')}{pick.randrange(10**6):06d}" for _ in items])
        elif name in ("long_description", "note"):
            values.append(
                [
                    f"{it['description']}, for use aboard, {pick.choice(['boxed', 'on reel', 'loose'])}"
                    if name != "note" or pick.random() < 0.3
                    else None
                    for it in items
                ]
            )
        elif name in ("length", "width", "height", "weight", "online_price", "recommended_price"):
            values.append([f"{pick.randrange(100, 9999) / 100}" for _ in items])
        elif name == "size":
            values.append([pick.choice(["S", "M", "L", "XL"]) for _ in items])
        elif name == "color":
            values.append([pick.choice(["white", "navy", "red"]) for _ in items])
        elif name in ("part_number", "vendor_code"):
            values.append([it[name] or f"Z{pick.randrange(10**5)}" for it in items])
        else:
            values.append([it.get(name) for it in items])
    return [heading for heading, _, _ in pairs], [name for _, _, name in pairs], values


def names_of() -> Callable[[str], ListNames]:
    """Record → its codes and names."""
    description, memory = system()

    @cache
    def names(record: str) -> ListNames:
        about = description.records[record]
        return ListNames(memory.read(record, about.listed), about)

    return names


@dataclass
class Measured:
    """Proposals made, right ones, columns to be found, proposals that were sure and wrong;
    and what was wrong, in words.
    """

    proposed: int = 0
    right: int = 0
    true: int = 0
    sure_wrong: int = 0
    wrong: list[str] = field(default_factory=list)
    missed: list[str] = field(default_factory=list)

    @property
    def precision(self) -> float:
        return 100 * self.right / max(self.proposed, 1)

    @property
    def recall(self) -> float:
        return 100 * self.right / max(self.true, 1)


def measure(sheets: Sequence[str], measured: Measured) -> None:
    """Proposes a mapping for each sheet, with codes that the system has and with others."""
    record, names = system()[0].records["item"], names_of()
    for number, sheet in enumerate(sheets):
        for new in (False, True):
            headings, fields, values = columns_of(sheet, number, new)
            letters = [letter_of(place) for place in range(len(headings))]
            cells = {
                letter: [heading, *column] for letter, heading, column in zip(letters, headings, values, strict=True)
            }
            frame = pl.DataFrame(cells, schema=dict.fromkeys(cells, pl.String))
            table = find_table(Grid("supplier.xlsx", "Sheet1", frame, dict.fromkeys(cells, "text")), 1)
            truth = dict(zip(letters, fields, strict=True))
            proposals = {each.column.letter: each for each in propose(table, record, names)[0]}
            for letter, each in proposals.items():
                measured.proposed += 1
                if truth[letter] == each.field.name:
                    measured.right += 1
                    continue
                measured.sure_wrong += each.sure >= SURE
                measured.wrong.append(f"{each.column.heading} → {each.field.name} ({each.sure} %), not {truth[letter]}")
            for letter, name in truth.items():
                measured.true += name != "-"
                if name != "-" and (letter not in proposals or proposals[letter].field.name != name):
                    measured.missed.append(f"{headings[letters.index(letter)]} ({name})")


def main() -> int:
    """Prints precision and recall for each language, and what is wrong."""
    every = Measured()
    for language, sheets in SHEETS.items():
        one = Measured()
        measure(sheets, one)
        measure(sheets, every)
        print(f"{language:<9} precision {one.precision:5.1f} %   recall {one.recall:5.1f} %")
        for line in [*(f"wrong: {each}" for each in one.wrong), *(f"not found: {each}" for each in one.missed)]:
            print(f"    {line}")
    print(
        f"\nall       precision {every.precision:5.1f} %   recall {every.recall:5.1f} %   sure and wrong {every.sure_wrong}"
    )
    return 0 if every.precision >= 97 and every.recall >= 85 and not every.sure_wrong else 1


if __name__ == "__main__":
    sys.exit(main())
