"""Whole damaged sheets through the pipeline, each cell of the judged column against what was meant."""

from __future__ import annotations

import random
import tempfile
from decimal import Decimal, InvalidOperation
from pathlib import Path

import polars as pl
from msgspec.structs import replace

from benchmarks.damage.classes import ASK, KEEP
from benchmarks.damage.trial import TODAY, Memory, Tally, system
from benchmarks.damage.whole_sheets import SHEETS, Sheet
from kotrel.core.columns import ROW
from kotrel.core.loading.load_model import Business, SheetRows
from kotrel.core.loading.pipeline import check_parts
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.rows.load_options import LoadOptions
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.table import Grid, letter_of
from kotrel.core.values.conventions import Conventions
from kotrel.sheets.opening_files import open_sheets

EUR = Conventions(currency="EUR")


class Held(Memory):
    """The practice system's data, and what a sheet says is there besides."""

    def __init__(self, sheet: Sheet) -> None:
        self.data = dict(system()[1].data)
        for record, rows in sheet.there.items():
            more = pl.DataFrame(rows, schema=dict.fromkeys({name for row in rows for name in row}, pl.String))
            self.data[record] = pl.concat([self.data[record], more], how="diagonal")


def _grid(sheet: Sheet) -> Grid:
    if sheet.as_text is not None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "trial.csv"
            path.write_text("\n".join([*sheet.as_text, ""]), encoding="utf-8")
            return open_sheets(path)[0]
    letters = {letter_of(n): [heading, *cells] for n, (heading, cells) in enumerate(sheet.columns.items())}
    kinds: dict[str, str | pl.Series] = {
        letter_of(n): pl.Series(["text", *sheet.kinds[heading]]) if heading in sheet.kinds else "text"
        for n, heading in enumerate(sheet.columns)
    }
    cells = pl.DataFrame(letters, schema=dict.fromkeys(letters, pl.String))
    return Grid("trial.xlsx", "Trial", cells.with_columns(pl.all().replace("", None)), kinds)


def read(sheet: Sheet) -> Rows:
    """The sheet as Kotrel reads and checks it."""
    description = system()[0]
    record = description.records[sheet.record]
    table = find_table(_grid(sheet), 1)
    matched = match_headings(table, record)
    if "Vendor's code" in sheet.columns:
        made = replace(matched.sources["code"], make="'MADE-' + next(5)")
        matched = replace(matched, sources={**matched.sources, "code": made})
    options = LoadOptions(new_codes=sheet.new_codes)
    business = Business(description, EUR, options)
    [done] = check_parts([SheetRows(understand(table, matched, EUR, TODAY))], business, Held(sheet), lambda _: None)
    return done.rows


def try_whole(make: object, seed: int, tally: Tally) -> None:
    """Makes one sheet of a class, reads it, and judges each cell of its column."""
    name = make.__name__.replace("_", " ")  # type: ignore[attr-defined]
    pick = random.Random(f"{name} {seed}")
    sheet: Sheet = make(pick)  # type: ignore[operator]
    rows = read(sheet)
    field, heading = sheet.judged
    about = rows.record.fields[field]
    lines = rows.values[ROW].to_list()
    found = dict(zip(lines, rows.values[field].to_list(), strict=True)) if field in rows.values.columns else {}
    said = {row: group.severity for group in rows.findings for row in group.cells[ROW] if group.severity != "note"}
    errors = {row for group in rows.findings for row in group.cells[ROW] if group.severity == "error"}
    whole = 0 in errors
    for n, true in enumerate(sheet.truth):
        row = n + 2
        got = found.get(row)
        stands = sheet.columns[heading][n] if heading in sheet.columns else true
        what = f"{stands!r} → {got!r}, not {true!r}"
        right = row in found and _same(got, true, about.is_decimal)
        if sheet.wanted == ASK and n in sheet.damaged:
            right = right and row not in errors
        told = row in said or whole
        if n not in sheet.damaged:
            if not right:
                tally.add("SILENT" if not told else "told", name, what)
            else:
                tally.add("false finding" if row in errors and sheet.wanted != ASK else "clean", name, what)
        elif right:
            if sheet.wanted == KEEP and row in errors and sheet.new_codes:
                tally.add("false finding", name, what)
            else:
                tally.add("kept" if sheet.wanted == KEEP else "mended", name, what)
        elif row in found and got is not None and not _same(got, stands, about.is_decimal) and row not in errors:
            tally.add("WRONG REPAIR", name, what)
        elif not told:
            tally.add("SILENT", name, what)
        else:
            tally.add("told" if sheet.wanted == ASK else "not mended", name, what)


def _same(got: str | None, true: str | None, is_decimal: bool) -> bool:
    if is_decimal and got is not None and true is not None:
        try:
            return Decimal(got) == Decimal(true)
        except InvalidOperation:
            return False
    return got == true


def run_whole(sheets: int, seed: int) -> Tally:
    """Tries a number of sheets of each class."""
    tally = Tally()
    for make in SHEETS:
        for number in range(sheets):
            try_whole(make, seed * 1000 + number, tally)
    return tally
