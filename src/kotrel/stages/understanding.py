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
"""Sheets that Kotrel itself puts into workbooks; they are never read as data."""


@dataclass(frozen=True)
class Wanted:
    """What the user says about the files.

    Attributes:
        record: the record the rows are, or None to recognise it by its headings.
        sheet: the sheet's name, or None for the one that fits.
        heading_row: the row with the headings, or None to find it.
        map_name: the saved match to use, or None for the one whose headings fit.
        ways: how they are to be loaded.
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
        remarks: how it came to be chosen, in words for the user.
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
    hint = f"Did you mean {close}?" if close else f"It takes: {', '.join(description.records)}."
    raise WrongUse(f"the system takes no record “{name}”", hint, "no-such-record")


Expect = Callable[[Record, Sequence[str], int], None]
"""Told a record, the fields that a sheet has of it, and how many rows there are, before they are read."""


def understand_file(
    path: Path, workspace: Workspace, wanted: Wanted, today: date, step: Step, expect: Expect | None = None
) -> list[Understood]:
    """Reads one file and understands the sheets in it that fit: each as one record, or as several where a saved match says so.

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
                f"{where} has headings in row {table.heading_row} and no rows below", "Fill it in first.", "no-rows"
            )
        if others and not wanted.sheet and not place:
            remarks = [*remarks, f"other sheets left out: {', '.join(others)}"]
        for number, matched in enumerate(matches):
            rows = understand(table, matched, workspace.conventions, today)
            # The first record of a sheet is there in any case; of the others only what the sheet says anything about.
            if not number:
                found.append(Understood(rows, (*table.remarks, *remarks, *said), export))
            elif rows.values.height:
                found.append(Understood(rows, (f"for {matched.label}",) if matched.label else (), export))
    return found


def _export_of(path: Path, workspace: Workspace, since: str | None) -> tuple[RememberedExport | None, list[str]]:
    """The export that a file came from: the one told, else the one its stamp names; and what is to be said of it."""
    if since == "none":
        return None, []
    if since is not None:
        return export_named(workspace.hidden, since), []
    stamp = stamp_of(path, STAMP)
    if stamp is None:
        return None, []
    export = export_stamped(workspace.hidden, stamp)
    if export is None:
        return None, [f"it is export {stamp}, which is not remembered here: compared with the system alone"]
    return export, []


class Chosen(NamedTuple):
    """A sheet that is taken: its table, what feeds its records, and remarks on how it was chosen."""

    table: Table
    matches: list[Matched]
    remarks: list[str]


def match_tables(tables: Sequence[Table], workspace: Workspace, wanted: Wanted, file: str) -> list[Chosen]:
    """The tables that fit and what feeds their fields: one by a saved match, else each by its headings.

    Raises:
        WrongUse, WrongData: nothing fits, several fit equally, or a saved match nearly fits.
    """
    saved = _saved(tables, workspace, wanted)
    return [saved] if saved else _choose(tables, workspace.description, wanted, file)


def _saved(tables: Sequence[Table], workspace: Workspace, wanted: Wanted) -> Chosen | None:
    """A saved match whose headings fit: the one told, or the one that needs the most headings."""
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
            f"the saved match {saved.name} nearly fits, but {' and '.join(f'“{heading}”' for heading in missing)} is not there",
            f"Was a heading changed? Mend {FOLDER}/{saved.path.name}, or say --as {saved.record} to go by the headings alone.",
            "map-nearly-fits",
        )
    return None


def _choose(tables: Sequence[Table], description: Description, wanted: Wanted, file: str) -> list[Chosen]:
    """The sheet whose headings fit best, and with it every other that plainly is another record."""
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
                f'Say which: --sheet "{table.sheet}"',
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
    """True where a sheet beside the best one is meant as data: it bears a record's name, or most of its headings fit."""
    headed = sum(1 for column in table.columns if column.heading)
    return matched.has_key and (
        is_called(matched.record, table.sheet) or (len(matched.letters) >= 3 and len(matched.letters) * 2 > headed)
    )


def tables_of(grids: Sequence[Grid], heading_row: int | None) -> list[Table]:
    """The tables of all sheets that are not empty and not Kotrel's own.

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
        raise trouble or WrongData("there is no sheet with data in it", "Is it the right file?", "empty")
    return tables


def _nothing_recognised(tables: Sequence[Table], records: Sequence[Record], file: str) -> WrongData:
    seen = ", ".join(f"“{column.heading}”" for column in tables[0].columns[:6] if column.heading) or "none"
    what = records[0].title.lower() if len(records) == 1 else "any record of the system"
    return WrongData(
        f"nothing in {file} is recognised as {what}; its headings are {seen}",
        f"kotrel inspect {Path(file).name} shows what is in it; kotrel records {records[0].name} names the fields.",
        "nothing-recognised",
    )
