"""What a program says of a load that was sent to it: read from its result file, or found once it is there."""

from __future__ import annotations

import hashlib
import re
import time
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from pathlib import Path

import polars as pl
from msgspec import Struct
from msgspec.structs import replace
from rich.text import Text

from kotrel.core.changes.journal import Entry, load_name
from kotrel.core.changes.results import NAME, Answering, Answers, RowAnswer, answers_in, no_numbers, result_record
from kotrel.core.description.model import Record
from kotrel.core.errors import OutOfReach, WrongData, WrongUse
from kotrel.core.layouts.layout import Layout
from kotrel.core.loading.load_model import Checked
from kotrel.core.phrases import count, listed
from kotrel.loading.file_options import FileOptions
from kotrel.loading.opening import ReadBack
from kotrel.loading.sheets_in.findings_screen import show_checked
from kotrel.loading.sheets_in.sheet_reading import Understood, sheets_not_read, understand_file
from kotrel.screen.screen import Screen
from kotrel.systems.folder.account import Account, account_in
from kotrel.workspace.layout_reading import layouts_by_record
from kotrel.workspace.settings import Workspace

OF_A_NUMBER = re.compile(r"(^|_)(id|no|nr|number|nummer)$")
"""How a field with the program's own number of a row is called; other figures that it keeps are none."""
EVERY = 0.5
"""Seconds between two looks for a result."""


class Answered(Struct, frozen=True):
    """What the result files of one upload file, or of several that are read together, said.

    Attributes:
        again: the same was taken in before; nothing has changed.
        answers: with what in the files cannot be understood; then nothing of them was taken in.
        not_read: why a sheet of them is not read, in words.
        files: how many upload files the load went out in.
    """

    entry: Entry
    paths: tuple[Path, ...]
    answers: Answers
    not_read: tuple[str, ...] = ()
    again: bool = False
    files: int = 1

    @property
    def ok(self) -> bool:
        return not self.answers.findings


class Asking(Struct, frozen=True):
    """Which load's results are read, and how.

    Attributes:
        map_name: the saved mapping that reads them.
        only_refused: they list only what was refused.
        seconds: how long to wait for them.
    """

    number: int
    map_name: str | None
    only_refused: bool
    seconds: float = 0.0


def take_answer(paths: Sequence[Path], asking: Asking, workspace: Workspace, now: datetime) -> Answered:
    """Takes in result files, whole or not at all.

    Raises:
        WrongUse: there is no such load, or the system is no program that answers by files.
        OutOfReach, WrongData: a file cannot be read, or is no result.
    """
    _require_files_only(workspace)
    number = asking.number
    with account_in(workspace.hidden) as account:
        entry = _entry(account, number)
        references = [reference for load, reference, _, _ in account.files() if load == number]
        sent = [path for load, _, _, path in account.files() if load == number]
        lines = account.lines_of(number)
        numbers = pl.concat([account.numbers_given(), numbers_on_lists(workspace, lines)]).unique()
    files = len(sent)
    if asking.only_refused and len(paths) < files:
        raise WrongUse(
            f"{entry.name} went out in {files} files, and {len(paths)} of their results {'is' if len(paths) == 1 else 'are'} read: "
            "what it does not list may have been refused in another file",
            "Wait for all of them: kotrel outcome LOAD --only-refused --wait",
            "results-missing",
        )
    records = [workspace.description.records[name] for name in lines["record"].unique(maintain_order=True)]
    sheets, understood = read_results(paths, records, sent, asking.map_name, asking.only_refused, workspace, now)
    answers = answers_in(sheets, lines, list(dict.fromkeys(references)), asking.only_refused, numbers)
    not_read = sheets_not_read(understood)
    if answers.findings:
        return Answered(entry, tuple(paths), answers, not_read, files=files)
    content = hashlib.sha256(b"".join(path.read_bytes() for path in paths)).hexdigest()
    with account_in(workspace.hidden, writing=True) as account:
        again = bool(account.database.run("SELECT 1 FROM answer WHERE load = ? AND fingerprint = ?", [number, content]))
        if not again:
            named = ", ".join(path.name for path in paths)
            account.answered(number, answers.rows, now.isoformat(timespec="seconds"), named, content)
        entry = _entry(account, number)
    return Answered(entry, tuple(paths), answers, not_read, again, files)


def _code_headings(layout: Layout, record: Record) -> list[str]:
    """How the uploads head the codes of a record: its results may head them likewise."""
    return [each.heading for each in layout.columns if each.field == record.code and each.heading]


def read_results(
    paths: Sequence[Path],
    records: Sequence[Record],
    sent: Sequence[Path],
    map_name: str | None,
    only_refused: bool,
    workspace: Workspace,
    now: datetime,
) -> tuple[list[Answering], list[Understood]]:
    """Result files as rows, and each sheet of them with what it answers for.

    Args:
        records: those that were sent; ``sent``: the upload files.
        map_name: the saved mapping that reads them.
        only_refused: they list only what was refused.

    Raises:
        OutOfReach, WrongData: a file cannot be read, or is no result.
    """
    layouts = layouts_by_record(workspace.folder, workspace.files_only.layouts, workspace.description)
    headings = [
        heading
        for record in records
        if record.name in layouts
        for heading in _code_headings(layouts[record.name], record)
    ]
    result = result_record(records, headings)
    with_result = replace(
        workspace, description=replace(workspace.description, records={**workspace.description.records, NAME: result})
    )
    wanted = FileOptions(record=None if map_name else NAME, map_name=map_name)
    of = {path: _answered_by(path, sent, layouts) for path in paths}
    understood: list[Understood] = []
    sheets: list[Answering] = []
    for path in paths:
        records_of, name = of[path]
        uploads = [each for each in sent if name is None or each.name.startswith(name)]
        whole = sum(other[1] == name for other in of.values()) >= len(uploads)
        try:
            read = understand_file(path, with_result, wanted, now.date(), lambda title: None)
        except WrongData as error:
            # Headings and no rows: nothing was refused, the best of answers.
            if not (only_refused and error.kind == "no-rows"):
                raise
            continue
        understood += read
        sheets += [Answering(each.rows, records_of, whole) for each in read]
    return sheets, understood


def numbers_on_lists(workspace: Workspace, lines: pl.DataFrame) -> pl.DataFrame:
    """``record``, ``key`` and ``given``: the program's own numbers of these rows, as its lists have them.

    Such a number is a field that identifies a row and that the program keeps, or by which rows are also known.
    """
    frames = [no_numbers()]
    with workspace.system().reading() as reading:
        for (name,), part in lines.group_by("record"):
            record = workspace.description.records[str(name)]
            if len(record.key) != 1:
                continue
            alone = {group[0] for group in record.also_known_by if len(group) == 1}
            names = [
                field.name
                for field in record.fields.values()
                if field.name not in record.key
                and (
                    field.name in alone or (field.is_kept and (field.kind == "code" or OF_A_NUMBER.search(field.name)))
                )
            ]
            if not names:
                continue
            key = record.key[0]
            held = reading.read(record.name, [key, *names], (key, part["key"])).filter(
                pl.col(key).is_in(part["key"].implode())
            )
            for each in names:
                numbers = held.select(
                    pl.lit(record.name).alias("record"), pl.col(key).alias("key"), pl.col(each).alias("given")
                )
                # A figure that several rows have, such as a balance, is no number of a row.
                frames.append(numbers.drop_nulls().filter(pl.col("given").is_unique()).cast(pl.String))
    return pl.concat(frames)


def _answered_by(
    result: Path, sent: Sequence[Path], layouts: Mapping[str, Layout]
) -> tuple[frozenset[str] | None, str | None]:
    """The records in the upload files that a result answers for, and how the names of these files begin;
    by its own name.
    """
    answered: dict[str, set[str]] = {}
    for record, layout in layouts.items():
        for path in sent:
            start, middle, _ = path.stem.partition(f"-{layout.file}")
            if middle and result.name.startswith(f"{start}{middle}"):
                answered.setdefault(f"{start}{middle}", set()).add(record)
    if not answered:
        return None, None
    name = max(answered, key=len)
    return frozenset(answered[name]), name


def _read_together(there: list[Path], uploads: int, only_refused: bool) -> list[list[Path]]:
    """Results one by one; those that list only what was refused all at once, when there is one for each upload."""
    if not only_refused:
        return [[path] for path in there]
    return [there] if there and len(there) >= uploads else []


def take_answers(asking: Asking, workspace: Workspace, now: Callable[[], datetime]) -> list[Answered]:
    """Takes in the results of a load where the program writes them, each once it is there, until all rows are answered.

    Results that list only what was refused are read together, once there is one for each upload file.

    Returns:
        What was taken in; nothing where none came in time.

    Raises:
        WrongUse: there is no such load, or it does not say where results are.
    """
    _require_files_only(workspace)
    if not workspace.files_only.results:
        raise WrongUse(
            "no folder is set for the program's results",
            "Name that folder: results under [folder] in kotrel.toml; or give the file with --result.",
            "wrong-settings",
        )
    folder = workspace.folder / workspace.files_only.results
    with account_in(workspace.hidden) as account:
        waits = _entry(account, asking.number).waiting
        references = [reference for load, reference, _, _ in account.files() if load == asking.number]
    ends = time.monotonic() + asking.seconds
    done: list[Answered] = []
    taken: set[Path] = set()
    while True:
        there = [path for path in results_in(folder, set(references)) if path not in taken]
        for paths in _read_together(there, len(references), asking.only_refused):
            done.append(take_answer(paths, asking, workspace, now()))
            taken.update(paths)
            if not done[-1].ok:
                return done
        if not (done[-1].entry.waiting if done else waits) or time.monotonic() > ends:
            return done
        time.sleep(EVERY)


def take_proof(read_back: ReadBack, workspace: Workspace, now: datetime) -> int:
    """The rows of a load that the program's newer lists hold as they were sent are done;
    returns how many were open until now.
    """
    entry = read_back.entry
    if not entry.waiting:
        return 0
    differ = set(read_back.differences.select("record", "key").iter_rows())
    with account_in(workspace.hidden, writing=True) as account:
        known = set(account.answers_of(entry.number)["line"])
        proved = [
            RowAnswer(line, "done", "seen on the program's list")
            for line, record, key in account.lines_of(entry.number).select("line", "record", "key").iter_rows()
            if line not in known and (record, key) not in differ and record not in read_back.too_old
        ]
        if proved:
            account.answered(entry.number, proved, now.isoformat(timespec="seconds"), "the program's lists", "")
    return len(proved)


def waits(number: int, workspace: Workspace) -> bool:
    """True where a row of the load is not answered yet."""
    with account_in(workspace.hidden) as account:
        return _entry(account, number).waiting


def results_in(folder: Path, references: set[str]) -> list[Path]:
    """The results of those upload files, by their names."""
    try:
        result_files = sorted(path for path in folder.iterdir() if path.is_file() and not path.name.endswith(".part"))
    except OSError as error:
        raise OutOfReach(
            f"{folder} cannot be read: {error.strerror or error}",
            "It is the folder results under [folder].",
            "no-folder",
        ) from None
    return [path for path in result_files if any(reference in path.name for reference in references)]


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


def _read_in_words(answered: Answered) -> str:
    """Which files were read, and how many rows they say were done or refused."""
    outcomes = Counter(each.outcome for each in answered.answers.rows)
    words = {"done": "done", "warning": "done with a warning", "refused": "refused"}
    counts = ", ".join(f"{outcomes[outcome]:,} {said}" for outcome, said in words.items() if outcomes[outcome])
    files = listed([path.name for path in answered.paths], 3)
    verb = "was" if len(answered.paths) == 1 else "were"
    return f"{files} {verb} read{' before' if answered.again else ''}: {counts or 'no rows'}"


def show_answered(screen: Screen, answered: Answered) -> None:
    """What the files say, or what in them cannot be understood."""
    name = answered.entry.name
    if not answered.ok:
        for rows in answered.answers.sheets:
            if rows.findings:
                show_checked(screen, Checked(rows), False, False, "understood")
                screen.show("")
        screen.show(
            f"Nothing was read from it: {name} is unchanged. Next: fix these cells or the saved mapping, then read it again."
        )
        return
    screen.show(_read_in_words(answered))
    for said_of_sheet in answered.not_read:
        screen.show(Text(f"Not read: {said_of_sheet}", style="yellow"))
    if answered.answers.pending:
        waiting = count(answered.answers.pending, "row")
        screen.show(f"The program has not processed {waiting} yet.")
    if answered.answers.unmentioned and answered.files == 1:
        left = count(answered.answers.unmentioned, "row")
        screen.show(
            Text(
                f"It does not mention {left}. If it lists only refused rows, add --only-refused",
                style="yellow",
            )
        )
