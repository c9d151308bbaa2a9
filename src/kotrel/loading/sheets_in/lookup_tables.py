"""Reads the tables that a mapping looks values up in, and adds them to the sheet as further columns."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.errors import WrongData
from kotrel.core.matching.by_headings import Matched
from kotrel.core.phrases import count
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.similarity import did_you_mean, folded
from kotrel.core.tables.as_shown import per_cent_shown
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.lookups import Lookup, LookupTable, NotFound, is_named, with_looked_up
from kotrel.core.tables.table import Column, Table
from kotrel.sheets.opening_files import open_sheets
from kotrel.workspace.mappings import SavedMap, apply_map
from kotrel.workspace.settings import Workspace


def matched_by(
    saved: SavedMap, table: Table, workspace: Workspace, file: str
) -> tuple[Table, list[Matched], list[str]]:
    """The table with what its mapping looks up, its matches, and remarks on what was looked up.

    Raises:
        WrongUse: the mapping does not fit.
        WrongData, OutOfReach: a table that it looks values up in is not as it must be.
    """
    remarks, troubles = [], []
    for lookup in saved.lookups:
        if not any(is_named(column, lookup.by) for column in table.columns):
            raise saved.wrong(f"{table.file} has no column “{lookup.by}”", "lookup", lookup.name, "by")
        known = _written_lookup(lookup, saved) if lookup.written else _read(lookup, workspace, file)
        table, lost = with_looked_up(table, known)
        remarks.append(f"{lookup.name}: {count(len(next(iter(known.values.values()), {})), 'value')} of {known.where}")
        if lost is not None:
            troubles.append(lost)
    matches = apply_map(saved, table, workspace.description)
    return table, [replace(each, troubles=tuple(_group(lost, each) for lost in troubles)) for each in matches], remarks


def looked_up_sheets(saved: SavedMap) -> frozenset[str]:
    """The sheets of the file itself that are there to be looked up in (folded)."""
    return frozenset(folded(lookup.sheet) for lookup in saved.lookups if lookup.sheet and not lookup.file)


def _group(lost: NotFound, matched: Matched) -> FindingGroup:
    title = "not in the table that it is looked up in"
    return FindingGroup(
        "error", "not-looked-up", title, matched.record.name, None, lost.letter, lost.cells, lost.heading
    )


def _written_lookup(lookup: Lookup, saved: SavedMap) -> LookupTable:
    return LookupTable(lookup, {"": lookup.written}, f"[lookup.{lookup.name}] in {saved.path.name}")


def _key_of(lookup: Lookup, headed: Sequence[Column], where: str) -> Column:
    """The column by which rows are looked up; the first where none is named."""
    wanted = lookup.key or lookup.by
    keys = [column for column in headed if is_named(column, wanted)]
    if lookup.key and not keys:
        headings = [column.heading for column in headed]
        hint = did_you_mean(lookup.key, headings, f"Its headings are: {', '.join(headings)}.")
        raise WrongData(f"{where} has no column “{lookup.key}”", hint, "no-such-column")
    return keys[0] if keys else headed[0]


def _read(lookup: Lookup, workspace: Workspace, file: str) -> LookupTable:
    path = workspace.folder / lookup.file if lookup.file else Path(file)
    where = f"{path.name}" if not lookup.sheet else f"sheet “{lookup.sheet}” of {path.name}"
    grids = open_sheets(path, lookup.sheet or None, None, workspace.limits)
    table = find_table(grids[0])
    headed = [column for column in table.columns if column.heading]
    key = _key_of(lookup, headed, where)
    cells = pl.DataFrame([table.cells[ROW], *(per_cent_shown(table, c.letter).alias(c.letter) for c in headed)])
    cells = cells.filter(pl.col(key.letter).fill_null("") != "")
    others = [column for column in headed if column is not key]
    twice = cells.unique([column.letter for column in headed]).filter(pl.col(key.letter).is_duplicated())
    if twice.height:
        first = twice.sort(ROW).row(0, named=True)
        rows = cells.filter(pl.col(key.letter) == first[key.letter])[ROW].to_list()
        raise WrongData(
            f"{where} has “{first[key.letter]}” in rows {rows[0]} and {rows[1]}, with other values",
            "Leave one of them.",
            "key-twice",
        )
    values = {c.heading: dict(cells.select(key.letter, c.letter).iter_rows()) for c in others}
    return LookupTable(lookup, values, where)
