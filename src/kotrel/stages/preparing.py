"""A file → the same rows matched, repaired and calculated, in the shape of the template."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from kotrel.core.parts import Checked
from kotrel.sheets.opening import TEXT_ENDINGS
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.table_writing import write_book
from kotrel.stages.checking import check_files
from kotrel.stages.exporting import prepared_book
from kotrel.stages.file_options import Wanted
from kotrel.systems.interface import Step
from kotrel.workspace.made_texts import remember_made
from kotrel.workspace.settings import Workspace


def prepare_file(
    path: Path, out: Path, workspace: Workspace, wanted: Wanted, now: datetime, step: Step
) -> list[Checked]:
    """Writes the rows, a sheet for each record; values that could not be read are unchanged.

    Raises:
        WrongUse: the file exists.
    """
    require_new_file(out)
    checked = check_files([path], workspace, wanted, now.date(), step)
    step("writing")
    write_book(prepared_book([(each.rows.record, each.rows.values) for each in checked]), out)
    if out.suffix.lower() in TEXT_ENDINGS:
        remember_made(workspace.hidden, out, path, now)
    return checked
