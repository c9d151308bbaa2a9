"""``kotrel init``: makes a workspace."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.core.errors import WrongUse
from kotrel.screen.screen import Screen
from kotrel.setup.creating import Made, add_journal, create_workspace
from kotrel.setup.review import review_json, review_workspace, show_review
from kotrel.systems.sql.database_kinds import kind_of
from kotrel.systems.sql.rights import grants
from kotrel.workspace.settings import FILE, open_workspace

EXAMPLE = """\
kotrel init shop
    makes a workspace in the folder shop, with a practice system (SQLite) inside it
kotrel init shop --system postgresql://me@localhost/trial --practice
    the same, with the practice system in that database, in its own schema
kotrel init shop --system postgresql://me@localhost/backoffice --learn
    connects to that database and drafts the description from its tables; creates nothing in it
kotrel init shop --system https://stock.example.com
    connects to a service that speaks Kotrel's protocol; it says itself what it takes (the token is in KOTREL_TOKEN)
kotrel init --review
    how sure the description is, record by record, and what to look at first"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("folder", nargs="?", default=None, metavar="DIR", help="the folder (default: this one)")
    parser.add_argument(
        "--system",
        metavar="URL",
        help="the system's address: sqlite:FILE, postgresql://user@host/database, https://host, or folder:DIR",
    )
    parser.add_argument(
        "--practice", action="store_true", help="put a practice system there, unless it already has one"
    )
    parser.add_argument(
        "--journal", action="store_true", help="create only Kotrel's journal there (also for an existing workspace)"
    )
    parser.add_argument(
        "--learn", action="store_true", help="draft system.toml from the database's own tables, for you to edit"
    )
    parser.add_argument(
        "--rights",
        metavar="USER",
        help="print the rights that a database user needs, as statements for its administrator (for an existing workspace)",
    )
    parser.add_argument(
        "--review",
        action="store_true",
        help="show how sure system.toml is, and what to look at first (existing workspace)",
    )
    parser.add_argument("--all", action="store_true", help="with --review: everything there is to look at")
    parser.add_argument("--schema", metavar="NAME", help="with --learn: only the tables of this schema")


def run(args: argparse.Namespace, screen: Screen) -> int:
    if args.folder is not None and args.workspace is not None:
        raise WrongUse(f"two folders are named: {args.folder} and {args.workspace}", "Name one.", "wrong-command-line")
    folder = Path(args.folder or args.workspace or ".")
    if args.rights is not None:
        return _rights(folder, args.rights, screen)
    if args.review and open_workspace(folder).url.startswith("folder:"):
        raise WrongUse(
            "--review asks a database, and this program only exchanges files",
            "kotrel lists shows what its lists say.",
            "wrong-command-line",
        )
    if args.review:
        reviewed = review_workspace(open_workspace(folder))
        screen.json(review_json(reviewed)) if screen.as_json else show_review(screen, reviewed, args.all)
        return 0
    if args.practice and args.journal:
        raise WrongUse("--practice creates the journal too; use only one of the two")
    if args.learn and (args.practice or not args.system):
        raise WrongUse(
            "--learn drafts a description of your own database: name it with --system, and leave out --practice"
        )
    if args.journal and args.system is None:
        if not (folder / FILE).is_file():
            raise WrongUse(
                f"{folder.resolve()} is no workspace, so nobody can say where the journal is to be made",
                "Go to the workspace's folder, or name the database: kotrel init --system ADDRESS --journal",
                "no-workspace",
            )
        return _journal_only(folder, screen)
    with screen.progress(2) as step:
        step("setting up")
        drafted = None
        if args.learn and str(args.system).startswith("folder:"):
            from kotrel.exchange.learning_lists import drafted_description

            drafted = drafted_description(Path(args.system.removeprefix("folder:")))
        made = create_workspace(folder, args.system, args.practice, args.journal, args.learn, args.schema, drafted)
    if screen.as_json:
        screen.json(
            {
                "workspace": str(made.folder),
                "system": made.system,
                "practice": made.practice,
                "remarks": list(made.remarks),
            }
        )
        return 0
    _show(made, screen)
    return 0


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
    workspace = open_workspace(folder)
    if kind_of(workspace.url) is None:
        where = "the workspace keeps it" if workspace.url.startswith("folder:") else "the service keeps it"
        raise WrongUse(f"this system needs no journal of its own: {where}", "", "wrong-command-line")
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
        "records"
        if made.practice != "none" or made.system.startswith("the service")
        else "lists"
        if made.system.startswith("the program")
        else "init --review"
    )
    screen.show(f"Next: {go}kotrel {following}")
