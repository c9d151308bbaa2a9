"""``kotrel outcome``: shows one load, row by row."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import now, number_from, workspace_of
from kotrel.core.changes.journal import load_name
from kotrel.core.changes.outcome_page import page_of
from kotrel.core.errors import WrongUse
from kotrel.core.parts import Checked
from kotrel.reports.answers import show_answered
from kotrel.reports.findings import checked_json
from kotrel.reports.histories import ROWS_SHOWN, outcome_json, show_outcome
from kotrel.reports.phrases import count as counted
from kotrel.reports.screen import Screen
from kotrel.stages.answers import Answered, Asking, take_answer, take_answers, waits
from kotrel.stages.past_loads import write_before, write_rest_of
from kotrel.stages.sent_jobs import JobState, job_load
from kotrel.stages.undoing import load_number
from kotrel.systems.folder.system import FolderSystem
from kotrel.systems.interface import System
from kotrel.workspace.settings import Workspace

EXAMPLE = """\
kotrel outcome L0001
    what happened to each row of that load, and why
kotrel outcome L0001 --before before.xlsx
    also writes the rows it changed, as they were before
kotrel outcome L0001 --from result.csv
    first takes in what the program says of each row, from the file that it wrote
kotrel outcome L0001 --rest fix-these.xlsx
    also writes the rows it refused, to be fixed"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("load", metavar="LOAD", help="the load's number from kotrel history, for example L0001")
    parser.add_argument(
        "--from",
        dest="result",
        metavar="FILE",
        nargs="+",
        help="of a program that takes files: take in its result files first",
    )
    parser.add_argument("--map", dest="map_name", metavar="NAME", help="the saved match that reads the result file")
    parser.add_argument(
        "--only-refused", action="store_true", help="the result file lists only refused rows: all others were taken"
    )
    parser.add_argument("--wait", action="store_true", help="wait until the system has answered")
    parser.add_argument(
        "--seconds", type=number_from(0), default=600, metavar="N", help="with --wait: so long at most (default: 600)"
    )
    parser.add_argument("--all", action="store_true", help="list every row")
    parser.add_argument("--rest", metavar="FILE", help="write the refused rows to a file, with the reasons")
    parser.add_argument(
        "--before", metavar="FILE", help="write the rows that it changed or removed to a file, as they were before"
    )


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    job = job_load(args.load, args.seconds if args.wait else 0.0, workspace)
    if job is not None and job.number is None:
        return _show_job(job, screen)
    number = load_number(args.load) if job is None or job.number is None else job.number
    system = workspace.system()
    if not isinstance(system, FolderSystem) and (args.result or args.only_refused or args.map_name):
        option = "--from" if args.result else "--only-refused" if args.only_refused else "--map"
        raise WrongUse(
            f"{option} is for a program that only takes files: this system says itself what became of each row",
            f"kotrel outcome {args.load} shows it.",
            "wrong-command-line",
        )
    if isinstance(system, FolderSystem) and (args.wait or args.result or _may_be_answered(system, number, workspace)):
        answered = _answer(number, args, workspace, screen)
        if answered is None or not all(each.ok for each in answered):
            return 1
    rows = system.outcome(number) if screen.as_json or args.all else None
    page = system.outcome_page(number, ROWS_SHOWN) if rows is None else page_of(rows, None)
    entry = next(each for each in system.history() if each.number == number)
    written = _write(system, number, args, workspace)
    if rows is not None and screen.as_json:
        screen.json({**outcome_json(entry, rows), **{what: str(path) for what, (path, _) in written.items()}})
        return 0
    show_outcome(screen, entry, page, args.all)
    for path, said in written.values():
        screen.show(f"Written: {path} ({said})")
    return 0


def _show_job(job: JobState, screen: Screen) -> int:
    """A job that has become no load: not yet, or not at all."""
    if screen.as_json:
        screen.json(
            {
                "job": job.reference,
                "status": job.status,
                "load": None,
                "message": job.message or None,
                "rows": job.refusals,
            }
        )
    else:
        screen.show(f"{job.reference} · {job.status}" + (f": {job.message}" if job.message else ""))
        for each in job.refusals[:20]:
            screen.show(f"  {each['record']} {each['key']}: {each['message']}")
        if job.status in ("received", "working"):
            screen.show(f"Next: kotrel outcome {job.reference} --wait")
    return 0 if job.status in ("received", "working", "tried") else 1


def _may_be_answered(system: System, number: int, workspace: Workspace) -> bool:
    """It was sent, and the program's result may be there by now."""
    waits = any(each.number == number and each.waiting for each in system.history())
    return waits and bool(workspace.files_only.results)


def _answer(number: int, args: argparse.Namespace, workspace: Workspace, screen: Screen) -> list[Answered] | None:
    """Takes in the program's results, once they are there; None where they do not come."""
    name = args.map_name or workspace.files_only.result_map or None
    asking = Asking(number, name, args.only_refused, args.seconds if args.wait else 0.0)
    if args.result:
        found = [take_answer([Path(each) for each in args.result], asking, workspace, now())]
    else:
        found = take_answers(asking, workspace, now)
    for answered in found:
        if not screen.as_json:
            show_answered(screen, answered)
        elif not answered.ok:
            parts = [checked_json(Checked(rows)) for rows in answered.answers.sheets]
            shown = parts[0] if len(parts) == 1 else {"ok": False, "files": parts}
            screen.json({"load": load_name(number), "status": answered.entry.status, **shown})
    last = found[-1] if found else None
    if last is None or not last.ok or not last.entry.waiting:
        if last is None and args.wait and waits(number, workspace):
            if screen.as_json:
                screen.json({"load": load_name(number), "status": "sent", "rows": []})
            else:
                screen.show(f"{load_name(number)} is not answered yet. Next: kotrel outcome {load_name(number)} --wait")
            return None
        if last is None and args.only_refused and not screen.as_json and waits(number, workspace):
            screen.show(
                "What was refused counts only once each file that went out has its result: --wait waits for them."
            )
        return found
    if last.files > 1 and not screen.as_json:
        read = len({path for each in found for path in each.paths})
        screen.show(
            "Its results say nothing of some rows. Where they list only what was refused, say so: --only-refused"
            if read >= last.files
            else f"It went out in {last.files} files, of which {read} {'is' if read == 1 else 'are'} answered. "
            f"Next: kotrel outcome {load_name(number)} --wait"
        )
    return found


def _write(system: System, number: int, args: argparse.Namespace, workspace: Workspace) -> dict[str, tuple[Path, str]]:
    """The files asked for: the option, the file, and what is in it."""
    written: dict[str, tuple[Path, str]] = {}
    if args.rest is not None:
        count = write_rest_of(system, number, Path(args.rest), workspace.hidden)
        written["rest"] = (Path(args.rest), f"{counted(count, 'refused row')} with the reasons")
    if args.before is not None:
        counts = write_before(system, number, Path(args.before))
        said = ", ".join(f"{count:,} {record}" for record, count in counts.items())
        written["before"] = (Path(args.before), f"the rows as they were before: {said}")
    return written
