"""Rows → checked rows, against one consistent look at the system."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path

import polars as pl

from kotrel.core.checking import check_rows
from kotrel.core.conventions import Conventions
from kotrel.core.description import Description
from kotrel.core.errors import WrongUse
from kotrel.core.findings import rows_with
from kotrel.core.held import Held
from kotrel.core.making import make_values
from kotrel.core.mending import mend
from kotrel.core.rows import Rows
from kotrel.stages.understanding import Understood, Wanted, understand_file
from kotrel.systems.interface import Reading, Step
from kotrel.workspace.settings import Workspace


@dataclass(frozen=True)
class Checked:
    """One sheet after checking."""

    rows: Rows
    remarks: tuple[str, ...]

    @property
    def ok(self) -> bool:
        return not any(group.severity == "error" for group in self.rows.findings)


def understand_files(
    files: Sequence[Path], workspace: Workspace, wanted: Wanted, today: date, step: Step
) -> list[Understood]:
    """All files as rows, in the order in which their records are loaded.

    Raises:
        WrongUse: two files hold the same record.
    """
    understood = [each for path in files for each in understand_file(path, workspace, wanted, today, step)]
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
    understood: Sequence[Understood], description: Description, conventions: Conventions, reading: Reading, step: Step
) -> list[Checked]:
    """Mends and checks sheets in load order; rows of one count as held for those after it."""
    pending: dict[str, pl.DataFrame] = {}
    checked: list[Checked] = []
    for each in understood:
        record = each.rows.record
        step(f"checking {record.title.lower()}")
        # A sheet can be right in itself: that the system takes such rows at all has to be asked.
        reading.demand(record.name)
        held = Held(description, reading.read, pending)
        mended = mend(each.rows, held, conventions.spellings)
        made = make_values(
            mended,
            held.names_of,
            lambda field, name=record.name: reading.read(name, [field])[field],  # type: ignore[misc]
        )
        rows = check_rows(made, held)
        checked.append(Checked(rows, each.remarks))
        if rows.has_key:
            sound = rows.values.filter(~pl.col("row").is_in(rows_with(rows.findings, "error").implode()))
            keys = sound.select(record.key)
            pending[record.name] = pl.concat([pending[record.name], keys]) if record.name in pending else keys
    return checked


def check_files(files: Sequence[Path], workspace: Workspace, wanted: Wanted, today: date, step: Step) -> list[Checked]:
    """Reads, understands and checks files against the system."""
    understood = understand_files(files, workspace, wanted, today, step)
    with workspace.system().reading() as reading:
        return check_all(understood, workspace.description, workspace.conventions, reading, step)
