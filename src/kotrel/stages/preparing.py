"""A file → the same rows matched, repaired and calculated, in the shape of the template."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from pathlib import Path

from kotrel.core.errors import WrongData
from kotrel.core.parts import Checked
from kotrel.core.rows.lasting_errors import lost_with_the_sheet, with_lasting_errors
from kotrel.sheets.opening import TEXT_ENDINGS
from kotrel.sheets.price_book_columns import BOOK_STAMP
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.stamps import stamps_of
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
    """Writes the rows, a sheet for each record. What is wrong stays wrong: values that could not be read stand there as they were.

    Raises:
        WrongUse: the file exists.
        WrongData: the sheet has errors that its rows would not show.
    """
    require_new_file(out)
    checked = check_files([path], workspace, wanted, now.date(), step)
    for each in checked:
        for group in lost_with_the_sheet(each.rows):
            raise WrongData(
                f"{path} is not prepared, because its rows would not show what is wrong: {group.cells['message'][0]}",
                f"kotrel check {path.name} shows everything that is wrong.",
                group.kind,
            )
    step("writing")
    # What a load would post, or end, follows from these rows again.
    own = [each for each in checked if each.consequence not in ("posted", "ended")]
    book = prepared_book([(each.rows.record, with_lasting_errors(each.rows)) for each in own])
    # New prices keep their guards.
    rules = stamps_of(path).get(BOOK_STAMP)
    write_book(replace(book, stamp={BOOK_STAMP: rules}) if rules else book, out)
    if out.suffix.lower() in TEXT_ENDINGS:
        remember_made(workspace.hidden, out, path, now)
    return checked
