"""``kotrel outcome``: one load, row by row."""

from __future__ import annotations

import argparse

from kotrel.commands._shared import workspace_of
from kotrel.reports.histories import outcome_json, show_outcome
from kotrel.reports.screen import Screen
from kotrel.stages.undoing import load_number

EXAMPLE = """\
kotrel outcome L0001
    what became of each row of that load, with its reason"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("load", metavar="LOAD", help="the load, as kotrel history calls it: L0001")
    parser.add_argument("--all", action="store_true", help="list every row")


def run(args: argparse.Namespace, screen: Screen) -> int:
    number = load_number(args.load)
    system = workspace_of(args).system()
    rows = system.outcome(number)
    entry = next(each for each in system.history() if each.number == number)
    screen.json(outcome_json(entry, rows)) if screen.as_json else show_outcome(screen, entry, rows, args.all)
    return 0
