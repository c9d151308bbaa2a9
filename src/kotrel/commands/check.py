"""``kotrel check``: finds everything that is wrong."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import add_files, files_of, now, wanted_of, workspace_of
from kotrel.reports.findings import checked_json, show_checked
from kotrel.reports.screen import Screen
from kotrel.sheets.marking import Marked, mark, marked_name
from kotrel.sheets.writing import demand_free
from kotrel.stages.checking import Checked, check_files

EXAMPLE = """\
kotrel check new-items.xlsx
    everything that is wrong, worst first, a few examples of each kind
kotrel check new-items.xlsx --all
    each finding on a line of its own
kotrel check new-items.xlsx --marked
    also writes new-items.marked.xlsx: your workbook, the bad cells coloured and commented"""


def arguments(parser: argparse.ArgumentParser) -> None:
    add_files(parser)
    parser.add_argument("--all", action="store_true", help="list each finding, not a few examples of each kind")
    parser.add_argument(
        "--marked",
        nargs="?",
        const="",
        metavar="FILE",
        help="write a marked copy (else named FILE.marked.xlsx beside it)",
    )
    parser.add_argument("--repairs", action="store_true", help="show what was mended on reading, with the proof")


def run(args: argparse.Namespace, screen: Screen) -> int:
    files = files_of(args)
    workspace = workspace_of(args)
    with screen.progress(4 * len(files)) as step:
        checked = check_files(files, workspace, wanted_of(args), now().date(), step)
    ok = all(each.ok for each in checked)
    marked = [_mark(each, args.marked) for each in checked] if args.marked is not None else []
    if screen.as_json:
        parts = [checked_json(each) for each in checked]
        for part, copy in zip(parts, marked, strict=False):
            part["marked"] = str(copy.path)
        screen.json(parts[0] if len(parts) == 1 else {"ok": ok, "files": parts})
        return 0 if ok else 1
    for place, each in enumerate(checked):
        if place:
            screen.show("")
        show_checked(screen, each, args.all, args.repairs)
    names = " ".join(args.files)
    screen.show("")
    for copy in marked:
        for remark in copy.remarks:
            screen.show(f"{remark[0].upper()}{remark[1:]}.")
        screen.show(f"Marked: {copy.path}")
    if not ok and marked:
        screen.show(
            f"Next: mend the coloured cells there, save it, then: kotrel check {' '.join(str(copy.path) for copy in marked)}"
        )
    elif ok:
        screen.show(f"Next: kotrel preview {names}")
    else:
        screen.show(f"Next: mend these cells in the spreadsheet, save it, then: kotrel check {names}")
        screen.show(f"      kotrel check {names} --marked    colours them for you in a copy")
    return 0 if ok else 1


def _mark(checked: Checked, told: str) -> Marked:
    """Writes the marked copy of one file."""
    path = demand_free(Path(told)) if told else marked_name(Path(checked.rows.table.file))
    return mark(checked.rows, path)
