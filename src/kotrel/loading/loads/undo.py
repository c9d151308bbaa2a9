"""``kotrel undo``: undoes one load."""

from __future__ import annotations

import argparse
from datetime import date
from pathlib import Path

from kotrel.core.changes.journal import load_number
from kotrel.core.errors import WrongUse
from kotrel.loading.loads.history import show_undone, undo_question, undone_json
from kotrel.loading.loads.undoing import Undone, UndoOptions, left_book, undo_load
from kotrel.loading.opening import now, user, workspace_of
from kotrel.loading.options import add_agreement, add_report, day, report_path
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import free_name
from kotrel.sheets.table_writing import write_book

EXAMPLE = """\
kotrel undo L0001
    removes what was new and restores what was changed, or says what blocks it"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("load", metavar="LOAD", help="the load, as kotrel history calls it: L0001")
    parser.add_argument(
        "--partial",
        action="store_true",
        help="undo every row that can be undone, and list the rest in a workbook with the reasons",
    )
    parser.add_argument(
        "--date", type=day, metavar="DATE", help="the date of documents that take others back (default: today)"
    )
    add_report(parser)
    add_agreement(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    number = load_number(args.load)
    if not args.yes and (screen.as_json or not screen.is_terminal):
        raise WrongUse(
            "undo asks before it changes anything, and there is no terminal to ask on",
            "Add --yes to undo without asking.",
            "needs-yes",
        )
    report = report_path(args)
    workspace = workspace_of(args, screen)
    system, hidden = workspace.system(), workspace.hidden
    how = UndoOptions(args.partial, date.fromisoformat(args.date) if args.date else None, workspace.stock)

    def agree(plan: Undone) -> bool:
        return screen.ask(undo_question(plan))

    if args.yes:
        with screen.progress(4) as step:
            undone = undo_load(system, number, user(args), args.remark, now(), step, hidden, how=how)
    else:
        undone = undo_load(system, number, user(args), args.remark, now(), lambda title: None, hidden, agree, how)
    left = None
    if undone.status == "undone in part":
        left = free_name(Path(f"{undone.entry.name}.left.xlsx"))
        write_book(left_book(undone), left)
    if report is not None and undone.number:
        args.reports().of_load(report, workspace, undone.number)
    if screen.as_json:
        screen.json(undone_json(undone, left))
    else:
        show_undone(screen, undone, left)
        if report is not None and undone.number:
            screen.show(f"Written: {report}")
    return 1 if undone.status == "refused" else 0
