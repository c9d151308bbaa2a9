"""The page about a physical count: its record, for the auditor and for whoever answers for the stock."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from decimal import Decimal

import polars as pl

from kotrel.core.counting.variance import CountEntry, CountLine, CountPlace, totals_of
from kotrel.core.errors import KotrelError
from kotrel.core.phrases import count
from kotrel.counting.count_files import CountedFile, Post, count_names, open_count
from kotrel.counting.count_state import State, state_of
from kotrel.counting.count_workbooks import about_count, documents_of, round_name
from kotrel.counting.variance_screen import place_in_words, worst_lines_first
from kotrel.reporting.page import Bar, Cell, Chart, Page, PageTable, Row, Section, number_cell
from kotrel.screen.amounts_shown import money_text, quantity_text
from kotrel.workspace.settings import Workspace

BARS = 20


def _left_open(state: State) -> tuple[list[CountLine], list[CountLine]]:
    """The lines that nobody has counted, and those to be counted again that are not posted."""
    return (
        [line for line in state.open_lines if line.counted is None],
        [line for line in state.told if line.recount and line.place.number not in state.posted],
    )


def _filled_facts(facts: Iterable[Sequence[str | None]]) -> list[tuple[str, str]]:
    return [(name, value) for name, value in facts if name and value]


def count_page(name: str, workspace: Workspace) -> Page:
    """The page of a count.

    Raises:
        WrongUse: there is no such count.
    """
    state = state_of(name, workspace)
    with open_count(workspace.hidden, name) as kept:
        places = {place.number: place for place in kept.places()}
        files, entries = kept.files(), kept.entries()
        posts = [(post, kept.posted(post.number)) for post in kept.posts()]
    posted = _posted_lines(posts, places)
    documents = documents_of([document for _, lines in posts for *_, document, _ in lines if document], workspace)
    remarks = {entry.number: entry.remark for entry in workspace.system().history() if entry.remark}
    done = [line for line in _all_lines(state, posted) if line.counted is not None]
    open_lines, again = _left_open(state)
    facts = _filled_facts(about_count(state, files, posts, documents, remarks))
    sections = [
        *_about_lines(done, workspace),
        *([Section("Count again", tables=[_recounts(again)])] if again else []),
        *([Section("Not counted", tables=[_not_counted_table(open_lines)])] if open_lines else []),
        _entries(entries, places),
        Section("Documents posted", notes=documents),
        _trend(name, workspace, {_place_key(place) for place in places.values()}),
        _files(files),
    ]
    return Page(
        kind="Count report",
        title=f"Count {name}",
        lead=_lead(state, done, len(places), len(again)),
        tone="warn" if again else "" if open_lines else "good",
        facts=facts,
        sections=[each for each in sections if each.tables or each.notes],
        signed=True,
    )


def _posted_lines(
    posts: Sequence[tuple[Post, Sequence[tuple[int, str, str | None, str, str | None, str]]]],
    places: Mapping[int, CountPlace],
) -> list[CountLine]:
    """The lines of all posts that were loaded."""
    return [
        CountLine(places[place], Decimal(expected), None if counted is None else Decimal(counted))
        for post, lines in posts
        if post.load is not None
        for place, expected, counted, _, _, _ in lines
    ]


def _lead(state: State, done: Sequence[CountLine], places: int, again: int) -> str:
    """What the page says first.

    Args:
        done: the counted lines, of all ``places``; ``again`` of them should be counted again.
    """
    totals = totals_of(done, state.tolerance, 0, 0)
    lead = f"{len(done):,} of {count(places, 'place')} counted: net {money_text(totals.net)}, gross {money_text(totals.gross)}"
    lead += "." if totals.accuracy is None else f", accuracy {totals.accuracy} %."
    return f"{lead} {count(again, 'place')} should be counted again." if again else lead


def _about_lines(done: Sequence[CountLine], workspace: Workspace) -> list[Section]:
    """The differences, the greatest value first, and all lines by location and by category."""
    sections = [
        _differences(worst_lines_first([line for line in done if line.variance])),
        _section_by("location", done, lambda line: " ".join(filter(None, (line.place.warehouse, line.place.bin)))),
    ]
    if categories := _categories(workspace, [line.place.item for line in done]):
        sections.append(_section_by("category", done, lambda line: categories.get(line.place.item, "")))
    return sections


def _all_lines(state: State, posted: Sequence[CountLine]) -> list[CountLine]:
    """Every place once: as it was posted, or as it is now."""
    settled = {line.place.number: line for line in posted}
    still = [line for line in state.lines if line.place.number not in settled]
    return sorted([*still, *settled.values()], key=lambda line: line.place.number)


def _differences(off: Sequence[CountLine]) -> Section:
    rows: list[Row] = [
        [
            line.place.item,
            line.place.description or "",
            place_in_words(line.place),
            _quantity(line.expected),
            _quantity(line.counted),
            _quantity(line.variance, True),
            line.place.unit,
            number_cell(line.value, 2, "bad" if line.value < 0 else "", True),
            "; ".join(line.remarks),
        ]
        for line in off
    ]
    bars = [
        Bar(f"{line.place.item} {place_in_words(line.place)}", float(line.value), f"{line.value:+,.2f}")
        for line in off[:BARS]
        if line.value
    ]
    heads = ["Item", "Description", "Place", "Expected", "Counted", "Difference", "Unit", "Value at cost", "Remark"]
    if not rows:
        return Section("Differences", notes=["Nothing differs."])
    table = PageTable(f"{count(len(off), 'difference')}, the greatest value first", heads, rows, searched=True)
    chart = Chart(f"Value of the differences{', the greatest' if len(off) > BARS else ''}", bars)
    return Section("Differences", tables=[table], charts=[chart] if len(bars) > 1 else [])


def _quantity(value: Decimal | None, sign: bool = False) -> Cell:
    if value is None:
        return Cell("", True)
    return Cell(f"{'+' if sign and value > 0 else ''}{quantity_text(value)}", True)


def _section_by(what: str, done: Sequence[CountLine], name: Callable[[CountLine], str]) -> Section:
    """Lines, differences, net and gross for each location or category."""
    groups: dict[str, list[CountLine]] = defaultdict(list)
    for line in done:
        groups[name(line)].append(line)
    rows: list[Row] = []
    quiet = 0
    for group_name, lines in sorted(groups.items(), key=lambda group: -sum(abs(line.value) for line in group[1])):
        if not any(line.variance for line in lines):
            quiet += 1
            continue
        net, gross = sum(line.value for line in lines), sum(abs(line.value) for line in lines)
        rows.append(
            [
                group_name or "(none)",
                number_cell(len(lines)),
                number_cell(sum(1 for line in lines if line.variance)),
                number_cell(net, 2, sign=True),
                number_cell(gross, 2),
            ]
        )
    table = PageTable(
        f"Counted lines by {what}", [what.capitalize(), "Lines", "With a difference", "Net", "Gross"], rows
    )
    notes = [f"{count(quiet, 'other')} without a difference."] if quiet and rows else []
    return Section(f"By {what}", tables=[table] if rows else [], notes=notes)


def _categories(workspace: Workspace, items: Iterable[str]) -> dict[str, str]:
    """Item → its category, where the system has one."""
    record = workspace.description.records.get("item")
    if record is None or "category" not in record.fields:
        return {}
    codes = pl.Series("code", sorted(set(items)), dtype=pl.String)
    try:
        with workspace.system().reading() as reading:
            held = reading.read("item", [record.code, "category"], (record.code, codes))
    except KotrelError:
        return {}
    return {code: category or "" for code, category in held.iter_rows()}


def _recounts(lines: Sequence[CountLine]) -> PageTable:
    rows: list[Row] = [
        [line.place.item, line.place.description or "", place_in_words(line.place), Cell(line.recount, tone="warn")]
        for line in lines
    ]
    return PageTable("Places that should be counted again", ["Item", "Description", "Place", "Why"], rows)


def _not_counted_table(lines: Sequence[CountLine]) -> PageTable:
    rows: list[Row] = [
        [
            line.place.item,
            line.place.description or "",
            place_in_words(line.place),
            _quantity(line.expected),
            line.place.unit,
        ]
        for line in lines
    ]
    return PageTable(
        f"{count(len(lines), 'place')} not counted", ["Item", "Description", "Place", "Expected", "Unit"], rows
    )


def _entries(entries: Sequence[CountEntry], places: Mapping[int, CountPlace]) -> Section:
    """Who counted what, and when; recounts beside first counts."""
    rows: list[Row] = []
    for entry in entries:
        place = places[entry.place]
        rows.append(
            [
                place.item,
                place_in_words(place),
                round_name(entry.round),
                _quantity(entry.counted),
                entry.counter or "",
                entry.at or "",
                entry.where,
                entry.remark or "",
            ]
        )
    heads = ["Item", "Place", "Count", "Counted", "By", "When", "From", "Remark"]
    return Section(
        "Who counted what, and when",
        tables=[PageTable(count(len(rows), "entry", "entries"), heads, rows, searched=True)] if rows else [],
    )


def _files(files: Sequence[CountedFile]) -> Section:
    rows: list[Row] = [
        [each.name, each.at[:16], each.who, round_name(each.round), each.fingerprint.partition(" ")[0]]
        for each in files
    ]
    heads = ["File", "Collected", "By", "Count", "SHA-256 of its content"]
    return Section("Files collected", tables=[PageTable(count(len(rows), "file"), heads, rows)] if rows else [])


def _place_key(place: CountPlace) -> tuple[str | None, ...]:
    return place.item, place.warehouse, place.bin


def _posted_in(name: str, workspace: Workspace) -> tuple[str, list[CountLine]]:
    """When a count was frozen, and the lines that were posted of it; none where it cannot be read."""
    try:
        with open_count(workspace.hidden, name) as kept:
            places = {place.number: place for place in kept.places()}
            posted = [line for post in kept.posts() if post.load is not None for line in kept.posted(post.number)]
            frozen_at = kept.about().get("frozen_at", "")
    except KotrelError:
        return "", []
    return frozen_at, [
        CountLine(places[place], Decimal(expected), Decimal(counted))
        for place, expected, counted, *_ in posted
        if counted is not None
    ]


def _trend(name: str, workspace: Workspace, mine: set[tuple[str | None, ...]]) -> Section:
    """Earlier counts of the same places: what was posted there, and how exact they were."""
    rows: list[Row] = []
    for other in count_names(workspace.hidden):
        frozen_at, lines = _posted_in(other, workspace) if other != name else ("", [])
        same = [line for line in lines if _place_key(line.place) in mine]
        if same:
            rows.append(
                [
                    frozen_at[:10],
                    other,
                    number_cell(len(same)),
                    number_cell(sum(1 for line in same if line.variance)),
                    number_cell(sum(line.value for line in same), 2, sign=True),
                    number_cell(sum(abs(line.value) for line in same), 2),
                ]
            )
    rows.sort(key=lambda row: str(row[0]), reverse=True)
    heads = ["Frozen", "Count", "Same places counted", "With a difference", "Net", "Gross"]
    return Section("Earlier counts of these places", tables=[PageTable("Earlier counts", heads, rows)] if rows else [])
