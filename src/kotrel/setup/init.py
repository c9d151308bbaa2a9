"""``kotrel init``: makes a workspace."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from kotrel.core.errors import WrongUse
from kotrel.exchange.learning_lists import drafted_description, layouts_offered
from kotrel.screen.command_lines import quoted
from kotrel.screen.screen import Screen
from kotrel.setup.creating import (
    AS_EACH_COLUMN,
    UNDESCRIBED,
    Made,
    add_journal,
    create_workspace,
    facts_at,
    has_journal_at,
    learn_description,
)
from kotrel.setup.draft_questions import ask_about_draft, wants_journal
from kotrel.setup.init_questions import InitAnswers, ask_plan
from kotrel.setup.review import review_json, review_workspace, show_review, show_review_steps
from kotrel.systems.opening_systems import without_password
from kotrel.systems.sql.database_kinds import kind_of
from kotrel.systems.sql.rights import grants
from kotrel.workspace.settings import FILE, open_workspace, system_named

EXAMPLE = """\
kotrel init
    asks what to connect, where, and how your sheets are written
kotrel init shop --yes
    makes a workspace in the folder shop, with a practice system (SQLite) inside it
kotrel init shop --system postgresql://me@localhost/trial --practice
    the same, with the practice system in that database, in its own schema
kotrel init shop --system postgresql://me@localhost/backoffice --learn
    connects to that database, drafts the description from its tables, and asks about it; creates nothing unasked
kotrel init shop --system https://stock.example.com
    connects to a service that speaks Kotrel's protocol; it says itself what it accepts (the token is in KOTREL_TOKEN)
kotrel init --review
    how sure the description is, record by record, and what to check first"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("folder", nargs="?", default=None, metavar="DIR", help="the folder (default: this one)")
    parser.add_argument(
        "--system",
        metavar="URL",
        help="the system's address: sqlite:FILE, postgresql://user@host/database, mysql://user@host/database, https://host, or folder:DIR",
    )
    parser.add_argument(
        "--practice", action="store_true", help="put a practice system there, unless it already has one"
    )
    parser.add_argument(
        "--journal", action="store_true", help="create only Kotrel's journal there (also for an existing workspace)"
    )
    parser.add_argument(
        "--learn",
        action="store_true",
        help="draft system.toml from the database's own tables, for you to edit (also for an existing workspace)",
    )
    parser.add_argument(
        "--rights",
        metavar="USER",
        help="print the rights that a database user needs, as statements for its administrator (for an existing workspace)",
    )
    parser.add_argument(
        "--review",
        action="store_true",
        help="show how sure system.toml is, and what to check first (existing workspace)",
    )
    parser.add_argument("--all", action="store_true", help="with --review: everything to check")
    parser.add_argument("--schema", metavar="NAME", help="with --learn: only the tables of this schema")
    parser.add_argument("--yes", action="store_true", help="take every proposal without asking")


def run(args: argparse.Namespace, screen: Screen) -> int:
    if args.folder is not None and args.workspace is not None:
        raise WrongUse(f"two folders are named: {args.folder} and {args.workspace}", "Name one.", "wrong-command-line")
    folder = Path(args.folder or args.workspace or ".")
    if args.rights is not None:
        return _rights(folder, args.rights, screen)
    if args.review:
        return _review(folder, screen, args.all)
    connected = args.system is None and (folder / FILE).is_file()
    _refuse_pairs(args, connected)
    if args.learn and connected:
        return _learn_here(folder, args, screen)
    if args.journal and args.system is None:
        return _journal_only(folder, screen)
    return _set_up(args, folder, screen)


def _refuse_pairs(args: argparse.Namespace, connected: bool) -> None:
    """Refuses options that do not go together.

    Args:
        connected: the folder is a workspace, and its own system is meant.
    """
    if args.practice and args.journal:
        raise WrongUse("--practice creates the journal too; use only one of the two")
    if args.learn and (args.practice or not (args.system or connected)):
        raise WrongUse(
            "--learn drafts a description of your own database: name it with --system, and leave out --practice"
        )


def _planned(args: argparse.Namespace, folder: Path, screen: Screen, asks: bool) -> tuple[InitAnswers, bool]:
    """What is to be made, and whether its description is drafted; asked where the command line leaves it open."""
    if not asks or args.system is not None or args.practice or args.journal:
        return InitAnswers(folder, args.system, AS_EACH_COLUMN), args.learn
    named = None if args.folder is None and args.workspace is None else folder
    plan = ask_plan(screen, named)
    return plan, args.learn or plan.learn


def _made_json(made: Made) -> dict[str, Any]:
    return {
        "workspace": str(made.folder),
        "system": made.system,
        "practice": made.practice,
        "remarks": list(made.remarks),
    }


def _can_be_asked_about(made: Made, system: str) -> bool:
    """Whether questions about the draft of its description can read the system."""
    # A password in the address is used once, and not kept: the questions need it again.
    lasting = bool(system) and not without_password(system)[1]
    return lasting and kind_of(made.address) is not None and made.practice == "none"


def _set_up(args: argparse.Namespace, folder: Path, screen: Screen) -> int:
    """Makes a workspace; on a terminal, asks what is left open."""
    asks = screen.is_terminal and not (screen.as_json or args.yes)
    plan, learn = _planned(args, folder, screen, asks)
    system = plan.system or ""
    lists = Path(system.removeprefix("folder:")) if learn and system.startswith("folder:") else None
    with screen.progress(2) as step:
        step("setting up")
        drafted = None if lists is None else drafted_description(lists)
        made = create_workspace(
            plan.folder, plan.system, args.practice, args.journal, learn, args.schema, drafted, plan.habits
        )
    if screen.as_json:
        screen.json(_made_json(made))
        return 0
    if asks and learn and _can_be_asked_about(made, system):
        _finish(made, screen)
    else:
        _show(made, screen)
    if lists is not None:
        _offer_layouts(made, lists, screen)
    return 0


def _learn_here(folder: Path, args: argparse.Namespace, screen: Screen) -> int:
    """Drafts the description of a workspace that was made without one."""
    with screen.progress(2) as step:
        step("reading the system")
        made = learn_description(folder, args.schema, drafted_description)
    lists = Path(made.address.removeprefix("folder:")) if made.address.startswith("folder:") else None
    if screen.as_json:
        screen.json(_made_json(made))
    elif screen.is_terminal and not args.yes and lists is None:
        _finish(made, screen)
    else:
        screen.show(f"{system_named(folder)[1]} was drafted from {made.system}.")
        for remark in made.remarks:
            screen.show(f"  {remark}")
        screen.show(f"Next: kotrel {'init --review' if lists is None else 'lists'}")
    if lists is not None and not screen.as_json:
        _offer_layouts(made, folder / lists, screen)
    return 0


def _offer_layouts(made: Made, lists: Path, screen: Screen) -> None:
    """Each template among a program's lists, with the command that drafts its layout."""
    where = "" if str(made.folder) == "." else f" -w {quoted([str(made.folder)])}"
    for path, record in layouts_offered(lists, open_workspace(made.folder).description):
        screen.show(
            f"{path.name} is a template: kotrel{where} layout {quoted([str(path)])} {record}    drafts the layout of its uploads"
        )


def _review(folder: Path, screen: Screen, every: bool) -> int:
    if open_workspace(folder).url.startswith("folder:"):
        raise WrongUse(
            "--review asks a database, and this program only exchanges files",
            "kotrel lists shows what its lists say.",
            "wrong-command-line",
        )
    reviewed = review_workspace(open_workspace(folder))
    if screen.as_json:
        screen.json(review_json(reviewed))
    else:
        show_review(screen, reviewed, every)
        show_review_steps(screen, reviewed)
    return 0


def _finish(made: Made, screen: Screen) -> None:
    """Of one's own database, on a terminal: the questions about the draft, the journal, and what is left to look at."""
    screen.show(f"Connected to {made.system}: {made.remarks[0]}. Nothing was created in it.")
    described = made.folder / system_named(made.folder)[1]
    finished = ask_about_draft(screen, described, facts_at(made.address, made.folder))
    workspace = open_workspace(made.folder)
    if finished and not has_journal_at(workspace.url, workspace.folder) and wants_journal(screen, made.system):
        add_journal(workspace.url, workspace.folder)
        screen.show("The journal's two tables have been created.")
    screen.show("")
    reviewed = review_workspace(workspace)
    show_review(screen, reviewed, every=False)
    go = "" if str(made.folder) == "." else f"cd {quoted([str(made.folder)])}, then "
    screen.show(f"Next: {go}kotrel records")
    if not reviewed.journal:
        screen.show(f"      {go}kotrel init --journal    creates the journal, which every load needs")
    screen.show(f"      {go}kotrel init --review    shows again what to check in system.toml")


def _rights(folder: Path, user: str, screen: Screen) -> int:
    workspace = open_workspace(folder)
    kind = kind_of(workspace.url)
    if kind is None:
        raise WrongUse("--rights is for a system in a database with users", "", "wrong-command-line")
    if not kind.dialect().grants:
        raise WrongUse(
            f"a {kind.title} database has no users: whoever may write its file and folder may load",
            "",
            "wrong-command-line",
        )
    found = grants(workspace.description, user, kind.dialect())
    if screen.as_json:
        screen.json({"user": user, "rights": found})
        return 0
    for purpose, statements in found.items():
        screen.show(f"-- {purpose}")
        for statement in statements:
            screen.show(statement)
    return 0


def _journal_only(folder: Path, screen: Screen) -> int:
    if not (folder / FILE).is_file():
        raise WrongUse(
            f"{folder.resolve()} is no workspace, so nobody can say where the journal is to be made",
            "Go to the workspace's folder, or name the database: kotrel init --system ADDRESS --journal",
            "no-workspace",
        )
    workspace = open_workspace(folder)
    if kind_of(workspace.url) is None:
        where = "the workspace keeps it" if workspace.url.startswith("folder:") else "the service keeps it"
        raise WrongUse(f"this system needs no journal: {where}", "", "wrong-command-line")
    made = add_journal(workspace.url, workspace.folder)
    if screen.as_json:
        screen.json({"workspace": str(folder), "journal": "made" if made else "already there"})
    else:
        screen.show("The journal's two tables have been created." if made else "The journal already exists.")
    return 0


def _show(made: Made, screen: Screen) -> None:
    where = "This folder" if str(made.folder) == "." else str(made.folder)
    screen.show(f"{where} is now a workspace.")
    practice = {"made": "a new practice system", "none": "your own system"}.get(
        made.practice, f"a practice system: {made.practice}"
    )
    screen.show(f"  system       {made.system} ({practice})")
    screen.show("  settings     kotrel.toml")
    screen.show("  description  system.toml")
    for remark in made.remarks:
        screen.show(f"  {remark}")
    go = "" if str(made.folder) == "." else f"cd {made.folder}, then "
    following = (
        "init --learn    drafts their description for you"
        if UNDESCRIBED & set(made.remarks)
        else "records"
        if made.practice != "none" or made.system.startswith("the service")
        else "lists"
        if made.system.startswith("the program")
        else "init --review"
    )
    screen.show(f"Next: {go}kotrel {following}")
