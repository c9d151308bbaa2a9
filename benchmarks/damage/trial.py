"""One damaged sheet through the pipeline, cell by cell against the truth."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import cache

import polars as pl

from benchmarks.damage.classes import ASK, DAMAGES, MEND, NAMES, Damage
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.description.model import Description
from kotrel.core.loading.load_model import Business, SheetRows
from kotrel.core.loading.pipeline import check_parts
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.table import Grid, letter_of
from kotrel.core.values.conventions import Conventions
from kotrel.practice.installing import description_text, practice_data

TODAY = date(2026, 11, 26)
SHEETS = {
    "item": ("code", "description", "unit", "category", "vendor", "barcode", "cost", "price", "tax_class", "lot_tracked", "condition"),
    "lot": ("item", "number", "expires_on"),
}  # fmt: skip
WORDS = (
    "Bräcke hook",
    "Cône “léger”",
    "Öljy – 5 L",
    "Señal roja",
    "Tørn pin",
    "Łódź cleat",
    "Größe 8 mm",
    "Fixação nº 4",
)
"""New descriptions, with letters that encodings damage; a change nobody can foresee, so that nothing corrects it."""


class Memory:
    """The practice system's data, in memory."""

    def __init__(self) -> None:
        self.data = practice_data()

    def require(self, record: str) -> None:
        """It holds every record."""

    def replaced_otherwise(self, changes: object) -> list[tuple[int, str, str]]:
        return []

    def read(
        self,
        record: str,
        fields: Sequence[str],
        among: tuple[str, pl.Series] | None = None,
        filled: str | Sequence[str] | None = None,
    ) -> pl.DataFrame:
        held = self.data.get(record, pl.DataFrame())
        frame = held.select(
            pl.col(name) if name in held.columns else pl.lit(None, pl.String).alias(name) for name in fields
        )
        return frame.filter(pl.col(filled).is_not_null()) if isinstance(filled, str) and filled in fields else frame


@cache
def system() -> tuple[Description, Memory]:
    """The practice system; the names on its lists become known to the damages."""
    description, memory = read_description(description_text(), "system.toml"), Memory()
    for record in ("category", "vendor", "unit", "tax_class"):
        names = memory.data[record].select("code", "name").rows()
        count = Counter(name for _, name in names)
        NAMES.update({code: name for code, name in names if count[name] == 1})
    return description, memory


@dataclass
class Tally:
    """How many cells of each outcome, with examples of what went wrong, and a few of what was told."""

    counts: Counter[str] = field(default_factory=Counter)
    examples: dict[str, list[str]] = field(default_factory=dict)
    reported: dict[str, list[str]] = field(default_factory=dict)

    def add(self, outcome: str, damage: str, example: str) -> None:
        self.counts[outcome] += 1
        self.counts[f"{outcome}: {damage}"] += 1
        if outcome == "told":
            self.reported.setdefault(damage, []).append(example)
        elif outcome not in ("mended", "kept", "clean"):
            self.examples.setdefault(f"{outcome}: {damage}", []).append(example)


def truth_of(record: str, rows: int, pick: random.Random) -> list[dict[str, str | None]]:
    """True rows: existing items with new words and prices, or new lots."""
    held = system()[1].data["item"]
    if record == "lot":
        items = pick.choices(held.filter(pl.col("lot_tracked") == "yes").to_dicts(), k=rows)
        days = [date(2027, 1, 1) + timedelta(days=pick.randrange(1500)) for _ in range(rows)]
        return [
            {"item": it["code"], "number": f"VM-{n:04d}", "expires_on": day.isoformat()}
            for n, (it, day) in enumerate(zip(items, days, strict=True))
        ]
    items = pick.sample(held.to_dicts(), rows)
    return [
        {name: it[name] for name in SHEETS["item"]}
        | {
            "description": f"{pick.choice(WORDS)} {n}",
            "cost": f"{pick.randrange(1, 2999999) / 100:.2f}",
            "price": f"{pick.randrange(3000000, 9999999) / 100:.2f}",
        }
        for n, it in enumerate(items)
    ]


def try_sheet(damage: Damage, rows: int, share: float, seed: int, tally: Tally) -> None:
    """Damages one column of a sheet, reads it, and judges every cell of it, damaged or not."""
    pick = random.Random(f"{damage.name} {seed}")
    description, memory = system()
    name = pick.choice(damage.fields)
    record = description.records["lot" if name == "expires_on" else "item"]
    truth = truth_of(record.name, rows, pick)
    columns = SHEETS[record.name]
    if damage.alone:
        columns = tuple(field for field in columns if field == name or not record.fields[field].is_decimal)
    cells = {field: [row[field] for row in truth] for field in columns}
    kinds = ["text"] * rows
    damaged: set[int] = set()
    for place in range(rows):
        true = cells[name][place]
        if true is None or not (damage.whole or pick.random() < share):
            continue
        done = damage.make(true, pick)
        if done is not None:
            cells[name][place], kinds[place] = done, damage.kind
            damaged.add(place)
    text_file = damage.name == "error by name"
    letters = {letter_of(n): [record.fields[field].title, *cells[field]] for n, field in enumerate(columns)}
    grid_kinds: dict[str, str | pl.Series] = dict.fromkeys(letters, "text")
    grid_kinds[letter_of(columns.index(name))] = pl.Series(["text", *kinds])
    grid = Grid(
        "trial.csv" if text_file else "trial.xlsx",
        "" if text_file else "Trial",
        pl.DataFrame(letters, schema=dict.fromkeys(letters, pl.String)),
        grid_kinds,
    )
    table = find_table(grid, 1)
    read = understand(table, match_headings(table, record), Conventions(currency="EUR"), TODAY)
    [done_rows] = [
        each.rows
        for each in check_parts(
            [SheetRows(read)], Business(description, Conventions(currency="EUR")), memory, lambda _: None
        )
    ]
    _judge(done_rows, name, damage, damaged, truth, cells, tally)


def _judge(
    rows: Rows,
    name: str,
    damage: Damage,
    damaged: set[int],
    truth: list[dict[str, str | None]],
    cells: dict[str, list[str | None]],
    tally: Tally,
) -> None:
    found = dict(zip(rows.values[ROW].to_list(), rows.values[name].to_list(), strict=True))
    said = {(row, group.field) for group in rows.findings for row in group.cells[ROW] if group.severity != "note"}
    repaired = {row for group in rows.repairs if group.field == name for row in group.cells[ROW]}
    place_of = rows.record.fields[name]
    for place, row in enumerate(truth):
        number, true, stands = place + 2, row[name], cells[name][place]
        if place_of.is_decimal and true is not None:
            true = f"{float(true):.{place_of.decimals}f}"
        got, told = found.get(number), (number, name) in said
        what = f"{stands!r} → {got!r}, not {true!r}"
        if place not in damaged:
            others = {field for at, field in said if at == number and field is not None}
            if got != true:
                tally.add("clean cell changed", damage.name, what)
            elif others or number in repaired:
                tally.add("false finding", damage.name, f"{what} {others}")
            else:
                tally.add("clean", damage.name, "")
        elif damage.wanted == "keep":
            kept = got == stands and not told and number not in repaired
            tally.add("kept" if kept else "sound text changed", damage.name, what)
        elif got == true:
            tally.add("mended" if not told or damage.wanted == ASK else "mended, but told", damage.name, what)
        elif number in repaired:
            tally.add("WRONG REPAIR", damage.name, what)
        elif not told:
            tally.add("SILENT", damage.name, what)
        else:
            tally.add("not mended" if damage.wanted == MEND else "told", damage.name, what)


def run(cells: int, rows: int = 400, share: float = 0.3, seed: int = 1) -> Tally:
    """Tries sheets until about so many cells have been damaged, spread evenly over the classes."""
    tally = Tally()
    each, number = cells // len(DAMAGES), 0
    for damage in DAMAGES:
        before = None
        while sum(_damaged(tally, damage)) < each and before != (before := sum(_damaged(tally, damage))):
            number += 1
            try_sheet(damage, rows, share, seed + number, tally)
    return tally


def _damaged(tally: Tally, damage: Damage) -> list[int]:
    sound = ("clean", "clean cell changed", "false finding")
    return [
        count
        for name, count in tally.counts.items()
        if name.endswith(f": {damage.name}") and name.partition(":")[0] not in sound
    ]
