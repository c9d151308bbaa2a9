"""Rows → checked rows, against one consistent look at the system."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path

import polars as pl

from kotrel.core.changes import key_text
from kotrel.core.checking import check_rows
from kotrel.core.checking.dependents import with_dependents
from kotrel.core.errors import WrongUse
from kotrel.core.findings import cells_of, rows_with
from kotrel.core.held import Held, InLoad
from kotrel.core.rows import Rows
from kotrel.stages.reading_ahead import reading_ahead
from kotrel.stages.readying import demand_ways, make_ready
from kotrel.stages.understanding import Expect, Understood, Wanted, understand_file
from kotrel.systems.interface import Reading, Refusal, Step
from kotrel.workspace.exports import RememberedExport
from kotrel.workspace.settings import Workspace


@dataclass(frozen=True)
class Checked:
    """One sheet after checking.

    Attributes:
        remarks: how it was understood and what was left out, in words.
        now: what the system holds for these rows, where it has been read already.
        export: the export that the sheet came from.
        created: True where the rows are no sheet's, but values that are added to a list for it.
    """

    rows: Rows
    remarks: tuple[str, ...]
    now: pl.DataFrame | None = None
    export: RememberedExport | None = None
    created: bool = False

    @property
    def ok(self) -> bool:
        return not any(group.severity == "error" for group in self.rows.findings)


def understand_files(
    files: Sequence[Path],
    workspace: Workspace,
    wanted: Wanted,
    today: date,
    step: Step,
    expect: Expect | None = None,
) -> list[Understood]:
    """All files as rows, in the order in which their records are loaded.

    Args:
        expect: told each record, its fields and the number of rows as soon as they are known.

    Raises:
        WrongUse: two files hold the same record.
    """
    understood = [each for path in files for each in understand_file(path, workspace, wanted, today, step, expect)]
    order = {name: place for place, name in enumerate(workspace.description.order)}
    understood.sort(key=lambda each: order[each.rows.record.name])
    for first, second in itertools.pairwise(understood):
        same = first.rows.record.name == second.rows.record.name
        if same and first.rows.table.file != second.rows.table.file:
            raise WrongUse(
                f"{first.rows.table.file} and {second.rows.table.file} both hold {first.rows.record.title.lower()} rows",
                "Put them into one sheet, or load one after the other.",
                "same-record-twice",
            )
    return understood


def check_all(
    understood: Sequence[Understood],
    workspace: Workspace,
    wanted: Wanted,
    reading: Reading,
    step: Step,
    refusals: Sequence[Refusal] = (),
) -> list[Checked]:
    """Readies and checks sheets in load order; rows of one count as held for those after it.

    Raises:
        WrongUse: what the user chose does not fit these records.
    """
    description, ways = workspace.description, wanted.ways
    demand_ways(ways, description, [each.rows.record.name for each in understood])
    pending: dict[str, InLoad] = {}
    checked: list[Checked] = []
    for each in understood:
        record = each.rows.record
        step(f"checking {record.title.lower()}")
        # A sheet can be right in itself: that the system takes such rows at all has to be asked.
        reading.demand(record.name)
        held = Held(description, reading.read, pending, workspace.pictures(), workspace.largest_picture)
        ready = make_ready(each.rows, each.export, held, ways, workspace.conventions)
        for created in ready.created:
            # The same held: what is created was on no list before.
            made = with_refusals(check_rows(created, held), refusals)
            checked.append(Checked(made, (), created=True))
            pending[made.record.name] = _in_load(made, pending.get(made.record.name))
        if ready.created:
            held = Held(description, reading.read, pending, workspace.pictures(), workspace.largest_picture)
        rows = with_refusals(check_rows(ready.rows, held), refusals)
        rows = with_dependents(rows, held)
        checked.append(Checked(rows, (*each.remarks, *ready.told), ready.now, each.export))
        if rows.has_key:
            pending[record.name] = _in_load(rows, pending.get(record.name))
    return checked


def with_refusals(rows: Rows, refusals: Sequence[Refusal]) -> Rows:
    """The rows with what the system itself refused as findings."""
    mine = [each for each in refusals if each.record == rows.record.name]
    if not mine or not rows.has_key:
        return rows
    said = pl.DataFrame(
        {"key": [each.key for each in mine], "said": [f"the system says: {each.message}" for each in mine]}
    ).unique("key", keep="first")
    found = rows.values.select("row", key_text(rows.record).alias("key")).join(said, on="key", maintain_order="left")
    if not found.height:
        return rows
    cells = cells_of(found["row"], found["key"], found["said"])
    key = rows.record.key[0]
    return rows.with_findings([rows.group("error", "refused-by-system", "refused by the system itself", key, cells)])


def _in_load(rows: Rows, before: InLoad | None) -> InLoad:
    """The rows as those after them see them: without an error they count as held."""
    wrong = rows.values["row"].is_in(rows_with(rows.findings, "error").implode())
    values = rows.values.filter(~wrong).select(rows.fields)
    bad = rows.values.filter(wrong)
    keys = bad.select(key_text(rows.record)).to_series()
    letter = rows.letters.get(rows.record.key[0])
    refused = {str(key): rows.table.address(row, letter) for key, row in zip(keys, bad["row"], strict=True)}
    if before is None:
        return InLoad(values, refused)
    return InLoad(pl.concat([before.values, values], how="diagonal"), {**before.refused, **refused})


def check_files(files: Sequence[Path], workspace: Workspace, wanted: Wanted, today: date, step: Step) -> list[Checked]:
    """Reads, understands and checks files against the system."""
    with workspace.system().reading() as reading, reading_ahead(reading) as ahead:
        understood = understand_files(files, workspace, wanted, today, step, ahead.expect)
        return check_all(understood, workspace, wanted, ahead, step)
