"""``kotrel inspect``: shows what is in a spreadsheet."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import add_sheet, as_typed, wanted_of
from kotrel.core.errors import WrongUse
from kotrel.reports.inspections import inspected_json, show_inspected
from kotrel.reports.screen import Screen
from kotrel.stages.inspecting import inspect_file
from kotrel.workspace.settings import find_workspace, open_workspace

EXAMPLE = """\
kotrel inspect new-items.xlsx
    every table in it: the columns, how full and how unique they are, what kind of values, examples, damage"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", metavar="FILE", help="a workbook or text file")
    add_sheet(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    description = None
    try:
        folder = find_workspace(Path(args.workspace) if args.workspace else None, Path.cwd())
    except WrongUse:
        # Any sheet can be inspected; only a guess at its record needs a system.
        if args.workspace:
            raise
    else:
        description = open_workspace(folder).description
    with screen.progress(4) as step:
        inspected = inspect_file(Path(args.file), wanted_of(args), description, step)
    screen.json(inspected_json(inspected)) if screen.as_json else show_inspected(screen, inspected, as_typed(args))
    return 0
