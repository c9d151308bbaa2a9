"""A hand scanner's list as rows of a count sheet: a code in each line, with or without a quantity,
added up by place.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import polars as pl
from msgspec import Struct

from kotrel.core.columns import ROW
from kotrel.core.counting.variance import CountPlace
from kotrel.core.description.model import Record
from kotrel.core.errors import OutOfReach
from kotrel.core.resolving.other_codes import known_as
from kotrel.core.rows.findings import cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.sources import Source
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.code_formats import gtin_forms
from kotrel.core.values.numbers import Read, mark_of, read_number
from kotrel.core.values.same_writing import same_form
from kotrel.core.values.scans import Scan, read_scan
from kotrel.sheets.encodings import as_utf8
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace

_PARTED = re.compile(r"^(.*?)[;,\t|]\s*\"?([-+]?[0-9][0-9.,'’ ]*)\"?\s*$")
_QUANTITY_TROUBLES = {
    "ambiguous": "its quantity can be read two ways: say --decimal comma or --decimal point",
    "other-mark": "its quantity has another decimal mark than the other lines",
}
LIKELY = 0.6
"""Of the lines of a scanner's list at least so many are codes that are known."""


class _Line(Struct, frozen=True):
    row: int
    text: str
    scan: Scan | None
    quantity: Decimal | None
    trouble: str = ""


def scanned_rows(
    path: Path,
    record: Record,
    reading: Reading,
    workspace: Workspace,
    places: Sequence[CountPlace],
    warehouse: str | None,
    bin_: str | None,
) -> Rows | None:
    """The rows, or None where the file is no list of known codes."""
    if path.suffix.lower() not in (".txt", ".csv", ".tsv", ".dat", ""):
        return None
    try:
        # Not every line end of Unicode is one: a scanner separates elements by one of them.
        texts = re.split("\r\n|\n|\r", as_utf8(path.read_bytes(), str(path))[0].decode("utf-8", "replace"))
    except (OSError, OutOfReach):
        return None
    lines = _lines([(number, text) for number, text in enumerate(texts, start=1) if text.strip()], workspace)
    if not lines:
        return None
    known = _codes({line.scan.code for line in lines if line.scan is not None}, reading, workspace)
    hits = sum(1 for line in lines if line.scan is not None and line.scan.code in known)
    if hits < len(lines) * LIKELY:
        return None
    return _summed(path, lines, known, record, places, warehouse, bin_)


def _lines(texts: Sequence[tuple[int, str]], workspace: Workspace) -> list[_Line]:
    """The lines: a code each, or a code and a quantity behind a separator; quantities are read as those of a column."""
    bare = [(number, text.strip("\r\n ")) for number, text in texts]
    parted = [_PARTED.match(text) for _, text in bare]
    setting = workspace.conventions.decimal_mark
    mark = mark_of([each[2] for each in parted if each]).deciding if setting == "auto" else setting
    lines = []
    for (number, text), parts in zip(bare, parted, strict=True):
        scan = read_scan((parts[1] if parts else text).strip().strip('"'), date.today())
        read = read_number(parts[2], mark) if parts else Read(Decimal(1))
        amount = None if read.trouble else read.value
        if amount is not None and scan is not None and scan.quantity is not None:
            amount *= scan.quantity
        lines.append(_Line(number, text, scan, amount, read.trouble))
    return lines


def _codes(codes: set[str], reading: Reading, workspace: Workspace) -> dict[str, tuple[str, str | None]]:
    """Scanned code → item and the unit that has that code; codes that lead to two items or units are left out."""
    ledger = workspace.description.stock_places
    assert ledger is not None
    item = workspace.description.records[str(ledger.fields["item"].to)]
    key = item.key[0]
    forms = gtin_forms(pl.Series("code", sorted(codes), dtype=pl.String))
    asked = forms["form"].unique().sort().alias("code")
    code_of: dict[str, tuple[str, str | None]] = {
        code: (code, None) for code in reading.read(item.name, [key], (key, asked))[key] if code in codes
    }
    state = SystemState(workspace.description, reading.read)
    meant = known_as(item, asked, state)
    for code, items in meant.items():
        if len(items) == 1:
            code_of.setdefault(code, (next(iter(items)), None))
    barcodes = workspace.description.records.get("item_barcode")
    if barcodes is not None and {"barcode", "item", "unit"} <= set(barcodes.fields):
        units: dict[str, set[tuple[str, str]]] = {}
        for code, of, unit in (
            reading.read("item_barcode", ["barcode", "item", "unit"], ("barcode", asked)).drop_nulls().iter_rows()
        ):
            units.setdefault(code, set()).add((of, unit))
        for code, packs in units.items():
            known = (
                {of for of, _ in packs} | set(meant.get(code, ())) | ({code_of[code][0]} if code in code_of else set())
            )
            code_of.pop(code, None)
            if len(known) == len(packs) == 1:
                code_of[code] = packs.pop()
    found: dict[str, tuple[str, str | None]] = {}
    for code, form in forms.iter_rows():
        if form in code_of:
            found.setdefault(code, code_of[form])
    return found | _otherwise_written(sorted(codes - set(code_of)), item, state)


def _otherwise_written(codes: Sequence[str], item: Record, state: SystemState) -> dict[str, tuple[str, str | None]]:
    """Codes that are an item's own in other capitals or with other separators, as :func:`which_row` finds them."""
    if not codes:
        return {}
    every = state.whole(item, item.key[0]).drop_nulls().unique()
    written: dict[str, list[str]] = {}
    for form, code in zip(same_form(every), every, strict=True):
        written.setdefault(form, []).append(code)
    found: dict[str, tuple[str, str | None]] = {}
    for code, form in zip(codes, same_form(pl.Series(codes, dtype=pl.String)), strict=True):
        if len(meant := written.get(form, [])) == 1:
            found[code] = (meant[0], None)
    return found


def _trouble_of(line: _Line, known: bool) -> str:
    """Why a scanned line cannot be counted, in words; an empty text where it can."""
    if line.scan is None:
        return "this is neither a code nor an element string"
    if not known:
        return "no item has this code"
    if line.scan.measure:
        what = "a price" if line.scan.measure.startswith("39") else "a weight or another measure"
        return f"it has {what} in it (GS1 {line.scan.measure}), which is not read: enter the quantity by hand"
    if line.quantity is None:
        return _QUANTITY_TROUBLES.get(line.trouble, "its quantity is not a number")
    return ""


def _summed(
    path: Path,
    lines: Sequence[_Line],
    known: Mapping[str, tuple[str, str | None]],
    record: Record,
    places: Sequence[CountPlace],
    warehouse: str | None,
    bin_: str | None,
) -> Rows:
    """The lines added up by item, unit, lot and serial number, each at its place;
    what is not known is an error at its line.
    """
    column = Column("A", "Scanned")
    sums: dict[tuple[str, str | None, str | None, str | None, str | None], tuple[int, Decimal]] = {}
    bad: list[tuple[int, str]] = []
    where = _bins(places, warehouse)
    for line in lines:
        found = known.get(line.scan.code) if line.scan is not None else None
        if (trouble := _trouble_of(line, found is not None)) or line.scan is None or found is None:
            bad.append((line.row, trouble))
            continue
        item, unit = found
        place = bin_ or where.get((item, line.scan.lot, line.scan.serial)) or where.get((item, None, None))
        if place == "":
            bad.append((line.row, f"{item} is in several bins: say which one was scanned (--bin)"))
            continue
        key = (item, unit, place, line.scan.lot, line.scan.serial)
        first, amount = sums.get(key, (line.row, Decimal(0)))
        sums[key] = (first, amount + (line.quantity or 0))
    rows: list[list[Any]] = [
        [first, item, unit, place, lot, serial, f"{amount:f}"]
        for (item, unit, place, lot, serial), (first, amount) in sums.items()
    ]
    texts = {line.row: line.text for line in lines}
    firsts = [int(row[0]) for row in rows]
    cells = pl.DataFrame(
        {ROW: firsts, "A": list(map(texts.__getitem__, firsts))}, schema={ROW: pl.UInt32, "A": pl.String}
    )
    table = Table(str(path), "", 0, (column,), cells, {"A": "text"})
    schema = {ROW: pl.UInt32, **dict.fromkeys(("item", "unit", "bin", "lot", "serial", "counted"), pl.String)}
    made = Rows(
        table, record, {"item": "A"}, pl.DataFrame(rows, schema=schema, orient="row"), sources={"item": Source(("A",))}
    )
    if bad:
        where_bad, messages = zip(*bad, strict=True)
        table_of = cells_of(where_bad, list(map(texts.__getitem__, where_bad)), messages)
        made = made.with_findings(
            [made.group("error", "unknown-code", "scanned lines that cannot be counted", None, table_of)]
        )
    return made


def _bins(places: Sequence[CountPlace], warehouse: str | None) -> dict[tuple[str, str | None, str | None], str | None]:
    """Item (and lot, serial) → its only bin in the count; an empty text where it has several."""
    bins_of: dict[tuple[str, str | None, str | None], set[str | None]] = {}
    for place in places:
        if warehouse in (None, place.warehouse):
            bins_of.setdefault((place.item, None, None), set()).add(place.bin)
            bins_of.setdefault((place.item, place.lot, place.serial), set()).add(place.bin)
    return {key: next(iter(bins)) if len(bins) == 1 else "" for key, bins in bins_of.items()}
