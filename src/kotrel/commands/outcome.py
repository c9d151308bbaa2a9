"""``kotrel outcome``: shows one load, row by row."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import workspace_of
from kotrel.reports.histories import outcome_json, show_outcome
from kotrel.reports.screen import Screen
from kotrel.stages.past_loads import write_before, write_rest_of
from kotrel.stages.undoing import load_number
from kotrel.systems.interface import System

EXAMPLE = """\
kotrel outcome L0001
    what happened to each row of that load, and why
kotrel outcome L0001 --before before.xlsx
    also writes the rows it changed, as they were before
kotrel outcome L0001 --rest fix-these.xlsx
    also writes the rows it refused, to be fixed"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("load", metavar="LOAD", help="the load's number from kotrel history, for example L0001")
    parser.add_argument("--all", action="store_true", help="list every row")
    parser.add_argument("--rest", metavar="FILE", help="write the refused rows to a file, with the reasons")
    parser.add_argument(
        "--before", metavar="FILE", help="write the rows that it changed or removed to a file, as they were before"
    )


def run(args: argparse.Namespace, screen: Screen) -> int:
    number = load_number(args.load)
    system = workspace_of(args).system()
    rows = system.outcome(number)
    entry = next(each for each in system.history() if each.number == number)
    written = _write(system, number, args)
    if screen.as_json:
        screen.json({**outcome_json(entry, rows), **{what: str(path) for what, (path, _) in written.items()}})
        return 0
    show_outcome(screen, entry, rows, args.all)
    for path, said in written.values():
        screen.show(f"Written: {path} ({said})")
    return 0


def _write(system: System, number: int, args: argparse.Namespace) -> dict[str, tuple[Path, str]]:
    """The files asked for: the option, the file, and what is in it."""
    written: dict[str, tuple[Path, str]] = {}
    if args.rest is not None:
        count = write_rest_of(system, number, Path(args.rest))
        written["rest"] = (Path(args.rest), f"{count:,} refused rows with their reasons")
    if args.before is not None:
        counts = write_before(system, number, Path(args.before))
        said = ", ".join(f"{count:,} {record}" for record, count in counts.items())
        written["before"] = (Path(args.before), f"the rows as they were before: {said}")
    return written
