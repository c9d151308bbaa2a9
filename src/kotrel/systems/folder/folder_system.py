"""A program that only exchanges files: read from its own exports, written by upload files, and answering later."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges, RefusedRows
from kotrel.core.changes.journal import Entry, Stamp, load_name
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.reversal import UndoConflict
from kotrel.core.changes.system_remarks import Refusal
from kotrel.core.columns import ROW, before, worded
from kotrel.core.description.model import Description
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.layouts.column_sources import WITHDRAWN
from kotrel.core.phrases import count
from kotrel.core.tables.table import letter_of
from kotrel.sheets.safe_writing import put_in_place
from kotrel.systems.folder.account import Account, account_in
from kotrel.systems.folder.mirror import FILE, given_out, read_about
from kotrel.systems.folder.overlay import with_sent
from kotrel.systems.folder.sending import Uploads, clear_away, hand_over, laid_out, write_uploads
from kotrel.systems.folder.trials import keep_trial
from kotrel.systems.interface import Abilities, Reading, Receipt, Refused, Step, System, Writing
from kotrel.systems.sql import database_journal as journal
from kotrel.systems.sql.database_system import SqlReading
from kotrel.systems.sql.journal_checking import trouble_with
from kotrel.systems.sql.sqlite import SqliteDatabase


class _FolderReading(SqlReading):
    def __init__(self, database: SqliteDatabase, description: Description, account: Account, uploads: Uploads) -> None:
        super().__init__(database, description)
        self.account = account
        self.uploads = uploads

    def foreseen(self, plan: Plan) -> Sequence[Refusal]:
        # What is sent in no layout is said when it is sent: check and preview are of use without any.
        changes = tuple(each for each in plan.changes if each.record.name in self.uploads.layouts)
        try:
            texts = laid_out(
                replace(plan, changes=changes),
                self.uploads,
                self.description,
                self,
                "",
                read_about(self.account.folder)[1],
            )
        except Refused as refused:
            return refused.refusals
        return [remark for each in texts for remark in each.remarks]

    def as_of(self, record: str) -> str | None:
        return given_out(self.account.folder).get(record, "")

    def refused_later(self, number: int) -> frozenset[int]:
        said = self.account.answers_of(number).filter(pl.col("said") == "refused")
        if not said.height:
            return frozenset()
        lines = self.account.lines_of(number).join(said, on="line", how="semi")
        return frozenset(int(row) for row in lines["row"])

    def changes_of(self, number: int) -> list[RecordChanges]:
        return self.account.changes_of(number, self.description)

    def loads_of(self, record: str, keys: Sequence[str]) -> dict[str, int]:
        return journal.loads_of(self.account.database, record, keys)

    def history(self) -> list[Entry]:
        return self.account.history()

    def trouble_with(self, number: int) -> str:
        return trouble_with(self.account.database, number).get(number, "")


class _FolderWriting(_FolderReading, Writing):
    def __init__(
        self, database: SqliteDatabase, description: Description, account: Account, uploads: Uploads, name: str
    ) -> None:
        super().__init__(database, description, account, uploads)
        self.name = name

    def take(self, plan: Plan, step: Step) -> Receipt:
        account = self.account
        reference = f"{load_name(account.next_number())}-{account.sender}"
        texts = laid_out(plan, self.uploads, self.description, self, reference, read_about(self.account.folder)[1])
        step("writing the upload files")
        files = write_uploads(texts, self.uploads.folder, reference)
        refused = [each.refused() for each in plan.changes]
        number = account.record([*(each.changes for each in texts), *refused], plan.stamp)
        account.mark(plan.undone, number)
        account.note_files(number, reference, files)
        remarks = [
            f"Not sent, because the layout {said.layout.name} has no column for it: "
            + ", ".join(said.changes.record.fields[name].title for name in said.left_out)
            for said in texts
            if said.left_out
        ]
        archived = sum(
            int(each.changes.frame[WITHDRAWN].sum()) for each in texts if WITHDRAWN in each.changes.frame.columns
        )
        if archived:
            remarks.append(f"The program cannot remove what was new: {count(archived, 'row')} will be archived there.")
        return Receipt(number, (), "sent", reference, tuple(str(path) for _, path in files), tuple(remarks))

    def try_out(self, plan: Plan, step: Step) -> Receipt:
        if self.uploads.trial is None:
            raise WrongUse(
                f"no folder is set where {self.name} looks for trial files",
                "Name that folder: trial under [folder] in kotrel.toml.",
                "no-trial",
            )
        reference = f"T{datetime.now():%m%d%H%M%S}-{self.account.sender}"
        texts = laid_out(plan, self.uploads, self.description, self, reference, read_about(self.account.folder)[1])
        step("writing the trial files")
        files = write_uploads(texts, self.uploads.trial, reference)
        for ready, path in files:
            put_in_place(ready, path)
        keep_trial(self.account.folder, reference, [each.changes for each in texts], [path for _, path in files])
        return Receipt(0, (), "loaded", reference, tuple(str(path) for _, path in files))

    def note_refused(self, changes: Sequence[RecordChanges], stamp: Stamp) -> int:
        refused = [each.refused() for each in changes]
        return self.account.record(refused, replace(stamp, kind="refused"))

    def beyond(self, reversal: Sequence[RecordChanges]) -> list[UndoConflict]:
        conflicts: list[UndoConflict] = []
        for part in reversal:
            layout = self.uploads.layouts.get(part.record.name)
            if layout is not None and layout.withdraws:
                continue
            going = part.rows_of("removed")
            keys = going.select(
                pl.concat_str([pl.col(before(n)) for n in part.record.key], separator=" / ")
            ).to_series()
            words = "it was new, and the layout has no word for withdrawing it: remove it in the program itself"
            conflicts += [UndoConflict(part.record.name, key, None, words) for key in keys]
        return conflicts


class FolderSystem(System):
    """What a program's exports in a folder say, and what was sent to it.

    Args:
        hidden: where the mirror of the exports and the account are kept.
    """

    can = Abilities(answers="later", removes=False, foresees=True)

    def __init__(self, hidden: Path, description: Description, name: str, uploads: Uploads) -> None:
        self._hidden = hidden
        self.description = description
        self.name = name
        self._uploads = uploads

    @property
    def _mirror(self) -> Path:
        path = self._hidden / FILE
        if not path.is_file():
            raise OutOfReach(f"nothing is known of {self.name} yet", "kotrel lists reads what it exported.", "no-lists")
        return path

    @contextmanager
    def reading(self) -> Iterator[Reading]:
        with (
            account_in(self._hidden) as account,
            with_sent(self._mirror, self.description, self._unlisted(account)) as database,
        ):
            yield _FolderReading(database, self.description, account, self._uploads)

    @contextmanager
    def reading_back(self) -> Iterator[Reading]:
        with account_in(self._hidden) as account, with_sent(self._mirror, self.description, ()) as database:
            yield _FolderReading(database, self.description, account, self._uploads)

    @contextmanager
    def writing(self) -> Iterator[Writing]:
        with account_in(self._hidden, writing=True) as account:
            hand_over(account)
            clear_away(account, [self._uploads.folder])
            with with_sent(self._mirror, self.description, self._unlisted(account)) as database:
                yield _FolderWriting(database, self.description, account, self._uploads, self.name)
        self.settle()

    def _unlisted(self, account: Account) -> list[RecordChanges]:
        """What was sent and is not answered, or was taken after the program's last list of it.

        A list of the same second may have been given out before: what was taken counts, whether the list has it or not.
        """
        given = given_out(self._hidden)
        times = account.answer_times()
        unlisted: list[RecordChanges] = []
        for entry in account.history():
            if entry.kind not in ("load", "undo"):
                continue
            for changes in account.changes_of(entry.number, self.description):
                answered = times.get(entry.number, entry.at)[:19].replace("T", " ")
                if entry.waiting or answered >= given.get(changes.record.name, ""):
                    unlisted.append(changes)
        return unlisted

    def history(self) -> list[Entry]:
        with account_in(self._hidden) as account:
            return account.history()

    def audited_history(self, newest: int | None = None) -> list[Entry]:
        with account_in(self._hidden) as account:
            wrong = trouble_with(account.database, newest=newest)
            return [replace(each, trouble=wrong.get(each.number, "")) for each in account.history()]

    def settle(self) -> None:
        """Hands over what a killed command left ready."""
        with account_in(self._hidden) as account:
            hand_over(account)

    def outcome(self, number: int) -> pl.DataFrame:
        with account_in(self._hidden) as account:
            _require(account, number)
            rows = journal.outcome_rows(account.database, number)
            lines = journal.line_rows(account.database, number)
            answers = lines.select("line").join(
                account.answers_of(number), on="line", how="left", maintain_order="left"
            )
            acts = pl.col("action").is_in(["new", "changed", "removed"])
            given = pl.when(pl.col("given").is_not_null()).then(worded("its number there is {}", pl.col("given")))
            said = pl.concat_str([pl.col("why"), given], separator="; ", ignore_nulls=True)
            return (
                rows.hstack(answers.drop("line"))
                .with_columns(
                    pl.when(acts).then(pl.col("said").fill_null("sent")).otherwise("outcome").alias("outcome"),
                    pl.when(acts & (said != "")).then(said).otherwise("message").alias("message"),
                )
                .drop("said", "why", "given")
            )

    def rest_of(self, number: int) -> list[tuple[str, str, RefusedRows, dict[int, str]]]:
        with account_in(self._hidden) as account:
            _require(account, number)
            return [*journal.kept_rest(account.database, number), *self._refused_there(account, number)]

    def _refused_there(self, account: Account, number: int) -> list[tuple[str, str, RefusedRows, dict[int, str]]]:
        """The rows that the program refused, as they were sent."""
        said = account.answers_of(number).filter(pl.col("said") == "refused")
        lines = account.lines_of(number).join(said, on="line", how="inner")
        refused = []
        for part in account.changes_of(number, self.description, refused_too=True):
            mine = lines.filter(pl.col("record") == part.record.name)
            rows = part.frame.filter(pl.col(ROW).is_in(mine["row"].cast(pl.UInt32).implode()))
            if not rows.height:
                continue
            letters = {name: letter_of(place) for place, name in enumerate(part.fields)}
            cells = rows.select(ROW, *(pl.col(name).alias(letter) for name, letter in letters.items()))
            kinds = rows.select(ROW, *(pl.lit("text").alias(letter) for letter in letters.values()))
            reasons = {int(row): str(why or "refused") for row, why in mine.select("row", "why").iter_rows()}
            titles = tuple(part.record.fields[name].title for name in part.fields)
            refused.append((part.file, part.sheet, RefusedRows(titles, cells, kinds), reasons))
        return refused


def _require(account: Account, number: int) -> None:
    there = [each.number for each in journal.entries(account.database)]
    if number not in there:
        last = f"The last is {load_name(there[-1])}." if there else f"Nothing was sent yet: {count(0, 'load')}."
        raise WrongUse(f"there is no load {load_name(number)}", f"{last} kotrel history lists them.", "no-such-load")
