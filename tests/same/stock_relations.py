"""Relations of stock: documents in every layout, and counts in every form."""

from __future__ import annotations

import random
from collections.abc import Iterator

from tests.same.worlds import World, book, told, write


def documents(world: World, pick: random.Random) -> Iterator[str]:
    """One document of n lines is n documents of one line; boxes are pieces."""
    lines = [(f"FST-{n * 10:05d}", pick.randrange(1, 30), pick.randrange(10, 99)) for n in pick.sample(range(1, 9), 3)]
    # A BOX of these items is 100 EA, and a cost is of the unit beside it: what one costs in cents, 100 cost in euros.
    sums = []
    for way in ("one", "many", "boxes"):
        other = World()
        try:
            head = ["Number", "Item", "Warehouse", "Quantity", "Unit", "Unit cost", "Date"]
            rows = [
                [
                    f"R-{place}" if way == "many" else "R-1", item, "QUAY",
                    *((f"{boxes}", "BOX", f"{cents}") if way == "boxes" else (f"{boxes}00", "EA", f"0.{cents}")), "2026-12-01",
                ]
                for place, (item, boxes, cents) in enumerate(lines, start=1)
            ]  # fmt: skip
            write(other.folder / "r.csv", [head, *rows])
            loaded = other.json("load", "r.csv", "--as", "goods_receipt", "--yes")
            yield from told(f"the load as {way}", loaded["load"], "L0001")
            found = other.json("stock", *(item for item, _, _ in lines), "--by", "item,warehouse")
            sums.append([{key: row[key] for key in ("item", "warehouse", "on_hand", "value")} for row in found["rows"]])
        finally:
            other.close()
    yield from told("stock after one document and after several", *sums[:2])
    yield from told("stock in boxes and in pieces", sums[0], sums[2])


def layouts(world: World, pick: random.Random) -> Iterator[str]:
    """A document in one flat sheet, in sheets for its header and its lines, and with a column for each warehouse."""
    stock = [(f"FST-{n * 10:05d}", pick.randrange(1, 30), pick.randrange(1, 30)) for n in pick.sample(range(1, 9), 3)]
    day = "2026-12-01"
    flat = [
        [f"ADJ-{warehouse}", day, warehouse, item, str(number)]
        for item, *numbers in stock
        for warehouse, number in zip(("QUAY", "SHED"), numbers, strict=True)
    ]
    flat.sort()
    held = []
    for way in ("flat", "sheets", "wide"):
        other = World()
        try:
            if way == "flat":
                write(other.folder / "d.csv", [["Document", "Date", "Warehouse", "Item", "Quantity"], *flat])
            elif way == "sheets":
                headers = [[f"ADJ-{each}", day, each] for each in ("QUAY", "SHED")]
                lines = [[row[0], str(1 + place % len(stock)), row[3], row[4]] for place, row in enumerate(flat)]
                sheets = {
                    "Adjustments": [["Document", "Date", "Warehouse"], *headers],
                    "Adjustment lines": [["Document", "Line", "Item", "Quantity"], *lines],
                }
                book(other.folder / "d.xlsx", sheets)
            else:
                wide = [[item, *map(str, numbers)] for item, *numbers in sorted(stock)]
                write(other.folder / "d.csv", [["Item", "QUAY", "SHED"], *wide])
                mapping = [
                    'record = "adjustment"', '[field.item]\ncolumn = "Item"', '[field.warehouse]\nrepeat = ["QUAY", "SHED"]',
                    '[field.quantity]\ncolumn = "{warehouse}"', f'[field.date]\nfixed = "{day}"',
                ]  # fmt: skip
                (other.folder / "maps" / "wide.toml").write_text("\n".join(mapping))
            words = ("d.xlsx",) if way == "sheets" else ("d.csv", "--as", "adjustment") if way == "flat" else ("d.csv",)
            yield from told(f"the load as {way}", other.json("load", *words, "--yes").get("load"), "L0001")
            found = other.json("stock", *(item for item, *_ in stock), "--by", "item,warehouse")
            held.append([{key: row[key] for key in ("item", "warehouse", "on_hand", "value")} for row in found["rows"]])
        finally:
            other.close()
    for way, answer in zip(("sheets", "wide"), held[1:], strict=True):
        yield from told(f"stock of a flat sheet and of {way}", held[0], answer)


def counts(world: World, pick: random.Random) -> Iterator[str]:
    """A count as a workbook, as text, as a scanner's list, and split over files in any order and repetition."""
    codes = [f"FST-{n * 10:05d}" for n in range(1, 30)]
    held = {
        row["item"]: row
        for row in world.json("stock", "--where", "warehouse is 'QUAY'", "--by", "item,warehouse,bin")["rows"]
    }
    mine = [code for code in codes if code in held and held[code]["unit"] == "EA"][:6]
    counted = {code: str(pick.randrange(0, 60)) for code in mine}
    lines = [["Item", "Bin", "Counted"], *([code, held[code]["bin"] or "", number] for code, number in counted.items())]
    answers = []
    for way in ("book", "text", "split", "scans"):
        other = World()
        try:
            names = ", ".join(f"'{code}'" for code in mine)
            other.json(
                "count", "freeze", "c", "--where", f"warehouse is 'QUAY' and item is one of ({names})", "--stopped"
            )
            if way == "book":
                write(other.folder / "c.xlsx", lines)
                files = ["c.xlsx"]
            elif way == "text":
                write(other.folder / "c.csv", lines, ";")
                files = ["c.csv"]
            elif way == "split":
                write(other.folder / "a.csv", [lines[0], *lines[1:3]])
                write(other.folder / "b.csv", [lines[0], *lines[3:]])
                files = ["b.csv", "a.csv", "b.csv"]
            else:
                write(
                    other.folder / "s.txt",
                    [[f"{code.lower() if pick.random() < 0.3 else code};{number}"] for code, number in counted.items()],
                )
                files = ["s.txt"]
            for file in files:
                other.json("count", "collect", "c", file)
            found = other.json("count", "variance", "c")
            answers.append(
                (
                    way,
                    sorted((line["item"], line["counted"], line["variance"], line["value"]) for line in found["lines"]),
                )
            )
        finally:
            other.close()
    for way, answer in answers[1:]:
        yield from told(f"count as {way}", answers[0][1], answer)
