"""What a program says of a load that was sent to it: read from its result file, or found once it is there."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

import polars as pl

from kotrel.core.changes.answers import NAME, Answers, RowAnswer, answers_in, result_record
from kotrel.core.changes.journal import Entry, load_name
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.stages.file_options import Wanted
from kotrel.stages.understanding import sheets_not_read, understand_file
from kotrel.stages.verifying import Verified
from kotrel.systems.folder.account import Account, account_in
from kotrel.workspace.layout_reading import layouts_by_record
from kotrel.workspace.settings import Workspace

EVERY = 0.5
"""Seconds between two looks for a result."""


@dataclass(frozen=True)
class Answered:
    """What a result file said.

    Attributes:
        again: the same file was taken in before; nothing has changed.
        answers: with what in the file cannot be understood; then nothing of it was taken in.
        not_read: why a sheet of it is not read, in words.
    """

    entry: Entry
    path: Path
    answers: Answers
    not_read: tuple[str, ...] = ()
    again: bool = False

    @property
    def ok(self) -> bool:
        return not self.answers.findings


def take_answer(
    number: int, path: Path, map_name: str | None, only_refused: bool, workspace: Workspace, now: datetime
) -> Answered:
    """Takes in a result file, whole or not at all.

    Raises:
        WrongUse: there is no such load, or the system is no program that answers by files.
        OutOfReach, WrongData: the file cannot be read, or is no result.
    """
    _require_files_only(workspace)
    with account_in(workspace.hidden) as account:
        entry = _entry(account, number)
        references = [reference for load, reference, _, _ in account.files() if load == number]
        lines = account.lines_of(number)
    records = [workspace.description.records[name] for name in lines["record"].unique(maintain_order=True)]
    layouts = layouts_by_record(workspace.folder, workspace.files_only.layouts, workspace.description)
    headings = [column.heading for record in records if record.name in layouts
                for column in layouts[record.name].columns if column.field == record.code and column.heading]  # fmt: skip
    result = result_record(records, headings)
    with_result = replace(
        workspace, description=replace(workspace.description, records={**workspace.description.records, NAME: result})
    )
    wanted = Wanted(record=None if map_name else NAME, map_name=map_name)
    understood = understand_file(path, with_result, wanted, now.date(), lambda title: None)
    found = answers_in([each.rows for each in understood], lines, list(dict.fromkeys(references)), only_refused)
    not_read = sheets_not_read(understood)
    if found.findings:
        return Answered(entry, path, found, not_read)
    content = hashlib.sha256(path.read_bytes()).hexdigest()
    with account_in(workspace.hidden, writing=True) as account:
        again = bool(account.database.run("SELECT 1 FROM answer WHERE load = ? AND fingerprint = ?", [number, content]))
        if not again:
            account.answered(number, found.rows, now.isoformat(timespec="seconds"), path.name, content)
        entry = _entry(account, number)
    return Answered(entry, path, found, not_read, again)


def take_proof(verified: Verified, workspace: Workspace, now: datetime) -> int:
    """The rows of a load that the program's newer lists hold as they were sent are done; returns how many were open until now."""
    entry = verified.entry
    if not entry.waiting:
        return 0
    differ = set(verified.differences.select("record", "key").iter_rows())
    with account_in(workspace.hidden, writing=True) as account:
        known = set(account.answers_of(entry.number)["line"])
        proved = [
            RowAnswer(line, "done", "seen on the program's list")
            for line, record, key in account.lines_of(entry.number).select("line", "record", "key").iter_rows()
            if line not in known and (record, key) not in differ and record not in verified.too_old
        ]
        if proved:
            account.answered(entry.number, proved, now.isoformat(timespec="seconds"), "the program's lists", "")
    return len(proved)


def wait_for_result(number: int, seconds: float, workspace: Workspace, say: Callable[[str], None]) -> Path | None:
    """Looks for the result of a load where the program writes it, until it is there.

    Returns:
        The file, or None where it did not come in time.

    Raises:
        WrongUse: it is not said where the program writes its results.
    """
    _require_files_only(workspace)
    if not workspace.files_only.results:
        raise WrongUse(
            "it is not said where the program writes its results",
            "Name that folder: results under [folder] in kotrel.toml; or give the file with --from.",
            "wrong-settings",
        )
    folder = workspace.folder / workspace.files_only.results
    with account_in(workspace.hidden) as account:
        _entry(account, number)
        references = {reference for load, reference, _, _ in account.files() if load == number}
    say(f"waiting for the result of {load_name(number)} in {folder}")
    ends = time.monotonic() + seconds
    while True:
        if (found := _result_in(folder, references)) is not None:
            return found
        if time.monotonic() > ends:
            return None
        time.sleep(EVERY)


def _result_in(folder: Path, references: set[str]) -> Path | None:
    try:
        there = sorted(path for path in folder.iterdir() if path.is_file() and not path.name.endswith(".part"))
    except OSError as error:
        raise OutOfReach(
            f"{folder} cannot be read: {error.strerror or error}",
            "It is the folder results under [folder].",
            "no-folder",
        ) from None
    return next((path for path in there if any(reference in path.name for reference in references)), None)


def _entry(account: Account, number: int) -> Entry:
    entry = next((each for each in account.history() if each.number == number), None)
    if entry is None:
        raise WrongUse(f"there is no load {load_name(number)}", "kotrel history lists them.", "no-such-load")
    if not len(account.lines_of(number).filter(pl.col("action") != "same")):
        raise WrongUse(f"{entry.name} was refused before it was sent: no program can answer it", "", "load-refused")
    return entry


def _require_files_only(workspace: Workspace) -> None:
    if not workspace.url.startswith("folder:"):
        raise WrongUse(
            "this system says at once what became of a load: it has no result files",
            "kotrel outcome LOAD shows it.",
            "wrong-command-line",
        )
