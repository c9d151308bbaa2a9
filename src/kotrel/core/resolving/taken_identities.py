"""New rows that are known already by what identifies them besides their key: a vendor with his code, an e-mail."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.phrases import listed_and
from kotrel.core.resolving.other_codes import comparable_group, holders, number_places
from kotrel.core.rows.duplicate_places import also_in
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.load_options import ALL
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.near_codes import surely_differ

NAMED = 3
"""At most this many of the rows that have it are named."""


def find_taken_identities(
    rows: Rows, state: SystemState, new: Callable[[], pl.Series], really_new: Collection[str]
) -> list[FindingGroup]:
    """New rows whose vendor's code, e-mail or other group of ``also_known_by`` an existing row has, or another of the sheet.

    Two articles may share such a code: it is a warning, and an error only where it is so of most new rows.

    Args:
        new: Boolean for each row: the system does not have it.
        really_new: codes that are new whatever they look like, or :data:`ALL`.
    """
    groups = _groups(rows) if ALL not in really_new else []
    if not groups:
        return []
    key = rows.record.key[0]
    # What says more of a row is enough.
    asked_before = [
        row
        for group in rows.findings
        if group.field == key and (group.severity == "error" or group.kind == "repeats")
        for row in group.cells[ROW]
    ]
    wanted = new() & rows.values[key].is_not_null() & ~rows.values[ROW].is_in(asked_before)
    if really_new:
        wanted = wanted & ~rows.values[key].is_in(list(really_new))
    findings: list[FindingGroup] = []
    for group in groups:
        fresh = rows.values.select(ROW, key, *group).with_row_index("row place").filter(wanted).drop_nulls(group)
        if not fresh.height:
            continue
        taken = _held_by_others(rows, state, group, fresh)
        if taken.height:
            usual = 2 * taken.height > int(wanted.sum())
            findings.append(_taken(rows, group, taken, "error" if usual else "warning"))
        findings += _twice(rows, group, fresh.filter(~pl.col(ROW).is_in(taken[ROW].implode())))
    return findings


def _groups(rows: Rows) -> list[tuple[str, ...]]:
    """The groups that the sheet fills; of values that must be unique, another check speaks."""
    record = rows.record
    if len(record.key) > 1 or record.is_posted:
        return []
    return [
        group
        for group in record.also_known_by
        if record.key[0] not in group
        and not record.fields[group[-1]].unique
        and all(name in rows.fields for name in group)
        and group[-1] in rows.letters
    ]


def _held_by_others(rows: Rows, state: SystemState, group: Sequence[str], fresh: pl.DataFrame) -> pl.DataFrame:
    """``ROW``, the key, and ``others``: the keys of the system's rows that have the same in a group of fields."""
    key = rows.record.key[0]
    asked = fresh.select("row place", *group)
    found = holders(rows.record, group, asked, state, number_places(rows, group[-1]))
    others = found.group_by("row place").agg(pl.col(f"found {key}").unique().sort().alias("others"))
    return fresh.join(others, on="row place", how="inner", maintain_order="left").select(ROW, key, "others")


def _said(record: Record, group: Sequence[str]) -> str:
    return listed_and([record.fields[name].title.lower() for name in group])


def _taken(rows: Rows, group: Sequence[str], taken: pl.DataFrame, severity: Severity) -> FindingGroup:
    key, what = rows.record.key[0], _said(rows.record, group)
    advice = (
        "use that code, or name yours with --new-codes if it is really new"
        if severity == "error"
        else "is it the same?"
    )
    messages: list[str] = []
    suggestions: list[str | None] = []
    for others in taken["others"].to_list():
        who = "an existing row has" if len(others) == 1 else f"{listed_and(others[:NAMED])} have"
        messages.append(f"{who} the same {what}: {advice}")
        suggestions.append(others[0] if len(others) == 1 else None)
    cells = cells_of(taken[ROW], taken[key], messages, suggestions)
    title = f"new code, but the {what} of an existing one"
    return rows.group(severity, "other-codes-taken", title, key, cells)


def _twice(rows: Rows, group: Sequence[str], fresh: pl.DataFrame) -> list[FindingGroup]:
    """A warning at new rows of the sheet that have the same in a group of fields."""
    key, what = rows.record.key[0], _said(rows.record, group)
    if surely_differ(fresh[group[-1]]):
        return []
    forms = comparable_group(rows.record, group, fresh)
    doubled = fresh.filter(forms.is_duplicated())
    if not doubled.height:
        return []
    places = doubled.with_columns(forms.filter(forms.is_duplicated()).to_struct("identity"))
    numbers = dict(places.group_by(pl.col("identity").hash()).agg(ROW).iter_rows())
    letter = rows.letters.get(key)
    messages = [
        f"{also_in(numbers[identity], row, lambda other: rows.table.place(other, letter))}: is it the same?"
        for row, identity in places.select(ROW, pl.col("identity").hash()).iter_rows()
    ]
    cells = cells_of(doubled[ROW], doubled[key], messages)
    return [rows.group("warning", "other-codes-twice", f"the same {what} in several new rows", key, cells)]
