"""``kotrel outcome``: shows one load, row by row."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.core.changes.outcome_page import page_of
from kotrel.core.phrases import count as counted
from kotrel.loading.loads.history import ROWS_SHOWN, outcome_json, show_outcome
from kotrel.loading.loads.refused_rows import write_before, write_rest_of
from kotrel.loading.opening import workspace_of
from kotrel.loading.options import number_from
from kotrel.screen.screen import Screen
from kotrel.systems.interface import System
from kotrel.workspace.settings import Workspace

EXAMPLE = """\
kotrel outcome L0001
    what happened to each row of that load, and why
kotrel outcome L0001 --before before.xlsx
    also writes the rows it changed, as they were before
kotrel outcome L0001 --result result.csv
    first reads what the program says about each row, from its result file
kotrel outcome L0001 --rest fix-these.xlsx
    also writes the rows it refused, to be fixed"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "load", metavar="LOAD", help="the load's number from kotrel history, for example L0001; or a trial's"
    )
    parser.add_argument(
        "--result",
        metavar="FILE",
        nargs="+",
        help="for a system that exchanges files: read its result files first",
    )
    parser.add_argument("--map", dest="map_name", metavar="NAME", help="the saved mapping that reads the result file")
    parser.add_argument(
        "--only-refused", action="store_true", help="the result file lists only refused rows: all others were accepted"
    )
    parser.add_argument("--wait", action="store_true", help="wait until the system has answered")
    parser.add_argument(
        "--seconds", type=number_from(0), default=600, metavar="N", help="with --wait: so long at most (default: 600)"
    )
    parser.add_argument("--all", action="store_true", help="list every row")
    parser.add_argument("--rest", metavar="FILE", help="write the refused rows to a file, with the reasons")
    parser.add_argument(
        "--before", metavar="FILE", help="write the rows that it changed or removed to a file, as they were before"
    )


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    number, ended = args.exchange().answers_first(args, workspace, screen)
    if number is None or ended is not None:
        return ended or 0
    system = workspace.system()
    rows = system.outcome(number) if screen.as_json or args.all else None
    page = system.outcome_page(number, ROWS_SHOWN) if rows is None else page_of(rows, None)
    entry = next(each for each in system.history() if each.number == number)
    written = _write(system, number, args, workspace)
    if rows is not None and screen.as_json:
        screen.json({**outcome_json(entry, rows), **{what: str(path) for what, (path, _) in written.items()}})
        return 0
    show_outcome(screen, entry, page, args.all)
    for path, said in written.values():
        screen.show(f"Written: {path} ({said})")
    return 0


def _write(system: System, number: int, args: argparse.Namespace, workspace: Workspace) -> dict[str, tuple[Path, str]]:
    """The files asked for: the option, the file, and what is in it."""
    written: dict[str, tuple[Path, str]] = {}
    if args.rest is not None:
        count = write_rest_of(system, number, Path(args.rest), workspace.hidden)
        written["rest"] = (Path(args.rest), f"{counted(count, 'refused row')} with the reasons")
    if args.before is not None:
        counts = write_before(system, number, Path(args.before))
        said = ", ".join(f"{count:,} {record}" for record, count in counts.items())
        written["before"] = (Path(args.before), f"the rows as they were before: {said}")
    return written
