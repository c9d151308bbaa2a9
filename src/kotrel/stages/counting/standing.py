"""Where a count stands: what was counted, against what the system held at that time, and what is posted already."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from pathlib import Path

import polars as pl

from kotrel.core.counting.freezing import PLACE, classes
from kotrel.core.counting.suspicions import suspected
from kotrel.core.counting.variance import (
    NOTHING_MOVED,
    Entry,
    Key,
    Line,
    Moved,
    Place,
    Tolerance,
    Totals,
    lines_of,
    totals_of,
)
from kotrel.core.errors import OutOfReach
from kotrel.systems.interface import Reading
from kotrel.workspace.counts import Count, Post, open_count
from kotrel.workspace.settings import Workspace


@dataclass(frozen=True)
class State:
    """A count as it stands.

    Attributes:
        lines: every place that is not posted, counted or not.
        posted: place → the number of the load that posted it (0 where nothing had to change).
        moved: places that moved since the freeze.
        tolerance: how far its lines may be off, by the classes of the items today.
    """

    name: str
    about: dict[str, str]
    places: list[Place]
    entries: list[Entry]
    lines: list[Line]
    posted: dict[int, int]
    totals: Totals
    moved: int
    tolerance: Tolerance

    @property
    def trading(self) -> bool:
        return self.about.get("trading") == "yes"

    @property
    def open_lines(self) -> list[Line]:
        return [line for line in self.lines if line.place.number not in self.posted]


def state_of(name: str, workspace: Workspace, second: str = "recount") -> State:
    """Where a count stands, in one consistent look at the system."""
    with workspace.system().reading() as reading, open_count(workspace.hidden, name) as count:
        settle_posts(count, reading)
        return read_state(count, reading, workspace, second)


def read_state(count: Count, reading: Reading, workspace: Workspace, second: str) -> State:
    """The same, within a look or a transaction that is open."""
    about, places, entries = count.about(), count.places(), count.entries()
    posted = posted_places(count, reading)
    left = [place for place in places if place.number not in posted]
    ledger, trading = workspace.description.ledger, about.get("trading") == "yes"
    # With trading stopped, nothing should move; whether something did is worth a word.
    knows = ledger is not None and "posted_at" in ledger.fields
    moved = moved_since(left, about["frozen_at"], reading) if knows else NOTHING_MOVED
    tolerance = tolerance_now(workspace, reading)
    lines = lines_of(left, entries, trading, moved, second, tolerance)
    lines = suspected(lines, _factors([line.place.item for line in lines if line.variance], reading, workspace))
    touched = sum(1 for place in left if moved.since.get(place.key)) if knows else _other_now(left, reading)
    return State(count.name, about, places, entries, lines, posted, totals_of(lines, tolerance), touched, tolerance)


def tolerance_now(workspace: Workspace, reading: Reading) -> Tolerance:
    """The tolerance of counts, with the class of each item by the value of its stock now, where classes have their own."""
    found = workspace.tolerance
    return replace(found, class_of=classes(reading.ledger_sums(["item"]))) if found.by_class else found


def moved_since(places: list[Place], frozen_at: str, reading: Reading) -> Moved:
    """What the places hold now, and what has moved since the freeze."""
    items = pl.Series("item", list({place.item for place in places}), dtype=pl.String)
    among = [("item", items)]
    now = _held_now(among, reading)
    since: dict[Key, list[tuple[str, Decimal]]] = {}
    wanted = set(items)
    for row in reading.movements_since(frozen_at, among).iter_rows(named=True):
        if row["item"] in wanted:
            key = (row["item"], row["warehouse"], row["bin"], row["lot"], row["serial"])
            since.setdefault(key, []).append((row["posted_at"], Decimal(row["quantity"])))
    return Moved(now, since)


def _held_now(among: Sequence[tuple[str, pl.Series]], reading: Reading) -> dict[Key, Decimal]:
    """What each place holds now."""
    sums = reading.ledger_sums(list(PLACE), among)
    there = [name for name in PLACE if name in sums.columns]
    return {
        (row["item"], row.get("warehouse"), row.get("bin"), row.get("lot"), row.get("serial")): Decimal(row["quantity"])
        for row in sums.select(*there, "quantity").iter_rows(named=True)
    }


def _other_now(places: list[Place], reading: Reading) -> int:
    """Places of which a system that does not say when goods move says another quantity now than at the freeze."""
    items = pl.Series("item", list({place.item for place in places}), dtype=pl.String)
    now = _held_now([("item", items)], reading)
    return sum(1 for place in places if now.get(place.key, Decimal(0)) != place.expected)


def settle_posts(count: Count, reading: Reading) -> None:
    """Finds out what became of a posting that was interrupted.

    Raises:
        OutOfReach: it is being posted right now.
    """
    if all(post.load is not None for post in count.posts()):
        return
    from filelock import FileLock, Timeout

    try:
        with FileLock(posting_lock(count.path), timeout=0):
            _settle(count, reading)
    except Timeout:
        raise OutOfReach(
            f"the count {count.name} is being posted right now", "Try again in a moment.", "count-busy"
        ) from None


def posting_lock(path: Path) -> Path:
    """The lock that is held while a count is posted; a killed process releases it by itself."""
    return path.with_suffix(".posting")


def _settle(count: Count, reading: Reading) -> None:
    loads = {entry.fingerprint: entry for entry in reading.history() if entry.kind == "load"}
    for post in count.posts():
        if post.load is None:
            entry = loads.get(post.fingerprint)
            count.end_post(post.number, entry.number if entry is not None else None)


def posted_places(count: Count, reading: Reading) -> dict[int, int]:
    """Place → the load that posted it; a posting that was undone is none, nor is a place that the system refused later."""
    undone = {entry.number for entry in reading.history() if entry.undone_by}
    found: dict[int, int] = {}
    for post in standing_posts(count, undone):
        refused = reading.refused_later(post.load) if post.load else frozenset()
        for place, *_ in count.posted(post.number):
            if place not in refused:
                found[place] = post.load or 0
    return found


def standing_posts(count: Count, undone: set[int]) -> list[Post]:
    """The postings that are in force."""
    return [post for post in count.posts() if post.load is not None and post.load not in undone]


def _factors(items: list[str], reading: Reading, workspace: Workspace) -> dict[str, list[tuple[str, Decimal]]]:
    if not items or "unit_conversion" not in workspace.description.records:
        return {}
    held = reading.read(
        "unit_conversion", ["item", "unit", "factor"], ("item", pl.Series("item", items, dtype=pl.String))
    )
    found: dict[str, list[tuple[str, Decimal]]] = {}
    for item, unit, factor in held.drop_nulls().iter_rows():
        found.setdefault(item, []).append((unit, Decimal(factor)))
    return found
