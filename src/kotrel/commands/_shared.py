"""Arguments and openings that several commands share."""

from __future__ import annotations

import argparse
import getpass
import re
import sys
from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from kotrel.core.errors import OutOfReach
from kotrel.core.rows.load_options import DEFAULT_OPTIONS, LoadOptions
from kotrel.stages.interrupted import report_interrupted
from kotrel.stages.understanding import Wanted
from kotrel.workspace.settings import Workspace, find_workspace, open_workspace


def add_files(parser: argparse.ArgumentParser) -> None:
    """The files of a check, preview or load, and how they are to be understood."""
    parser.add_argument("files", nargs="+", metavar="FILE", help="workbook or text file: .xlsx .ods .csv .tsv and more")
    add_reading(parser)
    add_ways(parser)


def add_ways(parser: argparse.ArgumentParser) -> None:
    """How rows are to be loaded; a check and a preview take the same, so that they tell what a load would do."""
    group = parser.add_argument_group("which rows, and how")
    group.add_argument(
        "--only", choices=("new", "changes"), help="only rows that are new, or only changes to what is there"
    )
    group.add_argument(
        "--match-on", metavar="FIELD", help="find the system's rows by this field instead of their key: barcode"
    )
    group.add_argument(
        "--blanks",
        choices=("keep", "clear"),
        default="keep",
        help="a blank cell changes nothing (else), or wipes the value",
    )
    group.add_argument(
        "--duplicates",
        choices=("error", "first", "last"),
        default="error",
        help="a key twice in the sheet: an error (else), or which row counts",
    )
    group.add_argument(
        "--create",
        type=_names,
        default=(),
        metavar="LISTS",
        help="add values that are new on these lists: vendor,brand",
    )
    group.add_argument(
        "--defaults",
        type=_names,
        default=(),
        metavar="SETS",
        help="fill new rows in from these sets of defaults in system.toml",
    )
    group.add_argument(
        "--clash",
        choices=("sheet", "system"),
        help="whose value counts where both changed it since the export (else an error)",
    )
    group.add_argument(
        "--since", metavar="EXPORT", help="the export the file came from, where it is a text file; none for no export"
    )
    group.add_argument("--pictures", metavar="DIR", help="the folder of the pictures that items name")


def _names(text: str) -> tuple[str, ...]:
    return tuple(name.strip() for name in text.split(",") if name.strip())


def add_reading(parser: argparse.ArgumentParser) -> None:
    """How a file is to be understood."""
    parser.add_argument(
        "--as", dest="record", metavar="RECORD", help="what the rows are (else recognised by the headings)"
    )
    parser.add_argument(
        "--map", dest="map_name", metavar="NAME", help="the saved match to use (else the one whose headings fit)"
    )
    add_sheet(parser)


def add_sheet(parser: argparse.ArgumentParser) -> None:
    """Which sheet, and where its headings are."""
    parser.add_argument("--sheet", metavar="NAME", help="the sheet of the workbook (else the one that fits)")
    parser.add_argument("--heading-row", type=_row, metavar="ROW", help="the row with the headings (else found)")


def _row(text: str) -> int:
    if not text.isdigit() or int(text) < 1:
        raise argparse.ArgumentTypeError(f"“{text}” is no row; rows are counted from 1")
    return int(text)


def files_of(args: argparse.Namespace) -> list[Path]:
    """The files named; patterns such as ``*.xlsx`` are resolved where the shell did not do it."""
    found: list[Path] = []
    for name in args.files:
        path = Path(name)
        is_pattern = any(mark in path.name for mark in "*?[") and not path.exists()
        found += (sorted(path.parent.glob(path.name)) if is_pattern else []) or [path]
    return found


def named(files: Iterable[object]) -> str:
    """Files as they are typed on a command line: a name with blanks in quotes."""
    names = [str(file) for file in files]
    return " ".join(f'"{name}"' if re.search(r"[\s&()']", name) else name for name in names)


_SAID = {
    "record": ("--as", None), "map_name": ("--map", None), "sheet": ("--sheet", None), "heading_row": ("--heading-row", None),
    "only": ("--only", None), "match_on": ("--match-on", None), "blanks": ("--blanks", "keep"),
    "duplicates": ("--duplicates", "error"), "create": ("--create", ()), "defaults": ("--defaults", ()),
    "clash": ("--clash", None), "since": ("--since", None), "pictures": ("--pictures", None),
}  # fmt: skip
"""Argument → its option, and what it is where nothing is said."""


def as_typed(args: argparse.Namespace) -> str:
    """The files and how they are to be understood and loaded, as they are typed for the next command."""
    words: list[object] = list(args.files)
    for name, (option, usual) in _SAID.items():
        value = getattr(args, name, usual)
        if value != usual:
            words += [option, ",".join(value) if isinstance(value, tuple) else value]
    return named(words)


def wanted_of(args: argparse.Namespace) -> Wanted:
    """What the user said about the files."""
    options = DEFAULT_OPTIONS
    if hasattr(args, "match_on"):
        options = LoadOptions(
            args.only, args.match_on, args.blanks, args.duplicates, args.create, args.defaults, args.clash, args.since
        )
    return Wanted(args.record, args.sheet, args.heading_row, args.map_name, options)


def workspace_of(args: argparse.Namespace) -> Workspace:
    """The workspace told with -w, or the nearest."""
    workspace = open_workspace(find_workspace(Path(args.workspace) if args.workspace else None, Path.cwd()))
    if pictures := getattr(args, "pictures", None):
        if not Path(pictures).is_dir():
            raise OutOfReach(f"there is no folder {pictures}", "It is the folder of the pictures.", "no-folder")
        workspace = replace(workspace, picture_folder=Path(pictures))
    for said in report_interrupted(workspace):
        sys.stderr.write(f"kotrel: {said}\n")
    return workspace


def now() -> datetime:
    """The time, with the zone of this machine."""
    return datetime.now().astimezone()


def user(args: argparse.Namespace) -> str:
    """Who does it: the name given, or the operating system's."""
    if given := getattr(args, "who", None):
        return str(given)
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return "unknown"


def add_agreement(parser: argparse.ArgumentParser) -> None:
    """Who loads, why, and the answer to the question."""
    parser.add_argument("--yes", action="store_true", help="do it without asking")
    parser.add_argument("--who", metavar="NAME", help="who does it, for the history (else your user name)")
    parser.add_argument("--remark", default="", metavar="TEXT", help="why, for the history")
