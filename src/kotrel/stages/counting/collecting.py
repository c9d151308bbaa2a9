"""Collects count sheets: any order, more than once, workbooks and text files, and a hand scanner's lists."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

import polars as pl

from kotrel.core.counting.collecting import Sheet, collect
from kotrel.core.counting.frames import as_places, line_frame
from kotrel.core.counting.plain_lines import KnownPlaces
from kotrel.core.counting.sheet_record import count_record
from kotrel.core.counting.variance import Entry, Key
from kotrel.core.description.model import Record
from kotrel.core.errors import KotrelError, OutOfReach, WrongData, WrongUse
from kotrel.core.readying.repairing import repair
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import folded
from kotrel.core.tables.table import Table
from kotrel.core.understanding.matching import Matched, match_headings
from kotrel.core.understanding.reading import understand
from kotrel.core.values.moments import moment_text
from kotrel.sheets.count_sheets import STAMP
from kotrel.sheets.stamps import stamp_of
from kotrel.stages.counting.alike import read_alike
from kotrel.stages.counting.known_items import KnownItems
from kotrel.stages.counting.other_sheets import by_saved_match
from kotrel.stages.counting.reading_ahead import read_ahead
from kotrel.stages.counting.scanning import scanned_rows
from kotrel.systems.interface import Reading, Step
from kotrel.workspace.counts import CountedFile, open_count
from kotrel.workspace.settings import Workspace


@dataclass(frozen=True)
class Wish:
    """What the user says of the files.

    Attributes:
        counted_at: of lines without a time, canonical text; a day alone is the day of times without one.
        day: ISO date.
        bin: of scanned lines.
        map_name: the saved match that reads the files, or None for one that fits, or their headings.
    """

    counted_at: str | None = None
    day: str | None = None
    warehouse: str | None = None
    bin: str | None = None
    counter: str | None = None
    as_expected: bool = False
    recount: bool = False
    map_name: str | None = None


@dataclass(frozen=True)
class CollectedFile:
    """What became of one file.

    Attributes:
        status: ``collected``, ``again`` (its content is collected already), or ``refused`` (nothing of it is taken).
        replaced: lines that the same sheet had before.
    """

    path: Path
    status: str
    lines: int = 0
    blank: int = 0
    finds: int = 0
    replaced: int = 0
    rows: Rows | None = None


def collect_files(
    name: str, files: Sequence[Path], wish: Wish, workspace: Workspace, who: str, now: datetime, step: Step
) -> list[CollectedFile]:
    """Collects files into a count. A file with an error in a line is not taken at all: nothing is counted by halves.

    Raises:
        WrongUse: there is no such count.
        OutOfReach: a file cannot be read.
    """
    done: list[CollectedFile] = []
    with workspace.system().reading() as reading, open_count(workspace.hidden, name) as count:
        places = count.place_frame()
        known_places = KnownPlaces(places)
        bins = _bins(reading, workspace)
        frozen_day = count.about()["frozen_at"][:10]
        items = KnownItems(reading, workspace, _item(workspace), bins)
        items.learn(places["item"])
        state = SystemState(workspace.description, items.read)
        for path, tables, prepared in _prepared(files, workspace, state, wish, now):
            step(f"collecting {path.name}")
            fingerprint = _fingerprint(path)
            known_files = count.files()
            if any(each.fingerprint == fingerprint for each in known_files):
                done.append(CollectedFile(path, "again"))
                continue
            stamp = stamp_of(path, STAMP)
            source, round_ = _source_of(stamp, name, path, wish, known_files)
            warehouses = known_places.warehouses
            only = next(iter(warehouses)) if len(warehouses) == 1 else None
            sheet = Sheet(round_, _warehouse_of(path, wish, only, warehouses), wish.counted_at,
                          wish.day or (frozen_day if now.date().isoformat() == frozen_day else None), wish.as_expected)  # fmt: skip
            rows = prepared or _rows(path, tables, workspace, state, reading, places, wish, sheet.warehouse, now)
            if wish.counter is not None:
                rows = _with_counter(rows, wish.counter)
            found = collect(rows, known_places, items.known_of(rows.values["item"]), sheet)
            if any(group.severity == "error" for group in found.rows.findings):
                done.append(CollectedFile(path, "refused", rows=found.rows))
                continue
            lines = found.lines
            if found.finds:
                numbers = _add_finds(count, found.finds, places, reading, workspace)
                there = [replace(entry, place=number) for (_, entry), number in zip(found.finds, numbers, strict=True)]
                lines = pl.concat([lines, line_frame(there)])
                places = count.place_frame()
                known_places = KnownPlaces(places)
            at = moment_text(now.replace(tzinfo=None))
            replaced = count.collect(CountedFile(0, path.name, source, fingerprint, at, who, round_), lines)
            done.append(
                CollectedFile(path, "collected", lines.height, found.blank, len(found.finds), replaced, found.rows)
            )
    return done


Read = Future[list[Table]]


def _prepared(
    files: Sequence[Path], workspace: Workspace, state: SystemState, wish: Wish, now: datetime
) -> Iterator[tuple[Path, Read, Rows | None]]:
    """Each file with its tables, and with its rows where those of a whole batch could be read as one."""
    record = count_record(workspace.description)
    for batch in read_ahead(files, workspace):
        # A match that the user names may need the file to be read again, in its own way.
        own_way = wish.map_name is not None
        sheets = [None if own_way else _chosen(path, tables, record, workspace, wish) for path, tables in batch]
        found = [each for each in sheets if each is not None]
        alike = read_alike(found, state, workspace.conventions, now.date()) if len(found) == len(batch) else None
        for place, (path, tables) in enumerate(batch):
            yield path, tables, alike[place] if alike else None


def _chosen(path: Path, read: Read, record: Record, workspace: Workspace, wish: Wish) -> tuple[Table, Matched] | None:
    """The table of a count sheet and its match, or None where it is anything else, or cannot be read."""
    with suppress(KotrelError):
        matched = _matched(path, read.result(), record, workspace, wish)
        if matched:
            table, match = max(matched, key=lambda each: len(each[1].sources))
            return (table, match) if {"item", "counted"} <= set(match.sources) else None
    return None


def _matched(
    path: Path, tables: list[Table], record: Record, workspace: Workspace, wish: Wish
) -> list[tuple[Table, Matched]]:
    """The tables of a file that are count sheets, each with its match."""
    return by_saved_match(path, tables, workspace, wish.map_name) or [
        (table, match)
        for table in tables
        if {"item", "counted"} <= set((match := match_headings(table, record)).sources)
    ]


def _fingerprint(path: Path) -> str:
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    except OSError as error:
        raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "file-not-readable") from None


def _source_of(stamp: str | None, name: str, path: Path, wish: Wish, files: Sequence[CountedFile]) -> tuple[str, int]:
    """What identifies the sheet a file is, and the round it belongs to.

    Raises:
        WrongData: it is a sheet of another count.
    """
    last = max((each.round for each in files), default=0)
    if stamp is None or stamp.count("/") != 2:
        return f"file {path.name}", (last + 1 if wish.recount else 0)
    of, number, round_ = stamp.split("/")
    if of != name:
        raise WrongData(
            f"{path} is a sheet of the count {of}, not of {name}", f"kotrel count collect {of} {path}", "other-count"
        )
    return f"sheet {number}", int(round_)


def _warehouse_of(path: Path, wish: Wish, only: str | None, known: set[str | None]) -> str | None:
    """The warehouse of rows that say none: the one given, the count's only one, or the one in the file's name."""
    if wish.warehouse is not None or only is not None:
        return wish.warehouse or only
    words = set(path.stem.replace("_", "-").upper().split("-"))
    named = [code for code in known if code is not None and code.upper() in words]
    return named[0] if len(named) == 1 else None


def _rows(
    path: Path, read: Read, workspace: Workspace, state: SystemState, reading: Reading, places: pl.DataFrame,
    wish: Wish, warehouse: str | None, now: datetime,
) -> Rows:  # fmt: skip
    """A file as rows of a count sheet, names and other codes repaired; a file without its headings as a scanner's list."""
    record = count_record(workspace.description)
    tables: list[Table] = []
    trouble: KotrelError | None = None
    try:
        tables = read.result()
    except KotrelError as error:
        trouble = error
    matched = _matched(path, tables, record, workspace, wish)
    if not matched:
        rows = scanned_rows(path, record, reading, workspace, as_places(places), warehouse, wish.bin)
        if rows is None:
            raise trouble or WrongData(
                f"{path} is no count sheet: it has no columns Item and Counted, and its lines are no scanned codes",
                "The headings are those of kotrel count sheets.",
                "nothing-recognised",
            )
        return rows
    table, match = max(matched, key=lambda each: len(each[1].sources))
    if not {"item", "counted"} <= set(match.sources):
        raise WrongUse(
            f"the saved match {wish.map_name} fills no {'item' if 'item' not in match.sources else 'counted'}",
            "A count sheet needs both: [field.item] and [field.counted].",
            "wrong-map",
        )
    if workspace.not_counted:
        own = match.sources["counted"]
        counted = replace(own, translate={folded(workspace.not_counted): "", **own.translate})
        match = replace(match, sources={**match.sources, "counted": counted})
    rows = understand(table, match, workspace.conventions, now.date())
    rows = rows.only(rows.values["item"].is_not_null() | rows.values["counted"].is_not_null())
    return repair(rows, state, workspace.conventions.spellings)


def _with_counter(rows: Rows, counter: str) -> Rows:
    filled = pl.col("counter").fill_null(pl.lit(counter)) if "counter" in rows.values.columns else pl.lit(counter)
    return replace(rows, values=rows.values.with_columns(filled.alias("counter")))


def _bins(reading: Reading, workspace: Workspace) -> frozenset[tuple[str, str]] | None:
    """Warehouse and bin of all bins; None where the system has none."""
    if "bin" not in workspace.description.records:
        return None
    return frozenset(reading.read("bin", ["warehouse", "code"]).drop_nulls().iter_rows())


def _item(workspace: Workspace) -> Record:
    ledger = workspace.description.stock_places
    assert ledger is not None
    return workspace.description.records[str(ledger.fields["item"].to)]


def _add_finds(  # type: ignore[no-untyped-def]
    count, finds: Sequence[tuple[Key, Entry]], places: pl.DataFrame, reading: Reading, workspace: Workspace
) -> list[int]:
    """Places for what was found where the count has none; nothing is expected there."""
    item = _item(workspace)
    codes = pl.Series("item", [key[0] for key, _ in finds], dtype=pl.String)
    wanted = [name for name in (item.key[0], "unit", "category", "cost", item.called) if name and name in item.fields]
    about = {
        row[item.key[0]]: row for row in reading.read(item.name, wanted, (item.key[0], codes)).iter_rows(named=True)
    }
    costs = dict(places.filter(pl.col("item").is_in(codes.implode())).select("item", "cost").iter_rows())
    rows: dict[Key, list[str | None]] = {}
    for key, _ in finds:
        facts = about.get(key[0], {})
        cost = costs.get(key[0]) or facts.get("cost")
        rows[key] = [*key, "0", cost, facts.get("unit"), facts.get(item.called or ""), facts.get("category")]
    numbers = dict(zip(rows, count.add_finds(list(rows.values())), strict=True))
    return [numbers[key] for key, _ in finds]
