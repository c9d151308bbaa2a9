"""Files about a past load: the refused rows, to be fixed and loaded, and the rows as they were before it."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from contextlib import suppress
from pathlib import Path

import polars as pl
from msgspec import Struct

from kotrel.core.changes.change_set import RecordChanges, RefusedRows
from kotrel.core.changes.journal import joined_reasons, load_name
from kotrel.core.columns import MESSAGE, ROW, before
from kotrel.core.description.model import Record
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.phrases import listed_and
from kotrel.loading.loads.rest_workbook import RestSheet, write_rest
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.sheets.safe_writing import free_name, make_folder, require_new_file
from kotrel.sheets.table_writing import ENDINGS, write_book
from kotrel.systems.interface import System

FOLDER = "rests"
Stamps = Mapping[str, Mapping[str, str]]
"""File → the names and texts of the stamps in it."""


def keep_stamps(hidden: Path, fingerprint: str, stamps: Stamps) -> None:
    """Keeps the stamps of a load's files, by the fingerprint of their content.
    Without any, there is nothing to keep.
    """
    marked = {file: dict(mine) for file, mine in stamps.items() if mine}
    if not marked:
        return
    with suppress(OSError):
        make_folder(hidden / FOLDER)
        (hidden / FOLDER / f"{fingerprint}.json").write_text(json.dumps(marked, ensure_ascii=False), "utf-8")


def kept_stamps(hidden: Path, fingerprint: str) -> Stamps:
    """The stamps of a load's files; none where nothing was kept.

    Raises:
        OutOfReach: the note is damaged: without it, rows of new prices would come back without their guards.
    """
    note = hidden / FOLDER / f"{fingerprint}.json"
    if not note.exists():
        return {}
    try:
        found = json.loads(note.read_text("utf-8"))
        return {str(file): {str(name): str(text) for name, text in mine.items()} for file, mine in found.items()}
    except (OSError, ValueError, AttributeError):
        raise OutOfReach(
            f"{note} cannot be read, so nobody knows which export or price rules the rows belong to",
            "Take the file .rest.xlsx that the load wrote.",
            "damaged-note",
        ) from None


class RestPart(Struct, frozen=True):
    """The refused rows of one sheet of one file, and row → its reasons."""

    file: str
    sheet: str
    rest: RefusedRows
    reasons: Mapping[int, str]


def rest_of(changes: Sequence[RecordChanges]) -> list[RestPart]:
    """The refused rows of a load, sheet by sheet."""
    parts: dict[tuple[str, str], RestPart] = {}
    for part in changes:
        if part.rest is None:
            continue
        refused = part.rows_of("refused").select(ROW, MESSAGE)
        reasons = {row: message or "" for row, message in refused.iter_rows()}
        known = parts.get((part.file, part.sheet))
        if known is None:
            parts[part.file, part.sheet] = RestPart(part.file, part.sheet, part.rest, reasons)
            continue
        more = {row: joined_reasons(known.reasons.get(row), why) for row, why in reasons.items()}
        fresh = ~part.rest.cells[ROW].is_in(known.rest.cells[ROW].implode())
        rest = RefusedRows(
            known.rest.headings,
            pl.concat([known.rest.cells, part.rest.cells.filter(fresh)]).sort(ROW),
            pl.concat([known.rest.kinds, part.rest.kinds.filter(fresh)]).sort(ROW),
        )
        parts[part.file, part.sheet] = RestPart(part.file, part.sheet, rest, {**known.reasons, **more})
    return list(parts.values())


def write_rests(parts: Sequence[RestPart], path: Path, stamps: Stamps) -> int:
    """Writes the refused rows into one workbook, a sheet for each sheet they came from. Returns how many there are.

    Args:
        stamps: what marks the files that they come from: only edited cells of an export count, and new prices have
            guards.

    Raises:
        WrongUse: they come from files with different stamps, and a workbook can have one of each only.
    """
    marks = [dict(stamps.get(part.file, {})) for part in parts]
    if any(mark != marks[0] for mark in marks):
        files = listed_and(list(dict.fromkeys(Path(part.file).name for part in parts)))
        raise WrongUse(
            f"the refused rows are of {files}, which belong to different exports or price rules: one workbook cannot hold both",
            "Load each of them by itself, and take its rest.",
            "several-origins",
        )
    write_rest(
        [RestSheet(part.sheet or Path(part.file).stem, part.rest, part.reasons, not part.sheet) for part in parts],
        path,
        marks[0],
    )
    return sum(part.rest.cells.height for part in parts)


def write_rests_beside(parts: Sequence[RestPart], stamps: Stamps) -> list[tuple[Path, int]]:
    """Writes the refused rows of each file beside it, ``NAME.rest.xlsx``; the files and how many rows are in each.

    Args:
        stamps: see :func:`write_rests`.
    """
    written: list[tuple[Path, int]] = []
    for file in dict.fromkeys(part.file for part in parts):
        mine = [part for part in parts if part.file == file]
        source = Path(file)
        path = free_name(source.with_name(f"{source.stem.removesuffix('.rest')}.rest.xlsx"))
        written.append((path, write_rests(mine, path, stamps)))
    return written


def write_before(system: System, number: int, path: Path) -> dict[str, int]:
    """Writes the rows that a load changed or removed as they were before it; record → how many.

    Raises:
        WrongUse: the load changed no existing row, or the file exists.
    """
    require_new_file(path, ENDINGS)
    rows: dict[str, tuple[Record, list[pl.DataFrame]]] = {}
    with system.reading() as reading:
        for changes in reading.changes_of(number):
            touched = changes.rows_of("changed", "removed")
            if touched.height:
                former = touched.select(
                    pl.coalesce(before(name), name).alias(name)
                    if name in changes.record.key
                    else pl.col(before(name)).alias(name)
                    for name in changes.fields
                )
                rows.setdefault(changes.record.name, (changes.record, []))[1].append(former)
    if not rows:
        raise WrongUse(f"{load_name(number)} changed no existing row: all its rows were new", "", "nothing-before")
    sheets: list[OutSheet] = []
    for record, frames in rows.values():
        whole = pl.concat(frames, how="diagonal")
        columns = tuple(OutColumn(record.fields[name].title, record.fields[name]) for name in whole.columns)
        sheets.append(OutSheet(record.title, columns, whole))
    write_book(OutBook(tuple(sheets)), path)
    return {name: sum(frame.height for frame in frames) for name, (_, frames) in rows.items()}


def write_rest_of(system: System, number: int, path: Path, hidden: Path) -> int:
    """Writes the refused rows of a load, each with its reasons; returns how many.

    Raises:
        WrongUse: the load refused no row, the file exists, or the rows come from files that belong to different
            exports.
    """
    require_new_file(path, [".xlsx"])
    fingerprint = next((entry.fingerprint for entry in system.history() if entry.number == number), "")
    parts = [RestPart(file, sheet, rest, reasons) for file, sheet, rest, reasons in system.rest_of(number)]
    if not any(part.rest.cells.height for part in parts):
        raise WrongUse(f"{load_name(number)} has no refused rows", "", "nothing-refused")
    return write_rests(parts, path, kept_stamps(hidden, fingerprint))
