"""Measures Kotrel against plain baselines, both in one run, and prints a table of ratios.

    python -m benchmarks.run                 all lines, a million rows
    python -m benchmarks.run --rows 100000   quicker, for a first look
    python -m benchmarks.run check load      only the lines whose name has one of these words

Speed differs from machine to machine and from hour to hour; the ratio of two things measured in turn differs little.
"""

from __future__ import annotations

import argparse
import os
import platform
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from importlib.metadata import version
from pathlib import Path

from benchmarks import counts, data, prices, stock, uploads
from benchmarks.databases import MariaBench, PostgresBench, ServerBench, SqliteBench
from benchmarks.timing import Timed, kotrel, process, python

MOST_MEGABYTES = 1_000
"""What a check, a preview, a load or an undo of a million rows may take."""

MOST_OF_A_LARGE_FILE = 1_500
"""What the check of a file of any length may take."""


@dataclass(frozen=True)
class Line:
    """One line of the table: what, against what, and the ratio it must not pass."""

    name: str
    ours: Timed
    baseline: str
    theirs: Timed
    at_most: float
    most_megabytes: float = 0

    @property
    def ratio(self) -> float:
        return self.ours.seconds / self.theirs.seconds

    @property
    def is_too_much(self) -> bool:
        """Whether it takes more memory than it may."""
        return bool(self.most_megabytes) and self.ours.megabytes > self.most_megabytes

    def __str__(self) -> str:
        verdict = "TOO SLOW" if self.ratio > self.at_most else "TOO MUCH" if self.is_too_much else "ok"
        memory = f"{self.ours.megabytes:,.0f} MB" if self.ours.megabytes else ""
        return (
            f"{self.name:<48} {self.ours.seconds:8.2f} s   {self.baseline:<34} {self.theirs.seconds:8.2f} s"
            f"   {self.ratio:6.2f}×  (at most {self.at_most:g}×)  {verdict:<8} {memory}"
        )


class Bench:
    """The lines, each measured when asked for."""

    def __init__(self, folder: Path, rows: int, runs: int) -> None:
        self.folder = folder
        self.rows = rows
        self.runs = runs

    def version(self) -> list[Line]:
        ours = process(kotrel("--version"), self.folder, 15)
        theirs = process(python("-c", "pass"), self.folder, 15)
        return [Line("kotrel --version", ours, "python -c pass", theirs, 3)]

    def everyday(self) -> list[Line]:
        """What somebody waits for each time: forty rows, and a question, on the practice system."""
        state = SqliteBench(self.folder / "everyday", 40)
        sheet = self.folder / "forty.csv"
        data.write_items(sheet, 40)
        theirs = process(python("-c", "import polars"), self.folder, self.runs * 3)
        asked: dict[str, tuple[float, tuple[str, ...]]] = {
            "check of 40 rows": (1.4, ("check", str(sheet))),
            "preview of 40 rows": (1.6, ("preview", str(sheet))),
            "records": (1, ("records",)),
            "history": (1, ("history",)),
            "price": (1, ("price", "ROP-00010")),
            "stock of an item": (1, ("stock", "ROP-00010")),
        }
        return [
            Line(name, process(kotrel(*words), state.folder, self.runs * 3), "import polars", theirs, at_most)
            for name, (at_most, words) in asked.items()
        ]

    def check(self) -> list[Line]:
        state = SqliteBench(self.folder / "check", self.rows)
        state.fill(data.items(self.rows))
        sheet = self.folder / "items.csv"
        data.write_items(sheet, self.rows)
        name = f"check {self.rows:,} × 20 CSV against as many"
        ours = process(kotrel("check", str(sheet)), state.folder, self.runs)
        read = python("-c", f"import polars; polars.read_csv({str(sheet)!r}, infer_schema=False)")
        theirs = process(read, self.folder, self.runs)
        pandas = process(
            python("-m", "benchmarks.pandas_check", str(sheet), str(state.file)), Path.cwd(), max(self.runs // 2, 1)
        )
        return [
            Line(name, ours, "Polars reading it as text", theirs, 2, MOST_MEGABYTES),
            Line(name, ours, "pandas, the same rules", pandas, 0.3),
        ]

    def workbook(self) -> list[Line]:
        rows = max(self.rows // 5, 1000)
        state = SqliteBench(self.folder / "workbook", rows)
        sheet = self.folder / "items.xlsx"
        data.write_workbook(sheet, rows)
        ours = process(kotrel("check", str(sheet)), state.folder, self.runs)
        read = f"from python_calamine import CalamineWorkbook as W; W.from_path({str(sheet)!r}).get_sheet_by_index(0).to_python()"
        theirs = process(python("-c", read), self.folder, self.runs)
        return [Line(f"check {rows:,} × 20 xlsx", ours, "python-calamine handing it over", theirs, 1.1)]

    def large(self) -> list[Line]:
        """A file that is read in parts: twenty prices for each item."""
        ours, theirs = prices.in_parts(self.folder / "large_file", self.rows, max(self.runs // 3, 1))
        name = f"check {self.rows * prices.LISTS:,} prices, read in parts"
        return [Line(name, ours, "Polars reading them as text", theirs, 20, MOST_OF_A_LARGE_FILE)]

    def load_sqlite(self) -> list[Line]:
        bench = SqliteBench(self.folder / "sqlite", self.rows)
        sheet = self.folder / "new.csv"
        data.write_items(sheet, self.rows)
        theirs = bench.plain_insert(data.items(self.rows), self.runs)
        ours = process(kotrel("load", str(sheet), "--yes"), bench.folder, self.runs, bench.start_again)
        undone = process(kotrel("undo", "L0001", "--yes"), bench.folder, self.runs, bench.as_it_is())
        return [
            Line(f"load {self.rows:,} new items, SQLite", ours, "one executemany", theirs, 1.5, MOST_MEGABYTES),
            Line(f"undo of {self.rows:,} new items, SQLite", undone, "the load itself", ours, 1, MOST_MEGABYTES),
        ]

    def round_trip(self) -> list[Line]:
        state = SqliteBench(self.folder / "round_trip", self.rows)
        state.fill(data.items(self.rows))
        fields = ",".join(data.items(1).columns)
        subprocess.run(
            kotrel("export", "item", "-o", "out.csv", "--fields", fields),
            cwd=state.folder,
            check=True,
            stdout=subprocess.DEVNULL,
        )
        two = process(kotrel("preview", "out.csv"), state.folder, self.runs)
        three = process(kotrel("preview", "out.csv", "--since", "out.csv"), state.folder, self.runs)
        name = f"compare {self.rows:,} × 20 three ways (export, now, sheet)"
        checked = process(kotrel("check", "out.csv"), state.folder, self.runs)
        changed = state.folder / "changed.csv"
        data.write_items(changed, self.rows, cents=1)
        shown = process(kotrel("preview", str(changed)), state.folder, max(self.runs // 2, 1))
        return [
            Line(name, three, "two ways (now, sheet)", two, 1, MOST_MEGABYTES),
            Line(f"preview of the same {self.rows:,} items", two, "check of them", checked, 2, MOST_MEGABYTES),
            Line(f"preview of {self.rows:,} items with new prices", shown, "check of them", checked, 5, MOST_MEGABYTES),
        ]

    def load_postgresql(self) -> list[Line]:
        bench = PostgresBench(self.folder / "postgresql", self.folder / "server")
        return self._loads(bench, "PostgreSQL", "bare COPY, keys on", "UPDATE … FROM a staged table", (1.5, 1, 1.3))

    def load_mariadb(self) -> list[Line]:
        bench = MariaBench(self.folder / "mariadb")
        plain = "bare inserts of many rows, keys on"
        return self._loads(bench, "MariaDB", plain, "joined UPDATE from a staged table", (2.5, 1.5, 2))

    def _loads(
        self, bench: ServerBench, system: str, plain: str, update: str, at_most: tuple[float, float, float]
    ) -> list[Line]:
        """A load of new items, its undo, and a load of changed ones, on a server, with the limit of each."""
        loading, undoing, changing = at_most
        new, changed = self.folder / "new.csv", self.folder / "changed.csv"
        data.write_items(new, self.rows)
        data.write_items(changed, self.rows, cents=1)
        runs = max(self.runs // 2, 1)
        inserted = bench.plain_insert(data.items(self.rows), runs)
        loaded = process(kotrel("load", str(new), "--yes"), bench.folder, runs, bench.start_again)
        undone = process(kotrel("undo", "L0001", "--yes"), bench.folder, 1)
        updated = bench.plain_update(data.items(self.rows), data.items(self.rows, cents=1), runs)
        reloaded = process(
            kotrel("load", str(changed), "--yes"), bench.folder, runs, lambda: bench.start_again(data.items(self.rows))
        )
        return [
            Line(f"load {self.rows:,} new items, {system}", loaded, plain, inserted, loading),
            Line(f"undo of {self.rows:,} new items, {system}", undone, "the load itself", loaded, undoing),
            Line(f"load {self.rows:,} changed items, {system}", reloaded, update, updated, changing),
        ]

    def small(self) -> list[Line]:
        """A small sheet in a large system, and the first page of a large load."""
        few, many = SqliteBench(self.folder / "few", 1000), SqliteBench(self.folder / "many", self.rows)
        few.fill(data.items(1000))
        many.fill(data.items(self.rows))
        sheet = self.folder / "hundred.csv"
        data.write_items(sheet, 100, cents=1)
        ours, theirs = (process(kotrel("check", str(sheet)), each.folder, self.runs * 3) for each in (many, few))
        checked = Line(f"check 100 rows against {self.rows:,} items", ours, "the same against 1,000", theirs, 2)
        odd, same = self.folder / "odd.csv", self.folder / "same.csv"
        odd.write_text(
            "code,cost\n" + "".join(f"{'ITM' if n % 3 else 'ITX'}-{n:08},{n}.50\n" for n in range(450)), "utf-8"
        )
        same.write_text("code,cost\n" + "".join(f"SAME,{n}.50\n" for n in range(30_000)), "utf-8")
        wrong, usual, doubled = (
            process(_refusing(kotrel("check", str(file))), each.folder, self.runs)
            for file, each in ((odd, many), (odd, few), (same, few))
        )
        pages = []
        for rows, bench in (
            (self.rows, SqliteBench(self.folder / "large", 1)),
            (100, SqliteBench(self.folder / "hundred", 1)),
        ):
            new = bench.folder / "new.csv"
            data.write_items(new, rows)
            subprocess.run(kotrel("load", str(new), "--yes"), cwd=bench.folder, check=True, stdout=subprocess.DEVNULL)
            pages.append(process(kotrel("outcome", "L0001"), bench.folder, self.runs * 3))
        return [
            checked,
            Line(f"check 150 unknown codes against {self.rows:,} items", wrong, "the same against 1,000", usual, 6),
            Line("check 30,000 rows with one code", doubled, "450 rows", usual, 6),
            Line(f"outcome of {self.rows:,} rows, first page", pages[0], "of 100 rows", pages[1], 2),
        ]

    def reprice(self) -> list[Line]:
        rows = max(self.rows // 5, 1000)
        exact, floats = prices.arithmetic(self.rows, self.runs)
        ours, theirs = prices.whole(self.folder / "reprice", rows, self.runs)
        return [
            Line(f"reprice {self.rows:,} prices exactly", exact, "float multiply and round", floats, 5),
            Line(f"reprice {rows:,} items from cost to workbook", ours, "writing that workbook", theirs, 1.5),
        ]

    def stock(self) -> list[Line]:
        lines, ledger = max(self.rows // 10, 1000), self.rows * 10
        bench = stock.bench_of(self.folder)
        ours, copied = stock.opening(bench, lines, self.runs)
        stock.fill_ledger(bench, 10_000)
        _, _, small = stock.sums(bench, self.runs)
        stock.fill_ledger(bench, ledger)
        whole, plain, one = stock.sums(bench, self.runs)
        return [
            Line(f"load {lines:,} opening lines with lots, PostgreSQL", ours, "bare COPY of lines and lots", copied, 3),
            Line(f"stock by item of {ledger:,} movements", whole, "a plain SQL sum", plain, 1.2),
            Line(f"stock of one item of {ledger:,} movements", one, "the same of 10,000", small, 3),
        ]

    def count(self) -> list[Line]:
        """Physical counts: freeze, and collecting workbooks with their variance."""
        places = self.rows
        sheets = max(places // 5_000, 1)
        bench = stock.bench_of(self.folder)
        frozen, copied = counts.freezing(bench, places, self.runs)
        both, read = counts.collecting(bench, sheets, self.runs)
        return [
            Line(f"count freeze of {places:,} places", frozen, "a plain SQL copy", copied, 2),
            Line(f"count collect + variance, {sheets} × 5,000 lines", both, "reading the workbooks", read, 2),
        ]

    def whole_count(self) -> list[Line]:
        """A physical count from its sheets to its posting."""
        places, sheets = min(self.rows, 20_000), 40
        bench = stock.bench_of(self.folder)
        counts.freezing(bench, places, 1)
        ours, plain = counts.whole_count(bench, sheets)
        name = f"count sheets to post, {places:,} places on {sheets} sheets"
        return [Line(name, ours, "writing and reading the workbooks", plain, 1.5)]

    def service(self) -> list[Line]:
        ours, direct = uploads.over_http(self.folder, self.rows, max(self.runs // 2, 1))
        return [Line(f"load {self.rows:,} new items over HTTP", ours, "the direct load into PostgreSQL", direct, 2)]

    def write(self) -> list[Line]:
        ours, plain = uploads.written(self.folder, self.rows, self.runs)
        return [Line(f"write {self.rows:,} × 20 as text", ours, "Polars reading and writing it", plain, 1.5)]


def _refusing(command: list[str]) -> list[str]:
    """A command that ends with 1 for what it finds, as one that ends well."""
    return python("-c", f"import subprocess, sys; sys.exit(subprocess.run({command!r}).returncode - 1)")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("words", nargs="*", help="only lines whose name has one of these words")
    parser.add_argument("--rows", type=int, default=1_000_000)
    parser.add_argument("--runs", type=int, default=3)
    args = parser.parse_args()
    folder = Path(tempfile.mkdtemp(prefix="kotrel-bench-"))
    bench = Bench(folder, args.rows, args.runs)
    lines: dict[str, Callable[[], list[Line]]] = {
        "version": bench.version,
        "everyday": bench.everyday,
        "check": bench.check,
        "check workbook": bench.workbook,
        "large file": bench.large,
        "round trip": bench.round_trip,
        "load sqlite": bench.load_sqlite,
        "load postgresql": bench.load_postgresql,
        "load mariadb": bench.load_mariadb,
        "small": bench.small,
        "reprice": bench.reprice,
        "stock": bench.stock,
        "count": bench.count,
        "whole count": bench.whole_count,
        "service": bench.service,
        "write": bench.write,
    }
    if unknown := [word for word in args.words if not any(word in name for name in lines)]:
        parser.error(f"no line is called {', '.join(unknown)}; there are: {', '.join(lines)}")
    packages = ", ".join(
        f"{name} {version(name)}" for name in ("kotrel", "polars", "python-calamine", "psycopg", "sqlalchemy")
    )
    print(
        f"{platform.machine()}, {os.cpu_count()} cores, {platform.system()}, Python {platform.python_version()}, {packages}",
        flush=True,
    )
    slow = 0
    try:
        for name, measure in lines.items():
            if args.words and not any(word in name for word in args.words):
                continue
            for line in measure():
                print(line, flush=True)
                slow += line.ratio > line.at_most or line.is_too_much
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    return 1 if slow else 0


if __name__ == "__main__":
    sys.exit(main())
