"""Files about a past load: the rows as they were before it, and the rows it refused."""

from __future__ import annotations

from pathlib import Path

import polars as pl

from kotrel.core.changes.journal import load_name
from kotrel.core.columns import ACTION, before
from kotrel.core.description.model import Record
from kotrel.core.errors import WrongUse
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.table_writing import ENDINGS, write_book
from kotrel.stages.refused_rows import RestPart, write_rests
from kotrel.systems.interface import System
from kotrel.workspace.rest_stamps import kept_stamps


def write_before(system: System, number: int, path: Path) -> dict[str, int]:
    """Writes the rows that a load changed or removed as they were before it; record → how many.

    Raises:
        WrongUse: the load changed no existing row, or the file exists.
    """
    require_new_file(path, ENDINGS)
    rows: dict[str, tuple[Record, list[pl.DataFrame]]] = {}
    with system.reading() as reading:
        for changes in reading.changes_of(number):
            touched = changes.frame.filter(pl.col(ACTION).is_in(["changed", "removed"]))
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
        WrongUse: the load refused no row, the file exists, or the rows come from files that belong to different exports.
    """
    require_new_file(path, [".xlsx"])
    fingerprint = next((entry.fingerprint for entry in system.history() if entry.number == number), "")
    parts = [RestPart(file, sheet, rest, reasons) for file, sheet, rest, reasons in system.rest_of(number)]
    if not any(part.rest.cells.height for part in parts):
        raise WrongUse(f"{load_name(number)} has no refused rows", "", "nothing-refused")
    return write_rests(parts, path, kept_stamps(hidden, fingerprint))
