"""``kotrel load``: loads sheets, all or nothing."""

from __future__ import annotations

import argparse

from kotrel.core.changes.journal import Entry, load_name
from kotrel.core.errors import WrongUse
from kotrel.core.loading.load_model import Preview
from kotrel.core.phrases import count, listed
from kotrel.loading.loads.execution import Loaded, LoadRequest, load_files
from kotrel.loading.loads.history import show_notes, when
from kotrel.loading.loads.preview_screen import nothing_to_do, show_altered, show_loaded_counts, show_preview
from kotrel.loading.opening import now, user, workspace_of
from kotrel.loading.options import add_agreement, add_files, add_report, files_of, report_path, wanted_of
from kotrel.loading.sheets_in.findings_screen import checked_json
from kotrel.loading.sheets_in.next_steps import good_rows_step, next_steps, show_steps
from kotrel.screen.screen import Screen
from kotrel.systems.interface import Receipt


def show_receipt(screen: Screen, loaded: Loaded, args: argparse.Namespace) -> None:
    """A trial, or a load that was sent: what it is, where its files are, and what to do next.

    Args:
        args: the command line.
    """
    receipt = loaded.receipt
    assert receipt is not None
    files = [f"  {file}" for file in receipt.files]
    if loaded.status == "tried":
        screen.show("The files for a trial are written:" if files else "The system would accept this:")
    else:
        name = load_name(loaded.number) if loaded.number else receipt.reference
        screen.show(f"Sent as {name}; the system has not answered yet:")
    show_loaded_counts(screen, loaded.preview.counts())
    show_altered(screen, receipt.altered, {each.record.name: each.record for each in loaded.preview.changes}, args.all)
    for file in files:
        screen.show(file)
    for record, codes in loaded.preview.creates().items():
        verb = "Would be created" if loaded.status == "tried" else "Created with it"
        screen.show(f"{verb}: {record} {listed(codes, 12)}")
    show_notes(screen, loaded.preview.notes)
    for path, number in loaded.rest:
        screen.show(
            f"Not sent: {count(number, 'row')}, written to {path} with the reasons. Fix them there, then load that file."
        )
    for remark in receipt.remarks:
        screen.show(remark)
    _show_next(screen, loaded, receipt, args)


def _show_next(screen: Screen, loaded: Loaded, receipt: Receipt, args: argparse.Namespace) -> None:
    """What to do after a trial, or after a load was sent."""
    name = load_name(loaded.number) if loaded.number else receipt.reference
    if loaded.status == "tried" and receipt.files:
        screen.show("Nothing was sent.")
        screen.show(
            f"Next: {screen.program} outcome {receipt.reference} --wait    shows what the program says about each row (or --result FILE)\n"
            f"      {screen.again(args, 'load')}"
        )
    elif loaded.status == "tried":
        screen.show(f"Trial only: nothing was saved. Next: {screen.again(args, 'load')}")
    elif receipt.files:
        screen.show(
            f"Next: {screen.program} outcome {name} --result RESULT    reads what the program says about each row (--wait looks for it)\n"
            f"      {screen.program} verify {name}    once the program has exported its lists again"
        )
    else:
        screen.show(f"Next: {screen.program} outcome {name} --wait")


EXAMPLE = """\
kotrel load new-items.xlsx
    shows what would change, asks, then loads all of it or none
kotrel load new-items.xlsx --yes --remark "Keldrift range 27"
    loads without asking, with a reason for the history
kotrel load new-items.xlsx --create vendor,brand --good-rows
    adds new vendors and brands, loads the good rows and writes the rest to a file
kotrel load new-items.xlsx --trial
    the system itself checks it by its own rules; nothing is saved"""


def arguments(parser: argparse.ArgumentParser) -> None:
    add_files(parser)
    add_agreement(parser)
    parser.add_argument(
        "--good-rows", action="store_true", help="load the good rows; the others go to FILE.rest.xlsx, with the reasons"
    )
    parser.add_argument(
        "--again", action="store_true", help="load the same content again, although it has been loaded before"
    )
    parser.add_argument(
        "--trial", action="store_true", help="let the system itself check it by its own rules; nothing is saved"
    )
    parser.add_argument(
        "--no-wait",
        action="store_true",
        help="do not wait for the system to finish",
    )
    parser.add_argument("--all", action="store_true", help="list every new row and every change")
    add_report(parser)


def _require_a_way_to_ask(args: argparse.Namespace, screen: Screen) -> None:
    if not args.yes and not args.trial and (screen.as_json or not screen.is_terminal):
        raise WrongUse(
            "load asks before it changes anything, and there is no terminal to ask on",
            "Add --yes to load without asking.",
            "needs-yes",
        )


def run(args: argparse.Namespace, screen: Screen) -> int:
    files = files_of(args)
    report = report_path(args)
    workspace = workspace_of(args, screen)
    _require_a_way_to_ask(args, screen)

    def agree(preview: Preview) -> bool:
        show_preview(screen, preview, args.all)
        screen.show("")
        bad = sum(counts.get("refused", 0) for counts in preview.counts().values())
        return screen.ask(f"Load this without the {count(bad, 'refused row')}?" if bad else "Load this?")

    order = LoadRequest(
        tuple(files),
        wanted_of(args),
        user(args),
        args.remark,
        now(),
        args.good_rows,
        args.again,
        args.trial,
        not args.no_wait,
    )
    if args.yes or args.trial:
        with screen.progress(7 * len(files)) as step:
            loaded = load_files(order, workspace, step)
    else:
        # No progress bar: it would overwrite the question.
        loaded = load_files(order, workspace, lambda title: None, agree)
    if report is not None and loaded.number:
        args.reports().of_load(report, workspace, loaded.number, loaded.preview)
    elif report is not None and loaded.status == "refused":
        args.reports().of_sheets(report, loaded.preview.checked)
    if screen.as_json:
        screen.json(_json(loaded))
    else:
        _show(loaded, args, screen)
        if report is not None and report.exists():
            screen.show(f"Written: {report}")
    return 1 if loaded.status == "refused" else 0


def _json(loaded: Loaded) -> dict[str, object]:
    result: dict[str, object] = {
        "load": load_name(loaded.number) if loaded.number else None,
        "status": loaded.status,
        **checked_json(loaded.preview.checked),
        "records": loaded.preview.counts(),
        "creates": loaded.preview.creates(),
        "rest": [str(path) for path, _ in loaded.rest],
        "altered": [
            {"record": each.record, "key": each.key, "field": each.field, "sent": each.sent, "stored": each.stored}
            for each in loaded.altered
        ],
    }
    if loaded.receipt is not None:
        result["reference"] = loaded.receipt.reference or None
        result["sent_files"] = list(loaded.receipt.files)
    if loaded.preview.before is not None:
        result["loaded_before"] = loaded.preview.before.name
    return result


def _show(loaded: Loaded, args: argparse.Namespace, screen: Screen) -> None:
    if loaded.status == "loaded":
        _show_loaded(loaded, args, screen)
    elif loaded.status in ("sent", "tried"):
        show_receipt(screen, loaded, args)
    elif loaded.preview.before is not None:
        _show_loaded_before(loaded.preview, loaded.preview.before, args, screen)
    elif loaded.status == "nothing to do":
        screen.show(nothing_to_do(loaded.preview))
    elif loaded.status == "refused":
        _show_refused(loaded, args, screen)
    else:
        screen.show("Nothing was loaded.")


def _show_loaded(loaded: Loaded, args: argparse.Namespace, screen: Screen) -> None:
    name = load_name(loaded.number or 0)
    screen.show(f"Loaded as {name}:")
    show_loaded_counts(screen, loaded.preview.counts())
    show_altered(screen, loaded.altered, {each.record.name: each.record for each in loaded.preview.changes}, args.all)
    for record, codes in loaded.preview.creates().items():
        screen.show(f"Created: {record} {', '.join(codes)}")
    show_notes(screen, loaded.preview.notes)
    for path, number in loaded.rest:
        screen.show(
            f"Not loaded: {count(number, 'row')}, written to {path} with the reasons. Fix them there, then load that file."
        )
    screen.show(f"Next: {screen.program} outcome {name}    shows each row")
    screen.show(f"      {screen.program} undo {name}    takes it back")


def _show_loaded_before(preview: Preview, before: Entry, args: argparse.Namespace, screen: Screen) -> None:
    verb = "sent" if before.waiting else "loaded"
    screen.show(
        f"Nothing to do: the same content was already {verb} as {before.name}, by {before.who}, {when(before.at)}."
    )
    if any(each.record.nature == "document" for each in preview.changes):
        step = "Documents are posted once. To post the same once more, give them other numbers (--number)."
    elif before.waiting:
        step = f"{screen.program} outcome {before.name}    shows whether it is answered"
    else:
        step = f"{screen.again(args, 'load', '--again')}    loads it again, over anything that has changed since"
    screen.show(f"      {step}")


def _show_refused(loaded: Loaded, args: argparse.Namespace, screen: Screen) -> None:
    show_preview(screen, loaded.preview, args.all)
    screen.show("")
    done = "The system would refuse this; nothing was loaded" if args.trial else "Nothing was loaded"
    screen.show(f"{done}.")
    show_steps(screen, next_steps(loaded.preview.checked, [], args, screen))
    if loaded.number is not None:
        name = load_name(loaded.number)
        screen.show(
            f"      {screen.program} outcome {name}    shows what the system said; --rest FILE writes those rows to a file"
        )
    for words in good_rows_step(loaded.preview, args, screen):
        screen.show(f"      {words}")
