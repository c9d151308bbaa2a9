"""The page about all loads of a period: what changed, by record and by person, and what is still open."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date

from kotrel.core.changes.journal import Entry, load_name
from kotrel.core.errors import KotrelError
from kotrel.core.phrases import count, listed
from kotrel.loading.loads.history import when
from kotrel.loading.loads.verify import verify_load
from kotrel.reporting.page import Cell, Page, PageTable, Row, Section, number_cell
from kotrel.workspace.settings import Workspace

ACTIONS = ("new", "changed", "removed", "refused")
READ_BACK = 20
"""The newest loads that are read back and compared; reading back costs what loading did."""


def period_page(workspace: Workspace, since: date, until: date | None) -> Page:
    """The page of the loads from a day to a day, both included."""
    first, last = since.isoformat(), until.isoformat() if until else "9999"
    entries = [each for each in workspace.system().audited_history() if first <= when(each.at)[:10] <= last]
    open_ones = _open_rows(workspace, entries)
    span = f"since {first}" if until is None else f"from {first} to {last}"
    undone = sum(1 for each in entries if each.undone_by)
    lead = f"{count(len(entries), 'load and undo', 'loads and undos')} {span}: {undone:,} taken back, {count(len(open_ones), 'open question')}."
    return Page(
        kind="Period report",
        title=f"Loads {span}",
        lead=lead,
        tone="warn" if open_ones else "good",
        facts=[("System", workspace.description.title)],
        sections=[
            section
            for section in (
                Section(
                    "Open questions",
                    tables=[PageTable("To look at", ["Load", "What", "Why"], open_ones)] if open_ones else [],
                ),
                _sums("By record", "Record", _by_record(entries)),
                _sums("By person", "Who", _by_person(entries)),
                _all_loads(entries),
            )
            if section.tables
        ],
    )


def _open_of(entry: Entry) -> str:
    """What is open of a load, in words; an empty text where nothing is."""
    if entry.trouble:
        return f"its journal cannot be relied on: {entry.trouble}"
    if entry.waiting:
        return "sent, and not answered yet"
    if entry.kind == "refused":
        return "refused by the system: nothing was loaded"
    refused = sum(numbers.get("refused", 0) for numbers in entry.counts.values())
    return f"{count(refused, 'row')} refused" if refused else ""


def _open_rows(workspace: Workspace, entries: Sequence[Entry]) -> list[Row]:
    """What is refused, not answered, damaged, or no longer as it was loaded."""
    rows: list[Row] = []
    lasting = [each for each in entries if each.kind == "load" and not each.undone_by]
    for entry in reversed(entries):
        what = _open_of(entry)
        if what:
            rows.append([entry.name, _what(entry), Cell(what, tone="bad" if entry.trouble else "warn")])
    for entry in reversed([one for one in lasting if not one.waiting and not one.trouble][-READ_BACK:]):
        try:
            different = verify_load(workspace.system(), entry.number, lambda title: None).differences.height
        except KotrelError:
            continue
        if different:
            rows.append([entry.name, _what(entry), Cell(f"{count(different, 'value')} changed since", tone="warn")])
    return rows


def _what(entry: Entry) -> str:
    words = f"undo of {load_name(entry.of)}" if entry.of else listed(entry.files, 2)
    return f"{words} ({entry.remark})" if entry.remark else words


Sums = Mapping[str, Mapping[str, int]]


def _by_record(entries: Sequence[Entry]) -> Sums:
    counts: dict[str, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    for each in entries:
        for record, numbers in each.counts.items():
            for action in ACTIONS:
                counts[record][action] += numbers.get(action, 0)
    return counts


def _by_person(entries: Sequence[Entry]) -> Sums:
    counts: dict[str, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    for each in entries:
        for numbers in each.counts.values():
            for action in ACTIONS:
                counts[each.who][action] += numbers.get(action, 0)
    return counts


def _sums(title: str, head: str, sums: Sums) -> Section:
    rows: list[Row] = [
        [name, *(number_cell(numbers.get(action, 0)) for action in ACTIONS)] for name, numbers in sums.items()
    ]
    return Section(
        title,
        tables=[PageTable(f"Rows {title.lower()}", [head, *(each.capitalize() for each in ACTIONS)], rows)]
        if rows
        else [],
    )


def _all_loads(entries: Sequence[Entry]) -> Section:
    rows: list[Row] = []
    for entry in reversed(entries):
        done = "; ".join(
            f"{record}: {', '.join(f'{number:,} {action}' for action, number in numbers.items() if number and action != 'same')}"
            for record, numbers in entry.counts.items()
        )
        state = f"taken back by {load_name(entry.undone_by)}" if entry.undone_by else entry.status
        rows.append([entry.name, when(entry.at), entry.who, _what(entry), done, state])
    table = PageTable(
        "All of them, the newest first", ["Load", "When", "Who", "What", "Rows", "State"], rows, searched=True
    )
    return Section("Loads and undos", tables=[table] if rows else [])
