"""A sheet → the upload files that another program insists on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.layouts.filling import values_of
from kotrel.core.layouts.shaping import lay_out, split
from kotrel.core.parts import Checked
from kotrel.core.pipeline import preview
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.upload_files import write_upload
from kotrel.stages.checking import business_of, parts_of, understand_files
from kotrel.stages.file_options import Wanted
from kotrel.systems.interface import Step
from kotrel.workspace.layout_reading import layout_named
from kotrel.workspace.settings import Workspace


@dataclass(frozen=True)
class Written:
    """What was written, or why nothing was: the checked rows with all findings."""

    checked: list[Checked]
    files: tuple[tuple[Path, int], ...] = ()


def write_layout(
    path: Path,
    name: str,
    out: Path | None,
    workspace: Workspace,
    wanted: Wanted,
    now: datetime,
    step: Step,
) -> Written:
    """Writes a sheet's rows in a layout. Nothing is written where a row has an error, or cannot be written.

    Raises:
        WrongUse: the layout is wrong, or a file is there already.
        WrongData: the sheet has no rows of the layout's record.
    """
    layout = layout_named(workspace.folder, name, workspace.description)
    record = workspace.description.records[layout.record]
    out = out or Path(f"{path.stem}-{layout.name}.{'xlsx' if layout.kind == 'workbook' else 'csv'}")
    require_new_file(out)
    understood = understand_files(
        [path], workspace, replace(wanted, record=wanted.record or layout.record), now.date(), step
    )
    with workspace.system().reading() as reading:
        found = preview(parts_of(understood, workspace), business_of(workspace, wanted.options, now), reading, step)
        mine = [
            place
            for place, each in enumerate(found.checked)
            if each.rows.record.name == record.name and each.consequence is None
        ]
        if not mine:
            raise WrongData(
                f"{path} has no rows of {record.title.lower()}, for which the layout {name} is",
                "",
                "nothing-recognised",
            )
        checked = list(found.checked)
        texts: list[pl.DataFrame] = []
        step("laying out")
        for place in mine:
            rows = checked[place].rows
            changes = _changes_of(found.changes, checked[place], record)
            at = checked[place].rows.values[ROW]
            values = values_of(layout, changes, at, workspace.description, reading, now.date().isoformat())
            done = lay_out(layout, record, rows, values)
            checked[place] = replace(checked[place], rows=rows.with_findings(done.findings))
            texts.append(done.texts)
    if not all(each.ok for each in checked):
        return Written(checked)
    step("writing")
    parts = split(pl.concat(texts), layout.most_rows)
    files: list[tuple[Path, int]] = []
    for number, part in enumerate(parts, start=1):
        target = out if len(parts) == 1 else out.with_name(f"{out.stem}-{number}{out.suffix}")
        require_new_file(target)
        write_upload(part, layout, target)
        files.append((target, part.height))
    return Written(checked, tuple(files))


def _changes_of(changes: tuple[RecordChanges, ...], checked: Checked, record: Record) -> RecordChanges:
    table = checked.rows.table
    fitting = [
        each
        for each in changes
        if each.record.name == record.name and (each.file, each.sheet) == (table.file, table.sheet)
    ]
    if not fitting:
        raise WrongUse(
            "the rows of this sheet cannot be told from others of it",
            "Write one sheet at a time: --sheet NAME",
            "wrong-command-line",
        )
    return fitting[0]
