"""Undoes one load, or says exactly what stands in the way."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.journal import Entry, Stamp, standing
from kotrel.core.changes.reversal import InTheWay, reverse
from kotrel.core.columns import before
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.systems.interface import ConcurrentChange, Refused, Step, System, Writing
from kotrel.workspace.in_progress import in_progress

TRIES = 3
"""An undo is tried this many times if somebody else changes the same rows while it runs."""


@dataclass(frozen=True)
class Undone:
    """How it ended (``undone`` or ``refused``), and the changes that undid the load or would have."""

    entry: Entry
    status: str
    number: int | None
    reversal: tuple[RecordChanges, ...]
    in_the_way: tuple[InTheWay, ...]

    def count(self, action: str) -> int:
        """Rows with an action: ``removed``, ``changed`` (restored) or ``new`` (added again)."""
        return sum(each.count(action) for each in self.reversal)


def load_number(text: str) -> int:
    """``L0001``, ``l1`` or ``1`` → 1.

    Raises:
        WrongUse: it is not a load number.
    """
    found = re.fullmatch(r"[Ll]?0*([1-9]\d{0,8})", text.strip())
    if not found:
        raise WrongUse(
            f"“{text}” is not a load number", "Load numbers look like L0001; kotrel history lists them.", "no-such-load"
        )
    return int(found[1])


def undo_load(
    system: System,
    number: int,
    who: str,
    remark: str,
    at: datetime,
    step: Step,
    hidden: Path,
    agree: Callable[[Undone], bool] | None = None,
) -> Undone:
    """Undoes a load, all of it or nothing. The undo is a load of its own in the history.

    Args:
        hidden: where a note is kept while it runs.
        agree: called with what would change, if there is a person to ask.

    Raises:
        WrongUse: there is no such load, or it is already undone.
        OutOfReach: the system cannot be reached, or others keep changing the same rows.
    """
    if agree is not None:
        # The question is asked without a lock: others can work while the user reads.
        with system.writing() as writing:
            plan = _plan(system, writing, number, step)
        if plan.in_the_way:
            return plan
        if not agree(plan):
            return replace(plan, status="not undone")
    with in_progress(hidden, Stamp(at, who, (), _content(system, number), remark, "undo", number)):
        return _undo(system, number, who, remark, at, step)


def _content(system: System, number: int) -> str:
    """The fingerprint of a load; its undo has the same."""
    return next((entry.fingerprint for entry in system.history() if entry.number == number), "")


def _undo(system: System, number: int, who: str, remark: str, at: datetime, step: Step) -> Undone:
    for _ in range(TRIES):
        planned: Undone | None = None
        try:
            with system.writing() as writing:
                planned = plan = _plan(system, writing, number, step)
                if plan.in_the_way:
                    return plan
                stamp = Stamp(at, who, plan.entry.files, plan.entry.fingerprint, remark, "undo", number)
                done = writing.apply(plan.reversal, stamp, step).number
                writing.mark_undone(number, done)
                if plan.entry.kind == "undo" and plan.entry.of is not None:
                    # Undoing an undo: the load that it had undone is in force again.
                    writing.mark_undone(plan.entry.of, None)
            return replace(plan, number=done)
        except Refused as refused:
            assert planned is not None
            found = tuple(
                InTheWay(each.record, each.key, None, f"the system says: {each.message}") for each in refused.refusals
            )
            return replace(planned, status="refused", in_the_way=found)
        except ConcurrentChange:
            step("somebody else changed the same rows: once more")
    raise OutOfReach(
        "others keep changing the same rows; nothing was undone",
        "Run it again when they are done.",
        "changed-meanwhile",
    )


def _plan(system: System, writing: Writing, number: int, step: Step) -> Undone:
    entry = standing(writing.history(), number, "kotrel undo {undo} would bring it back.")
    step("reading what the load did")
    reversal, in_the_way = _reversal(writing, number)
    return Undone(entry, "refused" if in_the_way else "undone", None, reversal, tuple(in_the_way))


def _reversal(writing: Writing, number: int) -> tuple[tuple[RecordChanges, ...], list[InTheWay]]:
    """The load's changes reversed, the last record first, and what stands in the way."""
    reversal: list[RecordChanges] = []
    in_the_way: list[InTheWay] = []
    for changes in reversed(writing.changes_of(number)):
        record = changes.record
        if not changes.frame.height:
            continue
        keys = changes.frame.select(pl.coalesce(name, before(name)).alias(name) for name in record.key)
        first = record.key[0]
        now = writing.read(record.name, changes.fields, (first, keys[first]))
        left = [name for name in record.fields if name not in changes.fields]
        filled: pl.DataFrame | None = None
        if left and changes.count("new"):
            filled = writing.read(record.name, [*record.key, *left], (first, keys[first]), filled=left)
        back, found = reverse(changes, now, filled)
        in_the_way += found
        reversal.append(back)
    for each in reversal:
        in_the_way += writing.refer_to(each.record, each.removed_keys(), reversal)
    return tuple(reversal), in_the_way
