"""Keys: every row has one, and no two rows have the same."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.phrases import listed
from kotrel.core.rows.duplicate_places import MOST, also_in
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.searching import all_rows_differ
from kotrel.core.rows.system_state import SystemState, all_keys_differ, follows_nothing


def check_keys(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Rows without a key, and keys that are in the sheet or in the system twice."""
    # In tables that Kotrel created, no key can stand twice.
    findings = _held_twice(rows, state.existing(rows)) if not state.description.scaled else []
    key = list(rows.record.key)
    for name in key:
        field = rows.record.fields[name]
        if rows.values[name].null_count():
            blank = rows.values[name].is_null()
            if (lost := follows_nothing(rows, state, name)) is not False:
                blank = blank & ~lost
            findings += rows.where("error", "missing", "must be filled", field, blank, "every row needs it")
    if all_keys_differ(rows, state):
        return findings
    keyed = rows.values.select(key)
    twice = keyed.is_duplicated() & keyed.select(pl.all_horizontal(pl.all().is_not_null())).to_series()
    if twice.any():
        findings.append(_twice_in_sheet(rows, rows.values.filter(twice)))
    return findings


def _held_twice(rows: Rows, now: pl.DataFrame) -> list[FindingGroup]:
    """Rows whose key the system has several times: which of them is to change, nothing says.

    Args:
        now: the keys of the system's rows that have a key of these rows.
    """
    key = list(rows.record.key)
    held = now.select(key)
    if rows.record.is_kept or all_rows_differ(held):
        return []
    counts = held.drop_nulls().group_by(key).agg(pl.len().alias("times held")).filter(pl.col("times held") > 1)
    bad = rows.values.select(ROW, *key).join(counts, on=key, how="inner", maintain_order="left")
    if not bad.height:
        return []
    messages = [
        f"the system has {times} rows with this key. Which one is meant? Correct that in the system first"
        for times in bad["times held"]
    ]
    return [
        rows.group("error", "twice-in-system", "twice in the system", key[0], cells_of(bad[ROW], bad[key[0]], messages))
    ]


def _twice_in_sheet(rows: Rows, doubled: pl.DataFrame) -> FindingGroup:
    key = list(rows.record.key)
    # What Kotrel filled in or calculated, nobody typed.
    others = [name for name in rows.fields if name not in key and name in rows.letters]
    groups = doubled.group_by(key, maintain_order=True).agg(
        pl.col(ROW),
        *((pl.col(name).n_unique() > 1).alias(name) for name in others),
    )
    unread = _differing_unread(rows, doubled, key)
    cells: list[tuple[int, str, str]] = []
    letter = rows.letters.get(key[0])
    # Of a very large file only the keys are kept: nothing is known about the other columns.
    whole = set(rows.letters) <= set(rows.fields)
    for group in groups.iter_rows(named=True):
        differing = [rows.record.fields[name].title.lower() for name in others if group[name]]
        beside = unread.get(tuple(group[name] for name in key), [])
        how = "; the rows are identical"
        if differing:
            how = f"; the rows differ in {listed(differing, MOST)}"
        elif beside:
            how = f"; the rows differ only in {listed(beside, MOST)}, which is not read"
        value = " / ".join(str(group[name]) for name in key)
        for row in group[ROW]:
            there = also_in(group[ROW], row, lambda other: rows.table.place(other, letter))
            cells.append((row, value, f"{there}{how if whole else ''}"))
    columns = list(zip(*cells, strict=True))
    table = cells_of(columns[0], columns[1], columns[2])
    return rows.group("error", "twice-in-sheet", "twice in the sheet", key[0], table)


def _differing_unread(rows: Rows, doubled: pl.DataFrame, key: list[str]) -> dict[tuple[str, ...], list[str]]:
    """Key → the columns that feed no field, by their headings, in which its rows differ."""
    used = {letter for source in rows.sources.values() for letter in source.columns}
    # Of a very large file only the keys are kept.
    left = [each for each in rows.table.columns if each.letter not in used and each.letter in rows.table.cells.columns]
    unread = {each.letter: each.heading or f"column {each.letter}" for each in left}
    if not unread:
        return {}
    cells = rows.table.cells.select(ROW, *(pl.col(letter).alias(f"cell {letter}") for letter in unread))
    differ = (
        doubled.select(ROW, *key)
        .join(cells, on=ROW, how="left")
        .group_by(key)
        .agg((pl.col(f"cell {letter}").n_unique() > 1).alias(letter) for letter in unread)
    )
    return {
        tuple(group[name] for name in key): [f"“{heading}”" for letter, heading in unread.items() if group[letter]]
        for group in differ.iter_rows(named=True)
    }
