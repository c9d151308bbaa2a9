"""References: every code must be on its list."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.phrases import listed
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.searching import all_different
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import nearest


def _title_of(record: Record, target: Record) -> str:
    if record.part_of == target.name or target.nature == "document":
        return f"no {target.title.lower()} with that number, here or in the system"
    return f"not on the list “{target.title}”"


def check_lists(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Codes that are not on the list their field refers to, with the nearest code or the code with that name."""
    findings: list[FindingGroup] = []
    for name in rows.fields:
        field = rows.record.fields[name]
        if field.to is None:
            continue
        target = state.description.records[field.to]
        if field.within:
            findings += _check_within(rows, field, target, state)
            continue
        values = rows.values[name]
        seen = rows.seen(name)
        if len(target.key) == 1:
            findings += _on_two_rows(rows, name, target, state.held_codes(target, seen), state)
        unknown = seen.filter(~state.are_known(target, seen)).unique()
        if target.name == rows.record.name and rows.has_key and len(unknown):
            # A row may refer to another row of the same sheet.
            unknown = unknown.filter(~unknown.is_in(rows.values[target.key[0]].implode()))
        refused = state.refused_in_load(target.name)
        waiting = unknown.filter(unknown.is_in(list(refused)))
        if len(waiting):
            # The header of a flat sheet's line is the same row of the sheet: one cause is one finding.
            if not (rows.flat_of and rows.record.part_of == target.name):
                findings.append(_refused_here(rows, name, waiting, refused))
            unknown = unknown.filter(~unknown.is_in(waiting.implode()))
        if not len(unknown):
            continue
        bad = rows.values.select(ROW, name, rows.as_it_stands(name)).filter(values.is_in(unknown.implode()))
        names = ListNames(state.listed(target), target, unknown)
        hints = {value: names.suggestion(value) for value in unknown}
        title = _title_of(rows.record, target)
        cells = cells_of(bad[ROW], bad["as it stands"], title, [hints[value] for value in bad[name]])
        findings.append(rows.group("error", "not-on-list", title, name, cells))
    return findings


def _on_two_rows(rows: Rows, name: str, target: Record, held: pl.Series, state: SystemState) -> list[FindingGroup]:
    """Codes that stand on several rows of their list in the system: which of them is meant, nothing says."""
    if state.answers.of(("all different", target.name), held, lambda: all_different(held)):
        return []
    doubled = held.filter(held.is_duplicated()).unique()
    bad = rows.values.select(ROW, name).filter(pl.col(name).is_in(doubled.implode()))
    if not bad.height:
        return []
    called = [target.called] if target.called else []
    there = state.having(target, called, target.code, doubled).filter(pl.col(target.code).is_in(doubled.implode()))
    said: dict[str, list[str]] = {}
    for code, *names in there.select(target.code, *called).iter_rows():
        said.setdefault(code, []).append(f"“{names[0]}”" if names and names[0] else "without a name")
    list_title = target.title.lower()
    messages = [
        f"is on {len(said.get(code, []))} rows of the list {list_title} in the system ({listed(said.get(code, []), 3)}): "
        "which one is meant? Correct the list in the system first"
        for code in bad[name]
    ]
    cells = cells_of(bad[ROW], bad[name], messages)
    return [rows.group("error", "twice-in-system", "twice in the system", name, cells)]


def _refused_here(rows: Rows, name: str, codes: pl.Series, refused: Mapping[str, str]) -> FindingGroup:
    """Codes that this load would add if their own rows had no error."""
    bad = rows.values.select(ROW, name).filter(pl.col(name).is_in(codes.implode()))
    messages = [f"is in this load at {refused[code]} and has an error itself: fix that first" for code in bad[name]]
    cells = cells_of(bad[ROW], bad[name], messages)
    return rows.group("error", "refused-in-load", "refers to a row of this load with an error", name, cells)


def _check_within(rows: Rows, field: Field, target: Record, state: SystemState) -> list[FindingGroup]:
    """Codes that exist only within another: a bin of its warehouse."""
    parts = [*field.within, field.name]
    if any(name not in rows.fields for name in parts):
        return []
    own = rows.values.select(ROW, *(pl.col(name).alias(of) for name, of in zip(parts, target.key, strict=True)))
    own = own.drop_nulls()
    known = state.known_keys(target, own)
    bad = own.join(known, on=list(target.key), how="anti").sort(ROW)
    refused = state.refused_in_load(target.name)
    findings: list[FindingGroup] = []
    if refused and bad.height:
        # What is in this load and has an error itself exists: it is only not loaded.
        bad = bad.with_columns(pl.concat_str(target.key, separator=" / ").alias("whole key"))
        waiting = bad.filter(pl.col("whole key").is_in(list(refused)))
        if waiting.height:
            messages = [
                f"is in this load at {refused[key]} and has an error itself: fix that first"
                for key in waiting["whole key"]
            ]
            cells = cells_of(waiting[ROW], waiting[target.code], messages)
            title = "refers to a row of this load with an error"
            findings.append(rows.group("error", "refused-in-load", title, field.name, cells))
        bad = bad.filter(~pl.col("whole key").is_in(list(refused))).drop("whole key")
    if not bad.height:
        return findings
    elsewhere = known.group_by(target.code).agg(pl.col(target.key[0]).unique().sort())
    others = dict(elsewhere.iter_rows())
    first = state.description.records[str(target.fields[target.key[0]].to)].title.lower()
    hints: list[str | None] = []
    for row in bad.iter_rows(named=True):
        mine = known.filter(pl.col(target.key[0]) == row[target.key[0]])[target.code]
        close = nearest(row[target.code], mine)
        hints.append(f"{close}?" if close else None)
    messages = [
        f"{row[target.key[0]]} has no {target.title.lower()} with that code"
        + (f"; it belongs to {first} {listed(others[row[target.code]], 3)}" if row[target.code] in others else "")
        for row in bad.iter_rows(named=True)
    ]
    title = f"not a {target.title.lower()} of its {first}"
    if rows.record.part_of == target.name:
        messages = [f"{row[target.key[0]]} has no line {row[target.code]}" for row in bad.iter_rows(named=True)]
        title = "no such line"
    cells = cells_of(bad[ROW], bad[target.code], messages, hints)
    return [*findings, rows.group("error", "not-on-list", title, field.name, cells)]
