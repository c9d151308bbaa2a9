"""``kotrel verify``: reads a load back and compares it with what was sent."""

from __future__ import annotations

import argparse

from kotrel.commands._shared import now, workspace_of
from kotrel.reports.screen import Screen
from kotrel.reports.verifications import show_verified, verified_json
from kotrel.stages.answers import take_proof
from kotrel.stages.undoing import load_number
from kotrel.stages.verifying import verify_load

EXAMPLE = """\
kotrel verify L0003
    reads every value of that load back and lists those that are no longer as they were sent"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("load", metavar="LOAD", help="the load, as kotrel history calls it: L0001")
    parser.add_argument("--all", action="store_true", help="list every difference")


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    system = workspace.system()
    with screen.progress(3) as step:
        verified = verify_load(system, load_number(args.load), step)
    if system.can.answers == "later" and workspace.url.startswith("folder:"):
        take_proof(verified, workspace, now())
    screen.json(verified_json(verified)) if screen.as_json else show_verified(screen, verified, args.all)
    return 0 if verified.ok else 1
