"""``kotrel lists``: what a program that only exchanges files last gave out."""

from __future__ import annotations

import argparse
from datetime import datetime

from msgspec.structs import asdict
from rich.text import Text

from kotrel.core.errors import WrongUse
from kotrel.core.phrases import count
from kotrel.exchange.folder_lists import refresh
from kotrel.loading.opening import now, workspace_of
from kotrel.screen.listing import listing
from kotrel.screen.screen import Screen
from kotrel.systems.folder.mirror import GivenOut

EXAMPLE = """\
kotrel lists
    each list that the program exported: what it is, its rows, its age"""


def arguments(parser: argparse.ArgumentParser) -> None:
    del parser  # it has no arguments of its own


def _remarks(given_out: GivenOut) -> str:
    parts = [
        f"{count(given_out.lost, 'row')} without a key or with one twice" if given_out.lost else "",
        f"{count(given_out.unread, 'cell')} could not be read" if given_out.unread else "",
        given_out.remark,
        f"{count(given_out.damaged, 'row')} could not be read" if given_out.damaged else "",
        f"{count(len(given_out.left_out), 'column')} left out: {', '.join(given_out.left_out[:5])}"
        if given_out.left_out
        else "",
    ]
    return given_out.trouble or "; ".join(filter(None, parts))


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    if not workspace.url.startswith("folder:"):
        raise WrongUse(
            "kotrel lists is only for a system connected with folder:DIR; this workspace reads its system directly",
            "kotrel records shows what it accepts.",
            "no-lists",
        )
    lists = refresh(workspace, now())
    today = datetime.now()
    ages = [(today - datetime.fromisoformat(each.at)).days for each in lists]
    if screen.as_json:
        shown = [
            {**asdict(each), "left_out": list(each.left_out), "limits": list(each.limits), "days": age}
            for each, age in zip(lists, ages, strict=True)
        ]
        screen.json({"lists": shown})
        return 0
    if not lists:
        screen.show("The program has exported nothing yet: its folder has no lists.")
        return 0
    table = listing(("file", "record", "rows", "exported", "age", ""), right=("rows", "age"))
    for given_out, age in zip(lists, ages, strict=True):
        old = age >= workspace.files_only.old_after_days
        table.add_row(
            Text(given_out.file),
            Text(given_out.record or "(not used)"),
            f"{given_out.rows:,}",
            given_out.at[:16],
            Text(count(age, "day"), style="bold yellow" if old else ""),
            Text(_remarks(given_out), style="bold red" if given_out.trouble else "yellow"),
        )
    screen.show(table)
    missing = [name for name in workspace.description.records if name not in {each.record for each in lists}]
    if missing:
        screen.show(Text(f"No list for: {', '.join(missing)}. Nothing is known of them.", style="yellow"))
    return 0
