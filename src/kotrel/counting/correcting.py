"""A correction by hand, with its reason; and the list of all counts."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from decimal import Decimal

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.counting.variance import ZERO, CountEntry, CountPlace, warehouse_and_bin
from kotrel.core.errors import WrongUse
from kotrel.core.phrases import listed
from kotrel.core.resolving.other_codes import which_row
from kotrel.core.rows.system_state import SystemState
from kotrel.core.stock.sums import PLACE
from kotrel.core.values.dates import moment_text
from kotrel.core.values.same_writing import are_same
from kotrel.counting.collecting import KnownItems, item_record
from kotrel.counting.count_files import Count, DamagedCount, count_names, open_count
from kotrel.counting.count_state import counting_time, posted_places, serials_outside, settle_posts, state_of
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace

AFTER_ALL = 1_000
"""The round of a correction: it comes after every recount."""


class Correction(Struct, frozen=True):
    """Which place, what was counted there, and why."""

    item: str
    warehouse: str | None
    bin: str | None
    lot: str | None
    serial: str | None
    counted: Decimal
    reason: str
    at: str | None = None


class Corrected(Struct, frozen=True):
    """The place that was corrected; ``moved_from`` is where the system had its serial number outside the count."""

    place: CountPlace
    moved_from: str = ""


def _place_meant(name: str, places: Sequence[CountPlace], what: Correction) -> CountPlace:
    """The place that a correction is for.

    Raises:
        WrongUse: there is none in the count, or several.
    """
    fitting = [place for place in places if _fits(place, what)]
    if not fitting:
        own = [_in_words(place) for place in places if place.item == what.item]
        raise WrongUse(
            f"the count {name} has no such place of {what.item}",
            f"It has: {listed(own, 5)}." if own else f"None of its places has {what.item}.",
            "no-such-place",
        )
    if len(fitting) > 1:
        raise WrongUse(
            f"{what.item} is in several places: {', '.join(map(_in_words, fitting[:4]))}",
            "Say which one: --warehouse, --bin, --lot, --serial",
            "which-place",
        )
    return fitting[0]


def _in_words(place: CountPlace) -> str:
    return " ".join(filter(None, (place.warehouse, place.bin, place.lot, place.serial)))


def correct(name: str, what: Correction, workspace: Workspace, who: str, now: datetime) -> Corrected:
    """Corrects what was counted at one place; what was counted before stays on record.

    One who sets a serial number to 1 that the system has outside the count confirms that it is here, and no longer
    there.

    Raises:
        WrongUse: there is no such place in the count, or several, or it is posted already.
    """
    with workspace.system().reading() as reading, open_count(workspace.hidden, name) as count:
        settle_posts(count, reading)
        counting_time(count, now, what.at)
        places = count.places()
        item = item_record(workspace)
        state = SystemState(workspace.description, reading.read)
        found = which_row(item, what.item, state)
        what = replace(what, item=found.code)
        items = KnownItems(reading, workspace, item, None)
        if trouble := items.known_of(pl.Series([what.item])).trouble_of(what.item, what.counted):
            raise WrongUse(f"{what.counted:f} of {what.item} cannot have been counted: {trouble}", "", "not-countable")
        place = _place_meant(name, places, what)
        if place.number in posted_places(count, reading):
            raise WrongUse(
                f"{what.item} is posted already", "Undo that load first; that opens the count again.", "posted-already"
            )
        rounds = [entry.round for entry in count.entries() if entry.place == place.number and entry.round >= AFTER_ALL]
        entry = CountEntry(
            place.number,
            max(rounds, default=AFTER_ALL - 1) + 1,
            what.counted,
            who,
            what.at,
            f"by hand, {moment_text(now.replace(tzinfo=None))}",
            what.reason,
        )
        count.correct(entry)
        return Corrected(place, _serial_moved(entry, place, count, reading) if place.serial is not None else "")


def _serial_moved(entry: CountEntry, place: CountPlace, count: Count, reading: Reading) -> str:
    """Counts the place outside the count as empty that has a serial number which a person confirms to be here; returns
    that place.

    A serial number that is not here after all is there again.
    """
    serials = pl.DataFrame({"item": [place.item], "serial": [place.serial]})
    known = [each for each in count.places() if each.find and each.expected and each.number != place.number]
    same_serial = [each for each in known if (each.item, each.serial) == (place.item, place.serial)]
    if entry.counted and not place.expected and not same_serial:
        about = (f"{place.cost:f}", place.unit, place.description, place.category)
        outside = serials_outside(serials, count.place_frame(), reading)
        finds = [[*(row[name] for name in PLACE), row["quantity"], *about] for row in outside.iter_rows(named=True)]
        added = set(count.add_finds(finds))
        same_serial = [each for each in count.places() if each.number in added]
    for former in same_serial:
        counted = ZERO if entry.counted else former.expected
        count.correct(replace(entry, place=former.number, counted=counted))
    return ", ".join(filter(None, (warehouse_and_bin(each) for each in same_serial))) if entry.counted else ""


def _fits(place: CountPlace, what: Correction) -> bool:
    asked = (
        ("item", what.item),
        ("warehouse", what.warehouse),
        ("bin", what.bin),
        ("lot", what.lot),
        ("serial", what.serial),
    )
    return all(value is None or _is_same(getattr(place, name), value) for name, value in asked)


def _is_same(held: str | None, value: str) -> bool:
    """One code, however it is written: as in count sheets."""
    return held is not None and are_same(held, value)


class Listed(Struct, frozen=True):
    """One count of the list."""

    name: str
    frozen_at: str
    who: str
    trading: bool
    places: int
    counted: int
    posted: int
    recount: int
    damaged: bool = False


def all_counts(workspace: Workspace) -> list[Listed]:
    """Every count and how far it is."""
    counts: list[Listed] = []
    for name in count_names(workspace.hidden):
        try:
            state = state_of(name, workspace)
        except DamagedCount:
            counts.append(Listed(name, "", "", False, 0, 0, 0, 0, damaged=True))
            continue
        counted = sum(1 for line in state.told if line.counted is not None) + state.quiet.height
        recount = sum(1 for line in state.told if line.recount)
        about = state.about
        counts.append(
            Listed(
                name,
                about["frozen_at"],
                about.get("who", ""),
                state.trading,
                state.places.height,
                counted,
                len(state.posted),
                recount,
            )
        )
    return counts
