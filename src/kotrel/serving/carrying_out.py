"""A job → what the system made of it. The rows are checked by the same code as at the client,
in the transaction of the load.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from datetime import datetime
from decimal import Decimal, InvalidOperation
from typing import Any

import polars as pl
from msgspec.structs import asdict, replace

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan, Undoing
from kotrel.core.changes.plan_pieces import BETWEEN, SentPart, changes_in, stamp_from, undoing_from
from kotrel.core.changes.system_remarks import Refusal
from kotrel.core.columns import ACTION, ROW, before, clearing
from kotrel.core.description.model import Field, Record
from kotrel.core.errors import KotrelError, WrongUse
from kotrel.core.loading.load_model import Preview, SheetRows
from kotrel.core.loading.pipeline import preview
from kotrel.core.matching.plain_rows import plain_rows
from kotrel.core.rows.load_options import DEFAULT_OPTIONS
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import FileFacts
from kotrel.loading.loads.plans import plan_of
from kotrel.loading.loads.undoing import UndoOptions, plan_undo
from kotrel.loading.sheets_in.checking import business_of
from kotrel.serving.picture_addresses import NOTHING_COMES, facts_from, with_coming
from kotrel.serving.problems import log_error
from kotrel.systems.interface import ConcurrentChange, Receipt, Refused, Step, Writing
from kotrel.systems.sql.database_system import SqlReading
from kotrel.systems.sql.dialect import Dialect, quoted
from kotrel.workspace.settings import Workspace

DONE = "service_job"
"""The table that says which jobs have become which load."""


def create_table(workspace: Workspace) -> None:
    """The table of jobs that were done, in the practice system itself."""
    from kotrel.systems.opening_systems import database_at

    database = database_at(workspace.url, workspace.folder)()
    try:
        if not database.has_table(*database.dialect.in_journal(DONE)):
            database.create([f"CREATE TABLE {_name(database.dialect)} (job TEXT PRIMARY KEY, load INTEGER NOT NULL)"])
    finally:
        database.close()


def _name(dialect: Dialect) -> str:
    return quoted(*dialect.in_journal(DONE))


def carry_out(
    workspace: Workspace,
    job: str,
    header: dict[str, Any],
    pieces: Sequence[tuple[int, bytes]],
    say: Callable[[str], None],
) -> dict[str, Any]:
    """Does a job, all of it or nothing; never raises: what went wrong is part of the answer."""
    try:
        stamp, undoing, trial = stamp_from(header), undoing_from(header), bool(header.get("trial"))
        sent = changes_in(header, pieces, workspace.description)
        coming = facts_from(header.get("pictures") or {})
    except (ArithmeticError, ValueError, LookupError, TypeError, AttributeError, pl.exceptions.PolarsError) as error:
        return _failed(f"the job is not as the protocol says: {error}", "", "wrong-job")
    try:
        expects = bool(header.get("expects"))
        return {
            "status": "finished",
            "result": _result(workspace, job, sent, stamp, undoing, trial, expects, say, coming),
        }
    except KotrelError as error:
        return _failed(error.message, error.hint, error.kind)
    except Exception as error:  # a job must end, whatever it met
        what = f"unexpected: {type(error).__name__}"
        return _failed(what, f"The details are in the service's {log_error(workspace, job)}.", "unexpected")


def _failed(title: str, detail: str, kind: str) -> dict[str, Any]:
    return {"status": "failed", "problem": {"title": title, "detail": detail, "kind": kind}}


def _result(
    workspace: Workspace,
    job: str,
    sent: Sequence[SentPart],
    stamp: Stamp,
    undoing: Undoing | None,
    trial: bool,
    expects: bool,
    say: Callable[[str], None],
    coming: Mapping[str, FileFacts],
) -> dict[str, Any]:
    try:
        with workspace.system().writing() as writing:
            if (load := _load_of(writing, job)) is not None:
                # It was done before a restart; only the answer was lost.
                return {"outcome": "loaded", "load": load}
            if undoing is None:
                found = _preview(workspace, writing, sent, say, coming=coming)
                if not found.ok:
                    raise Refused(_refusals(found))
                plan = plan_of(found, stamp)
                if not expects and (wrong := not_so(sent, plan)):
                    raise Refused(wrong)
            else:
                plan = _undo_plan(workspace, writing, undoing, stamp, say)
            if expects and not same_rows([each.changes for each in sent], plan.changes):
                return {"outcome": "changed-meanwhile"}
            left = [each.changes.refused() for each in sent]
            plan = replace(plan, changes=(*plan.changes, *(each for each in left if each.frame.height)))
            receipt = writing.try_out(plan, say) if trial else writing.take(plan, say)
            if not trial:
                _note(writing, job, receipt)
    except ConcurrentChange:
        return {"outcome": "changed-meanwhile"}
    except Refused as refused:
        number = None if trial or undoing is not None else _note_refused(workspace, sent, stamp, refused.refusals, say)
        return {"outcome": "refused", "load": number, "refusals": [asdict(each) for each in refused.refusals]}
    return {
        "outcome": "tried" if trial else "loaded",
        "load": receipt.number or None,
        "altered": [asdict(each) for each in receipt.altered],
    }


def _preview(
    workspace: Workspace,
    writing: Writing,
    sent: Sequence[SentPart],
    step: Step,
    refusals: Sequence[Refusal] = (),
    coming: Mapping[str, FileFacts] = NOTHING_COMES,
) -> Preview:
    """What the rows sent would do here and now; rows that only follow from others are worked out again.

    Args:
        coming: pictures that would be sent with a load that is only tried.
    """
    order = workspace.description.order
    parts = [
        SheetRows(_rows(each, follows))
        for each, follows, _ in sent
        if each.record.nature != "ledger" and (~follows & (each.frame[ACTION] != "refused")).any()
    ]
    parts.sort(key=lambda each: order.index(each.rows.record.name))
    business = business_of(workspace, DEFAULT_OPTIONS, datetime.now())
    business = replace(business, files=with_coming(business.files, coming))
    return preview(parts, business, writing, step, refusals)


def _rows(changes: RecordChanges, follows: pl.Series) -> Rows:
    frame = changes.frame.filter(~follows & (pl.col(ACTION) != "refused"))
    others = [name for name in changes.fields if name not in changes.record.key]
    cleared = [
        name
        for name in others
        if frame.select((pl.col(name).is_null() & pl.col(before(name)).is_not_null()).any()).item()
    ]
    values = frame.select(
        ROW,
        *changes.fields,
        *((pl.col(name).is_null() & pl.col(before(name)).is_not_null()).alias(clearing(name)) for name in cleared),
    )
    return plain_rows(changes.record, changes.file, changes.sheet, values)


def not_so(sent: Sequence[SentPart], plan: Plan) -> list[Refusal]:
    """The rows that would do something else than their action and what they say of the state before.

    A client that says ``expects`` is told of it as a whole; to any other, each row is a promise of its own.
    """
    refusals: list[Refusal] = []
    for changes, follows, given in sent:
        record, key = changes.record, list(changes.record.key)
        if record.nature == "ledger":
            continue
        names = [name for name in changes.fields if name not in key]
        differing = [
            part.frame.select(
                *key,
                pl.col(ACTION).alias("does"),
                *(pl.col(before(n)).alias(f"held {n}") for n in names if n in part.fields),
            )
            for part in plan.changes
            if part.record.name == record.name
        ]
        if not differing:
            continue
        planned = pl.concat(differing, how="diagonal").unique(key, keep="first")
        rows = changes.frame.with_columns(given.alias("given")).filter(~follows & (pl.col(ACTION) != "refused"))
        for row in rows.join(planned, on=key, how="left", nulls_equal=True, maintain_order="left").iter_rows(
            named=True
        ):
            words = _promise(row, record, names)
            if words is not None:
                code = " / ".join(str(row[name] or "") for name in key)
                message, name = words
                refusals.append(Refusal(record.name, changes.file, changes.sheet, row[ROW], code, message, field=name))
    return refusals


def _promise(row: Mapping[str, Any], record: Record, names: Sequence[str]) -> tuple[str, str | None] | None:
    """What is not as a row says, and at which field."""
    says, does = row[ACTION], row["does"]
    if says == "removed":
        return "a load removes nothing: undo the load that brought it", None
    if says == "new" and does in ("changed", "same"):
        return "it is there already, and its action is new", None
    if says == "changed" and does == "new":
        return "it is not there, and its action is changed", None
    if says == "changed" and does == "changed":
        for name in set(row["given"].split(BETWEEN)) & set(names):
            held, sent = row.get(f"held {name}"), row[before(name)]
            if _value(held, record.fields[name]) != _value(sent, record.fields[name]):
                shown = "blank" if held is None else f"“{held}”"
                was = "blank" if sent is None else f"“{sent}”"
                return f"{name} is {shown} by now, and was {was} when this was sent", name
    return None


def _value(text: str | None, about: Field) -> object:
    """A value to compare: 12.5 and 12.50 are one number."""
    if text is not None and about.is_decimal:
        with suppress(InvalidOperation):
            return Decimal(text)
    return text


def _refusals(found: Preview) -> list[Refusal]:
    refusals: list[Refusal] = []
    for each in found.checked:
        rows = each.rows
        keys = dict(rows.values.select(ROW, key_text(rows.record).alias("key")).iter_rows()) if rows.has_key else {}
        for group in rows.findings:
            if group.severity == "error":
                for row, message in group.cells.select(ROW, "message").iter_rows():
                    words = str(message or group.title)
                    refusals.append(
                        Refusal(
                            rows.record.name,
                            rows.table.file,
                            rows.table.sheet,
                            row,
                            str(keys.get(row) or ""),
                            words,
                            field=group.field,
                        )
                    )
    return refusals


def _undo_plan(workspace: Workspace, writing: Writing, undoing: Undoing, stamp: Stamp, step: Step) -> Plan:
    how = UndoOptions(undoing.partial, undoing.day, workspace.stock)
    planned = plan_undo(workspace.system(), writing, undoing.of, step, stamp.at, how)
    if planned.status == "refused":
        first = planned.blocked_by[0]
        raise WrongUse(f"it cannot be undone: {first.record} {first.key}: {first.message}", "", "in-the-way")
    left = bool(planned.blocked_by)
    stamp = replace(stamp, files=planned.entry.files, fingerprint=planned.entry.fingerprint)
    return Plan(planned.reversal, stamp, {}, () if left else (undoing.of,), undoing)


def same_rows(first: Sequence[RecordChanges], second: Sequence[RecordChanges]) -> bool:
    """Do two change sets do the same to the same rows? The moment at which documents are posted does not count."""
    one, other = _by_record(first), _by_record(second)
    return one.keys() == other.keys() and all(one[name].equals(other[name]) for name in one)


def _by_record(changes: Sequence[RecordChanges]) -> dict[str, pl.DataFrame]:
    frames: dict[str, list[pl.DataFrame]] = {}
    for part in changes:
        touched = part.rows_of("new", "changed", "removed")
        if touched.height:
            timeless = [name for name in part.fields if not (part.record.nature == "ledger" and name == "posted_at")]
            columns = [ACTION, *timeless, *(before(name) for name in timeless)]
            frames.setdefault(part.record.name, []).append(touched.select(columns))
    frame_of = {}
    for name, mine in frames.items():
        whole = pl.concat(mine, how="diagonal")
        columns = sorted(whole.columns)
        frame_of[name] = whole.select(columns).sort(columns)
    return frame_of


def _note(writing: Writing, job: str, receipt: Receipt) -> None:
    assert isinstance(writing, SqlReading)
    writing.database.run(f"INSERT INTO {_name(writing.database.dialect)} VALUES (?, ?)", [job, receipt.number])


def _load_of(writing: Writing, job: str) -> int | None:
    assert isinstance(writing, SqlReading)
    rows = writing.database.run(f"SELECT load FROM {_name(writing.database.dialect)} WHERE job = ?", [job])
    return int(rows[0][0]) if rows else None


def _note_refused(
    workspace: Workspace, sent: Sequence[SentPart], stamp: Stamp, refusals: Sequence[Refusal], step: Step
) -> int:
    """The history has a load that was refused, with its reasons."""
    with workspace.system().writing() as writing:
        found = _preview(workspace, writing, sent, step, refusals)
        return writing.note_refused(found.changes, replace(stamp, kind="refused"))
