"""Checks a very large text file part by part; only keys and unique values are kept of all parts."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import date
from functools import partial
from pathlib import Path

import polars as pl

from kotrel.core.checking import CHECKS, check_rows
from kotrel.core.checking.circles import check_circles
from kotrel.core.checking.keys import check_keys
from kotrel.core.checking.unique import check_unique
from kotrel.core.columns import ROW
from kotrel.core.errors import WrongUse
from kotrel.core.parts import Checked
from kotrel.core.readying.filling import fill_keys, make_values
from kotrel.core.readying.near_keys import find_near_keys
from kotrel.core.readying.repairing import repair
from kotrel.core.rows.findings import FindingGroup, RepairGroup
from kotrel.core.rows.load_options import DEFAULT_OPTIONS
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, behind_rows, is_new
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.table import Grid, Table
from kotrel.core.understanding.matching import Matched
from kotrel.core.understanding.reading import sheet_mark, understand
from kotrel.sheets.encodings import CHECKED, is_utf8_file
from kotrel.sheets.opening import TEXT_ENDINGS
from kotrel.sheets.textfiles import Part, read_in_parts
from kotrel.stages.checking import check_files
from kotrel.stages.file_options import Wanted
from kotrel.stages.sheet_choice import match_tables
from kotrel.systems.interface import Reading, Step
from kotrel.workspace.settings import Workspace

LARGE = 600 * 1024 * 1024
"""Text files of at least this many bytes are checked in parts."""
PART = 64 * 1024 * 1024

ACROSS = (check_keys, check_unique, check_circles)
"""Checks that need all rows at once; the others check one part at a time."""


def is_large(path: Path, size: int = LARGE) -> bool:
    """True for a UTF-8 text file that is to be checked in parts."""
    try:
        return path.suffix.lower() in TEXT_ENDINGS and path.stat().st_size >= size and is_utf8_file(path, CHECKED)
    except OSError:
        return False


def check_any(files: Sequence[Path], workspace: Workspace, wanted: Wanted, today: date, step: Step) -> list[Checked]:
    """Checks files, a very large text file in parts."""
    if len(files) == 1 and wanted.encoding is None and is_large(files[0]):
        if wanted.options != DEFAULT_OPTIONS:
            raise WrongUse(
                f"{files[0]} is so large that it is checked in parts, without load options",
                "Check it without these options, or split the file.",
                "too-large-for-options",
            )
        step(f"reading {files[0].name}")
        with workspace.system().reading() as reading:
            return [check_large(files[0], workspace, wanted, today, reading, step)]
    return check_files(files, workspace, wanted, today, step)


def check_large(
    path: Path, workspace: Workspace, wanted: Wanted, today: date, reading: Reading, step: Step, part_bytes: int = PART
) -> Checked:
    """Checks a large file: every check that :func:`kotrel.stages.checking.check_files` makes, in bounded memory.

    The result has only keys and unique values of the rows, but all findings and repairs.

    Raises:
        WrongUse: the match needs all rows at once, because it makes several records or numbers codes.
    """
    parts = read_in_parts(path, part_bytes)
    first = next(parts)
    grid = Grid(str(path), "", first.cells, dict.fromkeys(first.cells.columns, "text"), first.lines)
    [(table, matches, remarks)], _ = match_tables([find_table(grid, wanted.heading_row)], workspace, wanted, str(path))
    matched = _one_at_a_time(path, matches)
    record = matched.record
    mark = sheet_mark(table, matched)
    reading.require(record.name)
    state = SystemState(workspace.description, reading.read)
    inside = tuple(check for check in CHECKS if check not in ACROSS)
    sets = [each for each in workspace.description.defaults.values() if each.record == record.name and each.where]
    kept: list[Rows] = []
    told: set[tuple[object, ...]] = set()
    number = 0
    for piece in _tables(table, parts):
        number += 1
        step(f"checking part {number}")
        rows = understand(piece, matched, workspace.conventions, today, mark)
        rows = repair(rows, state, workspace.conventions.spellings)
        rows = fill_keys(rows, partial(_behind, rows, state))
        rows = make_values(
            rows, state.names_of, lambda field: state.whole(record, field), partial(is_new, rows, state), sets,
            workspace.conventions,
        )  # fmt: skip
        rows = check_rows(rows, state, inside)
        rows = replace(rows, findings=_once(rows.findings, told))
        kept.append(_slim(rows))
    step("looking for duplicates")
    whole = _together(kept)
    del kept
    if whole.has_key:
        whole = whole.with_findings(find_near_keys(whole, state, partial(is_new, whole, state), ()))
    for check in ACROSS if whole.has_key else ():
        # One after the other: each needs about as much memory as all the keys.
        whole = check_rows(whole, state, (check,))
    return Checked(whole, (*table.remarks, *remarks, f"checked in {number} parts"))


def _behind(rows: Rows, state: SystemState, reference: str, name: str) -> pl.Series:
    return behind_rows(rows, state, reference, name)[1]["value there"]


def _one_at_a_time(path: Path, matches: Sequence[Matched]) -> Matched:
    """The match, if it can be applied part by part; nothing is left unchecked silently."""
    numbered = any("next" in (source.make or "").casefold() for source in matches[0].sources.values())
    if len(matches) > 1 or numbered:
        what = "makes several records from one sheet" if len(matches) > 1 else "numbers codes across all rows"
        raise WrongUse(
            f"the saved match {what}, and {path} is so large that it is checked in parts",
            "Split the file, or check it with a match for one record that makes no codes.",
            "too-large-for-match",
        )
    return matches[0]


def _tables(first: Table, parts: Iterable[Part]) -> Iterable[Table]:
    """The first table and, in its shape, those of the other parts."""
    yield first
    letters = [column.letter for column in first.columns]
    for part in parts:
        cells = part.cells.select(letters).insert_column(0, part.lines)
        full = ~cells.select(pl.all_horizontal(pl.col(letters).is_null())).to_series()
        yield replace(
            first, cells=cells.filter(full), kinds=dict.fromkeys(letters, "text"), ragged=(), swallowed=part.swallowed
        )


def _once(groups: Sequence[FindingGroup], told: set[tuple[object, ...]]) -> tuple[FindingGroup, ...]:
    """Without what was told already of an earlier part about the sheet as a whole; what is new is added to ``told``."""
    left: list[FindingGroup] = []
    for group in groups:
        of_sheet = (group.cells[ROW] == 0).all()
        this = (group.kind, group.letter, *group.cells["message"].head(1))
        if not of_sheet or this not in told:
            left.append(group)
        if of_sheet:
            told.add(this)
    return tuple(left)


def _slim(rows: Rows) -> Rows:
    """Rows with only the fields that are compared across all parts."""
    record = rows.record
    groups = (*record.unique_groups().values(), *record.unique_together, *record.circles)
    across = {*record.key, *(name for group in groups for name in group)}
    names = [name for name in rows.fields if name in across]
    return replace(
        rows, table=replace(rows.table, cells=rows.table.cells.select(ROW)), values=rows.values.select(ROW, *names)
    )


def _together(parts: Sequence[Rows]) -> Rows:
    """All parts as one, with findings and repairs of the same kind joined."""
    groups: dict[tuple[object, ...], list[FindingGroup]] = {}
    repairs: dict[tuple[object, ...], list[RepairGroup]] = {}
    for part in parts:
        for group in part.findings:
            groups.setdefault((group.severity, group.kind, group.title, group.field, group.letter), []).append(group)
        for each in part.repairs:
            repairs.setdefault((each.kind, each.title, each.field), []).append(each)
    first = parts[0]
    values = pl.concat([part.values for part in parts])
    # The tidied values are used as the cells: a second copy of all keys would take as much memory again.
    letters = {name: letter for name, letter in first.letters.items() if name in values.columns}
    return replace(
        first,
        table=replace(first.table, cells=values.rename(letters)),
        values=values,
        findings=tuple(replace(same[0], cells=pl.concat([each.cells for each in same])) for same in groups.values()),
        repairs=tuple(replace(same[0], cells=pl.concat([each.cells for each in same])) for same in repairs.values()),
    )
