"""Files → checked rows, against one consistent look at the system."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time
from pathlib import Path

from kotrel.core.loading.load_model import Business, Checked, SheetRows
from kotrel.core.loading.pipeline import check_parts, preview
from kotrel.core.resolving.three_way import ExportBase
from kotrel.core.rows.load_options import LoadOptions
from kotrel.loading.file_options import FileOptions
from kotrel.loading.loads.plans import foreseen
from kotrel.loading.sheets_in.prefetching import prefetching
from kotrel.loading.sheets_in.sheet_reading import Expect, Understood, understand_file
from kotrel.systems.interface import Step
from kotrel.workspace.settings import Workspace


def understand_files(
    files: Sequence[Path],
    workspace: Workspace,
    wanted: FileOptions,
    today: date,
    step: Step,
    expect: Expect | None = None,
) -> list[Understood]:
    """All files as rows, in the order in which their records are loaded.

    Args:
        expect: called with each record, its fields and the number of rows as soon as they are known.
    """
    understood = [each for path in files for each in understand_file(path, workspace, wanted, today, step, expect)]
    order = {name: place for place, name in enumerate(workspace.description.order)}
    understood.sort(key=lambda each: order[each.rows.record.name])
    return understood


def business_of(workspace: Workspace, options: LoadOptions, now: datetime) -> Business:
    """What the checks have to know of a workspace."""
    return Business(
        workspace.description,
        workspace.conventions,
        options,
        workspace.pictures(),
        workspace.largest_picture,
        workspace.stock,
        now.replace(tzinfo=None),
        workspace.prices,
    )


def parts_of(understood: Sequence[Understood], workspace: Workspace) -> list[SheetRows]:
    """Understood sheets with what they were exported with, and loaded since by loads that are not undone."""
    parts: list[SheetRows] = []
    standing: set[int] = set()
    if any(each.export is not None and each.export.has_loads() for each in understood):
        history = workspace.system().history()
        standing = {each.number for each in history if each.kind == "load" and not each.undone_by}
    for part in understood:
        record, export = part.rows.record.name, part.export
        base = None
        if export is not None and record in export.records:
            base = ExportBase(
                export.rows(record, part.rows.values), export.loaded(record, part.rows.record.key, standing)
            )
        parts.append(SheetRows(part.rows, part.remarks, base, part.book))
    return parts


def check_files(
    files: Sequence[Path], workspace: Workspace, wanted: FileOptions, today: date, step: Step
) -> list[Checked]:
    """Reads, understands and checks files against the system."""
    system = workspace.system()
    business = business_of(workspace, wanted.options, datetime.combine(today, time()))
    with system.reading() as reading, prefetching(reading) as ahead:
        understood = understand_files(files, workspace, wanted, today, step, ahead.expect)
        parts = parts_of(understood, workspace)
        if system.can.foresees:
            # What becomes of each row decides whether it can be written, and how.
            found = preview(parts, business, reading, step)
            refusals = foreseen(found, system, reading)
            return check_parts(parts, business, reading, step, refusals) if refusals else list(found.checked)
        return check_parts(parts, business, ahead, step)
