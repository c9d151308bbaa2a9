"""``kotrel report``: one page to print, file or send."""

from __future__ import annotations

import argparse
import re
from collections.abc import Sequence
from datetime import date
from pathlib import Path

from kotrel.core.changes.journal import load_number
from kotrel.core.errors import WrongUse
from kotrel.core.phrases import listed_and
from kotrel.counting.count_files import count_names
from kotrel.loading.opening import now, workspace_of
from kotrel.loading.options import add_reading, day, wanted_of
from kotrel.reporting import writing
from kotrel.reporting.page import Page, write_page
from kotrel.reporting.pdf import write_pdf
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import free_name, require_new_file
from kotrel.workspace.settings import Workspace, made_file_name

EXAMPLE = """\
kotrel report L0001
    what a load did, and what became of it since, as L0001.html
kotrel report shed -o count-of-the-shed.html --pdf
    the record of a count, as a page and as a PDF
kotrel report keldrift.xlsx --for supplier
    what is wrong with a sheet, to be sent to whoever made it, with a workbook of the rows to correct
kotrel report --since 2026-11-01
    all loads since that day, and what is still open"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "what",
        nargs="*",
        metavar="WHAT",
        help="a load, a count, or spreadsheets; a file of that name comes first, then a load",
    )
    parser.add_argument(
        "-o", "--output", metavar="PAGE", help="the page to write: .html (default: named after what it is about)"
    )
    parser.add_argument("--load", action="store_true", help="WHAT is a load")
    parser.add_argument("--count", action="store_true", help="WHAT is a count")
    parser.add_argument(
        "--for",
        dest="reader",
        choices=("us", "supplier"),
        default="us",
        help="of a spreadsheet: for ourselves (the default), or for the supplier, without any value of ours",
    )
    parser.add_argument("--since", type=day, metavar="DATE", help="all loads since that day, like 2026-11-01")
    parser.add_argument("--until", type=day, metavar="DATE", help="with --since: the last day")
    parser.add_argument("--pdf", action="store_true", help="also a PDF, by a browser on this computer")
    add_reading(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    kind = _kind(args, workspace)
    path = _path(args, kind)
    with screen.progress(4) as step:
        step("writing the page")
        page = _write(kind, path, args, workspace)
        pdf = path.with_suffix(".pdf") if args.pdf else None
        if pdf is not None:
            step("printing it")
            write_pdf(path, pdf)
    files = [str(path), *([str(pdf)] if pdf else []), *([str(path.with_name(page.rest))] if page.rest else [])]
    if screen.as_json:
        screen.json({"about": kind, "title": page.title, "lead": page.lead, "files": files})
    else:
        screen.show(page.lead)
        for file in files:
            screen.show(f"Written: {file}")
    return 1 if kind == "sheet" and page.tone == "bad" else 0


def _require_one_subject(args: argparse.Namespace) -> None:
    wrong: tuple[str, str] | None = None
    if args.since is not None and (args.what or args.load or args.count):
        wrong = "--since is about all loads of a period", "Leave out the load, the count or the file."
    elif args.since is None and args.until is not None:
        wrong = "--until needs --since", "Name the first day, too."
    elif args.since is None and not args.what:
        wrong = "say what the page is about", "A load such as L0001, a count, a spreadsheet, or --since DATE."
    elif args.load and args.count:
        wrong = "use only one of --load and --count", ""
    if wrong is not None:
        raise WrongUse(*wrong, "wrong-command-line")


def _missing_file(names: Sequence[str]) -> str | None:
    return next((each for each in names if not Path(each).is_file()), None)


def _kind(args: argparse.Namespace, workspace: Workspace) -> str:
    """What the page is about: ``period``, ``sheet``, ``load`` or ``count``.

    Raises:
        WrongUse: it is nothing, or more than one thing.
    """
    _require_one_subject(args)
    if args.since is not None:
        return "period"
    one = args.what[0]
    missing = _missing_file(args.what)
    if missing is None and not (args.load or args.count):
        return "sheet"
    if len(args.what) > 1 and missing is not None:
        raise WrongUse(
            f"there is no file {missing}",
            "A page is about spreadsheets, or about one load or one count.",
            "no-such-file",
        )
    if args.load or (not args.count and re.fullmatch(r"[Ll]?\d+", one)):
        return "load"
    counts = count_names(workspace.hidden)
    if args.count or one in counts:
        return "count"
    hint = f"The counts are {listed_and(counts)}; " if counts else ""
    raise WrongUse(
        f"“{one}” is no file, no load and no count", f"{hint}kotrel history lists the loads.", "nothing-to-report"
    )


def _path(args: argparse.Namespace, kind: str) -> Path:
    if args.output is not None:
        return require_new_file(Path(args.output), [".html"])
    name = {
        "period": f"loads-{args.since}",
        "load": f"L{load_number(args.what[0]):04d}" if kind == "load" else "",
        "count": f"count-{args.what[0]}" if args.what else "",
        "sheet": f"{Path(args.what[0]).stem}.report" if args.what else "",
    }[kind]
    return free_name(Path(f"{made_file_name(name, 'report')}.html"))


def _write(kind: str, path: Path, args: argparse.Namespace, workspace: Workspace) -> Page:
    if kind == "load":
        return writing.of_load(path, workspace, load_number(args.what[0]))
    if kind == "count":
        return writing.of_count(path, workspace, args.what[0])
    if kind == "period":
        from kotrel.reporting.period_page import period_page

        page = period_page(
            workspace, date.fromisoformat(args.since), date.fromisoformat(args.until) if args.until else None
        )
        write_page(page, path, now())
        return page
    from kotrel.loading.sheets_in.large_files import check_any

    checked = check_any(
        [Path(each) for each in args.what], workspace, wanted_of(args), now().date(), lambda title: None
    )
    return writing.of_sheets(path, checked, args.reader == "supplier")
