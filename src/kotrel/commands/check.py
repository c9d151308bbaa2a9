"""``kotrel check``: finds everything that is wrong."""

from __future__ import annotations

import argparse

from kotrel.commands._shared import add_files, files_of, now, wanted_of, workspace_of
from kotrel.reports.findings import checked_json, show_checked
from kotrel.reports.screen import Screen
from kotrel.stages.checking import check_files

EXAMPLE = """\
kotrel check new-items.xlsx
    everything that is wrong, worst first, a few examples of each kind
kotrel check new-items.xlsx --all
    each finding on a line of its own"""


def arguments(parser: argparse.ArgumentParser) -> None:
    add_files(parser)
    parser.add_argument("--all", action="store_true", help="list each finding, not a few examples of each kind")
    parser.add_argument("--repairs", action="store_true", help="show what was mended on reading, with the proof")


def run(args: argparse.Namespace, screen: Screen) -> int:
    files = files_of(args)
    workspace = workspace_of(args)
    with screen.progress(4 * len(files)) as step:
        checked = check_files(files, workspace, wanted_of(args), now().date(), step)
    ok = all(each.ok for each in checked)
    if screen.as_json:
        parts = [checked_json(each) for each in checked]
        screen.json(parts[0] if len(parts) == 1 else {"ok": ok, "files": parts})
        return 0 if ok else 1
    for place, each in enumerate(checked):
        if place:
            screen.show("")
        show_checked(screen, each, args.all, args.repairs)
    names = " ".join(args.files)
    screen.show("")
    if ok:
        screen.show(f"Next: kotrel preview {names}")
    else:
        screen.show(f"Next: mend these cells in the spreadsheet, save it, then: kotrel check {names}")
    return 0 if ok else 1
