"""Finds the rows of a load that the database refuses, in its own words, and those that it silently leaves out."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.system_remarks import Refusal
from kotrel.core.columns import ACTION, LINE, ROW, before
from kotrel.systems.interface import ConcurrentChange, Refused
from kotrel.systems.sql.database import Database, RowRefused
from kotrel.systems.sql.merging import Done, Merge
from kotrel.systems.sql.staging import Stage

MOST_REFUSALS = 20
"""At most this many refused rows are searched for; the message says that there may be more."""

VANISHED = "it was accepted without an error, but is not in the table: a trigger, a rule or a policy of the database left it out"
"""What is said of a row that the database neither refuses nor keeps."""


def stage_all(database: Database, staged: Callable[[RecordChanges], Merge], changes: RecordChanges) -> Merge:
    """The rows laid out to be merged.

    Raises:
        Refused: rows whose values the types of their columns do not take, such as a text that is no uuid, found by
            halving.
    """
    database.run("SAVEPOINT staging")
    try:
        merge = staged(changes)
        database.run("RELEASE SAVEPOINT staging")
        return merge
    except RowRefused as refused:
        words = str(refused)
    database.run("ROLLBACK TO SAVEPOINT staging")
    rows = changes.rows_of("new", "changed", "removed")
    bad: list[Refusal] = []
    waiting = [(0, rows.height)]
    while waiting and len(bad) < MOST_REFUSALS:
        low, high = waiting.pop()
        part = rows.slice(low, high - low)
        try:
            with database.trying():
                staged(replace(changes, frame=part))
            continue
        except RowRefused as refused:
            said = str(refused)
        if part.height == 1:
            bad.append(refusal_of(changes, part.row(0, named=True), said))
            continue
        middle = (low + high) // 2
        waiting += [(middle, high), (low, middle)]
    raise Refused([*bad, *_refused_beside(staged, changes, bad)] if bad else [Refusal("", "", "", 0, "", words)])


def _refused_beside(
    staged: Callable[[RecordChanges], Merge], changes: RecordChanges, bad: Sequence[Refusal]
) -> Sequence[Refusal]:
    """What the database refuses of the other rows, once those are left out whose values no column takes: all at once."""
    others = changes.rows_of("new", "changed", "removed").filter(~pl.col(ROW).is_in([each.row for each in bad]))
    if not others.height or len(bad) >= MOST_REFUSALS:
        return ()
    try:
        merge_all(staged(replace(changes, frame=others)))
    except Refused as found:
        return found.refusals
    except (RowRefused, ConcurrentChange):
        pass
    return ()


def merge_all(merge: Merge) -> None:
    """Merges everything.

    Raises:
        Refused: rows that the database does not take, or leaves out.
        ConcurrentChange: fewer rows were affected than expected, because somebody else changed them.
    """
    database, trouble = merge.database, ""
    database.run("SAVEPOINT merging")
    try:
        trouble = _say_missing(merge, merge.merge())
        if not trouble:
            database.run("RELEASE SAVEPOINT merging")
            return
    except RowRefused:
        pass
    database.run("ROLLBACK TO SAVEPOINT merging")
    found = find_refused(merge)
    if found.refusals or not trouble:
        raise found
    raise ConcurrentChange(trouble)


def _say_missing(merge: Merge, done: Done) -> str:
    """What is missing, in words; an empty text where every row was affected."""
    for action, count in done.items():
        wanted = merge.changes.counts.get(action, 0)
        # A trigger may put a row elsewhere and say that nothing was inserted, as long as the table then has it.
        if count != wanted and not (action == "new" and not _count_missing(merge, "new")):
            return f"{count} of {wanted} rows {action}"
    return ""


def find_refused(merge: Merge, deferred: bool = False) -> Refused:
    """The rows that the database refuses, found by halving: each part is tried and rolled back.

    Args:
        deferred: what it would check only at the end counts too.
    """
    places = _acting(merge.stage)
    bad: list[Refusal] = []
    waiting = [(0, places.height - 1)] if places.height else []
    while waiting and len(bad) < MOST_REFUSALS:
        low, high = waiting.pop()
        part = places.slice(low, high - low + 1)
        words = _try(merge, part, deferred)
        if words is None:
            continue
        if low == high:
            bad.append(refusal_of(merge.changes, part.row(0, named=True), words))
            continue
        middle = (low + high) // 2
        waiting += [(middle + 1, high), (low, middle)]
    return Refused(bad)


def _acting(stage: Stage) -> pl.DataFrame:
    """The rows that change anything, each with its line."""
    rows = stage.changes.lines_from(stage.lines.start)
    return rows.filter(pl.col(ACTION).is_in(["new", "changed", "removed"]))


def refusal_of(changes: RecordChanges, row: dict[str, object], words: str) -> Refusal:
    """A refusal of a row of the changes."""
    key = " / ".join(str(row[name] or row[before(name)]) for name in changes.record.key)
    return Refusal(changes.record.name, changes.file, changes.sheet, int(str(row[ROW])), key, words)


def _try(merge: Merge, part: pl.DataFrame, deferred: bool) -> str | None:
    """Why the database does not take a part of the rows, or None; nothing of it stays."""
    wanted = {action: int((part[ACTION] == action).sum()) for action in ("new", "changed", "removed")}
    try:
        with merge.database.trying():
            span = (int(part[LINE][0]), int(part[LINE][-1]))
            done = merge.merge(span)
            if done["new"] < wanted["new"] and _count_missing(merge, "new", span):
                return VANISHED
            # A row that somebody else has removed is no row that the database leaves out.
            if done["changed"] < wanted["changed"] and not _count_missing(merge, "changed", span):
                return VANISHED
            if deferred:
                merge.database.check_deferred()
    except RowRefused as refused:
        return str(refused)
    return None


def _count_missing(merge: Merge, action: str, span: tuple[int, int] | None = None) -> int:
    """How many of the staged rows with an action the table does not hold."""
    stage, store = merge.stage, merge.store
    mine = "".join(f" AND {condition}" for condition in store.mine("t"))
    only = f" AND s.line BETWEEN {span[0]} AND {span[1]}" if span else ""
    [(missing,)] = merge.database.run(
        f"SELECT count(*) FROM {stage.name} AS s WHERE s.action = '{action}'{only} AND NOT EXISTS "
        f"(SELECT 1 FROM {store.name} AS t WHERE {stage.same_key()}{mine})"
    )
    return int(missing)


def settle_deferred(database: Database, merges: Sequence[Callable[[], Merge]]) -> None:
    """Checks the constraints that the database would check only at the end, while the rows can still be named.

    Args:
        merges: stages each record's rows anew, in load order.

    Raises:
        Refused: the rows that break one.
    """
    try:
        database.check_deferred()
        return
    except RowRefused as refused:
        words = str(refused)
    # Which rows: those that fail alone are left out; where the rest then holds, each is added again to see whether it
    # was one.
    database.run("ROLLBACK TO SAVEPOINT loading")
    suspects: list[tuple[int, int, Refusal]] = []
    for number, staged in enumerate(merges):
        merge = staged()
        places = _acting(merge.stage)
        for refusal in find_refused(merge, deferred=True).refusals:
            line = int(places.filter(pl.col(ROW) == refusal.row)[LINE][0])
            suspects.append((number, line, refusal))
        merge.merge()
    database.run("ROLLBACK TO SAVEPOINT loading")
    certain = _without_innocents(database, merges, suspects)
    raise Refused(certain or [Refusal("", "", "", 0, "", words)])


def _without_innocents(
    database: Database, merges: Sequence[Callable[[], Merge]], suspects: Sequence[tuple[int, int, Refusal]]
) -> list[Refusal]:
    """The suspects without those that hold once the other rows of the load are there."""
    kept_out = {(number, line) for number, line, _ in suspects}
    certain: list[Refusal] = []
    for number, line, refusal in suspects:
        kept_out.discard((number, line))
        try:
            with database.trying():
                for index, staged in enumerate(merges):
                    merge = staged()
                    for span in _spans(merge.stage, {at for n, at in kept_out if n == index}):
                        merge.merge(span)
                database.check_deferred()
        except RowRefused as refused:
            kept_out.add((number, line))
            certain.append(Refusal(refusal.record, refusal.file, refusal.sheet, refusal.row, refusal.key, str(refused)))
    return certain


def _spans(stage: Stage, without: set[int]) -> list[tuple[int, int]]:
    """The lines of a stage in spans that leave some out."""
    spans, start = [], stage.lines.start
    for line in [*sorted(without), stage.lines.stop]:
        if line > start:
            spans.append((start, line - 1))
        start = line + 1
    return spans
