"""Collects count sheets: any order, more than once, workbooks and text files, and a hand scanner's lists."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Sequence
from concurrent.futures import Future
from datetime import datetime
from decimal import Decimal
from functools import cached_property
from itertools import chain
from pathlib import Path
from typing import Any

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.counting.counted_times import TimeHabits
from kotrel.core.counting.entries import Sheet, collect
from kotrel.core.counting.frames import NUMBER, line_frame
from kotrel.core.counting.known_places import Known, KnownPlaces
from kotrel.core.counting.sheet_record import NAME
from kotrel.core.counting.variance import CountEntry, Key
from kotrel.core.description.model import Record
from kotrel.core.errors import OutOfReach, WrongData
from kotrel.core.loading.load_model import Checked
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import Nearest
from kotrel.core.tables.table import Table
from kotrel.core.values.dates import moment_text
from kotrel.counting.count_files import Count, CountedFile, open_count
from kotrel.counting.count_sheets import STAMP
from kotrel.counting.count_state import counting_time
from kotrel.counting.sheet_rows import CollectOptions, counted_rows_of, prepared_files
from kotrel.screen.command_lines import quoted
from kotrel.sheets.ooxml.stamps import stamp_of
from kotrel.systems.interface import Reading, Step
from kotrel.workspace.mapping_reading import map_named, read_maps
from kotrel.workspace.settings import Workspace


class KnownItems:
    """Units, conversions and tracking of items; what was asked for once is remembered as long
    as the count is collected.
    """

    def __init__(
        self, reading: Reading, workspace: Workspace, item: Record, bins: frozenset[tuple[str, str]] | None
    ) -> None:
        self._reading = reading
        self._item = item
        self._convertible = workspace.description.conversions is not None
        decimals = _unit_decimals(reading, item, workspace)
        self._known = Known({}, {}, {}, bins, decimals, nearest_item=lambda code: self._every_code.of(code))
        self._asked: set[str] = set()

    @cached_property
    def _every_code(self) -> Nearest:
        key = self._item.key[0]
        return Nearest(self._reading.read(self._item.name, [key])[key].drop_nulls().to_list())

    def known_of(self, codes: pl.Series) -> Known:
        """What is known of these items, and of those asked for before."""
        self.learn(codes)
        return self._known

    def learn(self, codes: pl.Series) -> None:
        """Asks for those that were not asked for yet."""
        new = [code for code in codes.drop_nulls().unique().to_list() if code not in self._asked]
        if not new:
            return
        self._asked.update(new)
        item, key = self._item, self._item.key[0]
        asked = pl.Series(key, new, dtype=pl.String)
        wanted = [name for name in (key, "unit", "lot_tracked", "serial_tracked", "archived") if name in item.fields]
        units, factors, tracked = dict(self._known.units), dict(self._known.factors), dict(self._known.tracked)
        archived = set(self._known.archived)
        for row in self._reading.read(item.name, wanted, (key, asked)).iter_rows(named=True):
            units[row[key]] = row.get("unit") or ""
            archived |= {row[key]} if row.get("archived") == "yes" else set()
            tracked[row[key]] = tuple(what for what in ("lot", "serial") if row.get(f"{what}_tracked") == "yes")
        if self._convertible:
            held = self._reading.read("unit_conversion", ["item", "unit", "factor"], ("item", asked)).drop_nulls()
            factors |= {(code, unit): Decimal(factor) for code, unit, factor in held.iter_rows()}
        self._known = replace(self._known, units=units, factors=factors, tracked=tracked, archived=frozenset(archived))

    def read(
        self, record: str, fields: Sequence[str], among: tuple[str, pl.Series] | None = None, filled: Any = None
    ) -> pl.DataFrame:
        """The system's rows; that items which are known exist is not asked again."""
        key = self._item.key[0]
        if record == self._item.name and list(fields) == [key] and among is not None and among[0] == key:
            codes = among[1].drop_nulls().unique()
            if all(code in self._known.units for code in codes.to_list()):
                return pl.DataFrame({key: codes})
        return self._reading.read(record, fields, among, filled)


def _unit_decimals(reading: Reading, item: Record, workspace: Workspace) -> dict[str, int]:
    """Unit → its decimals, where the system has a list of units that says so."""
    to = item.fields["unit"].to if "unit" in item.fields else None
    unit = workspace.description.records[to] if to else None
    if unit is None or "decimals" not in unit.fields:
        return {}
    held = reading.read(unit.name, [unit.key[0], "decimals"]).drop_nulls()
    return {code: int(Decimal(decimals)) for code, decimals in held.iter_rows()}


class CollectedFile(Struct, frozen=True):
    """What became of one file.

    Attributes:
        status: ``collected``, ``again`` (its content is collected already), or ``refused`` (nothing was collected from
            it).
        replaced: lines that the same sheet had before.
        sheets: its sheets that count, each with what was found in it.
        not_read: why a sheet of it is not read, in words.
        beside: another list of its name was collected before, and stays.
    """

    path: Path
    status: str
    lines: int = 0
    blank: int = 0
    finds: int = 0
    replaced: int = 0
    sheets: tuple[Rows, ...] = ()
    not_read: tuple[str, ...] = ()
    beside: bool = False


def collect_files(
    name: str, files: Sequence[Path], options: CollectOptions, workspace: Workspace, who: str, now: datetime, step: Step
) -> list[CollectedFile]:
    """Collects files into a count. A file with an error in a line is not taken at all: nothing is counted by halves.

    Raises:
        WrongUse: there is no such count.
        OutOfReach: a file cannot be read.
    """
    with workspace.system().reading() as reading, open_count(workspace.hidden, name) as count:
        collecting = _Collecting(name, count, options, workspace, reading, who, now)
        done: list[CollectedFile] = []
        for path, tables, prepared in prepared_files(files, workspace, collecting.state, options, now):
            step(f"collecting {path.name}")
            done.append(collecting.take_file(path, tables, prepared))
    return done


class _Collecting:
    """One count, and what has to be known of it and the system to take in files."""

    def __init__(
        self,
        name: str,
        count: Count,
        options: CollectOptions,
        workspace: Workspace,
        reading: Reading,
        who: str,
        now: datetime,
    ) -> None:
        self.name, self.count, self.options, self.who, self.now = name, count, options, who, now
        self.workspace, self.reading = workspace, reading
        self._how = _how_read(options, workspace)
        self.places = count.place_frame()
        self.known_places = KnownPlaces(self.places)
        self.frozen_day = count.about()["frozen_at"][:10]
        self.between = counting_time(count, now, options.counted_at)
        self.items = KnownItems(reading, workspace, item_record(workspace), _bins(reading, workspace))
        self.items.learn(self.places["item"])
        self.state = SystemState(workspace.description, self.items.read)

    def take_file(self, path: Path, tables: Future[list[Table]], prepared: Rows | None) -> CollectedFile:
        """Takes in one file, or says why not."""
        options, now = self.options, self.now
        stamp = stamp_of(path, STAMP)
        # A recount that says the same confirms the first count.
        said = "" if stamp else _said_of(options) + (" counted again" if options.recount else "")
        fingerprint = _fingerprint(path) + said + self._how
        known_files = self.count.files()
        if fingerprint in {each.fingerprint for each in known_files}:
            return CollectedFile(path, "again")
        source, round_ = _source_of(stamp, self.name, path, options, known_files)
        sheet = self._sheet(path, round_)
        if prepared is not None:
            read, not_read = [prepared], list[str]()
        else:
            read, not_read = counted_rows_of(
                path, tables, self.workspace, self.state, self.reading, self.places, options, sheet.warehouse, now
            )
        counted = read if options.counter is None else [_with_counter(rows, options.counter) for rows in read]
        collected = [
            collect(rows, self.known_places, self.items.known_of(rows.values["item"]), sheet) for rows in counted
        ]
        sheets = tuple(each.rows for each in collected)
        if not all(Checked(rows).ok for rows in sheets):
            return CollectedFile(path, "refused", sheets=sheets, not_read=tuple(not_read))
        finds = list(chain.from_iterable(each.finds for each in collected))
        lines = self._with_finds(pl.concat([each.lines for each in collected]), finds)
        at, blank, aside = moment_text(now.replace(tzinfo=None)), sum(each.blank for each in collected), 0
        if not stamp:
            source, aside = _among_its_like(self.count, source, set(lines[NUMBER].to_list()), path, options.corrected)
        file = CountedFile(0, path.name, source, fingerprint, at, self.who, round_)
        replaced = aside + self.count.collect(file, lines)
        return CollectedFile(
            path,
            "collected",
            lines.height,
            blank,
            len(finds),
            replaced,
            sheets,
            tuple(not_read),
            " #" in source,
        )

    def _sheet(self, path: Path, round_: int) -> Sheet:
        """What holds for all lines of a file that do not say it themselves."""
        options, warehouses = self.options, self.known_places.warehouses
        only = next(iter(warehouses)) if len(warehouses) == 1 else None
        return Sheet(
            round_,
            _warehouse_of(path, options, only, warehouses),
            options.as_expected,
            TimeHabits(
                options.counted_at,
                options.day or (self.frozen_day if self.now.date().isoformat() == self.frozen_day else None),
                this_year=self.now.year,
                between=self.between,
            ),
            self.workspace.conventions.dates,
        )

    def _with_finds(self, lines: pl.DataFrame, finds: Sequence[tuple[Key, CountEntry]]) -> pl.DataFrame:
        """The lines (:data:`~kotrel.core.counting.frames.LINES`) with those at places that the count gets only now."""
        if not finds:
            return lines
        numbers = _add_finds(self.count, finds, self.places, self.reading, self.workspace)
        there = [replace(entry, place=number) for (_, entry), number in zip(finds, numbers, strict=True)]
        self.places = self.count.place_frame()
        self.known_places.look_at_finds(self.places)
        return pl.concat([lines, line_frame(there)])


def _fingerprint(path: Path) -> str:
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    except OSError as error:
        raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "file-not-readable") from None


def _how_read(options: CollectOptions, workspace: Workspace) -> str:
    """What a file means besides what is in it: collected again in another way, it replaces what it said before."""
    conventions = workspace.conventions
    said = (
        options.counted_at,
        options.day,
        options.counter,
        options.as_expected or None,
        conventions.decimal_mark,
        conventions.dates,
    )
    folder, description, named = workspace.folder, workspace.description, options.map_name
    saved = [map_named(folder, named, description)] if named is not None else read_maps(folder, description)
    maps = [each.text for each in saved if each.record == NAME]
    usual = (None, None, None, None, "auto", "auto")
    return "" if said == usual and not maps else " " + hashlib.sha256(repr((said, maps)).encode()).hexdigest()[:16]


def _source_of(
    stamp: str | None, name: str, path: Path, options: CollectOptions, files: Sequence[CountedFile]
) -> tuple[str, int]:
    """What identifies the sheet a file is, and the round it belongs to.

    Raises:
        WrongData: it is a sheet of another count.
    """
    last = max((each.round for each in files), default=0)
    if stamp is None or stamp.count("/") != 2:
        again = last + 1 if options.recount else 0
        return f"file {path.resolve()}{_said_of(options)}{f' round {again}' if again else ''}", again
    of, number, round_ = stamp.split("/")
    if of != name:
        raise WrongData(
            f"{path} is a sheet of the count {of}, not of {name}",
            f"kotrel count collect {of} {quoted([path])}",
            "other-count",
        )
    return f"sheet {number}", int(round_)


def _said_of(options: CollectOptions) -> str:
    """Where the user says that an unstamped list was counted: the same codes elsewhere are another list."""
    return "".join(f" in {where}" for where in (options.warehouse, options.bin) if where)


def _among_its_like(count: Count, source: str, places: set[int], path: Path, corrected: bool) -> tuple[str, int]:
    """The source of an unstamped list, and how many lines of lists of that name it takes the place of.

    A list with most of the places of an earlier one is that one, corrected; one with other places is another list: a
    scanner may call each of them the same.

    Raises:
        WrongData: it has a few of the places of an earlier one, and nobody says whether it is a correction.
    """
    like = [each.source for each in count.files() if re.fullmatch(re.escape(source) + r"( #[0-9]+)?", each.source)]
    old: list[str] = []
    for each in like:
        before = count.places_of(each)
        if corrected or len(before & places) * 2 >= len(before):
            old.append(each)
        elif before & places:
            raise WrongData(
                f"{path} was collected before, and {len(before & places):,} of the {len(before):,} places that it had are in it again",
                "Add --corrected if it replaces that one; rename it if it is another list.",
                "collected-before",
            )
    aside = sum(count.put_aside(each) for each in old)
    left = [each.source for each in count.files()]
    number = next(n for n in range(1, len(left) + 2) if (source if n == 1 else f"{source} #{n}") not in left)
    return (source if number == 1 else f"{source} #{number}"), aside


def _warehouse_of(path: Path, options: CollectOptions, only: str | None, known: set[str | None]) -> str | None:
    """The warehouse for rows that name none: the one given, the count's only one, or the one in the file's name."""
    if options.warehouse is not None or only is not None:
        return options.warehouse or only
    words = set(path.stem.replace("_", "-").upper().split("-"))
    named = [code for code in known if code is not None and code.upper() in words]
    return named[0] if len(named) == 1 else None


def _with_counter(rows: Rows, counter: str) -> Rows:
    filled = pl.col("counter").fill_null(pl.lit(counter)) if "counter" in rows.values.columns else pl.lit(counter)
    return replace(rows, values=rows.values.with_columns(filled.alias("counter")))


def _bins(reading: Reading, workspace: Workspace) -> frozenset[tuple[str, str]] | None:
    """Warehouse and bin of all bins; None where the system has none."""
    if "bin" not in workspace.description.records:
        return None
    return frozenset(reading.read("bin", ["warehouse", "code"]).drop_nulls().iter_rows())


def item_record(workspace: Workspace) -> Record:
    """The record of the items that are counted."""
    ledger = workspace.description.stock_places
    assert ledger is not None
    return workspace.description.records[str(ledger.fields["item"].to)]


def _add_finds(
    count: Count, finds: Sequence[tuple[Key, CountEntry]], places: pl.DataFrame, reading: Reading, workspace: Workspace
) -> list[int]:
    """Places for what was found where the count has none; nothing is expected there."""
    item = item_record(workspace)
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
