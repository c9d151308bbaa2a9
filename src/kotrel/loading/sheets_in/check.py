"""``kotrel check``: finds everything that is wrong."""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from kotrel.core.errors import KotrelError, OutOfReach, WrongUse
from kotrel.core.loading.load_model import Checked
from kotrel.core.phrases import count, listed
from kotrel.core.rows.rows import Rows
from kotrel.core.values.measures import one_is
from kotrel.core.values.yes_no import read_yes_no
from kotrel.loading.opening import now, workspace_of
from kotrel.loading.options import add_files, add_report, files_of, report_path, wanted_of
from kotrel.loading.sheets_in.findings_screen import checked_json, show_checked, show_created
from kotrel.loading.sheets_in.large_files import check_any, is_large
from kotrel.loading.sheets_in.next_steps import next_steps, show_steps
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import require_new_file

if TYPE_CHECKING:
    from kotrel.loading.sheets_in.spellings import SpellingQuestion
    from kotrel.sheets.marking import Marked

WATCH_EVERY = 0.5
"""Seconds between two looks at a watched file."""
UNFINISHED = 130
"""The exit status when a check is stopped before it has an answer, as for every command."""


def watch(files: Sequence[Path], once: Callable[[], int], screen: Screen) -> int:
    """Checks now, and again after each save of any of the files.

    Args:
        files: the files to watch.
        once: one check of all of them; returns its exit status.
        screen: where the checks are shown.

    Returns:
        the exit status of the last check; 130 if it was stopped in the middle, since the sheet that an earlier
        answer was about has been saved over.

    Raises:
        KotrelError: the first check cannot be made at all.
    """
    status, seen, told, again = UNFINISHED, None, "", False
    try:
        while True:
            stands = [_saved(path) for path in files]
            if again or stands != seen:
                if stands != seen:
                    screen.show(f"── {now():%H:%M:%S}")
                first, seen, status, again = seen is None, stands, UNFINISHED, False
                try:
                    status, told = once(), ""
                    screen.show(f"Watching {listed([path.name for path in files])}. Ctrl-C stops.")
                except KotrelError as error:
                    if first:
                        raise
                    # While a workbook is being saved, it may be locked, half there or gone: that is said once, and
                    # one that cannot be reached is tried again, because its next save may have been before this look.
                    status, again = error.status, isinstance(error, OutOfReach)
                    if told != error.message:
                        screen.show(error.message, *filter(None, [error.hint]))
                        told = error.message
            time.sleep(WATCH_EVERY)
    except KeyboardInterrupt:
        return status


def _saved(path: Path) -> tuple[int, int] | None:
    """When a file was saved, and its size; None while it is not there."""
    try:
        about = path.stat()
        return about.st_mtime_ns, about.st_size
    except OSError:
        return None


EXAMPLE = """\
kotrel check new-items.xlsx
    finds everything that is wrong, worst first, with a few examples of each kind
kotrel check new-items.xlsx --all
    lists every finding
kotrel check new-items.xlsx --marked
    also writes new-items.marked.xlsx: a copy of your workbook with the bad cells coloured and commented"""


def arguments(parser: argparse.ArgumentParser) -> None:
    add_files(parser)
    parser.add_argument("--all", action="store_true", help="list every finding, not just a few examples of each kind")
    parser.add_argument(
        "--marked",
        nargs="?",
        const="",
        metavar="FILE",
        help="write a marked copy (default: FILE.marked.xlsx beside the file)",
    )
    parser.add_argument("--ask", action="store_true", help="ask what each unknown value means, and remember the answer")
    parser.add_argument(
        "--watch", action="store_true", help="check again whenever a file is saved, until stopped with Ctrl-C"
    )
    parser.add_argument("--repairs", action="store_true", help="show every repair, with its proof")
    add_report(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    if not args.watch:
        return _check_once(args, screen)
    if screen.as_json or args.ask or args.marked is not None or args.report is not None:
        raise WrongUse(
            "--watch cannot be used with --json, --ask, --marked or --report",
            "Leave one of them out.",
            "wrong-command-line",
        )
    files = files_of(args)
    if Path("-") in files:
        raise WrongUse(
            "--watch needs a file that is saved again; - is read once",
            "Name a file, or leave out --watch.",
            "wrong-command-line",
        )
    return watch(files, lambda: _check_once(args, screen), screen)


def _check_once(args: argparse.Namespace, screen: Screen) -> int:
    files = files_of(args)
    report = report_path(args)
    workspace = workspace_of(args, screen)
    with screen.progress(4 * len(files)) as step:
        checked = check_any(files, workspace, wanted_of(args), now().date(), step)
    ok = all(each.ok for each in checked)
    marked = _mark_all(checked, args.marked) if args.marked is not None else []
    if report is not None:
        args.reports().of_sheets(report, checked)
    if screen.as_json:
        screen.json({**checked_json(checked), "marked": [str(copy.path) for copy in marked]})
        return 0 if ok else 1
    _show(screen, checked, marked, args)
    if report is not None:
        screen.show(f"Written: {report}")
    if args.ask:
        from kotrel.loading.sheets_in.spellings import learn

        learned = learn(checked, workspace, lambda question: _ask(question, screen))
        spellings = sum(map(len, learned.values()))
        screen.show(
            f"Learned {count(spellings, 'spelling')}, saved in kotrel.toml." if spellings else "No spellings learned."
        )
    if ok:
        screen.show(f"Next: {_preview_step(args, screen)}")
    else:
        show_steps(screen, next_steps(checked, marked, args, screen))
    return 0 if ok else 1


def _preview_step(args: argparse.Namespace, screen: Screen) -> str:
    """The next step of a sheet without errors; a preview reads at once what this has read in parts."""
    again = screen.again(args, "preview")
    files = files_of(args)
    if len(files) != 1 or not is_large(files[0]):
        return again
    from kotrel.sheets.room import in_gb, most_at_once, needed_at_once

    size, most = files[0].stat().st_size, most_at_once()
    if most is not None and size > most:
        parts = f"split it into files of at most {in_gb(most)}, as a preview reads a file at once"
        return f"{parts}; then, for each: {screen.program} preview FILE"
    return f"{again}    reads it at once, which takes about {in_gb(needed_at_once(size))} of memory"


def _show(screen: Screen, checked: Sequence[Checked], marked: Sequence[Marked], args: argparse.Namespace) -> None:
    for number, part in enumerate(one for one in checked if not one.says_nothing):
        if number:
            screen.show("")
        if part.consequence is not None and part.ok:
            show_created(screen, part)
        else:
            show_checked(screen, part, args.all, args.repairs, listed_by="" if args.repairs else "--repairs lists them")
    screen.show("")
    for copy in marked:
        for remark in copy.remarks:
            screen.show(f"{remark[0].upper()}{remark[1:]}.")
        screen.show(f"Marked copy: {copy.path}")


def _ask(question: SpellingQuestion, screen: Screen) -> str | None:
    """Asks what a value means until the answer can be used; blank skips it, None stops."""
    from kotrel.loading.sheets_in.spellings import listed_codes, not_listed

    likely, known = question.likely, question.names
    name = known.names.get(likely or "")
    about = f"“{question.value}” ({count(question.rows, 'row')}) is not a known {known.record.title.lower()}."
    asked = (
        f"{about} Did you mean {likely}{f' ({name})' if name else ''}? [y / another code / ? / Enter = skip / q = stop] "
        if likely
        else f"{about} Type its code, ? to list codes, Enter to skip, q to stop: "
    )
    while True:
        said = screen.answer(asked)
        if said is None or said == "q":
            return None
        if said == "?":
            screen.show(listed_codes(known))
            continue
        code = likely if likely and read_yes_no(said) == "yes" else known.code_of(said) or "" if said else ""
        if code == "" and said:
            screen.show(not_listed(known, said))
        elif (number := one_is(question.value, code)) not in (None, 1):
            screen.show(
                f"1 {question.value} is {number:f} {code}: it is another unit, and no other spelling. Convert the figures "
                "in the sheet or in a mapping; Enter skips it"
            )
        else:
            return code


def _endings(source: Path) -> list[str]:
    """What a marked copy may be called: a workbook with macros stays one."""
    return [".xlsm" if source.suffix.lower() == ".xlsm" else ".xlsx"]


def _mark_all(checked: list[Checked], named: str) -> list[Marked]:
    """Writes a marked copy of each file; where several records come out of one sheet, it has the marks of all."""
    from kotrel.sheets.marking import mark, marked_name

    files: dict[str, dict[str, Rows]] = {}
    # What has no cells of its own (values that are added to a list) is marked at the rows that cause it.
    for each in sorted(checked, key=lambda one: (one.consequence is not None, one.rows.once)):
        sheets = files.setdefault(each.rows.table.file, {})
        sheet = each.rows.table.sheet
        sheets[sheet] = sheets[sheet].with_findings(each.rows.findings) if sheet in sheets else each.rows
    return [
        mark(
            list(sheets.values()),
            require_new_file(Path(named), _endings(Path(file))) if named else marked_name(Path(file)),
        )
        for file, sheets in files.items()
    ]
