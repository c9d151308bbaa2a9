"""Refused rows → a workbook to be fixed: in the shape of their sheet, with the reasons."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, Rest
from kotrel.core.columns import ACTION, MESSAGE, ROW
from kotrel.core.errors import WrongUse
from kotrel.core.phrases import listed_and
from kotrel.sheets.rest_workbook import RestSheet, write_rest
from kotrel.sheets.safe_writing import free_name
from kotrel.workspace.rest_stamps import Stamps


@dataclass(frozen=True)
class RestPart:
    """The refused rows of one sheet of one file, and row → its reasons."""

    file: str
    sheet: str
    rest: Rest
    reasons: Mapping[int, str]


def rest_of(changes: Sequence[RecordChanges]) -> list[RestPart]:
    """The refused rows of a load, sheet by sheet."""
    parts: dict[tuple[str, str], RestPart] = {}
    for each in changes:
        if each.rest is None:
            continue
        refused = each.frame.filter(pl.col(ACTION) == "refused").select(ROW, MESSAGE)
        reasons = {row: message or "" for row, message in refused.iter_rows()}
        known = parts.get((each.file, each.sheet))
        if known is None:
            parts[each.file, each.sheet] = RestPart(each.file, each.sheet, each.rest, reasons)
            continue
        more = {row: "; ".join(filter(None, (known.reasons.get(row), why))) for row, why in reasons.items()}
        fresh = ~each.rest.cells[ROW].is_in(known.rest.cells[ROW].implode())
        rest = Rest(
            known.rest.headings,
            pl.concat([known.rest.cells, each.rest.cells.filter(fresh)]).sort(ROW),
            pl.concat([known.rest.kinds, each.rest.kinds.filter(fresh)]).sort(ROW),
        )
        parts[each.file, each.sheet] = RestPart(each.file, each.sheet, rest, {**known.reasons, **more})
    return list(parts.values())


def write_rests(parts: Sequence[RestPart], path: Path, stamps: Stamps) -> int:
    """Writes the refused rows into one workbook, a sheet for each sheet they came from. Returns how many there are.

    Args:
        stamps: what marks the files that they come from: only edited cells of an export count, and new prices have guards.

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
