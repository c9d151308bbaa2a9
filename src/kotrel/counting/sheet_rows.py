"""The files of a count as rows of count sheets: any number of sheets in each, or a hand scanner's list."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import Future
from contextlib import suppress
from datetime import datetime
from pathlib import Path

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.checking.left_out_units import check_units
from kotrel.core.counting.frames import as_places
from kotrel.core.counting.sheet_record import NAME, count_record
from kotrel.core.description.model import Record
from kotrel.core.errors import KotrelError, WrongData, WrongUse
from kotrel.core.matching.by_headings import Matched, match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.phrases import count
from kotrel.core.resolving.filling import calculated_in_sheet
from kotrel.core.resolving.repairing import repair
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.table import Table
from kotrel.core.values.same_writing import form_of
from kotrel.counting.batch_reading import read_alike
from kotrel.counting.reading_ahead import read_ahead
from kotrel.counting.scanning import scanned_rows
from kotrel.counting.written_units import with_units_beside
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.sheet_reading import tables_in
from kotrel.screen.command_lines import quoted
from kotrel.systems.interface import Reading
from kotrel.workspace.fitting_maps import map_for
from kotrel.workspace.mapping_reading import map_named, read_maps, with_sheet_records
from kotrel.workspace.mappings import SavedMap, apply_map
from kotrel.workspace.settings import Workspace


def _mapping_named(name: str, path: Path, workspace: Workspace) -> SavedMap:
    saved = map_named(workspace.folder, name, workspace.description)
    if saved.record != NAME:
        raise WrongUse(
            f"the saved mapping {name} is not for count sheets, but for {saved.record}",
            f"kotrel map {quoted([path])} {NAME} --name NAME makes one.",
            "other-map",
        )
    return saved


def by_saved_match(
    path: Path, tables: list[Table], workspace: Workspace, name: str | None
) -> list[tuple[Table, Matched]]:
    """The tables that saved mappings for count sheets read, each with what its own makes of it.

    Raises:
        WrongUse: the mapping that the user names is not for count sheets, or does not fit; several fit equally well.
    """
    description = with_sheet_records(workspace.description)
    if name is None:
        saved = [each for each in read_maps(workspace.folder, workspace.description) if each.record == NAME]
        found = [(table, map_for(table, saved)) for table in tables]
        return [(table, apply_map(mapping, table, description)[0]) for table, mapping in found if mapping is not None]
    mapping = _mapping_named(name, path, workspace)
    as_saved = {key: getattr(mapping, key) for key in ("sheet", "heading_row", "encoding")}
    if any(value is not None for value in as_saved.values()):
        tables[:] = tables_in(path, FileOptions(**as_saved, limits=workspace.limits))
    # Of the sheet that comes nearest, the user hears what is missing.
    nearest = [min(tables, key=lambda table: len(mapping.missing_in(table)))] if tables else []
    fitting = [table for table in tables if not mapping.missing_in(table)] or nearest
    return [(table, apply_map(mapping, table, description)[0]) for table in fitting]


_COUNTED = {"item", "counted"}
"""What a count sheet must have."""


class CollectOptions(Struct, frozen=True):
    """What the user says of the files.

    Attributes:
        counted_at: of lines without a time, canonical text; a day alone is the day of times without one.
        day: ISO date.
        bin: of scanned lines.
        map_name: the saved mapping that reads the files, or None for one that fits, or their headings.
        corrected: files that were collected before, and say something else now, take the place of what they said.
    """

    counted_at: str | None = None
    day: str | None = None
    warehouse: str | None = None
    bin: str | None = None
    counter: str | None = None
    as_expected: bool = False
    recount: bool = False
    map_name: str | None = None
    corrected: bool = False


Read = Future[list[Table]]


def prepared_files(
    files: Sequence[Path], workspace: Workspace, state: SystemState, options: CollectOptions, now: datetime
) -> Iterator[tuple[Path, Read, Rows | None]]:
    """Each file with its tables, and with its rows where those of a whole batch could be read as one."""
    record = count_record(workspace.description)
    for batch in read_ahead(files, workspace):
        # A mapping that the user names may need the file to be read again, in its own way.
        own_way = options.map_name is not None
        sheets = [None if own_way else _chosen(path, tables, record, workspace, options) for path, tables in batch]
        found = [each for each in sheets if each is not None]
        alike = read_alike(found, state, workspace.conventions, now.date()) if len(found) == len(batch) else None
        for index, (path, tables) in enumerate(batch):
            yield path, tables, alike[index] if alike else None


def _chosen(
    path: Path, read: Read, record: Record, workspace: Workspace, options: CollectOptions
) -> tuple[Table, Matched] | None:
    """The only sheet of a file that has rows, and its mapping; None where that is no count sheet, or cannot be read."""
    with suppress(KotrelError):
        tables = read.result()
        matched = _matched(path, tables, record, workspace, options)
        if len(matched) == 1 and sum(1 for table in tables if table.rows) < 2:
            return matched[0] if set(matched[0][1].sources) >= _COUNTED else None
    return None


def _matched(
    path: Path, tables: list[Table], record: Record, workspace: Workspace, options: CollectOptions
) -> list[tuple[Table, Matched]]:
    """The tables of a file that are count sheets, each with its mapping."""
    found = by_saved_match(path, tables, workspace, options.map_name) or [
        (table, match) for table in tables if set((match := match_headings(table, record)).sources) >= _COUNTED
    ]
    return [(table, _with_not_counted(match, workspace.not_counted)) for table, match in found]


def _with_not_counted(match: Matched, word: str) -> Matched:
    """The mapping with the word for lines that were not counted, which is a blank."""
    own = match.sources.get("counted")
    if not word or own is None:
        return match
    counted = replace(own, translate={form_of(word): "", **own.translate})
    return replace(match, sources={**match.sources, "counted": counted})


def counted_rows_of(
    path: Path,
    read: Read,
    workspace: Workspace,
    state: SystemState,
    reading: Reading,
    places: pl.DataFrame,
    options: CollectOptions,
    warehouse: str | None,
    now: datetime,
) -> tuple[list[Rows], list[str]]:
    """The count sheets of a file as rows, names and other codes repaired; a file without their headings as a scanner's
    list.

    With them goes what is not read, in words.
    """
    record = count_record(workspace.description)
    tables: list[Table] = []
    trouble: KotrelError | None = None
    try:
        tables = read.result()
    except KotrelError as error:
        trouble = error
    matched = _matched(path, tables, record, workspace, options)
    if not matched:
        rows = scanned_rows(path, record, reading, workspace, as_places(places), warehouse, options.bin)
        if rows is None:
            raise trouble or WrongData(
                f"{path} is no count sheet: it has no columns Item and Counted, and its lines are no scanned codes",
                f"If it lists what was counted, kotrel map {quoted([path])} {NAME} says which column has what.",
                "nothing-recognised",
            )
        return [rows], []
    for _, match in matched:
        if lacking := sorted(_COUNTED - set(match.sources), reverse=True):
            raise WrongUse(
                f"the saved mapping {options.map_name} fills no {lacking[0]}",
                "A count sheet needs both: [field.item] and [field.counted].",
                "wrong-map",
            )
    read_sheets = {table.sheet for table, _ in matched}
    not_read = [
        f"sheet “{table.sheet}” has {count(table.rows, 'row')} and is not read: it has no columns Item and Counted"
        for table in tables
        if table.rows and table.sheet not in read_sheets
    ]
    whole = [
        _tidied(table, match, workspace, state, now) for table, match in matched if table.rows or len(matched) == 1
    ]
    return whole, not_read


def _tidied(table: Table, match: Matched, workspace: Workspace, state: SystemState, now: datetime) -> Rows:
    rows = understand(table, match, workspace.conventions, now.date())
    rows = with_units_beside(calculated_in_sheet(rows, state.names_of, workspace.conventions), state)
    rows = rows.only(rows.values["item"].is_not_null() | rows.values["counted"].is_not_null())
    rows = repair(rows, state, workspace.conventions.spellings)
    # Of a time, a cell that holds a date is the right one.
    others = [each for each in rows.findings if each.kind != "became-date" or each.field not in ("date", "time")]
    return replace(rows, findings=(*others, *check_units(rows, state)))
