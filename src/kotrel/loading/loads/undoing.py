"""Undoes one load, or says exactly what stands in the way."""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime
from functools import partial
from pathlib import Path

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.changes.journal import Entry, Stamp, load_name, standing
from kotrel.core.changes.plan import Plan, Undoing
from kotrel.core.changes.reversal import UndoConflict, reverse_by_fields
from kotrel.core.columns import before
from kotrel.core.documents.document_reversal import TakenBack, Taking, is_of_documents, reverse_documents
from kotrel.core.documents.stock_rules import CAREFUL, StockRules
from kotrel.core.errors import OutOfReach, WrongData, WrongUse
from kotrel.core.phrases import count
from kotrel.core.rows.beside import fields_in_turn
from kotrel.loading.loads.in_progress import in_progress
from kotrel.loading.loads.staying import with_staying_rows
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.systems.interface import ConcurrentChange, Reading, Receipt, Refused, Step, System, Writing
from kotrel.systems.references import refer_to

LOG = logging.getLogger("kotrel.undo")

TRIES = 3
"""An undo is tried this many times if somebody else changes the same rows while it runs."""


class UndoOptions(Struct, frozen=True):
    """What the user chose about an undo.

    Attributes:
        partial: undo every row that can be undone, and leave the rest.
        day: the date of documents that take others back, or None for today.
        stock: what the business allows of stock documents.
    """

    partial: bool = False
    day: date | None = None
    stock: StockRules = CAREFUL


HOW = UndoOptions()
LATER = 50
"""So many later loads are looked through for the one that is in the way."""


class Undone(Struct, frozen=True):
    """How it ended, and the changes that undid the load or would have.

    Attributes:
        status: ``undone``, ``undone in part``, ``refused``, or ``not undone`` if the user said no.
        blocked_by: what keeps the load, or the rest of it, from being undone.
        reversed: document → the document that takes it back.
        remarks: what else has to be said of them.
        receipt: what the system said of it, or None.
        archived: how many rows are archived, because posted documents refer to them.
        others: whether rows or documents are left that nothing blocks.
    """

    entry: Entry
    status: str
    number: int | None
    reversal: tuple[RecordChanges, ...]
    blocked_by: tuple[UndoConflict, ...]
    reversed: Mapping[str, str] = field(default_factory=dict)
    remarks: tuple[str, ...] = ()
    receipt: Receipt | None = None
    archived: int = 0
    others: bool = False

    def count(self, action: str) -> int:
        """Rows with an action: ``removed``, ``changed`` (restored) or ``new`` (added again);
        those of documents do not count.
        """
        number = sum(each.count(action) for each in self.reversal if not is_of_documents(each))
        return number - self.archived if action == "changed" else number


def undo_load(
    system: System,
    number: int,
    who: str,
    remark: str,
    at: datetime,
    step: Step,
    hidden: Path,
    agree: Callable[[Undone], bool] | None = None,
    how: UndoOptions = HOW,
) -> Undone:
    """Undoes a load, all of it or nothing. The undo is a load of its own in the history.

    Documents are not removed: others take them back (see :mod:`kotrel.core.documents.document_reversal`).

    Args:
        hidden: where a note is kept while it runs.
        agree: called with what would change, if there is a person to ask.
        how: what to do where something is in the way, and how documents are taken back.

    Raises:
        WrongUse: there is no such load, or it is already undone.
        OutOfReach: the system cannot be reached, or others keep changing the same rows.
    """
    if how.day is not None:
        with system.reading() as reading:
            _require_documents(reading, number)
    if agree is not None:
        # The question is asked without a lock: others can work while the user reads.
        with system.writing() as writing:
            plan = plan_undo(system, writing, number, step, at, how)
        if plan.status == "refused":
            return plan
        if not agree(plan):
            return replace(plan, status="not undone")
    with in_progress(hidden, Stamp(at, who, (), _content(system, number), remark, "undo", number)):
        return _undo(system, number, who, remark, at, step, how)


def _require_documents(reading: Reading, number: int) -> None:
    """Raises WrongUse where a load posted no documents, for which alone a date could be meant."""
    standing(reading.history(), number, "kotrel undo {undo} would bring it back.")
    if not any(map(is_of_documents, reading.changes_of(number))):
        raise WrongUse(
            f"--date is for documents that take others back, and {load_name(number)} posted none",
            "Leave it out: rows are restored or removed at once.",
            "wrong-command-line",
        )


def _content(system: System, number: int) -> str:
    """The fingerprint of a load; its undo has the same."""
    return next((entry.fingerprint for entry in system.history() if entry.number == number), "")


def _undo(system: System, number: int, who: str, remark: str, at: datetime, step: Step, how: UndoOptions) -> Undone:
    for _ in range(TRIES):
        planned: Undone | None = None
        try:
            with system.writing() as writing:
                planned = plan = plan_undo(system, writing, number, step, at, how)
                if plan.status == "refused":
                    return plan
                left = len({(each.record, each.key) for each in plan.blocked_by})
                if left:
                    remark = f"in part: {count(left, 'row')} left{'; ' + remark if remark else ''}"
                stamp = Stamp(at, who, plan.entry.files, plan.entry.fingerprint, remark, "undo", number)
                undoing = Undoing(number, how.partial, how.day or at.date())
                whole = Plan(plan.reversal, stamp, {}, () if left else (number,), undoing)
                rows = sum(each.frame.height for each in plan.reversal)
                LOG.info("undoing %s: %s rows of %s records", load_name(number), f"{rows:,}", len(plan.reversal))
                receipt = writing.take(whole, step)
            LOG.info("undone as %s", load_name(receipt.number))
            return replace(plan, number=receipt.number, receipt=receipt)
        except Refused as refused:
            assert planned is not None
            found = tuple(
                UndoConflict(each.record, each.key, None, f"the system says: {each.message}")
                for each in refused.refusals
            )
            return replace(planned, status="refused", blocked_by=found)
        except ConcurrentChange:
            step("somebody else changed the same rows: once more")
    raise OutOfReach(
        "others keep changing the same rows; nothing was undone",
        "Run it again when they are done.",
        "changed-meanwhile",
    )


def plan_undo(system: System, writing: Writing, number: int, step: Step, at: datetime, how: UndoOptions) -> Undone:
    """What would undo a load, and what blocks it of it."""
    entry = standing(writing.history(), number, "kotrel undo {undo} would bring it back.")
    require_whole(writing, number)
    step("reading what the load did")
    done = writing.changes_of(number)
    masters = [each for each in done if not is_of_documents(each)]
    reversal, blocked_by = _reversal(writing, masters, system)
    posted = [each for each in done if is_of_documents(each)]
    staying = with_staying_rows(writing, system.description, reversal, posted, blocked_by)
    reversal = staying.reversal
    blocked_by = [*_naming_loads(list(staying.blocked_by), number, writing), *writing.beyond(reversal)]
    refer = _referring(writing, system, reversal)
    taking = Taking(how.day or at.date(), datetime.now(), f"takes back {load_name(number)}", how.stock, how.partial)
    back = reverse_documents(posted, system.description, writing.read, writing.ledger_sums, taking)
    others = False
    if how.partial:
        while blocked_by or refer:
            blocked_by += refer
            reversal = _drop_blocked(reversal, blocked_by)
            # A row that stays may refer to one that was to go.
            refer = _referring(writing, system, reversal)
            if not refer:
                break
        reversal = (*reversal, *back.changes)
        blocked_by += back.blocked_by
        can = any(each.touches for each in reversal)
        status = ("undone in part" if can else "refused") if blocked_by else "undone"
    else:
        blocked_by += [*refer, *back.blocked_by]
        status = "refused" if blocked_by else "undone"
        others = _nothing_blocks_some(reversal, blocked_by, back)
        reversal = (*reversal, *back.changes)
    return Undone(
        entry,
        status,
        None,
        reversal,
        tuple(blocked_by),
        back.numbers,
        (*staying.remarks, *back.remarks),
        archived=staying.archived,
        others=others,
    )


def _nothing_blocks_some(
    reversal: Sequence[RecordChanges], blocked_by: Sequence[UndoConflict], back: TakenBack
) -> bool:
    """Whether rows or documents are left that could be undone without the others."""
    documents = len(back.numbers) - len({each.key for each in back.blocked_by})
    return documents > 0 or any(each.touches for each in _drop_blocked(reversal, blocked_by))


def require_whole(reading: Reading, number: int) -> None:
    """Makes sure that the journal of a load says what the load did.

    Raises:
        WrongData: it was changed since; the journal of other loads does not matter.
    """
    if trouble := reading.trouble_with(number):
        raise WrongData(
            f"{load_name(number)} cannot be relied on: {trouble}",
            "Ask who writes to the journal's tables; kotrel history shows which loads are whole.",
            "journal-changed",
        )


def _referring(writing: Writing, system: System, reversal: Sequence[RecordChanges]) -> list[UndoConflict]:
    about = system.description
    return [
        found for each in reversal for found in refer_to(writing, about, each.record, each.removed_keys(), reversal)
    ]


def _drop_blocked(reversal: Sequence[RecordChanges], blocked_by: Sequence[UndoConflict]) -> tuple[RecordChanges, ...]:
    """The changes without the rows that something is in the way of."""
    kept: list[RecordChanges] = []
    for part in reversal:
        blocked = [way.key for way in blocked_by if way.record == part.record.name]
        keys = part.frame.select(
            pl.concat_str(
                [pl.coalesce(name, before(name)) for name in part.record.key], separator=" / ", ignore_nulls=True
            )
        ).to_series()
        wanted = ~keys.is_in(blocked)
        kept.append(part if wanted.all() else replace(part, frame=part.frame.filter(wanted), origin=None))
    return tuple(kept)


def _reversal(
    writing: Writing, done: Sequence[RecordChanges], system: System
) -> tuple[tuple[RecordChanges, ...], list[UndoConflict]]:
    """A load's changes reversed, the last record first, and what blocks it of single rows."""
    reversal: list[RecordChanges] = []
    blocked_by: list[UndoConflict] = []
    for changes in reversed(done):
        record = changes.record
        if not changes.frame.height:
            continue
        keys = changes.frame.select(pl.coalesce(name, before(name)).alias(name) for name in record.key)
        first = record.key[0]
        left = [
            name
            for name, field in record.fields.items()
            # What a program that takes files puts into new rows by itself (a number of its own) comes with every one.
            if name not in changes.fields and (field.kept_by == "people" or system.can.removes)
        ]
        read = partial(writing.read, record.name, among=(first, keys[first]))
        turns = fields_in_turn(record.key, left, keys.height) if left and changes.count("new") else ()
        filled = (read(fields, filled=fields[len(record.key) :]) for fields in turns)
        back, found = reverse_by_fields(changes, read, filled)
        blocked_by += found
        reversal.append(back)
    return tuple(reversal), blocked_by


def _naming_loads(blocked_by: list[UndoConflict], number: int, writing: Writing) -> list[UndoConflict]:
    """The same, each with the last of our own loads that changed the row since; somebody else's change has none."""
    wanted = {(each.record, each.key) for each in blocked_by}
    since: dict[tuple[str, str], str] = {}
    later = [each for each in writing.history() if each.number > number and each.kind in ("load", "undo")]
    for entry in sorted(later, key=lambda each: -each.number)[:LATER] if wanted else ():
        for changes in writing.changes_of(entry.number):
            if any(record == changes.record.name for record, _ in wanted - since.keys()):
                keys = changes.frame.select(pl.coalesce(name, before(name)).alias(name) for name in changes.record.key)
                for key in keys.select(key_text(changes.record)).to_series():
                    if (changes.record.name, key) in wanted:
                        since.setdefault((changes.record.name, key), entry.name)
    return [
        replace(conflict, message=f"{conflict.message} (since {since[conflict.record, conflict.key]})")
        if (conflict.record, conflict.key) in since
        else conflict
        for conflict in blocked_by
    ]


def left_book(undone: Undone) -> OutBook:
    """The rows that an undo left as they are, each with what is in its way."""
    rows = pl.DataFrame(
        [[each.record, each.key, each.field, each.message] for each in undone.blocked_by],
        schema=dict.fromkeys(("Record", "Key", "Field", "Blocked by"), pl.String),
        orient="row",
    )
    return OutBook((OutSheet("Left", tuple(OutColumn(name) for name in rows.columns), rows),))
