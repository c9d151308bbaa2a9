"""Arguments that several commands share, and the workspace they work in."""

from __future__ import annotations

import argparse
import re
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Literal

from kotrel.core.errors import WrongUse
from kotrel.core.phrases import plain_number
from kotrel.core.rows.load_options import DEFAULT_OPTIONS, DocumentOptions, LoadOptions
from kotrel.loading.file_options import FileOptions
from kotrel.screen.command_lines import carry
from kotrel.sheets.safe_writing import require_new_file
from kotrel.workspace.settings import Workspace


def add_files(parser: argparse.ArgumentParser) -> None:
    """The files of a check, preview or load, and how to read them."""
    parser.add_argument(
        "files", nargs="+", metavar="FILE", help="a workbook or text file: .xlsx .ods .csv .tsv and others"
    )
    add_reading(parser)
    before = len(parser._actions)
    add_ways(parser)
    add_documents(parser)
    carry(parser, before)


def add_ways(parser: argparse.ArgumentParser) -> None:
    """The load options; check and preview take them too, so that they show what a load would do."""
    group = parser.add_argument_group("which rows to load, and how")
    group.add_argument(
        "--only",
        type=_only,
        metavar="new|changes",
        help="load only new rows, or only changes to existing rows; item:changes for the rows of one record alone",
    )
    group.add_argument(
        "--match-on",
        metavar="FIELD",
        help="find existing rows by this field instead of by their key, for example barcode; by the key itself: in any capitals and separators",
    )
    group.add_argument(
        "--blanks",
        choices=("keep", "clear"),
        default="keep",
        help="a blank cell changes nothing (keep, the default) or clears the value",
    )
    group.add_argument(
        "--duplicates",
        choices=("error", "first", "last"),
        default="error",
        help="where a key is in the sheet twice: report an error (the default), or use the first or last row",
    )
    group.add_argument(
        "--create",
        type=_names,
        default=(),
        metavar="LISTS",
        help="add new values to these lists, for example vendor,brand",
    )
    group.add_argument(
        "--defaults",
        type=_names,
        default=(),
        metavar="SETS",
        help="fill new rows from these sets of defaults in system.toml",
    )
    group.add_argument(
        "--clash",
        choices=("sheet", "system"),
        help="whose value to use where both changed since the export (default: report an error)",
    )
    group.add_argument(
        "--new-codes",
        type=_names,
        default=(),
        metavar="CODES",
        help="accept CODES as new even if similar to existing codes; “all” accepts every one",
    )
    group.add_argument(
        "--resume",
        action=argparse.BooleanOptionalAction,
        help="after a period such as a promotion ends: start what was in force before again, or nothing",
    )
    group.add_argument(
        "--since", metavar="EXPORT", help="compare with this earlier export (“none”: with the system only)"
    )
    group.add_argument("--pictures", metavar="DIR", help="the folder with the pictures that items name")


class _OnlyRows(dict[str, Literal["new", "changes"]]):
    """What ``--only`` says: record → ``new`` or ``changes``, an empty name for all; written as it is said."""

    def __str__(self) -> str:
        return ",".join(f"{name}:{kind}" if name else str(kind) for name, kind in self.items())


def _only(text: str) -> _OnlyRows:
    only_rows = _OnlyRows()
    for each in _names(text):
        name, _, kind = each.rpartition(":")
        if kind not in ("new", "changes") or name.strip() in only_rows:
            raise argparse.ArgumentTypeError(
                f"must be new or changes, or for one record like item:changes, not “{text}”"
            )
        only_rows[name.strip()] = "new" if kind == "new" else "changes"
    if not only_rows:
        raise argparse.ArgumentTypeError("must be new or changes, or for one record like item:changes")
    return only_rows


def _names(text: str) -> tuple[str, ...]:
    return tuple(name.strip() for name in text.split(",") if name.strip())


def add_documents(parser: argparse.ArgumentParser) -> None:
    """What is said of documents where the sheet does not."""
    group = parser.add_argument_group("documents, where the sheet does not say it")
    group.add_argument("--number", metavar="NUMBER", help="the document's number (default: made of warehouse and date)")
    group.add_argument("--date", type=day, metavar="DATE", help="the posting date, like 2027-03-01 (default: today)")
    group.add_argument("--warehouse", metavar="CODE", help="the warehouse")
    group.add_argument("--account", metavar="CODE", help="the account the value is posted against")
    group.add_argument(
        "--as-target",
        action="store_true",
        help="the quantities are the wanted stock: post the difference to what is on hand",
    )


def day(text: str) -> str:
    """A date of the command line, read as in a cell, as ISO text: one that could be another day too is refused."""
    from kotrel.core.values.dates import read_date

    found = read_date(text, None, date.today().year)
    if found.value is None or found.time or found.guessed_century:
        why = "could be two days" if found.trouble == "ambiguous" or found.guessed_century else "is not a date"
        raise argparse.ArgumentTypeError(f"“{text}” {why}: write it like 2027-03-01")
    return found.value


def amount_of(text: str, option: str, workspace: Workspace) -> Decimal:
    """A number of the command line, read as in a cell.

    Raises:
        WrongUse: it is none, or could be two.
    """
    mark = workspace.conventions.decimal_mark
    from kotrel.core.values.numbers import read_number

    read = read_number(text, None if mark == "auto" else mark)
    if read.trouble == "ambiguous":
        both = [read_number(text, each).value or Decimal(0) for each in (".", ",")]
        first, second = (plain_number(each) for each in both)
        raise WrongUse(
            f"{option}: “{text}” could be {first} or {second}",
            f"Write {first} or {second}, or add --decimal point or --decimal comma.",
            "ambiguous-number",
        )
    if read.value is None or read.trouble or read.currency:
        raise WrongUse(f"{option}: “{text}” is not a number", "Write a number such as 12.5.", "wrong-command-line")
    return read.value


def add_reading(parser: argparse.ArgumentParser) -> None:
    """How to read a file."""
    before = len(parser._actions)
    parser.add_argument(
        "--as", dest="record", metavar="RECORD", help="what the rows are (default: recognised by the headings)"
    )
    parser.add_argument(
        "--map", dest="map_name", metavar="NAME", help="the saved mapping to use (default: the one whose headings fit)"
    )
    carry(parser, before)
    add_sheet(parser)


def add_drafting(parser: argparse.ArgumentParser, file: str, name: str = "the file's name") -> None:
    """What a command takes that drafts a settings file from a file of the user's.

    Args:
        file: what that file is, for the help; ``name``: what the settings file is called if nobody names it.
    """
    parser.add_argument("file", metavar="FILE", help=file)
    parser.add_argument("record", metavar="RECORD", help="what its rows are")
    parser.add_argument("--name", metavar="NAME", help=f"the name to save it under (default: {name})")
    parser.add_argument("--yes", action="store_true", help="take every proposal without asking")
    add_sheet(parser)


def add_sheet(parser: argparse.ArgumentParser) -> None:
    """Which sheet to read, and where its headings are."""
    before = len(parser._actions)
    parser.add_argument("--sheet", metavar="NAME", help="the sheet of the workbook (default: those that fit)")
    parser.add_argument(
        "--heading-row",
        type=_row,
        metavar="ROW",
        help="the row with the headings, 0 if there are none (default: found)",
    )

    parser.add_argument(
        "--encoding",
        metavar="NAME",
        help="the encoding of a text file, such as cp1252 or mac-roman (default: recognised)",
    )
    carry(parser, before)


def whole_from(least: int, most: int | None = None) -> Callable[[str], int]:
    """The kind of an option that is a whole number, at least so much and at most so much."""
    reach = f"from {least} up" if most is None else f"from {least} to {most}"

    def read(text: str) -> int:
        fits = re.fullmatch(r"[0-9]{1,9}", text) and least <= int(text) <= (most or int(text))
        if not fits:
            raise argparse.ArgumentTypeError(f"“{text}” is not a whole number {reach}")
        return int(text)

    return read


def number_from(least: float) -> Callable[[str], float]:
    """The kind of an option that is a number, such as of seconds, at least so much."""

    def read(text: str) -> float:
        if not re.fullmatch(r"[0-9]{1,9}(\.[0-9]{1,9})?", text) or float(text) < least:
            raise argparse.ArgumentTypeError(f"“{text}” is not a number from {least:g} up")
        return float(text)

    return read


def _row(text: str) -> int:
    if not (text.isascii() and text.isdigit() and len(text) < 8):
        raise argparse.ArgumentTypeError(
            f"“{text}” is not a row number; rows are counted from 1, and 0 means no headings"
        )
    return int(text)


def files_of(args: argparse.Namespace) -> list[Path]:
    """The files named; patterns such as ``*.xlsx`` are expanded where the shell did not."""
    paths: list[Path] = []
    for name in args.files:
        path = Path(name)
        is_pattern = any(mark in path.name for mark in "*?[") and not path.exists()
        paths += (sorted(path.parent.glob(path.name)) if is_pattern else []) or [path]
    return paths


def wanted_of(args: argparse.Namespace) -> FileOptions:
    """What the user asked for about the files."""
    options = DEFAULT_OPTIONS
    if hasattr(args, "match_on"):
        options = LoadOptions(
            only=None if args.only is None else args.only.get(""),
            only_of={} if args.only is None else {name: kind for name, kind in args.only.items() if name},
            match_on=args.match_on,
            blanks=args.blanks,
            duplicates=args.duplicates,
            create=args.create,
            defaults=args.defaults,
            clash=args.clash,
            new_codes=args.new_codes,
            after_end=None if args.resume is None else "resume" if args.resume else "nothing",
            since=args.since,
            documents=DocumentOptions(args.number, args.date, args.warehouse, args.account, args.as_target),
        )
    return FileOptions(
        getattr(args, "record", None),
        args.sheet,
        args.heading_row,
        getattr(args, "map_name", None),
        args.encoding,
        options,
    )


def add_report(parser: argparse.ArgumentParser) -> None:
    """``--report``: a page about the result, in passing."""
    parser.add_argument("--report", metavar="PAGE", help="also write a page about it: .html, to print, file or send")


def report_path(args: argparse.Namespace) -> Path | None:
    """Where the page is to be written, or None.

    Raises:
        WrongUse: there is such a file already, or it does not end in .html.
    """
    return require_new_file(Path(args.report), [".html"]) if args.report is not None else None


def add_agreement(parser: argparse.ArgumentParser) -> None:
    """Who loads, why, and whether to ask first."""
    parser.add_argument("--yes", action="store_true", help="go ahead without asking")
    parser.add_argument("--who", metavar="NAME", help="who does it, for the history (default: your user name)")
    parser.add_argument("--remark", default="", metavar="TEXT", help="the reason, for the history")
