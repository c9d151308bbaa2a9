"""``kotrel compare``: shows what differs between two sheets."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import add_reading, now, wanted_of
from kotrel.core.errors import WrongUse
from kotrel.reports.differences import compared_json, show_compared
from kotrel.reports.screen import Screen
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.table_writing import ENDINGS, write_book
from kotrel.stages.comparing import compare_files
from kotrel.stages.difference_book import difference_book
from kotrel.workspace.settings import Workspace, find_workspace, open_workspace

EXAMPLE = """\
kotrel compare keldrift-march.xlsx keldrift-april.xlsx
    rows added, removed, and changed from what to what
kotrel compare old.csv new.csv --key "Order code" -o what-changed.xlsx
    matches rows by that column and writes the result as a workbook"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("old", metavar="OLD", help="the sheet as it was")
    parser.add_argument("new", metavar="NEW", help="the sheet as it is now")
    parser.add_argument("--key", metavar="FIELD", help="the field or heading that identifies a row")
    parser.add_argument("-o", "--output", metavar="FILE", help="also write it as a workbook: .xlsx or .ods")
    parser.add_argument("--all", action="store_true", help="list every row")
    add_reading(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    output = require_new_file(Path(args.output), ENDINGS) if args.output else None
    with screen.progress(6) as step:
        compared = compare_files(
            Path(args.old), Path(args.new), args.key, _workspace(args), wanted_of(args), now().date(), step
        )
        if output is not None:
            write_book(difference_book(compared), output)
    if screen.as_json:
        screen.json(compared_json(compared))
    else:
        show_compared(screen, compared, args.all)
        if output is not None:
            screen.show(f"Written: {output}")
    return 0


def _workspace(args: argparse.Namespace) -> Workspace | None:
    """The workspace, if there is one: two sheets can be compared anywhere."""
    try:
        folder = find_workspace(Path(args.workspace) if args.workspace else None, Path.cwd())
    except WrongUse:
        if args.workspace:
            raise
        return None
    return open_workspace(folder)
