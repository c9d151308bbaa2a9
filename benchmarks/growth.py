"""How the work grows: each command at n and at 4n of each thing that can grow, in one process: ``python -m
benchmarks.growth [WORD ...]`` (only the lines whose name has one of the words).

Each is timed in a new workspace. A line above :data:`MOST` times is a cost that grows faster than the work; the exit
status is then 1.
"""

from __future__ import annotations

import contextlib
import io
import os
import re
import shutil
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import date, timedelta
from functools import partial
from pathlib import Path

from xlsxwriter import Workbook

from kotrel.cli import main
from kotrel.serving.jobs import Jobs

MOST = 5.0
ROUNDS = 3
HEAD = "Item code,Description,Base unit,Category,Cost"
STOCKED = "QUAY,Q-01-A"


def kotrel(*words: str) -> str:
    """One command in this process; what it printed."""
    with contextlib.redirect_stdout(io.StringIO()) as shown, contextlib.redirect_stderr(io.StringIO()) as errors:
        status = main(list(words))
    if status not in (0, 1):
        raise SystemExit(f"kotrel {' '.join(words)} ended with {status}: {errors.getvalue()}")
    return shown.getvalue()


def lines(name: str, *rows: str) -> str:
    Path(name).write_text("\n".join([*rows, ""]), "utf-8")
    return name


def item_rows(start: int, number: int, columns: int = 0) -> list[str]:
    more = "".join(f",{column}" for column in range(columns))
    return [f"ZZG-{place:07d},Thing {place},EA,ROPE,1.5{more}" for place in range(start, start + number)]


def load(*words: str) -> str:
    """One load, which must succeed; its number."""
    shown = kotrel("load", *words, "--yes")
    loaded = re.search(r"Loaded as (L[0-9]+)", shown)
    if loaded is None:
        raise SystemExit(f"kotrel load {' '.join(words)} loaded nothing: {shown}")
    return loaded[1]


def items(number: int) -> None:
    """Items that are there before anything is timed."""
    load(lines("items.csv", HEAD, *item_rows(0, number)))


# --- what grows ------------------------------------------------------------------------------------------------------
# Each is given a number, makes its files, and returns them with the options they need.

Files = Callable[[int], tuple[str, ...]]


def rows(number: int) -> tuple[str, ...]:
    return (lines("rows.csv", HEAD, *item_rows(0, number * 1_000)),)


def sheets(number: int) -> tuple[str, ...]:
    book = Workbook("sheets.xlsx")
    for sheet in range(number * 2):
        page = book.add_worksheet(f"S{sheet}")
        for place, row in enumerate([HEAD, *item_rows(sheet * 30, 30)]):
            page.write_row(place, 0, row.split(","))
    book.close()
    return ("sheets.xlsx",)


def files(number: int) -> tuple[str, ...]:
    return tuple(lines(f"f{place}.csv", HEAD, *item_rows(place * 10, 10)) for place in range(number * 2))


def mappings(number: int) -> tuple[str, ...]:
    for place in range(number * 20):
        lines(f"maps/m{place}.toml", 'record = "item"', "[field.code]", f'column = "Article {place}"')
    return (lines("few.csv", HEAD, *item_rows(0, 10)),)


def spellings(number: int) -> tuple[str, ...]:
    words = [f'"spelling {place}" = "EA"' for place in range(number * 1_000)]
    text = Path("kotrel.toml").read_text("utf-8").split("[spellings.unit]")[0]
    lines("kotrel.toml", text, "[spellings.unit]", *words)
    return (lines("few.csv", HEAD, *item_rows(0, 10)),)


def descriptions(number: int) -> tuple[str, ...]:
    """Records in the description of the system."""
    more = [
        f"""[record.more_{place}]
store = {{ table = "unit" }}
key = ["code"]
[record.more_{place}.field]
code = {{ kind = "code", length = 20, must = "always", synonyms = ["more {place}"] }}
name = {{ kind = "text", synonyms = ["name of more {place}"] }}
"""
        for place in range(number * 50)
    ]
    with Path("system.toml").open("a", encoding="utf-8") as description:
        description.write("\n".join(["", *more]))
    return (lines("few.csv", HEAD, *item_rows(0, 10)),)


def findings(number: int) -> tuple[str, ...]:
    return lines("wrong.csv", HEAD, *(f"ZZG-{place:07d},,XX,NONE,abc" for place in range(number * 250))), "--all"


def periods(number: int) -> tuple[str, ...]:
    first = date(2030, 1, 1)
    days = [f"SHOP,ROP-00010,{first + timedelta(days=place)},0.6" for place in range(number * 100)]
    return (lines("periods.csv", "Price list,Item,From date,Price", *days),)


def _receipts(rows_: list[str], more: str = "") -> tuple[str, ...]:
    head = f"Document,Date,Warehouse,Bin,Item,Quantity,Cost{more}"
    return lines("receipts.csv", head, *rows_), "--as", "goods_receipt"


def documents(number: int) -> tuple[str, ...]:
    return _receipts([f"GR-{place:06d},2026-11-30,{STOCKED},ROP-00010,1,0.4" for place in range(number * 50)])


def document_lines(number: int) -> tuple[str, ...]:
    items(number * 200)
    return _receipts([f"GR-1,2026-11-30,{STOCKED},ZZG-{place:07d},1,0.4" for place in range(number * 200)])


def lots(number: int) -> tuple[str, ...]:
    return _receipts([f"GR-1,2026-11-30,{STOCKED},SAF-00130,1,0.4,ZL-{place}" for place in range(number * 200)], ",Lot")


def kit_levels(number: int) -> tuple[str, ...]:
    """A kit in a kit in a kit."""
    items(number * 50 + 1)
    chain = [f"ZZG-{place:07d},ZZG-{place + 1:07d},1,EA" for place in range(number * 50)]
    return (lines("kits.csv", "Parent item,Component item,Quantity,Unit", *chain),)


GROWS: dict[str, tuple[Files, int]] = {
    "rows": (rows, 10),
    "sheets": (sheets, 10),
    "files": (files, 10),
    "mappings": (mappings, 10),
    "spellings": (spellings, 10),
    "records of the description": (descriptions, 5),
    "price periods": (periods, 10),
    "documents": (documents, 10),
    "lines of a document": (document_lines, 10),
    "lots": (lots, 10),
    "levels of a kit": (kit_levels, 10),
}

# --- what is timed ---------------------------------------------------------------------------------------------------
# Each is given a number, makes what has to be there, and returns what is timed.

Timed = Callable[[], object]
Case = Callable[[int], Timed]


def command(name: str, grows: Files, number: int) -> Timed:
    return partial(kotrel, name, *grows(number), *(["--yes"] if name == "load" else []))


def undone(grows: Files, number: int) -> Timed:
    return partial(kotrel, "undo", load(*grows(number)), "--yes")


def columns(number: int) -> Timed:
    names = "".join(f",Column {column}" for column in range(number * 10))
    return partial(kotrel, "inspect", lines("columns.csv", HEAD + names, *item_rows(0, 300, number * 10)))


def _loads(number: int) -> None:
    for place in range(number * 2):
        load(lines("one.csv", "Item code,Note", f"ROP-00010,note {place}"))


def history(number: int) -> Timed:
    _loads(number)
    return partial(kotrel, "history")


def load_after(number: int) -> Timed:
    _loads(number)
    return partial(load, lines("one.csv", "Item code,Note", "ROP-00010,the last note"))


def undo_before(number: int) -> Timed:
    """The first of many loads, of which the others changed other items."""
    first = load(lines("first.csv", "Item code,Note", "CHT-00030,the first note"))
    _loads(number)
    return partial(kotrel, "undo", first, "--yes")


def reprice(number: int) -> Timed:
    items(number * 500)
    Path("prices").mkdir(exist_ok=True)
    step = ["[[step]]", "where = \"category is 'ROPE'\"", 'set = { SHOP = "cost * 2" }']
    lines("prices/grow.toml", "from_date = 2030-01-01", *step)
    return partial(kotrel, "reprice", "grow")


def stock_lots(number: int) -> Timed:
    load(*lots(number))
    return partial(kotrel, "stock", "SAF-00130")


def _count(number: int, per_sheet: int = 200) -> list[str]:
    """A count, frozen, and its sheets, filled in as expected but for every tenth line."""
    load(*document_lines(number))
    kotrel("count", "freeze", "all", "--stopped", "--where", "item begins with 'ZZG'")
    kotrel("count", "sheets", "all", "--text", "--split", str(max(1, number * 200 // per_sheet)), "-o", "sheets")
    made = sorted(Path("sheets").glob("*.csv"))
    for path in made:
        head, *rest = path.read_text("utf-8-sig").splitlines()
        named = head.split(",")
        at, expected = named.index("Counted"), named.index("Expected")
        filled = []
        for place, row in enumerate(rest):
            cells = row.split(",")
            cells[at] = "2" if place % 10 == 0 else cells[expected]
            filled.append(",".join(cells))
        lines(str(path), head, *filled)
    return [str(path) for path in made]


def freeze(number: int) -> Timed:
    load(*document_lines(number))
    return partial(kotrel, "count", "freeze", "all", "--stopped")


def count_sheets(number: int) -> Timed:
    _count(number)
    return partial(kotrel, "count", "sheets", "all", "--split", str(number), "-o", "again")


def collect(number: int) -> Timed:
    return partial(kotrel, "count", "collect", "all", *_count(number))


def collect_finds(number: int) -> Timed:
    """Many lists, each of which finds something that is new to the count."""
    _count(number)
    head = "Item code,Warehouse,Bin,Counted"
    found = [lines(f"find{place}.csv", head, f"ZZG-{place:07d},QUAY,Q-02-B,1") for place in range(number * 5)]
    return partial(kotrel, "count", "collect", "all", *found)


def _collected(number: int) -> None:
    kotrel("count", "collect", "all", *_count(number))


def variance(number: int) -> Timed:
    _collected(number)
    return partial(kotrel, "count", "variance", "all")


def post(number: int) -> Timed:
    _collected(number)
    return partial(kotrel, "count", "post", "all", "--yes")


def recounts(number: int) -> Timed:
    """One list after the other counts the same places again."""
    _count(5)
    head = "Item code,Warehouse,Bin,Counted"
    for again in range(number):
        list_ = lines(f"again{again}.csv", head, f"ZZG-0000001,QUAY,Q-01-A,{again + 1}")
        kotrel("count", "collect", "all", list_, "--recount")
    return partial(kotrel, "count", "variance", "all")


def jobs(number: int) -> Timed:
    """Jobs of the service, each opened and sent in a piece, none of them worked on yet."""
    held = Jobs(Path("jobs"), lambda *_: {})

    def opened() -> None:
        for place in range(number * 20):
            about, _ = held.open(f"key {place}", {"parts": [{}]}, f"owner {place}")
            held.add_piece(about["job"], 0, 0, b"code\nA\n")
            held.begin(about["job"], 1)

    return opened


def pieces(number: int) -> Timed:
    """Pieces of one job."""
    held = Jobs(Path("jobs"), lambda *_: {})
    job = held.open("key", {"parts": [{}]})[0]["job"]

    def sent() -> None:
        for place in range(number * 100):
            held.add_piece(job, place, 0, b"code\nA\n")

    return sent


CASES: dict[str, tuple[Case, int]] = {
    **{
        f"{name}: {what}": (partial(command, name, grows), number)
        for what, (grows, number) in GROWS.items()
        for name in ("check", "preview", "load")
    },
    **{f"undo: {what}": (partial(undone, grows), number) for what, (grows, number) in GROWS.items()},
    "check --all: findings": (partial(command, "check", findings), 10),
    "inspect: columns": (columns, 10),
    "history: loads": (history, 10),
    "load: loads before it": (load_after, 10),
    "undo: loads since": (undo_before, 10),
    "reprice: items": (reprice, 10),
    "stock: lots": (stock_lots, 10),
    "count freeze: places": (freeze, 10),
    "count sheets: places": (count_sheets, 10),
    "count collect: places and sheets": (collect, 10),
    "count collect: places and finds": (collect_finds, 5),
    "count variance: places": (variance, 10),
    "count post: places": (post, 10),
    "count variance: recounts": (recounts, 5),
    "service: jobs": (jobs, 10),
    "service: pieces of a job": (pieces, 10),
}


@contextlib.contextmanager
def workspace(fresh: Path) -> Iterator[None]:
    """A new workspace as :func:`run` has made one."""
    here = Path.cwd()
    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(fresh, folder, dirs_exist_ok=True)
        os.chdir(folder)
        try:
            yield
        finally:
            os.chdir(here)


def timed(case: Case, number: int, rounds: int, fresh: Path) -> float:
    best = float("inf")
    for _ in range(rounds):
        with workspace(fresh):
            timed_ = case(number)
            begun = time.perf_counter()
            timed_()
            best = min(best, time.perf_counter() - begun)
    return best


def run(wanted: list[str]) -> int:
    worst = 0.0
    with tempfile.TemporaryDirectory() as folder:
        fresh = Path(folder)
        kotrel("init", str(fresh), "--yes")
        for name, (case, number) in CASES.items():
            if wanted and not any(word in name for word in wanted):
                continue
            timed(case, max(1, number // 4), 1, fresh)  # what is imported and made once
            small, large = (timed(case, each, ROUNDS, fresh) for each in (number, 4 * number))
            worst = max(worst, large / small)
            verdict = "   too much" if large / small > MOST else ""
            print(f"{name:<36} n {small:7.3f} s   4n {large:7.3f} s   {large / small:5.2f}×{verdict}", flush=True)
    return 1 if worst > MOST else 0


if __name__ == "__main__":
    sys.exit(run(sys.argv[1:]))
