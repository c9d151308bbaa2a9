"""``kotrel template``: an empty sheet that guides."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import workspace_of
from kotrel.reports.screen import Screen
from kotrel.stages.exporting import make_template

EXAMPLE = """\
kotrel template item -o new-items.xlsx
    headings with must-fill shown, a guide sheet, drop-downs from the real lists
kotrel template unit category item -o going-live.xlsx
    one sheet for each record, in the order of loading"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("records", nargs="+", metavar="RECORD", help="what is to be filled in")
    parser.add_argument("-o", "--output", required=True, metavar="FILE", help="where to: .xlsx, .csv or .tsv")
    parser.add_argument("--with-rows", action="store_true", help="filled in with what the system holds")


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    with screen.progress(len(args.records) + 1) as step:
        files = make_template(args.records, Path(args.output), workspace, args.with_rows, step)
    if screen.as_json:
        screen.json({"files": [str(path) for path in files]})
        return 0
    for path in files:
        screen.show(f"Written: {path}")
    screen.show(f"Next: fill it in, save it, then: kotrel check {files[0]}")
    return 0
