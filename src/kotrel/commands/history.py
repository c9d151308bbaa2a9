"""``kotrel history``: lists the loads so far."""

from __future__ import annotations

import argparse

from kotrel.commands._shared import workspace_of
from kotrel.reports.histories import history_json, show_history
from kotrel.reports.screen import Screen

EXAMPLE = """\
kotrel history
    every load and undo: when, who, which file, how many rows, and whether it has been undone or its journal
    was changed since"""


def arguments(parser: argparse.ArgumentParser) -> None:
    del parser  # it has no options of its own


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    entries = workspace.system().audited_history()
    screen.json(history_json(entries)) if screen.as_json else show_history(screen, entries)
    return 1 if any(entry.trouble for entry in entries) else 0
