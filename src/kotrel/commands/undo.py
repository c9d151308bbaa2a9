"""``kotrel undo``: undoes one load."""

from __future__ import annotations

import argparse

from kotrel.commands._shared import add_agreement, now, user, workspace_of
from kotrel.core.errors import WrongUse
from kotrel.reports.histories import show_undone, undo_question, undone_json
from kotrel.reports.screen import Screen
from kotrel.stages.undoing import Undone, load_number, undo_load

EXAMPLE = """\
kotrel undo L0001
    removes what was new and restores what was changed, or says what is in the way"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("load", metavar="LOAD", help="the load, as kotrel history calls it: L0001")
    add_agreement(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    number = load_number(args.load)
    if not args.yes and (screen.as_json or not screen.is_terminal):
        raise WrongUse(
            "undo asks before it changes anything, and there is no terminal to ask on",
            "Add --yes to undo without asking.",
            "needs-yes",
        )
    workspace = workspace_of(args)
    system, hidden = workspace.system(), workspace.hidden

    def agree(plan: Undone) -> bool:
        return screen.ask(undo_question(plan))

    if args.yes:
        with screen.progress(4) as step:
            undone = undo_load(system, number, user(args), args.remark, now(), step, hidden)
    else:
        undone = undo_load(system, number, user(args), args.remark, now(), lambda title: None, hidden, agree)
    screen.json(undone_json(undone)) if screen.as_json else show_undone(screen, undone)
    return 1 if undone.status == "refused" else 0
