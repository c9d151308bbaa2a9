"""Physical counts: the freeze against a plain SQL copy,
and collecting many sheets with the variance against reading them.
"""

from __future__ import annotations

import subprocess
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

import polars as pl

from benchmarks.databases import PostgresBench
from benchmarks.stock import LEDGER, fill_places
from benchmarks.timing import Timed, call, kotrel, process, python
from kotrel.systems.opening_systems import database_at

READ = """
import sys, pathlib, python_calamine
for path in sorted(pathlib.Path(sys.argv[1]).glob("*.xlsx")):
    python_calamine.CalamineWorkbook.from_path(path).get_sheet_by_index(0).to_python()
"""


def freezing(bench: PostgresBench, places: int, runs: int) -> tuple[Timed, Timed]:
    """``count freeze`` of so many places, and a table made of them by one statement."""
    fill_places(bench, places)

    def drop() -> None:
        subprocess.run(kotrel("count", "drop", "all"), cwd=bench.folder, capture_output=True, check=False)

    ours = process(kotrel("count", "freeze", "all", "--trading"), bench.folder, runs, drop)

    def copy() -> None:
        database = database_at(bench.url, bench.folder)()
        database.run("DROP TABLE IF EXISTS practice.frozen")
        database.run(
            "CREATE TABLE practice.frozen AS SELECT item, warehouse, bin, lot, serial, sum(quantity) AS quantity, sum(value) AS value "
            f"FROM {LEDGER} GROUP BY item, warehouse, bin, lot, serial"
        )
        database.run("DROP TABLE practice.frozen")
        database.close()

    return ours, call(copy, runs)


def sheets_as_text(bench: PostgresBench, sheets: int) -> list[Path]:
    """So many count sheets of the count ``all``, as text files."""
    folder = bench.folder / "sheets"
    subprocess.run(
        kotrel("count", "sheets", "all", "--split", str(sheets), "--text", "-o", str(folder), "--quiet"),
        cwd=bench.folder,
        check=True,
        stdout=subprocess.DEVNULL,
    )
    return sorted(folder.glob("*.csv"))


def fill_in(texts: Sequence[Path]) -> None:
    """Writes a workbook beside each sheet, filled in: every fiftieth line is one short."""
    import xlsxwriter

    for text in texts:
        frame = pl.read_csv(text, infer_schema=False)
        expected = pl.col("Expected").cast(pl.Float64)
        counted = pl.when(pl.int_range(pl.len()) % 50 == 0).then(expected - 1).otherwise(expected)
        frame = frame.with_columns(
            counted.alias("Counted"), pl.lit("Ola").alias("Counter"), pl.lit(f"{datetime.now():%H:%M}").alias("Time")
        )
        book = xlsxwriter.Workbook(text.with_suffix(".xlsx"), {"constant_memory": True, "strings_to_numbers": False})
        out = book.add_worksheet("Count")
        for row, values in enumerate([frame.columns, *frame.iter_rows()]):
            out.write_row(row, 0, values)
        book.close()


def write_sheets(bench: PostgresBench, sheets: int) -> Path:
    """So many workbooks of the count ``all``, filled in."""
    texts = sheets_as_text(bench, sheets)
    fill_in(texts)
    for text in texts:
        text.unlink()
    return bench.folder / "sheets"


def whole_count(bench: PostgresBench, sheets: int) -> tuple[Timed, Timed]:
    """The sheets of a count that is frozen, collecting them filled in, their variance, and posting it;
    and writing the same workbooks and reading them.
    """
    texts = sheets_as_text(bench, sheets)
    written = call(lambda: fill_in(texts), 1)
    folder = bench.folder / "sheets"
    files = [str(text.with_suffix(".xlsx")) for text in texts]
    steps = (
        ("sheets", "all", "--split", str(sheets), "-o", str(bench.folder / "again"), "--quiet"),
        ("collect", "all", *files, "--quiet"),
        ("variance", "all", "--quiet"),
        ("post", "all", "--yes", "--quiet"),
    )
    done = [process(kotrel("count", *words), bench.folder, 1) for words in steps]
    read = process(python("-c", READ, str(folder)), bench.folder, 1)
    ours = Timed(sum(each.seconds for each in done), max(each.megabytes for each in done))
    return ours, Timed(written.seconds + read.seconds, 0)


def collecting(bench: PostgresBench, sheets: int, runs: int) -> tuple[Timed, Timed]:
    """``count collect`` of so many workbooks and ``count variance``, and reading the same workbooks."""
    folder = write_sheets(bench, sheets)
    files = [str(path) for path in sorted(folder.glob("*.xlsx"))]
    kept = (bench.folder / ".kotrel" / "counts" / "all.count").read_bytes()

    def again() -> None:
        (bench.folder / ".kotrel" / "counts" / "all.count").write_bytes(kept)

    collect = process(kotrel("count", "collect", "all", *files, "--quiet"), bench.folder, runs, again)
    variance = process(kotrel("count", "variance", "all", "--quiet"), bench.folder, runs)
    both = Timed(collect.seconds + variance.seconds, max(collect.megabytes, variance.megabytes))
    return both, process(python("-c", READ, str(folder)), bench.folder, runs)
