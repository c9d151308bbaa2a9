"""Takes one load back, or says exactly what stands in the way."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

import polars as pl

from kotrel.core.changes import RecordChanges, before
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.way_back import InTheWay, reverse
from kotrel.systems.interface import Entry, Moved, Refused, Stamp, Step, System, Writing, load_name
from kotrel.workspace.under_way import under_way

TRIES = 3
"""So often an undo is tried anew when somebody else changes the same rows while it runs."""


@dataclass(frozen=True)
class Undone:
    """How it ended: ``undone`` or ``refused``, and the way back that was gone or would have been."""

    entry: Entry
    status: str
    number: int | None
    way_back: tuple[RecordChanges, ...]
    in_the_way: tuple[InTheWay, ...]

    def count(self, action: str) -> int:
        """Rows with an action of the way back: ``removed``, ``changed`` (restored) or ``new`` (put back)."""
        return sum(each.count(action) for each in self.way_back)


def load_number(text: str) -> int:
    """``L0001``, ``l1`` or ``1`` → 1.

    Raises:
        WrongUse: it is no load number.
    """
    found = re.fullmatch(r"[Ll]?0*([1-9]\d{0,8})", text.strip())
    if not found:
        raise WrongUse(
            f"“{text}” is no load", "A load is called like L0001; kotrel history lists them.", "no-such-load"
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
    """Takes a load back, all of it or nothing. Undoing is a load of its own in the history.

    Args:
        hidden: where a note is kept as long as it is under way.
        agree: shown the way back and asked, where there is a person to ask.

    Raises:
        WrongUse: there is no such load, or it is undone already.
        OutOfReach: the system cannot be reached, or others keep changing the same rows.
    """
    if agree is not None:
        # The question is asked with nothing held: others go on working while the user reads.
        with system.writing() as writing:
            plan = _plan(system, writing, number, step)
        if plan.in_the_way:
            return plan
        if not agree(plan):
            return replace(plan, status="not undone")
    with under_way(hidden, Stamp(at, who, (), _content(system, number), remark, "undo", number)):
        return _undo(system, number, who, remark, at, step)


def _content(system: System, number: int) -> str:
    """The fingerprint of a load; its undo bears the same."""
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
                done = writing.apply(plan.way_back, stamp, step)
                writing.mark_undone(number, done)
                if plan.entry.kind == "undo" and plan.entry.of is not None:
                    # Taking back an undo: the load it took back stands again.
                    writing.mark_undone(plan.entry.of, None)
            return replace(plan, number=done)
        except Refused as refused:
            assert planned is not None
            found = tuple(
                InTheWay(each.record, each.key, None, f"the system says: {each.message}") for each in refused.refusals
            )
            return replace(planned, status="refused", in_the_way=found)
        except Moved:
            step("somebody else changed the same rows: once more")
    raise OutOfReach(
        "others keep changing the same rows; nothing was undone",
        "Run it again when they are done.",
        "changed-meanwhile",
    )


def _plan(system: System, writing: Writing, number: int, step: Step) -> Undone:
    entry = _entry(writing, number)
    step("looking at what the load did")
    way_back, in_the_way = _way_back(writing, number)
    return Undone(entry, "refused" if in_the_way else "undone", None, way_back, tuple(in_the_way))


def _entry(writing: Writing, number: int) -> Entry:
    entries = {entry.number: entry for entry in writing.history()}
    if number not in entries:
        raise WrongUse(f"there is no load {load_name(number)}", "kotrel history lists them.", "no-such-load")
    entry = entries[number]
    if entry.status == "refused":
        raise WrongUse(f"{entry.name} was refused: nothing of it is in the system", "", "load-refused")
    if entry.undone_by:
        raise WrongUse(
            f"{entry.name} is undone already, by {load_name(entry.undone_by)}",
            f"kotrel undo {load_name(entry.undone_by)} would bring it back.",
            "undone-already",
        )
    return entry


def _way_back(writing: Writing, number: int) -> tuple[tuple[RecordChanges, ...], list[InTheWay]]:
    """The load's changes turned round, the last record first, and what stands in the way."""
    way_back: list[RecordChanges] = []
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
        way_back.append(back)
    for each in way_back:
        in_the_way += writing.refer_to(each.record, each.removed_keys(), way_back)
    return tuple(way_back), in_the_way
