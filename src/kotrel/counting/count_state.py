"""Where a count stands: what was counted, against what the system held at that time, and what is posted already."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from functools import cached_property
from pathlib import Path

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.columns import decimal_type
from kotrel.core.counting.classify_lines import Parted, left_lines, moved_of, near, parted, quiet_lines
from kotrel.core.counting.counted_times import CountingTime
from kotrel.core.counting.frames import NUMBER, as_entries, as_places
from kotrel.core.counting.selection import classes
from kotrel.core.counting.suspicions import suspected
from kotrel.core.counting.tolerances import Tolerance
from kotrel.core.counting.variance import NOTHING_MOVED, CountLine, Totals, lines_of, totals_of, with_serials
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.stock.sums import PLACE, LedgerQuery
from kotrel.core.values.dates import moment_text
from kotrel.counting.count_files import Count, Post, open_count
from kotrel.counting.other_counts import corrections_since, without_corrections
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace


class State(Struct, frozen=True, dict=True):
    """A count as it stands.

    Attributes:
        places: all places; ``counted`` everything counted (see :mod:`kotrel.core.counting.frames`).
        quiet: lines that were counted as expected, and ``left`` lines that were not counted (see
            :class:`kotrel.core.counting.classify_lines.Parted`); ``told``: all others of which no posting is in force.
        posted: place → the number of the load that posted it (0 where nothing had to change).
        moved: places that moved since the freeze.
        tolerance: how far its lines may be off, by the classes of the items today.
        corrected_by: other counts that have posted places of this one since it was frozen: their corrections are in what
            is expected.
    """

    name: str
    about: dict[str, str]
    places: pl.DataFrame
    counted: pl.DataFrame
    quiet: pl.DataFrame
    left: pl.DataFrame
    told: list[CountLine]
    posted: dict[int, int]
    totals: Totals
    moved: int
    tolerance: Tolerance
    corrected_by: tuple[str, ...] = ()

    @property
    def trading(self) -> bool:
        return self.about.get("trading") == "yes"

    @cached_property
    def lines(self) -> list[CountLine]:
        """Every place that is not posted, counted or not, in their order."""
        whole = [*quiet_lines(self.quiet), *left_lines(self.left), *self.told]
        return sorted(whole, key=lambda line: line.place.number)

    @property
    def open_lines(self) -> list[CountLine]:
        return [line for line in self.lines if line.place.number not in self.posted]


def state_of(name: str, workspace: Workspace, second: str = "recount") -> State:
    """Where a count stands, in one consistent look at the system."""
    with workspace.system().reading() as reading, open_count(workspace.hidden, name) as count:
        settle_posts(count, reading)
        return read_state(count, reading, workspace, second)


def read_state(count: Count, reading: Reading, workspace: Workspace, second: str) -> State:
    """The same, within a look or a transaction that is open."""
    about, places, counted = count.about(), count.place_frame(), count.line_frame()
    posted = posted_places(count, reading)
    open_ = places.filter(~pl.col(NUMBER).is_in(list(posted))) if posted else places
    ledger, trading = workspace.description.ledger, about.get("trading") == "yes"
    # With trading stopped, nothing should move; whether something did is worth a word.
    knows = ledger is not None and "posted_at" in ledger.fields
    now, since = held_now(open_, reading), _since(open_, about["frozen_at"], reading, knows)
    corrected = corrections_since(workspace.hidden, count.path, about["frozen_at"], open_, reading)
    since = without_corrections(since, corrected)
    parts = parted(open_, counted, now, since, knows)
    tolerance = tolerance_now(workspace, reading)
    moved = moved_of(parts.told, now, since) if knows else NOTHING_MOVED
    told = lines_of(as_places(parts.told), as_entries(parts.lines), trading, moved, second, tolerance)
    told, parts = _with_serials(told, parts, open_, reading)
    off = [line for line in told if line.variance]
    told = suspected(told, _factors([line.place.item for line in off], reading, workspace), near(off, parts.quiet))
    quiet, left = parts.quiet, parts.left
    totals = totals_of(told, tolerance, quiet.height, left.height)
    keys = list(PLACE)
    # With trading stopped, what a posting and its undo moved there and back is nothing that moved.
    touched = (
        open_.join(since, on=keys, how="semi", nulls_equal=True).height
        if knows and trading
        else _other_now(open_, now, corrected)
    )
    others = tuple(corrected["count"].drop_nulls().unique().sort())
    return State(count.name, about, places, counted, quiet, left, told, posted, totals, touched, tolerance, others)


def _with_serials(
    told: list[CountLine], parts: Parted, open_: pl.DataFrame, reading: Reading
) -> tuple[list[CountLine], Parted]:
    """The lines with what was found of serial numbers where none were expected, and the places that these have left."""
    finds = {
        (line.place.item, line.place.serial)
        for line in told
        if line.place.serial is not None and line.counted and not line.expected
    }
    if not finds:
        return told, parts
    keys = pl.DataFrame(sorted(finds), schema=dict.fromkeys(("item", "serial"), pl.String), orient="row")
    on = ["item", "serial"]
    quiet, left = (frame.join(keys, on=on, how="semi") for frame in (parts.quiet, parts.left))
    lines = sorted([*told, *quiet_lines(quiet), *left_lines(left)], key=lambda line: line.place.number)
    parts = replace(
        parts, quiet=parts.quiet.join(keys, on=on, how="anti"), left=parts.left.join(keys, on=on, how="anti")
    )
    outside = serials_outside(keys, open_, reading)
    elsewhere = {
        (row["item"], row["serial"]): " ".join(filter(None, (row["warehouse"], row["bin"])))
        for row in outside.iter_rows(named=True)
    }
    return with_serials(lines, elsewhere), parts


def serials_outside(serials: pl.DataFrame, places: pl.DataFrame, reading: Reading) -> pl.DataFrame:
    """Where the system has serial numbers outside these places: the columns of ``PLACE`` and ``quantity``, above zero.

    Args:
        serials: ``item`` and ``serial``.
    """
    held = held_now(serials, reading).filter(pl.col("quantity").cast(decimal_type()) > 0)
    mine = held.join(serials, on=["item", "serial"], how="semi")
    return mine.join(places.select(PLACE), on=list(PLACE), how="anti", nulls_equal=True)


def tolerance_now(workspace: Workspace, reading: Reading) -> Tolerance:
    """The tolerance of counts, with the class of each item by the value of its stock now,
    where classes have their own.
    """
    found = workspace.tolerance
    return replace(found, class_of=classes(reading.ledger_sums(LedgerQuery(["item"])))) if found.by_class else found


def held_now(places: pl.DataFrame, reading: Reading) -> pl.DataFrame:
    """What the places hold now: ``PLACE`` and ``quantity``."""
    sums = reading.ledger_sums(LedgerQuery(list(PLACE), [("item", places["item"].unique())]))
    return sums.with_columns(pl.lit(None, pl.String).alias(name) for name in PLACE if name not in sums.columns).select(
        *PLACE, "quantity"
    )


def counting_time(count: Count, now: datetime, counted_at: str | None) -> CountingTime | None:
    """When lines of a count can have been counted; None with trading stopped, where that makes no difference.

    Raises:
        WrongUse: the time that the user says is none of them.
    """
    about = count.about()
    if about.get("trading") != "yes":
        return None
    between = CountingTime(about["frozen_at"], moment_text(now.replace(tzinfo=None)))
    if counted_at is not None and (trouble := between.trouble_of(counted_at)):
        raise WrongUse(f"--counted-at {counted_at[:16]}: {trouble}", "", "impossible-time")
    return between


def _since(places: pl.DataFrame, frozen_at: str, reading: Reading, knows: bool) -> pl.DataFrame:
    """What has moved since the freeze at the items of these places; nothing where the system does not say."""
    if not knows:
        return pl.DataFrame(schema=dict.fromkeys((*PLACE, "quantity", "posted_at"), pl.String))
    items = places["item"].unique()
    moves = reading.movements_since(frozen_at, [("item", items)])
    return moves.filter(pl.col("item").is_in(items.implode()))


def _other_now(places: pl.DataFrame, now: pl.DataFrame, corrected: pl.DataFrame) -> int:
    """Places that hold another quantity now than at the freeze, besides what other counts have corrected."""
    keys = list(PLACE)
    sums = corrected.group_by(keys).agg(pl.col("quantity").cast(decimal_type()).sum().alias("corrected"))
    both = places.join(now, on=keys, how="left", nulls_equal=True).join(sums, on=keys, how="left", nulls_equal=True)
    held, expected = (pl.col(name).cast(decimal_type()) for name in ("quantity", "expected"))
    return both.filter(held.fill_null(0) != expected + pl.col("corrected").fill_null(0)).height


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
    """Place → the load that posted it; a posting that was undone is none,
    nor is a place that the system refused later.
    """
    undone = {entry.number for entry in reading.history() if entry.undone_by}
    numbers: dict[int, int] = {}
    for post in standing_posts(count, undone):
        refused = reading.refused_later(post.load) if post.load else frozenset()
        for place, *_ in count.posted(post.number):
            if place not in refused:
                numbers[place] = post.load or 0
    return numbers


def standing_posts(count: Count, undone: set[int]) -> list[Post]:
    """The postings that are in force."""
    return [post for post in count.posts() if post.load is not None and post.load not in undone]


def _factors(items: list[str], reading: Reading, workspace: Workspace) -> dict[str, list[tuple[str, Decimal]]]:
    if not items or workspace.description.conversions is None:
        return {}
    held = reading.read(
        "unit_conversion", ["item", "unit", "factor"], ("item", pl.Series("item", items, dtype=pl.String))
    )
    found: dict[str, list[tuple[str, Decimal]]] = {}
    for item, unit, factor in held.drop_nulls().iter_rows():
        found.setdefault(item, []).append((unit, Decimal(factor)))
    return found
