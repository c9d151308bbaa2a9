"""A count as workbooks: its differences, and its whole record for an auditor."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.changes.journal import load_name
from kotrel.core.counting.classify_lines import left_lines
from kotrel.core.counting.variance import Line, Place
from kotrel.core.description.model import Field
from kotrel.counting.count_files import open_count
from kotrel.counting.count_state import State, state_of
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.workspace.settings import Workspace

_QUANTITIES = ("Expected", "Counted", "Variance", "Adjustment", "Frozen")
_MONEY = ("Value", "Cost")


def variance_book(state: State, lines: Sequence[Line]) -> OutBook:
    """The differences, worst first, and what was not counted."""
    head = ("Item", "Description", "Warehouse", "Bin", "Lot", "Serial", "Unit", "Expected", "Counted", "Variance", "%", "Value", "Recount",
            "Remarks", "Counted by", "Counted at")  # fmt: skip
    rows = [
        [*_place(line.place), f"{line.expected:f}", f"{line.counted:f}", f"{line.variance:f}", None if line.percent is None else f"{line.percent:f}",
         f"{line.value:f}", line.recount or None, "; ".join(line.remarks) or None,
         ", ".join(sorted({entry.counter for entry in line.entries if entry.counter})) or None,
         ", ".join(sorted({entry.at for entry in line.entries if entry.at})) or None]
        for line in lines
    ]  # fmt: skip
    left = [[*_place(line.place), f"{line.expected:f}"] for line in left_lines(state.left)]
    return OutBook((_sheet("Differences", head, rows), _sheet("Not counted", head[:8], left)))


def count_record_book(name: str, workspace: Workspace) -> OutBook:
    """Everything about a count: what was frozen, every file and line, corrections, and what was posted with which load."""
    state = state_of(name, workspace)
    with open_count(workspace.hidden, name) as count:
        places = {place.number: place for place in count.places()}
        files = [
            [each.name, each.source, each.at, each.who, str(each.round), each.fingerprint] for each in count.files()
        ]
        entries = [
            [
                *_place(places[each.place]),
                str(each.round),
                f"{each.counted:f}",
                each.counter or None,
                each.at,
                each.where,
                each.remark or None,
            ]
            for each in count.entries()
        ]
        posted = []
        for post in count.posts():
            for place, expected, counted, adjustment, document, why in count.posted(post.number):
                load = load_name(post.load) if post.load else None
                posted.append(
                    [*_place(places[place]), expected, counted, adjustment, why, document, load, post.at, post.who]
                )
    about = [[key, value] for key, value in sorted(state.about.items())]
    frozen = [
        [*_place(place), f"{place.expected:f}", f"{place.cost:f}", "find" if place.find else None]
        for place in places.values()
    ]
    lead = ("Item", "Description", "Warehouse", "Bin", "Lot", "Serial", "Unit")
    return OutBook((
        _sheet("Count", ("What", "Value"), about),
        _sheet("Frozen", (*lead, "Frozen", "Cost", "Kind"), frozen),
        _sheet("Files", ("File", "Sheet", "Collected at", "Who", "Round", "Fingerprint"), files),
        _sheet("Lines", (*lead, "Round", "Counted", "Counter", "Time", "Where", "Remark"), entries),
        _sheet("Posted", (*lead, "Expected", "Counted", "Adjustment", "Why", "Document", "Load", "Posted at", "Who"), posted),
    ))  # fmt: skip


def _place(place: Place) -> list[str | None]:
    return [
        place.item,
        place.description or None,
        place.warehouse,
        place.bin,
        place.lot,
        place.serial,
        place.unit or None,
    ]


def _sheet(title: str, heads: Sequence[str], rows: Sequence[Sequence[str | None]]) -> OutSheet:
    frame = pl.DataFrame(rows, schema=dict.fromkeys(heads, pl.String), orient="row")
    columns = []
    for head in heads:
        about = None
        if head in _QUANTITIES:
            about = Field(head, head, "quantity", decimals=3)
        elif head in _MONEY:
            about = Field(head, head, "money", decimals=2 if head == "Value" else 4)
        columns.append(OutColumn(head, about))
    return OutSheet(title, tuple(columns), frame)
