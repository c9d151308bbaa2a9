"""How the work grows: each command at n and at 4n of each thing that can grow, in one process: ``python -m
benchmarks.growth``.

A line above :data:`MOST` times is a cost that grows faster than the work; the exit status is then 1.
"""

from __future__ import annotations

import contextlib
import io
import os
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from xlsxwriter import Workbook

from kotrel.cli import main

MOST = 5.0
ROUNDS = 3
HEAD = "Item code,Description,Base unit,Category,Cost"


def kotrel(*words: str) -> None:
    """One command in this process, its output thrown away."""
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        status = main(list(words))
    if status not in (0, 1):
        raise SystemExit(f"kotrel {' '.join(words)} ended with {status}")


def lines(name: str, *rows: str) -> str:
    Path(name).write_text("\n".join([*rows, ""]), "utf-8")
    return name


def item_rows(start: int, number: int, columns: int = 0) -> list[str]:
    more = "".join(f",{column}" for column in range(columns))
    return [f"ZZG-{place:07d},Thing {place},EA,ROPE,1.5{more}" for place in range(start, start + number)]


# --- what grows ------------------------------------------------------------------------------------------------------
# Each is given a number and makes its files; it returns the command that is timed.

Case = Callable[[int], tuple[str, ...]]


def rows(number: int) -> tuple[str, ...]:
    return "check", lines("rows.csv", HEAD, *item_rows(0, number * 1_000))


def previewed(number: int) -> tuple[str, ...]:
    return "preview", lines("rows.csv", HEAD, *item_rows(0, number * 1_000))


def sheets(number: int) -> tuple[str, ...]:
    book = Workbook("sheets.xlsx")
    for sheet in range(number):
        page = book.add_worksheet(f"S{sheet}")
        for place, row in enumerate([HEAD, *item_rows(sheet * 30, 30)]):
            page.write_row(place, 0, row.split(","))
    book.close()
    return "check", "sheets.xlsx"


def files(number: int) -> tuple[str, ...]:
    return "check", *(lines(f"f{place}.csv", HEAD, *item_rows(place * 10, 10)) for place in range(number))


def columns(number: int) -> tuple[str, ...]:
    names = "".join(f",Column {column}" for column in range(number * 10))
    return "inspect", lines("columns.csv", HEAD + names, *item_rows(0, 300, number * 10))


def mappings(number: int) -> tuple[str, ...]:
    Path("maps").mkdir(exist_ok=True)
    for old in Path("maps").glob("*.toml"):
        old.unlink()
    for place in range(number * 10):
        lines(f"maps/m{place}.toml", 'record = "item"', "[field.code]", f'column = "Article {place}"')
    return "check", lines("few.csv", HEAD, *item_rows(0, 10))


def spellings(number: int) -> tuple[str, ...]:
    text = Path("kotrel.toml").read_text("utf-8").split("[spellings.unit]")[0]
    words = [f'"spelling {place}" = "EA"' for place in range(number * 50)]
    Path("kotrel.toml").write_text("\n".join([text + "[spellings.unit]", *words, ""]), "utf-8")
    return "check", lines("few.csv", HEAD, *item_rows(0, 10))


def findings(number: int) -> tuple[str, ...]:
    rows_ = [f"ZZG-{place:07d},,XX,NONE,abc" for place in range(number * 250)]
    return "check", lines("wrong.csv", HEAD, *rows_), "--all"


def periods(number: int) -> tuple[str, ...]:
    days = [f"SHOP,ROP-00010,{2030 + place // 12}-{place % 12 + 1:02d}-01,0.6" for place in range(number * 12)]
    return "check", lines("periods.csv", "Price list,Item,From date,Price", *days)


def documents(number: int) -> tuple[str, ...]:
    rows_ = [f"GR-{number}-{place:06d},2026-11-30,QUAY,ROP-00010,1,0.4" for place in range(number * 50)]
    return (
        "preview",
        lines("receipts.csv", "Document,Date,Warehouse,Item,Quantity,Cost", *rows_),
        "--as",
        "goods_receipt",
    )


def undone(number: int) -> tuple[str, ...]:
    documents(number)
    kotrel("load", "receipts.csv", "--as", "goods_receipt", "--yes", "--remark", f"{number} {time.time()}", "--again")
    return "undo", _last_load(), "--yes"


def loads(number: int) -> tuple[str, ...]:
    for place in range(number * 2):
        kotrel("load", lines("one.csv", "Item code,Note", f"ROP-00010,note {number} {place} {time.time()}"), "--yes")
    return ("history",)


def _last_load() -> str:
    with contextlib.redirect_stdout(io.StringIO()) as shown:
        main(["history"])
    return next(line.split()[0] for line in shown.getvalue().splitlines() if line.startswith("L0") or line[:2] == "L1")


CASES: dict[str, tuple[Case, int]] = {
    "check: rows": (rows, 10),
    "preview: rows": (previewed, 10),
    "check: sheets": (sheets, 20),
    "check: files": (files, 20),
    "inspect: columns": (columns, 10),
    "check: mappings": (mappings, 20),
    "check: spellings": (spellings, 20),
    "check --all: findings": (findings, 10),
    "check: price periods": (periods, 20),
    "preview: documents": (documents, 10),
    "undo: documents": (undone, 10),
    "history: loads": (loads, 10),
}


@contextlib.contextmanager
def workspace() -> Iterator[None]:
    here = Path.cwd()
    with tempfile.TemporaryDirectory() as folder:
        os.chdir(folder)
        kotrel("init", ".", "--yes")
        try:
            yield
        finally:
            os.chdir(here)


def timed(case: Case, number: int, rounds: int) -> float:
    best = float("inf")
    for _ in range(rounds):
        words = case(number)
        begun = time.perf_counter()
        kotrel(*words)
        best = min(best, time.perf_counter() - begun)
    return best


def run(wanted: list[str]) -> int:
    worst = 0.0
    for name, (case, number) in CASES.items():
        if wanted and not any(word in name for word in wanted):
            continue
        rounds = 1 if name.startswith(("undo", "history")) else ROUNDS
        with workspace():
            timed(case, max(1, number // 4), 1)  # what is imported and made once
            small, large = timed(case, number, rounds), timed(case, 4 * number, rounds)
        worst = max(worst, large / small)
        print(
            f"{name:<24} n {small:7.3f} s   4n {large:7.3f} s   {large / small:5.2f}×{'   too much' if large / small > MOST else ''}",
            flush=True,
        )
    return 1 if worst > MOST else 0


if __name__ == "__main__":
    sys.exit(run(sys.argv[1:]))
