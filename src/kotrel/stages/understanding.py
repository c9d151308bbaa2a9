"""Files → rows: read, the table found, the record recognised, matched and tidied."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import NamedTuple

from kotrel.core.description.model import Description, Record
from kotrel.core.errors import KotrelError, WrongData, WrongUse
from kotrel.core.rows.load_options import DEFAULT_OPTIONS, LoadOptions
from kotrel.core.rows.rows import Rows
from kotrel.core.similarity import nearest
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.table import Grid, Table
from kotrel.core.understanding.matching import Matched, is_called, likely_record
from kotrel.core.understanding.reading import understand
from kotrel.sheets.opening import open_sheets
from kotrel.sheets.stamps import stamp_of
from kotrel.systems.interface import Step
from kotrel.workspace.exports import STAMP, RememberedExport, export_named, export_stamped
from kotrel.workspace.maps import FOLDER, SavedMap, apply_map, map_named, read_maps
from kotrel.workspace.settings import Workspace

OWN_SHEETS = ("Kotrel summary", "Kotrel guide", "Kotrel lists")
"""Sheets that Kotrel itself adds to workbooks; they are never read as data."""


@dataclass(frozen=True)
class Wanted:
    """What the user said about the files.

    Attributes:
        record: the record the rows are, or None to recognise it by its headings.
        sheet: the sheet's name, or None for the one that fits.
        heading_row: the row with the headings, or None to find it.
        map_name: the saved match to use, or None for the one whose headings fit.
        options: the load options.
    """

    record: str | None = None
    sheet: str | None = None
    heading_row: int | None = None
    map_name: str | None = None
    options: LoadOptions = DEFAULT_OPTIONS


@dataclass(frozen=True)
class Understood:
    """One sheet as rows.

    Attributes:
        remarks: how it was chosen, in words for the user.
        export: the export that the file came from, or None.
    """

    rows: Rows
    remarks: tuple[str, ...]
    export: RememberedExport | None = None


def record_named(description: Description, name: str) -> Record:
    """The record of that name.

    Raises:
        WrongUse: there is none.
    """
    if name in description.records:
        return description.records[name]
    close = nearest(name, description.records)
    hint = f"Did you mean {close}?" if close else f"The records are: {', '.join(description.records)}."
    raise WrongUse(f"the system takes no record “{name}”", hint, "no-such-record")


Expect = Callable[[Record, Sequence[str], int], None]
"""Called with a record, its fields in a sheet and the number of rows, before the rows are read."""


def understand_file(
    path: Path, workspace: Workspace, wanted: Wanted, today: date, step: Step, expect: Expect | None = None
) -> list[Understood]:
    """Reads one file and the sheets in it that fit: each as one record, or as several if a saved match says so.

    Raises:
        OutOfReach, WrongUse: the file cannot be read, or nothing in it is recognised.
    """
    step(f"reading {path.name}")
    grids = open_sheets(path, wanted.sheet)
    step("matching columns")
    tables = tables_of(grids, wanted.heading_row)
    chosen = match_tables(tables, workspace, wanted, str(path))
    for table, matches, _ in chosen if expect else ():
        for matched in matches:
            expect(matched.record, list(matched.sources), table.rows)  # type: ignore[misc]
    taken = [each.table for each in chosen]
    others = [f"“{other.sheet}”" + ("" if other.rows else " (no rows)") for other in tables if other not in taken]
    step("tidying values")
    found: list[Understood] = []
    export, said = _export_of(path, workspace, wanted.options.since)
    for place, (table, matches, remarks) in enumerate(chosen):
        if not table.rows:
            where = f"sheet “{table.sheet}” of {path}" if table.sheet else str(path)
            raise WrongData(
                f"{where} has headings in row {table.heading_row} but no rows below them",
                "Fill in some rows first.",
                "no-rows",
            )
        if others and not wanted.sheet and not place:
            remarks = [*remarks, f"other sheets left out: {', '.join(others)}"]
        for number, matched in enumerate(matches):
            rows = understand(table, matched, workspace.conventions, today)
            # The first record of a sheet always counts; the others only if the sheet has any values for them.
            if not number:
                found.append(Understood(rows, (*table.remarks, *remarks, *said), export))
            elif rows.values.height:
                found.append(Understood(rows, (f"for {matched.label}",) if matched.label else (), export))
    return found


def _export_of(path: Path, workspace: Workspace, since: str | None) -> tuple[RememberedExport | None, list[str]]:
    """The export that a file came from: the one named, or the one its stamp names; and remarks on it."""
    if since == "none":
        return None, []
    if since is not None:
        return export_named(workspace.hidden, since), []
    stamp = stamp_of(path, STAMP)
    if stamp is None:
        return None, []
    export = export_stamped(workspace.hidden, stamp)
    if export is None:
        return None, [f"export {stamp} is not remembered in this workspace: compared with the system only"]
    return export, []


class Chosen(NamedTuple):
    """A sheet to read: its table, its matches, and remarks on how it was chosen."""

    table: Table
    matches: list[Matched]
    remarks: list[str]


def match_tables(tables: Sequence[Table], workspace: Workspace, wanted: Wanted, file: str) -> list[Chosen]:
    """The tables that fit, with their matches: one by a saved match, otherwise each by its headings.

    Raises:
        WrongUse, WrongData: nothing fits, several fit equally, or a saved match nearly fits.
    """
    saved = _saved(tables, workspace, wanted)
    return [saved] if saved else _choose(tables, workspace.description, wanted, file)


def _saved(tables: Sequence[Table], workspace: Workspace, wanted: Wanted) -> Chosen | None:
    """The saved match to use: the one named, or the fitting one that needs the most headings."""
    if wanted.map_name is not None:
        saved = map_named(workspace.folder, wanted.map_name, workspace.description)
        table = min(tables, key=lambda each: len(saved.missing_in(each)))
        matched = apply_map(saved, table, workspace.description)
        return Chosen(table, matched, [f"match {saved.name}"])
    best: tuple[int, SavedMap, Table] | None = None
    nearly: tuple[SavedMap, list[str]] | None = None
    for saved in read_maps(workspace.folder, workspace.description):
        if wanted.record not in (None, *(part.record for part in saved.parts)) or not saved.headings():
            continue
        for table in tables:
            missing = saved.missing_in(table)
            if not missing and (best is None or len(saved.headings()) > best[0]):
                best = (len(saved.headings()), saved, table)
            elif missing and len(missing) * 4 <= len(saved.headings()):
                nearly = (saved, missing)
    if best is not None:
        _, saved, table = best
        matched = apply_map(saved, table, workspace.description)
        return Chosen(table, matched, [f"match {saved.name} (its headings fit)"])
    if nearly is not None:
        saved, missing = nearly
        if wanted.record is not None:
            return None
        raise WrongUse(
            f"the saved match {saved.name} almost fits, but there is no column {' and '.join(f'“{heading}”' for heading in missing)}",
            f"If a heading has changed, edit {FOLDER}/{saved.path.name}; to use the headings alone, add --as {saved.record}.",
            "map-nearly-fits",
        )
    return None


def _choose(tables: Sequence[Table], description: Description, wanted: Wanted, file: str) -> list[Chosen]:
    """The sheet whose headings fit best, and every other sheet that is clearly another record."""
    records = [record_named(description, wanted.record)] if wanted.record else list(description.records.values())
    fitting: list[tuple[Table, Matched]] = []
    for table in [each for each in tables if each.rows] or tables:
        matched = likely_record(table, records, wanted.options.match_on)
        if matched is not None:
            fitting.append((table, matched))
    if not fitting:
        raise _nothing_recognised(tables, records, file)
    fitting.sort(key=lambda each: each[1].fit, reverse=True)
    best: dict[str, tuple[Table, Matched]] = {}
    for table, matched in fitting:
        if not best or (matched.record.name not in best and _is_plain(table, matched)):
            best[matched.record.name] = (table, matched)
    taken = list(best.values())
    for table, matched in taken:
        rivals = [
            other.sheet
            for other, theirs in fitting
            if other is not table and theirs.fit == matched.fit and all(other is not each for each, _ in taken)
        ]
        if rivals:
            names = ", ".join(f"“{name}”" for name in [table.sheet, *rivals])
            raise WrongUse(
                f"{file} has several sheets that fit equally well: {names}",
                f'Name one: --sheet "{table.sheet}"',
                "which-sheet",
            )
    table, matched = taken[0]
    if (
        not wanted.record
        and len(matched.letters) == 1
        and len(table.columns) > 2
        and not matched.has_key
        and not wanted.options.match_on
    ):
        raise _nothing_recognised(tables, records, file)
    return [Chosen(table, [matched], []) for table, matched in taken]


def _is_plain(table: Table, matched: Matched) -> bool:
    """True where a sheet besides the best one clearly holds data: it has a record's name, or most of its headings fit."""
    headed = sum(1 for column in table.columns if column.heading)
    return matched.has_key and (
        is_called(matched.record, table.sheet) or (len(matched.letters) >= 3 and len(matched.letters) * 2 > headed)
    )


def tables_of(grids: Sequence[Grid], heading_row: int | None) -> list[Table]:
    """The tables of all sheets, without empty ones and Kotrel's own.

    Raises:
        WrongUse: all of them are empty.
    """
    tables: list[Table] = []
    trouble: KotrelError | None = None
    for grid in grids:
        if grid.name in OWN_SHEETS:
            continue
        try:
            tables.append(find_table(grid, heading_row))
        except KotrelError as error:
            trouble = trouble or error
    if not tables:
        raise trouble or WrongData("the workbook has no sheet with data", "Check that it is the right file.", "empty")
    return tables


def _nothing_recognised(tables: Sequence[Table], records: Sequence[Record], file: str) -> WrongData:
    seen = ", ".join(f"“{column.heading}”" for column in tables[0].columns[:6] if column.heading) or "none"
    what = records[0].title.lower() if len(records) == 1 else "any record of the system"
    return WrongData(
        f"nothing in {file} is recognised as {what}; its headings are {seen}",
        f"kotrel inspect {Path(file).name} shows what is in it; kotrel records {records[0].name} lists the fields.",
        "nothing-recognised",
    )
