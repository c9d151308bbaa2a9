"""``kotrel count``: a physical count from freeze to posted document."""

from __future__ import annotations

import argparse
from pathlib import Path

from msgspec.structs import replace

from kotrel.core.errors import WrongUse
from kotrel.core.values.dates import read_moment
from kotrel.counting import count_screen as report
from kotrel.counting import variance_screen as variances
from kotrel.loading.opening import now, user, workspace_of
from kotrel.loading.options import add_agreement, add_report, amount_of, day, files_of, report_path, whole_from
from kotrel.screen.screen import Screen
from kotrel.workspace.settings import Workspace

EXAMPLE = """\
kotrel count freeze shed --where "warehouse is 'SHED'" --trading
    freezes what the system holds there, while the shop goes on selling
kotrel count sheets shed --split 2 --blind -o sheets
    sheets for two people, without the expected quantities
kotrel count collect shed sheets/*.xlsx
kotrel count variance shed
    what differs, worst first, and what to count again
kotrel count sheets shed --recount -o sheets
kotrel count set shed PNT-00010 --bin S-01-A --counted 12 --reason "one tin was behind the door"
kotrel count post shed --account ADJUST
    one adjustment for each warehouse; kotrel undo takes it back and opens the count again"""


def arguments(parser: argparse.ArgumentParser) -> list[argparse.ArgumentParser]:
    steps = parser.add_subparsers(dest="step", metavar="STEP", required=True)

    def step(name: str, said: str, named: bool = True) -> argparse.ArgumentParser:
        found: argparse.ArgumentParser = steps.add_parser(name, help=said, description=said[0].upper() + said[1:] + ".")
        if named:
            found.add_argument("name", metavar="NAME", help="the count")
        return found

    freeze = step("freeze", "freeze what the system holds, to be counted")
    freeze.add_argument("--where", metavar="EXPR", help="which places, like \"warehouse is 'SHED'\" (default: all)")
    mode = freeze.add_mutually_exclusive_group(required=True)
    mode.add_argument("--trading", action="store_true", help="goods keep moving while they are counted")
    mode.add_argument("--stopped", action="store_true", help="nothing moves until the count is posted")
    freeze.add_argument(
        "--class",
        dest="classes",
        default="",
        metavar="CLASSES",
        help="only items of class A, B or C by value, like A or A,B",
    )
    freeze.add_argument("--sample", type=whole_from(1), metavar="N", help="only N items, chosen at random")
    freeze.add_argument(
        "--seed", type=whole_from(0), default=1, metavar="N", help="the same seed chooses the same items (default: 1)"
    )
    freeze.add_argument(
        "--not-counted-since", type=day, metavar="DATE", help="only items that no count has posted since that day"
    )
    freeze.add_argument("--like", metavar="NAME", help="choose as that count did")
    freeze.add_argument("--with-empty", action="store_true", help="include places with zero stock")
    sheets = step("sheets", "write the sheets to count with")
    sheets.add_argument(
        "--per",
        choices=("warehouse", "bin", "category"),
        default="warehouse",
        help="one sheet for each (default: warehouse)",
    )
    sheets.add_argument(
        "--split", type=whole_from(1), default=1, metavar="N", help="split each into N parts, one for each counter"
    )
    sheets.add_argument(
        "--counters", default="", metavar="NAMES", help="a part for each counter, with the name on it, like ola,mia"
    )
    sheets.add_argument("--blind", action="store_true", help="leave out the expected quantities")
    sheets.add_argument("--text", action="store_true", help="text files instead of workbooks")
    sheets.add_argument("--recount", action="store_true", help="only what is to be counted again")
    sheets.add_argument("-o", "--output", default=".", metavar="DIR", help="the folder (default: this one)")
    collect = step("collect", "collect count sheets and scanned lists")
    collect.add_argument(
        "files", nargs="+", metavar="FILE", help="sheets that were filled in, text files, lists of a hand scanner"
    )
    collect.add_argument(
        "--counted-at",
        metavar="TIME",
        help='when lines without a time were counted: "2027-01-09 14:30", or only the day',
    )
    collect.add_argument("--warehouse", metavar="CODE", help="for rows that name none")
    collect.add_argument("--bin", metavar="CODE", help="of scanned lines")
    collect.add_argument("--counter", metavar="NAME", help="who counted, for rows that name nobody")
    collect.add_argument(
        "--blank",
        choices=("not-counted", "as-expected"),
        default="not-counted",
        help="what a blank means (default: not-counted)",
    )
    collect.add_argument("--map", dest="map_name", metavar="NAME", help="the saved mapping that reads them")
    collect.add_argument("--recount", action="store_true", help="files without Kotrel's mark are a recount")
    collect.add_argument(
        "--corrected", action="store_true", help="files that were collected before replace what they had"
    )
    collect.add_argument("--marked", action="store_true", help="write a marked copy of each sheet that has errors")
    variance = step("variance", "show what was counted against what was expected, worst first")
    post = step("post", "post the differences, one adjustment for each warehouse")
    for each in (variance, post):
        each.add_argument(
            "--second",
            choices=("recount", "add", "error"),
            default="recount",
            help="where one place was counted twice: count it again (the default), add both up, or stop",
        )
    variance.add_argument("--all", action="store_true", help="list every line")
    add_report(variance)
    add_report(post)
    variance.add_argument("-o", "--output", metavar="FILE", help="write it as a workbook, with a picture beside it")
    fix = step("set", "correct what was counted at one place, with the reason")
    fix.add_argument("item", metavar="ITEM", help="the item's code")
    for name in ("warehouse", "bin", "lot", "serial"):
        fix.add_argument(f"--{name}", metavar="CODE", help=f"its {name}, if it is in several places")
    fix.add_argument("--counted", required=True, metavar="N", help="the quantity there, in the base unit")
    fix.add_argument("--reason", required=True, metavar="TEXT", help="why")
    fix.add_argument("--counted-at", metavar="TIME", help='when it was counted, like "2027-01-09 14:30"')
    fix.add_argument("--who", metavar="NAME", help="who corrects it (default: your user name)")
    post.add_argument("--date", type=day, metavar="DATE", help="the date of the adjustments (default: today)")
    post.add_argument("--account", metavar="CODE", help="the account they are posted against (default: the system's)")
    post.add_argument(
        "--not-counted",
        choices=("open", "leave", "zero"),
        default="open",
        help="lines not counted: keep them open (the default), close them as they are, or count them as zero",
    )
    post.add_argument("-o", "--output", metavar="FILE", help="write the count's whole record as a workbook")
    add_agreement(post)
    listing = step("list", "list the counts and how far they are", named=False)
    drop = step("drop", "drop a count; nothing is posted")
    return [freeze, sheets, collect, variance, fix, post, listing, drop]


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    steps = {
        "freeze": _freeze,
        "sheets": _sheets,
        "collect": _collect,
        "variance": _variance,
        "set": _set,
        "post": _post,
        "list": _list,
        "drop": _drop,
    }
    return steps[args.step](args, screen, workspace)


def _moment(text: str | None) -> tuple[str | None, str | None]:
    """A moment of the command line → canonical text and its day; a day alone says only the day."""
    if text is None:
        return None, None
    found = read_moment(text, zoned=False)
    if found.value is None:
        raise WrongUse(f"--counted-at: “{text}” is not a time like 2027-01-09 14:30", "", "wrong-command-line")
    return (None if found.midnight else found.value), found.value[:10]


def _freeze(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.counting.freezing import CountScope, choice_of, freeze

    classes = tuple(each.strip().upper() for each in args.classes.split(",") if each.strip())
    if any(each not in ("A", "B", "C") for each in classes):
        raise WrongUse("the classes are A, B and C", "Like --class A,B", "wrong-command-line")
    choice = CountScope(args.where, classes, args.sample, args.seed, args.with_empty, args.not_counted_since)
    if args.like:
        choice = replace(choice_of(args.like, workspace), not_since=args.not_counted_since)
    report.show_frozen(screen, freeze(args.name, choice, args.trading, workspace, user(args), now()), args.trading)
    return 0


def _sheets(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.counting.count_sheets import CountSheetOptions, make_sheets

    counters = tuple(dict.fromkeys(filter(None, map(str.strip, args.counters.split(",")))))
    if counters and args.split > 1:
        raise WrongUse("--counters makes a part for each of them: leave --split out", "", "wrong-command-line")
    options = CountSheetOptions(args.per, args.split, args.blind, args.text, args.recount, counters)
    report.show_sheets(screen, args.name, make_sheets(args.name, options, Path(args.output), workspace))
    return 0


def _collect(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.counting.collecting import collect_files
    from kotrel.counting.sheet_rows import CollectOptions

    at, of_day = _moment(args.counted_at)
    options = CollectOptions(
        at,
        of_day,
        args.warehouse,
        args.bin,
        args.counter,
        args.blank == "as-expected",
        args.recount,
        args.map_name,
        args.corrected,
    )
    files = files_of(args)
    with screen.progress(len(files)) as step:
        done = collect_files(args.name, files, options, workspace, user(args), now(), step)
    return report.show_collected(screen, args.name, done, args.marked)


def _variance(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.counting.count_state import state_of
    from kotrel.sheets.safe_writing import require_new_file
    from kotrel.sheets.table_writing import ENDINGS

    if args.output:
        require_new_file(Path(args.output), ENDINGS)
    page = report_path(args)
    state = state_of(args.name, workspace, args.second)
    if args.second == "error" and (twice := [line for line in state.told if line.recount.startswith("counted twice")]):
        raise WrongUse(
            f"{twice[0].place.item} and {len(twice) - 1:,} more were counted twice",
            "--second recount or add says what to do.",
            "counted-twice",
        )
    files = variances.write_variance(state, Path(args.output)) if args.output else []
    if page is not None:
        args.reports().of_count(page, workspace, args.name)
        files.append(page)
    variances.show_variance(screen, state, state.tolerance, args.all, files)
    return 0


def _set(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.counting.correcting import Correction, correct

    what = Correction(
        args.item,
        args.warehouse,
        args.bin,
        args.lot,
        args.serial,
        amount_of(args.counted, "--counted", workspace),
        args.reason,
        _moment(args.counted_at)[0],
    )
    report.show_corrected(screen, args.name, correct(args.name, what, workspace, user(args), now()), what)
    return 0


def _post(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.counting.count_workbooks import count_record_book
    from kotrel.counting.posting import Posting, PostingOptions, post_count
    from kotrel.sheets.safe_writing import require_new_file
    from kotrel.sheets.table_writing import ENDINGS, write_book

    if args.output:
        require_new_file(Path(args.output), ENDINGS)
    page = report_path(args)
    if not args.yes and (screen.as_json or not screen.is_terminal):
        raise WrongUse(
            "count post asks before it changes anything, and there is no terminal to ask on",
            "Add --yes to post without asking.",
            "needs-yes",
        )

    def agree(planned: Posting) -> bool:
        report.show_posting(screen, planned)
        return screen.ask("Post this?")

    options = PostingOptions(args.date, args.account, args.not_counted, args.second, args.remark)
    with screen.progress(4 if args.yes else 0) as step:
        done = post_count(args.name, options, workspace, user(args), now(), step, None if args.yes else agree)
    if args.output:
        write_book(count_record_book(args.name, workspace), Path(args.output))
    if page is not None:
        args.reports().of_count(page, workspace, args.name)
        if not screen.as_json:
            screen.show(f"Written: {page}")
    return report.show_posted(screen, args.name, done, args.output)


def _list(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.counting.correcting import all_counts

    report.show_counts(screen, all_counts(workspace))
    return 0


def _drop(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    from kotrel.counting.count_files import drop_count

    aside = drop_count(workspace.hidden, args.name)
    if screen.as_json:
        screen.json({"count": args.name, "dropped": str(aside)})
    else:
        screen.show(f"The count {args.name} is put aside: {aside}. What it posted stays posted.")
    return 0
