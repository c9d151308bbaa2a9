"""What a system that answers later adds to the commands on loads: see :class:`kotrel.loading.opening.Exchange`."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

from kotrel.core.changes.journal import load_name, load_number
from kotrel.core.errors import WrongUse
from kotrel.core.loading.load_model import Checked
from kotrel.core.phrases import count, listed_and
from kotrel.exchange.answers import Answered, Asking, show_answered, take_answer, take_answers, take_proof, waits
from kotrel.exchange.folder_lists import folder_of, refresh
from kotrel.exchange.sent_jobs import JobState, job_load
from kotrel.exchange.trial_answers import show_trial
from kotrel.loading.opening import now
from kotrel.loading.sheets_in.findings_screen import checked_json
from kotrel.screen.command_lines import as_seen, quoted
from kotrel.screen.screen import Screen
from kotrel.systems.folder.folder_system import FolderSystem
from kotrel.systems.folder.mirror import GivenOut
from kotrel.systems.folder.trials import NAME as TRIAL
from kotrel.systems.interface import System
from kotrel.workspace.settings import Workspace

__all__ = ["answers_first", "list_remarks", "take_proof"]


def list_remarks(workspace: Workspace, today: datetime, comparing: bool) -> list[str]:
    """Reads what a program exported, if it has changed: which lists are old or not used, and what is sent and not
    answered.

    Args:
        comparing: the command compares with what the system holds, or hands it out.
    """
    lists = refresh(workspace, today)
    remarks = [
        f"{entry.name} was sent and is not answered yet: Kotrel assumes that its rows were accepted"
        for entry in (workspace.system().history() if comparing else ())
        if entry.waiting
    ]
    for given_out in lists:
        name = f"the list {given_out.file}"
        age = (today.replace(tzinfo=None) - datetime.fromisoformat(given_out.at)).days
        if given_out.trouble:
            remarks.append(f"{name} is not used: {given_out.trouble}")
        remarks += [
            f"{name}: {said}" for said in _about_list(given_out, as_seen(folder_of(workspace) / given_out.file))
        ]
        if not given_out.trouble and age >= workspace.files_only.old_after_days:
            remarks.append(f"{name} is {count(age, 'day')} old: the program may hold something else by now")
    return remarks


def _about_list(given_out: GivenOut, path: str) -> Iterator[str]:
    """What could not be read of a list, and what was left out of it."""
    if given_out.unread:
        is_ = "is" if given_out.unread == 1 else "are"
        yield (
            f"{count(given_out.unread, 'cell')} could not be read and {is_} treated as blank; kotrel check {quoted([path])} says why"
        )
    if given_out.trouble:
        return
    if given_out.limits:
        names = listed_and([f"“{name}”" for name in given_out.limits])
        column, verb, it = ("column", "limits", "it") if len(given_out.limits) == 1 else ("columns", "limit", "them")
        yield (
            f"{column} {names} {verb} what its rows say, and no field reads {it}; kotrel check {quoted([path])} says more"
        )
    if given_out.remark:
        yield given_out.remark
    if given_out.damaged:
        is_ = "is" if given_out.damaged == 1 else "are"
        yield f"{count(given_out.damaged, 'row')} could not be read and {is_} left out; kotrel check {quoted([path])} says why"
    if given_out.lost:
        yield f"{count(given_out.lost, 'row')} without a key, or with one that is there twice, left out"


def answers_first(args: argparse.Namespace, workspace: Workspace, screen: Screen) -> tuple[int | None, int | None]:
    """Reads what the system has answered since, and shows it.

    Returns:
        The number of the load that is asked for, and the exit status where nothing is left to show.

    Raises:
        WrongUse: there is no such load, or an option is for another kind of system.
    """
    if TRIAL.fullmatch(args.load) and isinstance(workspace.system(), FolderSystem):
        return None, show_trial(args, workspace, screen)
    job = job_load(args.load, args.seconds if args.wait else 0.0, workspace)
    if job is not None and job.number is None:
        return None, _show_job(job, screen)
    number = load_number(args.load) if job is None or job.number is None else job.number
    system = workspace.system()
    if not isinstance(system, FolderSystem):
        _require_no_result_options(args)
        return number, None
    if args.wait or args.result or _may_be_answered(system, number, workspace):
        answered = _answer(number, args, workspace, screen)
        if answered is None or not all(each.ok for each in answered):
            return number, 1
    return number, None


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
            screen.show(f"Next: {screen.program} outcome {job.reference} --wait")
    return 0 if job.status in ("received", "working", "tried") else 1


def _may_be_answered(system: System, number: int, workspace: Workspace) -> bool:
    """It was sent, and the program's result may be there by now."""
    waits = any(each.number == number and each.waiting for each in system.history())
    return waits and bool(workspace.files_only.results)


def _told_of_none(number: int, args: argparse.Namespace, workspace: Workspace, screen: Screen) -> bool:
    """Says what no result means; False where that is all there is to say."""
    load = load_name(number)
    if args.wait and waits(number, workspace):
        if screen.as_json:
            screen.json({"load": load, "status": "sent", "rows": []})
        else:
            screen.show(f"{load} is not answered yet. Next: {screen.program} outcome {load} --wait")
        return False
    if args.only_refused and not screen.as_json and waits(number, workspace):
        screen.show("What was refused counts only once each file that went out has its result: --wait waits for them.")
    return True


def _require_no_result_options(args: argparse.Namespace) -> None:
    given = {"--result": args.result, "--only-refused": args.only_refused, "--map": args.map_name}
    option = next((name for name, value in given.items() if value), None)
    if option is not None:
        raise WrongUse(
            f"{option} is only for a system that exchanges files: this one reports the outcome of each row itself",
            f"kotrel outcome {args.load} shows it.",
            "wrong-command-line",
        )


def _taken_in(number: int, args: argparse.Namespace, workspace: Workspace) -> list[Answered]:
    """The results in the files that are named, or those that are there or come in time."""
    name = args.map_name or workspace.files_only.result_map or None
    asking = Asking(number, name, args.only_refused, args.seconds if args.wait else 0.0)
    if args.result:
        return [take_answer([Path(each) for each in args.result], asking, workspace, now())]
    return take_answers(asking, workspace, now)


def _answer(number: int, args: argparse.Namespace, workspace: Workspace, screen: Screen) -> list[Answered] | None:
    """Takes in the program's results, once they are there; None where they do not come."""
    taken_in = _taken_in(number, args, workspace)
    for answered in taken_in:
        _show(screen, answered, number)
    last = taken_in[-1] if taken_in else None
    if last is None:
        return taken_in if _told_of_none(number, args, workspace, screen) else None
    if not last.ok or not last.entry.waiting:
        return taken_in
    if last.files > 1 and not screen.as_json:
        read = len({path for each in taken_in for path in each.paths})
        screen.show(_about_files(read, last.files, f"{screen.program} outcome {load_name(number)} --wait"))
    return taken_in


def _show(screen: Screen, answered: Answered, number: int) -> None:
    if not screen.as_json:
        show_answered(screen, answered)
    elif not answered.ok:
        shown = checked_json([Checked(rows) for rows in answered.answers.sheets])
        screen.json({**shown, "load": load_name(number), "status": answered.entry.status, "rows": []})


def _about_files(read: int, sent: int, again: str) -> str:
    if read >= sent:
        return "Its results do not mention some rows. If they list only refused rows, add --only-refused"
    return f"It went out in {sent} files, of which {read} {'is' if read == 1 else 'are'} answered. Next: {again}"
