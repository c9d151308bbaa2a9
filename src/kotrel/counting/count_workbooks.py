"""A count as workbooks: its differences, and its whole record for an auditor."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal

import polars as pl

from kotrel.core.changes.journal import load_name
from kotrel.core.counting.classify_lines import left_lines
from kotrel.core.counting.count_posting import adjustment_family
from kotrel.core.counting.tolerances import Tolerance
from kotrel.core.counting.variance import CountEntry, CountLine, CountPlace
from kotrel.core.description.model import Field
from kotrel.core.phrases import plain_number
from kotrel.core.stock.sums import half_away
from kotrel.counting.correcting import AFTER_ALL as BY_HAND
from kotrel.counting.count_files import CountedFile, Post, open_count
from kotrel.counting.count_state import State, state_of
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.workspace.settings import Workspace

_QUANTITIES = ("Expected", "Counted", "Variance", "Adjustment", "Frozen", "Moved until counted")
_MONEY = ("Value", "Cost")


def variance_book(state: State, lines: Sequence[CountLine]) -> OutBook:
    """The differences, worst first, and what was not counted."""
    head = (
        "Item",
        "Description",
        "Warehouse",
        "Bin",
        "Lot",
        "Serial",
        "Unit",
        "Expected",
        "Counted",
        "Variance",
        "%",
        "Value",
        "Recount",
        "Remarks",
        "Counted by",
        "Counted at",
    )
    rows = [
        [
            *_place(line.place),
            f"{line.expected:f}",
            f"{line.counted:f}",
            f"{line.variance:f}",
            None if line.percent is None else f"{line.percent:f}",
            f"{line.value:f}",
            line.recount or None,
            "; ".join(line.remarks) or None,
            ", ".join(sorted({entry.counter for entry in line.entries if entry.counter})) or None,
            ", ".join(sorted({entry.at for entry in line.entries if entry.at})) or None,
        ]
        for line in lines
    ]
    left = [[*_place(line.place), f"{line.expected:f}"] for line in left_lines(state.left)]
    return OutBook((_sheet("Differences", head, rows, True), _sheet("Not counted", head[:8], left, True)))


def _posted_lines(
    posts: Sequence[tuple[Post, Sequence[tuple[int, str, str | None, str, str | None, str]]]],
) -> dict[int, Posted]:
    """Place → what was posted of it."""
    return {
        place: (expected, counted, adjustment, why, document, load_name(post.load) if post.load else None)
        for post, lines in posts
        if post.load is not None
        for place, expected, counted, adjustment, document, why in lines
    }


def count_record_book(name: str, workspace: Workspace) -> OutBook:
    """The record of a count for an auditor: what was counted, by whom and when,
    what was posted as which document, and why.
    """
    state = state_of(name, workspace)
    with open_count(workspace.hidden, name) as count:
        places = {place.number: place for place in count.places()}
        files, entries = count.files(), count.entries()
        posts = [(post, count.posted(post.number)) for post in count.posts()]
    documents = documents_of([document for _, lines in posts for *_, document, _ in lines if document], workspace)
    by_place: dict[int, list[CountEntry]] = {}
    for entry in entries:
        by_place.setdefault(entry.place, []).append(entry)
    posted = _posted_lines(posts)
    remarks = {entry.number: entry.remark for entry in workspace.system().history() if entry.remark}
    stands = {line.place.number: line for line in state.lines}
    lines = [
        _record_line(place, by_place.get(number, []), stands.get(number), posted.get(number))
        for number, place in places.items()
    ]
    lead = ("Item", "Description", "Warehouse", "Bin", "Lot", "Serial", "Unit")
    return OutBook(
        (
            _sheet(
                "Count",
                ("Record of the count", name),
                [*about_count(state, files, posts, documents, remarks), *_room_to_sign()],
                True,
            ),
            _sheet(
                "Lines",
                (
                    *lead,
                    "Frozen",
                    "Moved until counted",
                    "Expected",
                    "Counted",
                    "Adjustment",
                    "Cost",
                    "Value",
                    "Counted by",
                    "When",
                    "Remark",
                    "Document",
                ),
                lines,
                True,
            ),
            _sheet(
                "Entries",
                (*lead, "Count", "Counted", "Counted by", "When", "From", "Reason or remark"),
                [_entry_line(each, places[each.place]) for each in entries],
                True,
            ),
            _sheet(
                "Files",
                ("File", "Collected", "By", "Count", "SHA-256 of its content"),
                [
                    [each.name, each.at, each.who, round_name(each.round), each.fingerprint.partition(" ")[0]]
                    for each in files
                ],
                True,
            ),
        )
    )


Posted = tuple[str, str | None, str, str, str | None, str | None]
"""Expected, counted, adjustment, why, document and load of a place."""


def _each_once(texts: Iterable[str | None]) -> str | None:
    return ", ".join(dict.fromkeys(filter(None, texts))) or None


def _entry_line(entry: CountEntry, place: CountPlace) -> list[str | None]:
    return [
        *_place(place),
        round_name(entry.round),
        f"{entry.counted:f}",
        entry.counter or None,
        entry.at,
        entry.where,
        entry.remark or None,
    ]


def _not_posted(place: CountPlace, line: CountLine | None) -> Posted:
    expected = place.expected if line is None else line.expected
    counted = None if line is None or line.counted is None else f"{line.counted:f}"
    return f"{expected:f}", counted, "", "not posted", None, None


def _record_line(
    place: CountPlace, entries: Sequence[CountEntry], line: CountLine | None, posted: Posted | None
) -> list[str | None]:
    expected, counted, adjustment, why, document, load = posted if posted is not None else _not_posted(place, line)
    moved = Decimal(expected) - place.expected
    value = half_away(Decimal(adjustment) * place.cost, 2) if adjustment else None
    remarks = [why] if line is None else [why, *line.remarks, line.recount]
    last = [entry for entry in entries if entry.round == max(each.round for each in entries)]
    return [
        *_place(place),
        f"{place.expected:f}",
        f"{moved:f}" if moved else None,
        expected,
        counted,
        adjustment or None,
        f"{place.cost:f}",
        None if value is None else f"{value:f}",
        _each_once(entry.counter for entry in last),
        _each_once(entry.at for entry in last),
        "; ".join(filter(None, remarks)),
        " · ".join(filter(None, (document, load))) or None,
    ]


def about_count(
    state: State,
    files: Sequence[CountedFile],
    posts: Sequence[tuple[Post, Sequence[object]]],
    documents: Sequence[str],
    remarks: Mapping[int, str],
) -> list[list[str | None]]:
    """What the count was, in words: name and value."""
    about, totals = state.about, state.totals
    warehouses = ", ".join(state.places["warehouse"].drop_nulls().unique().sort().to_list())
    value = sum(
        (
            Decimal(expected) * Decimal(cost or 0)
            for expected, cost in state.places.select("expected", "cost").iter_rows()
        ),
        Decimal(0),
    )
    done = [post for post, _ in posts if post.load is not None]
    rows: list[list[str | None]] = [
        ["Frozen", f"{about.get('frozen_at', '')[:16]}, by {about.get('who') or 'nobody named'}"],
        ["Trading", "went on while it was counted" if state.trading else "was stopped while it was counted"],
        ["Warehouses", warehouses or None],
        ["What was chosen", about.get("where") or "everything that was on hand"],
        ["Places, items", f"{state.places.height:,} places, {state.places['item'].n_unique():,} items"],
        ["Value when frozen", f"{half_away(value, 2):,}"],
        ["Files collected", str(len(files))],
        ["Tolerance", _tolerance(state.tolerance)],
        ["Still open: counted, not counted", f"{totals.counted:,} counted, {totals.not_counted:,} not counted"],
        ["Still open: net and gross difference", f"{totals.net:,} net, {totals.gross:,} gross"],
        [
            "Still open: accuracy",
            "nothing is open"
            if totals.accuracy is None
            else f"{totals.accuracy} % of the lines counted are within tolerance",
        ],
    ]
    for post in done:
        load = f"as {load_name(post.load)}" if post.load else "nothing had to change"
        rows.append(
            ["Posted", ", ".join(filter(None, (post.at[:16], f"by {post.who}", load, remarks.get(post.load or 0))))]
        )
    rows += [["Document", each] for each in documents]
    return rows


def _room_to_sign() -> list[list[str | None]]:
    rows: list[list[str | None]] = [["", None]]
    for who in ("Counted by", "Checked by", "Approved by"):
        rows += [["", None], [f"{who} (name, date, signature)", "_" * 60]]
    return rows


def _tolerance(tolerance: Tolerance) -> str:
    said = [
        f"{plain_number(tolerance.quantity)} units" if tolerance.quantity else "",
        f"{plain_number(tolerance.percent)} %" if tolerance.percent else "",
        f"a value of {plain_number(tolerance.value)}" if tolerance.value else "",
    ]
    said = [each for each in said if each]
    classes = [f"class {name}: {_tolerance(own)}" for name, own in sorted(tolerance.by_class.items())]
    return "; ".join([", or ".join(said) or "none: every difference counts", *classes])


def documents_of(numbers: Sequence[str], workspace: Workspace) -> list[str]:
    """The documents that were posted, each with its warehouse, date, account and remark."""
    family = adjustment_family(workspace.description)
    if family is None or not numbers:
        return []
    wanted = [name for name in ("warehouse", "date", "account", "remark") if name in family.header.fields]
    asked = pl.Series(family.number, sorted(set(numbers)), dtype=pl.String)
    with workspace.system().reading() as reading:
        held = reading.read(family.header.name, [family.number, *wanted], (family.number, asked))
    words = {"warehouse": "warehouse", "date": "dated", "account": "account", "remark": "remark"}
    return [
        ", ".join([number, *(f"{words[name]} {value}" for name, value in zip(wanted, values, strict=True) if value)])
        for number, *values in held.filter(pl.col(family.number).is_in(asked.implode())).sort(family.number).iter_rows()
    ]


def round_name(number: int) -> str:
    if number >= BY_HAND:
        return "corrected by hand"
    return "first count" if not number else f"recount {number}"


def _place(place: CountPlace) -> list[str | None]:
    return [
        place.item,
        place.description or None,
        place.warehouse,
        place.bin,
        place.lot,
        place.serial,
        place.unit or None,
    ]


def _sheet(title: str, heads: Sequence[str], rows: Sequence[Sequence[str | None]], printed: bool = False) -> OutSheet:
    frame = pl.DataFrame(rows, schema=dict.fromkeys(heads, pl.String), orient="row")
    if printed and frame.height:
        # A column that says nothing takes room on the page.
        heads = [head for head in heads if frame[head].null_count() < frame.height]
        frame = frame.select(heads)
    columns = []
    for head in heads:
        about = None
        if head in _QUANTITIES:
            about = Field(head, head, "quantity", decimals=3)
        elif head in _MONEY:
            about = Field(head, head, "money", decimals=2 if head == "Value" else 4)
        columns.append(OutColumn(head, about))
    return OutSheet(title, tuple(columns), frame, printed)
