"""Whole workbooks as people lay them out, through the reader and all checks:
which rows are taken, against which are items.
"""

from __future__ import annotations

import random
import tempfile
from decimal import Decimal
from pathlib import Path

import openpyxl

from benchmarks.damage.table_sheets import LAYOUTS, Layout
from benchmarks.damage.trial import TODAY, Tally
from kotrel.cli import main as kotrel
from kotrel.core.columns import ROW
from kotrel.core.errors import KotrelError
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.checking import check_files
from kotrel.workspace.settings import Workspace, open_workspace

FIELDS = ("code", "description", "unit", "category", "cost", "price")


def run_tables(sheets: int, seed: int) -> Tally:
    """Tries a number of sheets of each layout."""
    tally = Tally()
    with tempfile.TemporaryDirectory() as folder:
        import contextlib
        import io

        with contextlib.redirect_stdout(io.StringIO()):
            kotrel(["init", folder])
        workspace = open_workspace(Path(folder))
        for make in LAYOUTS:
            for number in range(seed, seed + sheets):
                layout = make(random.Random(f"{make.__name__} {number}"))
                path = Path(folder) / "sheet.xlsx"
                _write(layout, path)
                _judge(make.__name__.replace("_", " "), layout, path, workspace, tally)
    return tally


def _write(layout: Layout, path: Path) -> None:
    book = openpyxl.Workbook()
    page = book.active
    for line in layout.lines:
        page.append(line)
    for area in layout.merged:
        page.merge_cells(area)
    book.save(path)


def _judge(name: str, layout: Layout, path: Path, workspace: Workspace, tally: Tally) -> None:
    """Counts each item that was taken as it is, told of, or lost; and each line taken for an item that is none."""
    try:
        checked = check_files([path], workspace, FileOptions(), TODAY, lambda _: None)
    except KotrelError as error:
        for _ in layout.items:
            tally.add("told", name, error.message)
        return
    items = [each.rows for each in checked if each.rows.record.name == "item" and each.consequence is None]
    wrong = {row for rows in items for row in rows.refused}
    said = " ".join(remark for each in checked for remark in each.remarks)
    taken = {
        row["row"]: tuple(row.get(field) for field in FIELDS)
        for rows in items
        for row in rows.values.rename({ROW: "row"}).iter_rows(named=True)
    }
    for row, item in layout.items.items():
        if row in taken and _same(taken[row], item):
            tally.add("false finding" if row in wrong else "clean", name, f"row {row}: {item}")
        else:
            told = row in wrong or f"row {row}" in said
            tally.add("told" if told else "SILENT", name, f"row {row}: {taken.get(row)} for {item}")
    for row in set(taken) - set(layout.items):
        tally.add("told" if row in wrong else "SILENT", name, f"row {row} is no item: {taken[row]}")
    for row, line in enumerate(layout.lines, start=1):
        if row not in taken and row not in layout.items and any(line) and row > min(layout.items):
            told = str(row) in said
            tally.add("left out" if told else "LEFT OUT IN SILENCE", name, f"row {row}: {line[:3]}")
    if any(each.rows.record.name != "item" for each in checked):
        tally.add("SILENT", name, f"read as {[each.rows.record.name for each in checked]}")


def _same(got: tuple[str | None, ...], true: tuple[str, ...]) -> bool:
    return got[:4] == true[:4] and all(
        one is not None and Decimal(one) == Decimal(other) for one, other in zip(got[4:], true[4:], strict=True)
    )
