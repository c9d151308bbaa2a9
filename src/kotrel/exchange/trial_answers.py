"""What a program says of a trial: nothing of it is kept there, and each refusal comes back to its row in the sheet."""

from __future__ import annotations

import argparse
import time
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import polars as pl

from kotrel.core.changes.results import Answers, answers_in
from kotrel.core.errors import WrongUse
from kotrel.core.loading.load_model import Checked
from kotrel.core.phrases import count
from kotrel.exchange.answers import EVERY, numbers_on_lists, read_results, results_in
from kotrel.loading.opening import now
from kotrel.loading.sheets_in.findings_screen import checked_json, show_checked
from kotrel.screen.listing import show_more
from kotrel.screen.screen import Screen
from kotrel.systems.folder.trials import Trial, trial_called
from kotrel.workspace.settings import Workspace

SHOWN = 20


def show_trial(args: argparse.Namespace, workspace: Workspace, screen: Screen) -> int:
    """``kotrel outcome T…``: what became of a trial; exit status 1 where a row was refused
    or the results cannot be understood.
    """
    trial = trial_called(workspace.hidden, args.load)
    paths = [Path(each) for each in args.result] if args.result else _awaited(trial, args, workspace)
    unanswered: dict[str, Any] = {"trial": trial.reference, "status": "sent", "load": None, "message": None, "rows": []}
    if not paths:
        if screen.as_json:
            screen.json(unanswered)
        else:
            screen.show(f"{trial.reference} is not answered yet.")
            screen.show(f"Next: {screen.program} outcome {trial.reference} --wait")
        return 0
    answers = _answers(trial, paths, args, workspace)
    if answers.findings:
        if screen.as_json:
            screen.json({**checked_json([Checked(rows) for rows in answers.sheets]), **unanswered})
        else:
            for sheet in (each for each in answers.sheets if each.findings):
                show_checked(screen, Checked(sheet), False, False, "understood")
        return 1
    rows = _rows(trial, answers)
    refused = any(row["outcome"] == "refused" for row in rows)
    if screen.as_json:
        screen.json({**unanswered, "status": "refused" if refused else "taken", "rows": rows})
        return int(refused)
    _show_answered(trial, answers, rows, args, screen)
    if refused:
        screen.show("Next: correct these rows in the sheet, then try it again.")
    return int(refused)


def _show_answered(
    trial: Trial, answers: Answers, rows: Sequence[Mapping[str, Any]], args: argparse.Namespace, screen: Screen
) -> None:
    refused = [row for row in rows if row["outcome"] == "refused"]
    screen.show(
        f"{trial.reference}: {count(len(rows) - len(refused), 'row')} would be accepted, {len(refused):,} refused"
    )
    if answers.pending:
        screen.show(f"The program has not processed {count(answers.pending, 'row')} yet.")
    if answers.unmentioned:
        screen.show(f"It does not mention {count(answers.unmentioned, 'row')}.")
    _show_rows(refused or [row for row in rows if row["message"]], args.all, screen)


def _show_rows(rows: Sequence[Mapping[str, Any]], all_of_them: bool, screen: Screen) -> None:
    for row in rows if all_of_them else rows[:SHOWN]:
        screen.show(f"  {row['cell']}  {row['record']} {row['key']}: {row['message'] or row['outcome']}")
    show_more(screen, 0 if all_of_them else len(rows) - SHOWN)


def _awaited(trial: Trial, args: argparse.Namespace, workspace: Workspace) -> list[Path]:
    """The results that are there; with --wait, once they are."""
    folder = workspace.files_only.results
    if not folder:
        raise WrongUse(
            "no folder is set for the program's results",
            "Name that folder: results under [folder] in kotrel.toml; or give the file with --result.",
            "wrong-settings",
        )
    ends = time.monotonic() + (args.seconds if args.wait else 0.0)
    while True:
        found = results_in(workspace.folder / folder, {trial.reference})
        # What was refused is known of all only with a result for each file.
        if (found and (len(found) >= len(trial.files) or not args.only_refused)) or time.monotonic() > ends:
            return found
        time.sleep(EVERY)


def _answers(trial: Trial, paths: Sequence[Path], args: argparse.Namespace, workspace: Workspace) -> Answers:
    names = trial.lines["record"].unique(maintain_order=True)
    records = [workspace.description.records[name] for name in names]
    map_name = args.map_name or workspace.files_only.result_map or None
    sheets, _ = read_results(paths, records, trial.files, map_name, args.only_refused, workspace, now())
    numbers = numbers_on_lists(workspace, trial.lines)
    return answers_in(sheets, trial.lines, [trial.reference], args.only_refused, numbers)


def _rows(trial: Trial, answers: Answers) -> list[dict[str, Any]]:
    """The rows that were answered, each with its place in the sheet."""
    about = {row["line"]: row for row in trial.lines.with_columns(pl.col("sheet").fill_null("")).iter_rows(named=True)}
    answer_rows = []
    for answer in answers.rows:
        row = about[answer.line]
        where = f"{row['sheet']}, row {row['row']}" if row["sheet"] else f"line {row['row']}"
        answer_rows.append(
            {
                "file": row["file"],
                "sheet": row["sheet"] or None,
                "row": row["row"],
                "cell": where,
                "record": row["record"],
                "key": row["key"],
                "outcome": answer.outcome,
                "message": answer.message,
            }
        )
    return sorted(answer_rows, key=lambda row: (row["file"], row["sheet"] or "", row["row"]))
