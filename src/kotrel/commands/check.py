"""``kotrel check``: finds everything that is wrong."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import add_files, as_typed, files_of, named, now, wanted_of, workspace_of
from kotrel.commands._watching import watch
from kotrel.core.errors import WrongUse
from kotrel.core.parts import Checked
from kotrel.core.rows.rows import Rows
from kotrel.core.values.yes_no import read_yes_no
from kotrel.reports.findings import checked_json, show_checked, show_created
from kotrel.reports.screen import Screen
from kotrel.sheets.marking import Marked, mark, marked_name
from kotrel.sheets.safe_writing import require_new_file
from kotrel.stages.spellings import Question, learn
from kotrel.stages.streaming import check_any

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
    parser.add_argument(
        "--learn", action="store_true", help="ask what each unknown value means, and remember the answer"
    )
    parser.add_argument(
        "--watch", action="store_true", help="check again whenever a file is saved, until stopped with Ctrl-C"
    )
    parser.add_argument("--repairs", action="store_true", help="show every repair, with its proof")


def run(args: argparse.Namespace, screen: Screen) -> int:
    if not args.watch:
        return _once(args, screen)
    if screen.as_json or args.learn or args.marked is not None:
        raise WrongUse(
            "--watch goes with none of --json, --learn and --marked", "Leave one of them out.", "wrong-command-line"
        )
    files = files_of(args)
    if Path("-") in files:
        raise WrongUse(
            "--watch needs a file that is saved again; - is read once",
            "Name a file, or leave out --watch.",
            "wrong-command-line",
        )
    return watch(files, lambda: _once(args, screen), screen)


def _once(args: argparse.Namespace, screen: Screen) -> int:
    files = files_of(args)
    workspace = workspace_of(args)
    with screen.progress(4 * len(files)) as step:
        checked = check_any(files, workspace, wanted_of(args), now().date(), step)
    ok = all(each.ok for each in checked)
    marked = _mark_all(checked, args.marked) if args.marked is not None else []
    if screen.as_json:
        parts = [checked_json(each) for each in checked]
        for part, copy in zip(parts, marked, strict=False):
            part["marked"] = str(copy.path)
        screen.json(parts[0] if len(parts) == 1 else {"ok": ok, "files": parts})
        return 0 if ok else 1
    for place, each in enumerate(one for one in checked if not one.says_nothing):
        if place:
            screen.show("")
        if each.consequence is not None and each.ok:
            show_created(screen, each)
        else:
            show_checked(screen, each, args.all, args.repairs)
    names = as_typed(args)
    screen.show("")
    for copy in marked:
        for remark in copy.remarks:
            screen.show(f"{remark[0].upper()}{remark[1:]}.")
        screen.show(f"Marked copy: {copy.path}")
    if args.learn:
        learned = learn(checked, workspace, lambda question: _ask(question, screen))
        count = sum(map(len, learned.values()))
        screen.show(
            f"Learned {count} spelling{'s' if count != 1 else ''}, saved in kotrel.toml."
            if count
            else "No spellings learned."
        )
    if not ok and marked:
        screen.show(
            f"Next: fix the coloured cells there, save it, then: kotrel check {named(copy.path for copy in marked)}"
        )
    elif ok:
        screen.show(f"Next: kotrel preview {names}")
    else:
        screen.show(f"Next: fix these cells in the spreadsheet, save it, then: kotrel check {names}")
        screen.show(f"      kotrel check {names} --marked    marks them in a copy of the workbook")
    return 0 if ok else 1


def _ask(question: Question, screen: Screen) -> str | None:
    """Asks what a value means; yes accepts the likely code, and a blank answer skips it."""
    likely = question.likely
    name = question.names.names.get(likely or "")
    offer = f" Is it {likely}{f' ({name})' if name else ''}?" if likely else ""
    said = screen.answer(
        f"{question.field}: “{question.value}” is not on the list.{offer} [y, a code, or Enter to skip] "
    )
    if read_yes_no(said) == "yes":
        return likely
    return said or None


def _endings(source: Path) -> list[str]:
    """What a marked copy may be called: a workbook with macros stays one."""
    return [".xlsm" if source.suffix.lower() == ".xlsm" else ".xlsx"]


def _mark_all(checked: list[Checked], named: str) -> list[Marked]:
    """Writes a marked copy of each file; where several records come out of one sheet, it has the marks of all."""
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
