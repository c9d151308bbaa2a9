"""``kotrel map``: proposes which column feeds which field, and saves it for people to edit."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import add_sheet, wanted_of, workspace_of
from kotrel.reports.matches import mapped_json, show_mapped
from kotrel.reports.screen import Screen
from kotrel.stages.mapping import map_file

EXAMPLE = """\
kotrel map keldrift.xlsx item --name keldrift
    proposes a match, shows how sure it is and why, and saves it in maps/keldrift.toml"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", metavar="FILE", help="workbook or text file")
    parser.add_argument("record", metavar="RECORD", help="what its rows are")
    parser.add_argument("--name", metavar="NAME", help="the name to save it under (default: the file's name)")
    add_sheet(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    with screen.progress(3) as step:
        mapped = map_file(Path(args.file), args.record, args.name, workspace, wanted_of(args), step)
    screen.json(mapped_json(mapped)) if screen.as_json else show_mapped(screen, mapped)
    return 0
