"""The page about one load or undo: what it did, from the journal, and what became of it since."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.changes.journal import Entry, load_name
from kotrel.core.columns import ROW, before
from kotrel.core.description.in_words import shown
from kotrel.core.errors import KotrelError, WrongUse
from kotrel.core.loading.load_model import Preview
from kotrel.core.phrases import count, listed, listed_and
from kotrel.core.pricing.price_impact import price_stakes
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import Reader
from kotrel.loading.loads.history import when
from kotrel.loading.loads.verify import Verified, verify_load
from kotrel.reporting.load_changes import change_sections, changed_values, list_rest, row_sections
from kotrel.reporting.page import MOST_ROWS, Bar, Cell, Chart, Page, PageTable, Row, Section, Tone, number_cell
from kotrel.screen.amounts_shown import money_text, quantity_text
from kotrel.stock.on_hand import StockQuestion, stock
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace

WORDS = {"new": "new", "changed": "changed", "same": "unchanged", "removed": "removed", "refused": "refused"}


def load_page(workspace: Workspace, number: int, rest: Path, preview: Preview | None = None) -> Page:
    """The page of a load or an undo.

    Args:
        rest: where a workbook is written with what has no room on the page.
        preview: of a load that was done just now: what it corrected and filled in, which the journal does not keep.

    Raises:
        WrongUse: there is no such load.
    """
    system = workspace.system()
    entry = next((each for each in system.audited_history() if each.number == number), None)
    if entry is None:
        raise WrongUse(f"there is no load {load_name(number)}", "kotrel history lists them.", "no-such-load")
    with system.reading() as reading:
        changes = reading.changes_of(number)
        stakes = price_stakes(changes, workspace.description, _before(changes, reading), reading.ledger_sums)
        since = _later_loads(changes, reading, number)
    verified = _verified(workspace, entry)
    values = changed_values(changes)
    written = list_rest(values, changes, rest)
    sections = [
        _counts(entry),
        *_stock_effect(workspace, entry, changes),
        *_price_effect(stakes),
        *change_sections(values),
        *row_sections(changes, "new", "New rows"),
        *row_sections(changes, "removed", "Removed rows"),
        *_refused_sections(workspace, number),
        *_system_remarks(workspace, entry),
        *_corrected(preview),
        _remarks(entry, preview is not None),
        _afterwards(entry, verified, since),
    ]
    lead, tone = _lead(entry, verified)
    return Page(
        kind="Undo report" if entry.kind == "undo" else "Load report",
        title=f"{entry.name}: {f'undo of {load_name(entry.of)}' if entry.of else listed(_names(entry), 3)}",
        lead=lead,
        tone=tone,
        facts=_facts(workspace, entry),
        sections=[each for each in sections if each.tables or each.notes or each.words or each.charts],
        signed=True,
        rest=written,
    )


def _before(changes: Sequence[RecordChanges], reading: Reading) -> Reader:
    """Reads what the system holds, with this load taken back: new prices are compared with those that were in force."""

    def read(
        record: str,
        fields: Sequence[str],
        among: tuple[str, pl.Series] | None = None,
        filled: str | Sequence[str] | None = None,
    ) -> pl.DataFrame:
        mine = [each for each in changes if each.record.name == record]
        if not mine:
            return reading.read(record, fields, among, filled)
        key = list(mine[0].record.key)
        held_rows = reading.read(record, list(dict.fromkeys([*key, *fields])), among, filled)
        for each in mine:
            new = each.rows_of("new").select(key)
            changed = each.rows_of("changed")
            others = [name for name in fields if name in each.fields and name not in key]
            former = changed.select(*key, *(pl.col(before(name)).alias(name) for name in others))
            held_rows = held_rows.join(new, on=key, how="anti", nulls_equal=True)
            held_rows = held_rows.update(former, on=key, how="left", include_nulls=True) if others else held_rows
        return held_rows.select(fields)

    return read


MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)


def day_in_words(day: str) -> str:
    """``30 November 2026`` of an ISO date; a page is read by people of every country."""
    try:
        year, month, number = map(int, day.split("-"))
        return f"{number} {MONTHS[month - 1]} {year}"
    except (ValueError, IndexError):
        return day


def _names(entry: Entry) -> list[str]:
    return [Path(file).name for file in entry.files]


def _verified(workspace: Workspace, entry: Entry) -> Verified | None:
    """What the system holds of the load now; None where that is no question."""
    if entry.kind != "load" or entry.undone_by or entry.waiting or entry.trouble:
        return None
    try:
        return verify_load(workspace.system(), entry.number, lambda title: None)
    except KotrelError:
        return None


def _done_in_words(entry: Entry) -> str:
    """How many rows of a load came out how: “12 rows added, 3 changed”."""
    counted: Counter[str] = Counter()
    for numbers in entry.counts.values():
        counted.update(numbers)
    sums = [(WORDS[action], counted[action]) for action in ("new", "changed", "removed", "refused") if counted[action]]
    if not sums:
        return "Nothing was changed"
    (word, number), *others = sums
    return listed_and([f"{count(number, 'row')} {word}", *(f"{number:,} {word}" for word, number in others)])


def _lead(entry: Entry, verified: Verified | None) -> tuple[str, Tone]:
    day = day_in_words(when(entry.at)[:10])
    start = f"{_done_in_words(entry)} on {day}"
    if entry.kind == "refused":
        return f"Refused on {day}: nothing was loaded.", "bad"
    if entry.trouble:
        return f"{start}. Its journal cannot be relied on: {entry.trouble}.", "bad"
    if entry.undone_by:
        return f"{start}; taken back by {load_name(entry.undone_by)}.", "warn"
    if entry.waiting:
        return f"{start}; sent, and not answered yet.", "warn"
    if verified is None:
        return f"{start}.", ""
    if verified.ok:
        return f"{start}; still as loaded.", "good"
    different = verified.differences.height
    return (
        f"{start}; {count(different, 'value')} changed since." if different else f"{start}; not confirmed yet.",
        "warn",
    )


def _facts(workspace: Workspace, entry: Entry) -> list[tuple[str, str]]:
    facts = [
        ("When", when(entry.at)),
        ("Who", entry.who if entry.login in ("", entry.who) else f"{entry.who} (database user {entry.login})"),
        ("Why", entry.remark or "no reason given"),
        ("System", f"{workspace.description.title} ({workspace.system().name})"),
    ]
    if entry.files:
        facts.append(("Files", ", ".join(_names(entry))))
    if entry.fingerprint:
        facts.append(("Content", f"SHA-256 {entry.fingerprint}"))
    facts.append(("Journal", f"damaged: {entry.trouble}" if entry.trouble else "complete, and unchanged since"))
    return facts


def _counts(entry: Entry) -> Section:
    actions = [name for name in WORDS if any(numbers.get(name) for numbers in entry.counts.values())]
    rows: list[Row] = [
        [record, *(number_cell(numbers.get(action, 0)) for action in actions)]
        for record, numbers in entry.counts.items()
    ]
    return Section(
        "Rows", tables=[PageTable("Rows by record", ["Record", *(WORDS[name].capitalize() for name in actions)], rows)]
    )


def _stock_effect(workspace: Workspace, entry: Entry, changes: Sequence[RecordChanges]) -> list[Section]:
    """Quantities before and after, and the value of the change by warehouse; nothing where no stock moved."""
    if not any(each.record.nature == "ledger" and each.touches for each in changes):
        return []
    try:
        by_item = stock(StockQuestion(by=("item", "warehouse"), against=entry.number), workspace).rows
        by_warehouse = stock(StockQuestion(by=("warehouse",), against=entry.number), workspace).rows
    except KotrelError:
        return []
    total = sum(by_warehouse["value_change"], Decimal(0))
    values: list[Row] = [
        [row["warehouse"] or "", Cell(money_text(row["value_change"]), True)]
        for row in by_warehouse.iter_rows(named=True)
    ]
    rows: list[Row] = [
        [
            row["item"],
            row["description"] or "",
            row["warehouse"] or "",
            *(Cell(quantity_text(row[name]), True) for name in ("before", "change", "after")),
            row["unit"] or "",
            Cell(money_text(row["value_change"]), True),
        ]
        for row in by_item.sort(pl.col("value_change").abs(), descending=True).head(MOST_ROWS).iter_rows(named=True)
    ]
    bars = [
        Bar(str(row["warehouse"]), float(row["value_change"]), money_text(row["value_change"]))
        for row in by_warehouse.iter_rows(named=True)
    ]
    heads = ["Item", "Description", "Warehouse", "Before", "Change", "After", "Unit", "Value of the change"]
    tables = [
        PageTable(
            "Value of the change by warehouse",
            ["Warehouse", "Value"],
            values,
            foot=["In all", Cell(money_text(total), True)],
        ),
        PageTable("Stock before and after, at the moment of posting", heads, rows, total=by_item.height, searched=True),
    ]
    charts = [Chart("Value of the change by warehouse", bars)] if len(bars) > 1 else []
    return [Section("Effect on stock", tables=tables, charts=charts)]


def _price_effect(stakes: pl.DataFrame | None) -> list[Section]:
    """How far prices changed, by list and category."""
    if stakes is None:
        return []
    rows, bars = [], []
    for row in stakes.iter_rows(named=True):
        whole = row["category"] is None
        rows.append(
            [
                row["list"],
                "all" if whole else row["category"],
                number_cell(row["prices"]),
                number_cell(row["new"]),
                _percent(row["mean"]),
                _percent(row["largest"]),
                row["item"] or "",
                Cell(f"{money_text(row['stake'])} {row['currency'] or ''}".strip() if row["stake"] else "", True),
            ]
        )
        if not whole and row["mean"] is not None:
            bars.append(Bar(f"{row['list']} {row['category']}", float(row["mean"]), f"{row['mean']:+.1f} %"))
    heads = [
        "List",
        "Category",
        "Prices",
        "Of them new",
        "Mean change",
        "Largest",
        "Item of the largest",
        "Value at stake",
    ]
    return [
        Section(
            "Effect on prices",
            words=["The value at stake is what the stock on hand now is worth more or less at the new prices."],
            tables=[PageTable("Price changes by list and category", heads, rows)],
            charts=[Chart("Mean change by list and category", bars[:40])],
        )
    ]


def _percent(value: Decimal | None) -> Cell:
    return Cell("" if value is None else f"{value:+.1f} %", True)


def _refused_sections(workspace: Workspace, number: int) -> list[Section]:
    """The refused rows with their reasons, and where they are in the sheet."""
    rows: list[Row] = []
    for file, sheet, rest, reasons in workspace.system().rest_of(number):
        for place in rest.cells[ROW].to_list():
            where = f"{sheet}, row {place}" if sheet else f"{Path(file).name}, line {place}"
            rows.append([where, Cell(reasons.get(place, ""), tone="bad")])
    return (
        [
            Section(
                "Refused rows",
                tables=[PageTable("Rows that were not loaded", ["Where", "Reason and advice"], rows, searched=True)],
            )
        ]
        if rows
        else []
    )


def _system_remarks(workspace: Workspace, entry: Entry) -> list[Section]:
    """Rows that the system took with a remark, or changed by itself."""
    page = workspace.system().outcome_page(entry.number, MOST_ROWS)
    told = page.rows.filter(pl.col("outcome") == "warning")
    if not told.height:
        return []
    rows = [
        [f"{sheet or Path(file or '').name} {row}", record, key or "", Cell(message or "", tone="warn")]
        for file, sheet, row, record, key, _, _, message in told.iter_rows()
    ]
    table = PageTable(
        "Rows done with a remark of the system", ["Where", "Record", "Key", "Remark"], rows, total=page.warned
    )
    return [Section("What the system itself said or changed", tables=[table])]


def _corrected(preview: Preview | None) -> list[Section]:
    """What was corrected on reading, and what blank cells were filled with."""
    if preview is None:
        return []
    sheets = [each.rows for each in preview.checked if each.consequence is None]
    rows = [row for rows in sheets for row in repair_rows(rows)]
    tables = (
        [
            PageTable(
                "Cells corrected on reading, each with its proof",
                ["Cell", "Field", "Was", "Is", "Proof"],
                rows,
                searched=True,
            )
        ]
        if rows
        else []
    )
    filled: list[Row] = [
        [
            each_rows.record.title,
            each_rows.record.fields[default.field].title,
            shown(default.value, each_rows.record.fields[default.field]) or "",
            number_cell(len(default.rows)),
            {"mapping": "the mapping", "system": "system.toml"}.get(default.source, default.source),
        ]
        for each_rows in sheets
        for default in each_rows.defaulted
    ]
    if filled:
        tables.append(
            PageTable("Blank cells that were filled in", ["Record", "Field", "Value", "Rows", "From"], filled)
        )
    return [Section("Corrected and filled in", tables=tables)] if tables else []


def repair_rows(rows: Rows) -> list[Row]:
    """Each repair of a sheet: cell, field, before, after, proof."""
    page_rows: list[Row] = []
    for group in rows.repairs:
        title = rows.record.fields[group.field].title
        for row, former, after, proof in group.cells.iter_rows():
            page_rows.append(
                [rows.table.place(row, group.letter), title, former or "", "(blank)" if after is None else after, proof]
            )
    return page_rows


def _remarks(entry: Entry, whole: bool) -> Section:
    words = (
        [] if whole or entry.kind == "undo" or not entry.notes else ["As its preview reported it, when it was loaded."]
    )
    return (
        Section("About the sheets", words=words, notes=list(entry.notes))
        if entry.notes
        else Section("About the sheets")
    )


def _later_loads(changes: Sequence[RecordChanges], reading: Reading, number: int) -> dict[int, int]:
    """Later load → how many rows of this one it touched."""
    later: dict[int, int] = {}
    for each in changes:
        touched = each.rows_of("new", "changed", "removed")
        keys = touched.select(key_text(each.record)).to_series().drop_nulls().to_list() if touched.height else []
        for load in reading.loads_of(each.record.name, keys).values() if keys and not each.record.is_kept else ():
            if load > number:
                later[load] = later.get(load, 0) + 1
    return later


def _afterwards(entry: Entry, verified: Verified | None, since: dict[int, int]) -> Section:
    notes = [
        f"{load_name(load)} changed or removed {count(rows, 'row')} of this load."
        for load, rows in sorted(since.items())
    ]
    if entry.undone_by:
        notes.append(f"{load_name(entry.undone_by)} took this load back.")
    tables = []
    if verified is not None and verified.differences.height:
        rows = [
            [
                row["record"],
                row["key"],
                row["field"] or "the row",
                row["sent"] or "(blank)",
                Cell(row["now"] or "(blank)", tone="warn"),
            ]
            for row in verified.differences.head(MOST_ROWS).iter_rows(named=True)
        ]
        tables.append(
            PageTable(
                "Values that are no longer as loaded",
                ["Record", "Key", "Field", "Loaded", "Now"],
                rows,
                total=verified.differences.height,
            )
        )
    if verified is not None and verified.ok:
        notes.append(f"Read back now: all {verified.values:,} values of {count(verified.rows, 'row')} are as loaded.")
    return Section("Since then", tables=tables, notes=notes)
