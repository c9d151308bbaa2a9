"""``kotrel prepare``: writes the sheet as Kotrel understood it:
matched, repaired and calculated, in the shape of the template.
"""

from __future__ import annotations

import argparse
from datetime import datetime
from pathlib import Path

from msgspec.structs import replace

from kotrel.core.errors import WrongData
from kotrel.core.loading.load_model import Checked
from kotrel.core.pricing.price_workbook_columns import BOOK_STAMP
from kotrel.core.rows.lasting_errors import lost_with_the_sheet, with_lasting_errors
from kotrel.loading.file_options import FileOptions
from kotrel.loading.opening import now, workspace_of
from kotrel.loading.options import add_reading, wanted_of
from kotrel.loading.sheets_in.checking import check_files
from kotrel.loading.sheets_in.findings_screen import checked_json, counts_line, headline
from kotrel.loading.sheets_in.made_texts import remember_made
from kotrel.loading.sheets_out.exporting import prepared_book
from kotrel.screen.command_lines import quoted
from kotrel.screen.screen import Screen
from kotrel.sheets.ooxml.stamps import stamps_of
from kotrel.sheets.opening_files import TEXT_ENDINGS
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.table_writing import write_book
from kotrel.systems.interface import Step
from kotrel.workspace.settings import Workspace


def prepare_file(
    path: Path, out: Path, workspace: Workspace, wanted: FileOptions, now: datetime, step: Step
) -> list[Checked]:
    """Writes the rows, a sheet for each record. What is wrong stays wrong: values that could not be read stand there as
    they were.

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
                f"kotrel check {quoted([path])} shows everything that is wrong.",
                group.kind,
            )
    step("writing")
    # What a load would post, or end, follows from these rows again.
    own = [each for each in checked if each.consequence not in ("posted", "ended", "resumed")]
    book = prepared_book([(each.rows.record, with_lasting_errors(each.rows)) for each in own])
    # New prices keep their guards.
    rules = stamps_of(path).get(BOOK_STAMP)
    write_book(replace(book, stamp={BOOK_STAMP: rules}) if rules else book, out)
    if out.suffix.lower() in TEXT_ENDINGS:
        remember_made(workspace.hidden, out, path, now)
    return checked


EXAMPLE = """\
kotrel prepare keldrift.xlsx -o keldrift-items.xlsx
    matched, tidied and calculated, in the shape of the template: to read, pass on or load later"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", metavar="FILE", help="workbook or text file")
    parser.add_argument("-o", "--output", required=True, metavar="OUT", help="where to: .xlsx, .ods, .csv or .tsv")
    add_reading(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    with screen.progress(5) as step:
        checked = prepare_file(Path(args.file), Path(args.output), workspace, wanted_of(args), now(), step)
    ok = all(each.ok for each in checked)
    if screen.as_json:
        screen.json({**checked_json(checked), "written": args.output})
        return 0 if ok else 1
    for each in checked:
        screen.show(headline(each.rows), counts_line(each))
        for remark in each.remarks:
            screen.show(f"  {remark}")
    screen.show(f"Written: {args.output}")
    if not ok:
        screen.show(
            f"Errors are kept as they were; those that only the original sheet shows are written after #N/A. Next: {screen.program} check {quoted([args.output])}"
        )
    else:
        screen.show(f"Next: {screen.program} preview {quoted([args.output])}")
    return 0 if ok else 1
