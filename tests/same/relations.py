"""The relations: each makes a content, asks in two ways or more, and says where the answers differ."""

from __future__ import annotations

import csv
import random
from collections.abc import Callable, Iterator
from datetime import date
from pathlib import Path
from typing import Any

import openpyxl

from kotrel.core.columns import ROW
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.checking import check_files
from kotrel.loading.sheets_in.large_files import check_large
from kotrel.workspace.settings import open_workspace
from tests.same.stock_relations import counts, documents, layouts
from tests.same.worlds import HEADINGS, World, book, changes, findings, items, lasting, table_of, told, write

FIELDS = tuple(HEADINGS)
Relation = Callable[[World, random.Random], Iterator[str]]


def forms(world: World, pick: random.Random) -> Iterator[str]:
    """One content as a workbook and as text with every separator and encoding."""
    rows = items(pick, pick.randrange(3, 12))
    lines, keys = table_of(rows, FIELDS), [row["code"] for row in rows]
    write(world.folder / "a.xlsx", lines)
    first = world.json("preview", "a.xlsx", "--as", "item")
    for name, separator, encoding in (
        ("a.csv", ",", "utf-8"), ("b.csv", ";", "cp1252"), ("c.tsv", "\t", "utf-8-sig"), ("d.txt", "|", "utf-8"), ("e.csv", ";", "utf-16"), ("f.ods", "", ""),
    ):  # fmt: skip
        write(world.folder / name, lines, separator, encoding)
        other = world.json("preview", name, "--as", "item")
        yield from told(f"findings of {name}", findings(first, keys), findings(other, keys))
        yield from told(f"changes of {name}", changes(first), changes(other))


def shapes(world: World, pick: random.Random) -> Iterator[str]:
    """Rows and columns in another order, title lines above, headings as titles, names or usual words."""
    rows = items(pick, pick.randrange(3, 12))
    write(world.folder / "a.csv", table_of(rows, FIELDS))
    first = world.json("preview", "a.csv", "--as", "item")
    mixed, fields = pick.sample(rows, len(rows)), pick.sample(FIELDS, len(FIELDS))
    for spelling in range(3):
        above = [["Our range 2027"], [""]] if spelling == 1 else []
        lines = [*([*line, *[""] * (len(fields) - len(line))] for line in above), *table_of(mixed, fields, spelling)]
        write(world.folder / "b.csv", lines)
        other = world.json("preview", "b.csv", "--as", "item")
        one = findings(first, [row["code"] for row in rows])
        two = findings(other, [row["code"] for row in mixed], 2 + len(above))
        yield from told(f"findings, headings {spelling}", one, two)
        yield from told(f"changes, headings {spelling}", changes(first), changes(other))


def pieces(world: World, pick: random.Random) -> Iterator[str]:
    """One file, two files together, two sheets of one file."""
    rows = items(pick, pick.randrange(4, 12))
    cut = pick.randrange(1, len(rows))
    head, tail = rows[:cut], rows[cut:]
    write(world.folder / "whole.xlsx", table_of(rows, FIELDS))
    write(world.folder / "one.xlsx", table_of(head, FIELDS))
    write(world.folder / "two.xlsx", table_of(tail, FIELDS))
    book(world.folder / "both.xlsx", {"One": table_of(head, FIELDS), "Two": table_of(tail, FIELDS)})
    whole = world.json("preview", "whole.xlsx", "--as", "item")
    for words in (("one.xlsx", "two.xlsx"), ("both.xlsx",)):
        other = world.json("preview", *words, "--as", "item")
        yield from told(f"changes of {words}", changes(whole), changes(other))
        yield from told(f"records of {words}", whole["records"], other["records"])


def separately(world: World, pick: random.Random) -> Iterator[str]:
    """Two files of rows that do not refer to each other, loaded together, and one after the other."""
    rows = items(pick, pick.randrange(4, 12), damage=False)
    cut = pick.randrange(1, len(rows))
    other = World()
    try:
        for each in (world, other):
            write(each.folder / "one.csv", table_of(rows[:cut], FIELDS))
            write(each.folder / "two.xlsx", table_of(rows[cut:], FIELDS))
        yield from told("together", world.json("load", "one.csv", "two.xlsx", "--as", "item", "--yes")["load"], "L0001")
        for place, name in enumerate(("one.csv", "two.xlsx"), start=1):
            yield from told(name, other.json("load", name, "--as", "item", "--yes")["load"], f"L{place:04}")
        yield from told("tables", world.tables(), other.tables())
    finally:
        other.close()


def systems(world: World, pick: random.Random) -> Iterator[str]:
    """The practice system in a SQLite file, on a database server, and behind a service: all say and hold the same."""
    rows = items(pick, pick.randrange(4, 12))
    documents = [
        [
            f"D-{pick.randrange(3)}",
            f"FST-{pick.randrange(1, 9) * 10:05d}",
            "QUAY",
            str(pick.randrange(1, 9)),
            "2026-11-26",
        ]
        for _ in range(4)
    ]
    answers: dict[str, list[tuple[str, Any]]] = {}
    for kind in ("file", "server", "service"):
        other = World(kind)
        try:
            write(other.folder / "a.csv", table_of(rows, FIELDS))
            write(other.folder / "r.csv", [["Number", "Item", "Warehouse", "Quantity", "Date"], *documents])
            answers[kind] = [
                (" ".join(words), lasting(other.json(*words)))
                for words in (
                    ("check", "a.csv", "--as", "item"),
                    ("preview", "a.csv", "--as", "item"),
                    ("load", "a.csv", "--as", "item", "--yes", "--good-rows"),
                    ("load", "r.csv", "--as", "goods_receipt", "--yes", "--good-rows"),
                    ("export", "item", "-o", "items.csv"),
                    ("export", "goods_receipt_line", "-o", "lines.csv"),
                    ("undo", "L0001", "--yes"),
                    ("stock", "--by", "item,warehouse"),
                )
            ]
            answers[kind] += [
                (name, (other.folder / name).read_text("utf-8-sig")) for name in ("items.csv", "lines.csv")
            ]
        finally:
            other.close()
    for kind in ("server", "service"):
        for (what, here), (_, there) in zip(answers["file"], answers[kind], strict=True):
            yield from told(f"{what} on a {kind}", here, there)


def commands(world: World, pick: random.Random) -> Iterator[str]:
    """What check, preview and load say of the same sheet agrees;
    a clean one loads whole, and an undo brings all back.
    """
    rows = items(pick, pick.randrange(2, 10))
    name = write(world.folder / "a.csv", table_of(rows, FIELDS))
    before = world.tables()
    check, preview = world.json("check", name, "--as", "item"), world.json("preview", name, "--as", "item")
    yield from told("findings of check and preview", check["findings"], preview["findings"])
    yield from told("repairs of check and preview", check["repairs"], preview["repairs"])
    refused = sum(each["refused"] for each in preview["records"].values())
    yield from told("clean and nothing refused", check["ok"], refused == 0)
    loaded = world.json("load", name, "--as", "item", "--yes", *(() if check["ok"] else ("--good-rows",)))
    yield from told("findings of load and preview", preview["findings"], loaded["findings"])
    yield from told("records of load and preview", preview["records"], loaded["records"])
    if loaded["load"]:
        outcome = world.json("outcome", loaded["load"])["rows"]
        done = sum(1 for row in outcome if row["outcome"] != "refused" and row["action"] in ("new", "changed"))
        wanted = sum(each["new"] + each["changed"] for each in preview["records"].values())
        yield from told("rows done and previewed", done, wanted)
        yield from told("verify", world.json("verify", loaded["load"])["differences"], [])
        again = world.json("preview", name, "--as", "item")
        left = sum(each["new"] + each["changed"] for each in again["records"].values())
        yield from told("nothing is left to do", left, 0)
        world.json("undo", loaded["load"], "--yes")
    yield from told("tables after undo", before, world.tables())


def good_rows(world: World, pick: random.Random) -> Iterator[str]:
    """``--good-rows`` does what the file without its bad rows does."""
    rows = items(pick, pick.randrange(4, 12))
    name = write(world.folder / "a.csv", table_of(rows, FIELDS))
    found = world.json("check", name, "--as", "item")["findings"]
    bad = {each["row"] for each in found if each["severity"] == "error"}
    if 0 in bad or not bad:
        return
    good = [row for place, row in enumerate(rows, start=2) if place not in bad]
    other = World()
    try:
        if good:
            write(other.folder / "b.csv", table_of(good, FIELDS))
            other.json("load", "b.csv", "--as", "item", "--yes")
        world.json("load", name, "--as", "item", "--yes", "--good-rows")
        yield from told("tables", world.tables(), other.tables())
        # The rest, put right, completes what was begun.
        sound = items(pick, len(rows), damage=False)
        right = [{**new, "code": old["code"], "unit": "M"} for old, new in zip(rows, sound, strict=True)]
        rest = [row for place, row in enumerate(right, start=2) if place in bad]
        write(world.folder / "rest.csv", table_of(rest, FIELDS))
        world.json("load", "rest.csv", "--as", "item", "--yes", "--again")
        write(other.folder / "rest.csv", table_of(rest, FIELDS))
        other.json("load", "rest.csv", "--as", "item", "--yes", "--again")
        yield from told("tables with the rest", world.tables(), other.tables())
    finally:
        other.close()


def prepared(world: World, pick: random.Random) -> Iterator[str]:
    """A prepared sheet says what the sheet says."""
    rows = items(pick, pick.randrange(2, 10))
    name = write(world.folder / "a.csv", table_of(rows, FIELDS))
    first = world.json("preview", name, "--as", "item")
    for out in ("p.xlsx", "p.csv"):
        world.json("prepare", name, "--as", "item", "-o", out)
        other = world.json("preview", out)
        yield from told(f"changes of {out}", changes(first), changes(other))
        yield from told(f"records of {out}", first["records"], other["records"])


def mappings(world: World, pick: random.Random) -> Iterator[str]:
    """A mapping that is named, the same one that is found, and standard headings;
    a column, a fixed value and a made one.
    """
    rows = items(pick, pick.randrange(2, 8))
    fields = [name for name in FIELDS if name != "barcode"]
    for row in rows:
        row["vendor"] = "KELDRIFT"
    lines = table_of(rows, fields)
    write(world.folder / "a.csv", lines)
    own = {name: f"Col {name[::-1]}" for name in fields}
    write(world.folder / "b.csv", [[own[name] for name in fields], *lines[1:]])
    text = 'record = "item"\n' + "".join(f'[field.{name}]\ncolumn = "{own[name]}"\n' for name in fields)
    (world.folder / "maps" / "own.toml").write_text(text)
    first = world.json("preview", "a.csv", "--as", "item")
    for words in (("b.csv",), ("b.csv", "--map", "own")):
        other = world.json("preview", *words)
        keys = [row["code"] for row in rows]
        yield from told(f"changes of {words}", changes(first), changes(other))
        yield from told(f"findings of {words}", findings(first, keys), findings(other, keys))
    for how in (
        'fixed = "KELDRIFT"',
        f'make = "[{own["vendor"]}]"\nfor = "all"',
        'default = "Keldrift Cordage"\nfor = "all"',
    ):
        changed = text.replace(f'[field.vendor]\ncolumn = "{own["vendor"]}"\n', f"[field.vendor]\n{how}\n")
        (world.folder / "maps" / "own.toml").write_text(changed)
        other = world.json("preview", "b.csv", "--map", "own")
        yield from told(f"changes with vendor {how}", changes(first), changes(other))


def exports(world: World, pick: random.Random) -> Iterator[str]:
    """An untouched export is nothing to do; a few edited cells are what a sheet of just those cells is."""
    name = pick.choice(("e.xlsx", "e.csv"))
    world.json(
        "export", "item", "-o", name, "--where", "code begins with 'ROP-000'", "--fields", "description,cost,price"
    )
    untouched = world.json("preview", name)["records"]["item"]
    yield from told("untouched", untouched["changed"] + untouched["new"] + untouched["refused"], 0)
    mixed = _mixed(world.folder / name, pick)
    left = world.json("preview", mixed)["records"]["item"]
    yield from told("untouched, in another order", left["changed"] + left["new"] + left["refused"], 0)
    code = f"ROP-{pick.randrange(1, 9) * 10:05d}"
    price = f"{pick.randrange(1, 9)}.{pick.randrange(10, 99)}"
    if name.endswith("csv"):
        path = world.folder / name
        lines = path.read_text("utf-8-sig").splitlines()
        head = lines[0].split(",")
        edited = [
            ",".join([*line.split(",")[:-1], price]) if line.startswith(f"{code},") else line for line in lines
        ]  # fmt: skip
        assert head[-1] == "Standard price"
        path.write_text("\n".join([*edited, ""]), "utf-8-sig")
    else:
        whole = openpyxl.load_workbook(world.folder / name)
        page = whole.worksheets[0]
        at = {cell.value: cell.column for cell in page[1]}
        for row in range(2, page.max_row + 1):
            if page.cell(row, at["Item code"]).value == code:
                page.cell(row, at["Standard price"]).value = float(price)
        whole.save(world.folder / name)
    write(world.folder / "just.csv", [["Item code", "Standard price"], [code, price]])
    yield from told(
        "edited", changes(world.json("preview", name)), changes(world.json("preview", "just.csv", "--as", "item"))
    )


def _mixed(path: Path, pick: random.Random) -> str:
    """A copy of an export with its rows in another order and without one of its columns; the name of the copy."""
    copy = path.with_stem("mixed")
    if path.suffix == ".csv":
        with path.open(encoding="utf-8-sig", newline="") as file:
            lines = list(csv.reader(file))
        gone = pick.randrange(1, len(lines[0]))
        kept = [[cell for place, cell in enumerate(line) if place != gone] for line in lines]
        write(copy, [kept[0], *pick.sample(kept[1:], len(kept) - 1)])
        return copy.name
    whole = openpyxl.load_workbook(path)
    page = whole.worksheets[0]
    page.delete_cols(pick.randrange(2, page.max_column + 1))
    rows = [[cell.value for cell in row] for row in page.iter_rows(min_row=2)]
    for at, row in enumerate(pick.sample(rows, len(rows)), start=2):
        for column, value in enumerate(row, start=1):
            page.cell(at, column).value = value
    whole.save(copy)
    return copy.name


def places(world: World, pick: random.Random) -> Iterator[str]:
    """Options before the command or behind it, from another folder, by a relative path and an absolute one."""
    rows = items(pick, 3)
    write(world.folder / "a.csv", table_of(rows, FIELDS))
    first = world.json("preview", "a.csv", "--as", "item")
    above, path = world.folder.parent, world.folder / "a.csv"
    for words in (
        ("-w", "shop", "preview", "shop/a.csv", "--as", "item"), ("preview", "--as", "item", str(path), "-w", str(world.folder)),
        ("--workspace=shop", "preview", "--as=item", "--", "shop/a.csv"),
    ):  # fmt: skip
        other = world.json(*words, cwd=above)
        yield from told(f"changes of {words[:3]}", changes(first), changes(other))


def undone(world: World, pick: random.Random) -> Iterator[str]:
    """Two loads of the same items, taken back last first, leave what was there;
    what is taken back twice is there again.
    """
    states, numbers = [world.tables()], []
    for file in ("a.csv", "b.csv"):
        write(world.folder / file, table_of(items(pick, pick.randrange(3, 12)), FIELDS))
        numbers.append(world.json("load", file, "--as", "item", "--yes", "--good-rows")["load"])
        states.append(world.tables())
    for number, before, after in ((numbers[1], *states[1:]), (numbers[0], *states[:2])):
        if number is None:
            continue
        back = world.json("undo", number, "--yes")["undo"]
        yield from told(f"tables after the undo of {number}", before, world.tables())
        again = world.json("undo", back, "--yes")["undo"]
        yield from told(f"tables after the undo of {back}", after, world.tables())
        world.json("undo", again, "--yes")
        yield from told(f"tables after the undo of {again}", before, world.tables())


def parts(world: World, pick: random.Random) -> Iterator[str]:
    """A text file read whole, and part by part: numbers, days, headings again,
    short lines and totals are judged for the file.
    """
    months = pick.random() < 0.3
    comma = pick.random() < 0.5
    head = ["Price list", "Item", "Unit", "From date", "Price", "Note"]
    lines = [head]
    for place in range(pick.randrange(40, 90)):
        day, month = pick.randrange(1, 29 if place > 50 else 12), pick.randrange(1, 13)
        when = f"{month}/{day}/2027" if months else f"{day}.{month}.2027"
        price = (
            f"{pick.randrange(1, 9)}.{pick.randrange(100, 999)}"
            if place < 20
            else f"{pick.randrange(1, 99)}.{pick.randrange(10, 99)}"
        )
        line = [
            "SHOP",
            f"ROP-{pick.randrange(1, 40) * 10:05d}",
            "M",
            when,
            price.replace(".", ",") if comma else price,
            "x",
        ]
        odd = pick.random()
        if odd < 0.03:
            line = line[:4]
        elif odd < 0.06:
            line = head
        elif odd < 0.08:
            line = ["Total", "", "", "", "12", ""]
        lines.append(line)
    path = world.folder / "p.csv"
    path.write_bytes("\n".join([";".join(line) for line in lines] + [""]).encode())
    workspace = open_workspace(world.folder)
    wanted, today = FileOptions(record="price"), date(2026, 11, 30)
    with workspace.system().reading() as reading:
        small = check_large(
            path, workspace, wanted, today, reading, lambda title: None, part_bytes=pick.choice((1200, 1800, 2500))
        )
    whole = check_files([path], workspace, wanted, today, lambda title: None)

    def said(checked: Any) -> list[tuple[Any, ...]]:
        own = [each.rows for each in checked if each.consequence is None]
        found = {
            (row, group.kind, group.field)
            for rows in own
            for group in rows.findings
            for row in group.cells[ROW]
            if group.severity == "error"
        }
        fixed = {
            (row, group.field, after)
            for rows in own
            for group in rows.repairs
            for row, _, after, _ in group.cells.iter_rows()
        }
        return [*sorted(found, key=str), *sorted(fixed, key=str)]

    yield from told(
        "findings and repairs",
        *(sorted(set(said(one)) - set(said(other)), key=str) for one, other in ((whole, small), (small, whole))),
    )


RELATIONS: dict[str, Relation] = {
    each.__name__: each
    for each in (
        forms,
        shapes,
        pieces,
        separately,
        systems,
        commands,
        good_rows,
        prepared,
        mappings,
        exports,
        places,
        documents,
        layouts,
        undone,
        counts,
        parts,
    )
}


def held(name: str, seed: int) -> list[str]:
    """What does not hold of one relation for one seed."""
    world = World()
    try:
        return [f"{name} {seed}: {each}" for each in RELATIONS[name](world, random.Random(f"{name} {seed}"))]
    except (KeyError, ValueError) as error:
        return [f"{name} {seed}: {type(error).__name__} {error}"]
    finally:
        world.close()
