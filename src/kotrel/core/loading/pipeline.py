"""Rows as they were read → checked rows → what a load would change. No files and no workspace: any caller can run it.

The commands run it on files against a connected system; a service can run the same code on rows that were sent to it.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from functools import partial

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges, join_changes
from kotrel.core.changes.moved_changes import find_moved_changes
from kotrel.core.changes.row_comparison import compare, compare_by_fields
from kotrel.core.changes.system_remarks import Refusal, replaced_more, with_refusals
from kotrel.core.checking.across_sheets import check_across
from kotrel.core.checking.all_checks import CHECKS, Check, check_rows
from kotrel.core.checking.dependents import with_dependents
from kotrel.core.columns import ROW
from kotrel.core.documents.changed_meaning import find_changed_meaning
from kotrel.core.loading.document_steps import shape_parts, with_documents
from kotrel.core.loading.joint_rows import from_same_row
from kotrel.core.loading.load_model import Business, Checked, Preview, SheetRows, Step, SystemReader, in_load, joined
from kotrel.core.pricing.sheet_guard import SheetGuard
from kotrel.core.resolving.periods import follow_periods_together
from kotrel.core.resolving.ready_rows import Ready, ready_rows, require_known_options
from kotrel.core.rows.cells import at_their_cells
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import PendingRows, SystemState

_PRICED = ("item", "price")
"""Records with prices: what :mod:`kotrel.core.pricing` looks at."""


def check_parts(
    parts: Sequence[SheetRows], business: Business, look: SystemReader, step: Step, refusals: Sequence[Refusal] = ()
) -> list[Checked]:
    """Readies and checks parts in their order; rows of one part count as existing for those after it.

    Args:
        parts: in load order.
        refusals: what the system itself has reported on rows of this load.

    Raises:
        WrongUse: the load options do not fit these records.
    """
    require_known_options(business.options, business.description, [each.rows.record.name for each in parts])
    parts = shape_parts(parts, business, look)
    pending: dict[str, PendingRows] = {}
    held = business.state(look, {})
    checked: list[Checked] = []
    for name, group in itertools.groupby(parts, lambda each: each.rows.record.name):
        step(f"checking {business.description.records[name].title.lower()}")
        # A sheet can be right in itself; only the system knows whether it takes such rows at all.
        look.require(name)
        done = [each.rows for each in checked if each.consequence is None]
        ready = [replace(each, rows=from_same_row(each.rows, done)) for each in group]
        checked += _check_record(ready, business, held, pending, refusals)
    return with_documents(checked, business, look)


def _check_record(
    parts: Sequence[SheetRows],
    business: Business,
    held: SystemState,
    pending: dict[str, PendingRows],
    refusals: Sequence[Refusal],
) -> list[Checked]:
    """Readies and checks all rows of one record, from however many sheets; adds them to what is pending."""
    state = held.with_pending(pending)
    readied = _readied(parts, business, state)
    across = check_across([each.rows for each in readied], state) if len(parts) > 1 else [[]]
    books = _about_books(parts, readied, state)
    done: list[Checked] = []
    loads: list[PendingRows] = []
    others = _rows_of_other_sheets([each.rows for each in readied])
    for index, (part, ready) in enumerate(zip(parts, readied, strict=True)):
        state = held.with_pending(pending)
        # The same state: what is created was not on any list before.
        caused = [(it, with_refusals(check_rows(it.rows, state), refusals)) for it in ready.consequences]
        before = dict(pending)
        for _, rows in caused:
            pending[rows.record.name] = in_load(rows, pending.get(rows.record.name))
        beside = others[index]
        if caused or beside is not None:
            with_them = dict(pending)
            _add_pending(with_them, ready.rows.record.name, beside)
            state = held.with_pending(with_them)
        rows = check_rows(ready.rows, state, _checks_of(part, business.prices))
        rows = rows.with_findings([*across[index], *books[index]])
        rows = with_dependents(with_refusals(rows, refusals), state)
        good = rows.values[ROW].filter(~rows.values[ROW].is_in(rows.refused.implode()))
        for consequence, made in caused:
            # What only refused rows would have caused does not happen.
            left = consequence.caused_by(good, made)
            pending[left.record.name] = in_load(left, before.get(left.record.name))
            if left.values.height:
                done.append(Checked(left, consequence=consequence.kind))
        rows = at_their_cells(rows)
        remarks = (*part.remarks, *ready.remarks)
        done.append(Checked(rows, remarks, ready.now, has_own_guards=part.book is not None))
        if rows.has_key:
            loads.append(in_load(rows, None))
    for each in loads:
        _add_pending(pending, parts[0].rows.record.name, each)
    return done


def _about_books(parts: Sequence[SheetRows], readied: Sequence[Ready], state: SystemState) -> list[list[FindingGroup]]:
    """The remarks on a workbook of prices that was written here; none for any other sheet."""
    if all(part.book is None for part in parts):
        return [[] for _ in parts]
    from kotrel.core.pricing.price_workbook_checks import check_book

    return check_book([(ready.rows, part.book) for part, ready in zip(parts, readied, strict=True)], state)


def _checks_of(part: SheetRows, guard: SheetGuard) -> tuple[Check, ...]:
    """The checks of a sheet; a workbook of new prices has guards of its rules, any other with prices those of all sheets."""
    if part.book is not None or part.rows.record.name not in _PRICED:
        return CHECKS
    from kotrel.core.pricing.below_cost import check_below_cost

    return (*CHECKS, partial(check_below_cost, guard=guard))


def _readied(parts: Sequence[SheetRows], business: Business, state: SystemState) -> list[Ready]:
    """The rows of each sheet, ready for the checks; where there are several, periods are followed for all together."""
    alone, today = len(parts) == 1, business.now.date()
    readied = [
        ready_rows(each.rows, each.base, state, business.options, business.conventions, alone, today) for each in parts
    ]
    if alone or parts[0].rows.record.period is None:
        return readied
    followed = follow_periods_together([each.rows for each in readied], state, business.options.after_end, today)
    return [
        replace(each, rows=rows, consequences=(*each.consequences, *ended), remarks=(*each.remarks, *said))
        for each, (rows, ended, said) in zip(readied, followed, strict=True)
    ]


def _add_pending(pending: dict[str, PendingRows], name: str, more: PendingRows | None) -> None:
    if more is not None:
        pending[name] = joined(pending[name], more) if name in pending else more


def _rows_of_other_sheets(sheets: Sequence[Rows]) -> list[PendingRows | None]:
    """For each sheet of a record, the rows of all its others, where a row may refer to one of them; else None.

    Built up from both ends: the work grows with the sheets, and not with their square.
    """
    if len(sheets) == 1 or not any(_looks_at_its_own(each) for each in sheets):
        return [None] * len(sheets)
    loads = [in_load(each, None) if each.has_key else None for each in sheets]

    def added(first: PendingRows | None, second: PendingRows | None) -> PendingRows | None:
        return second if first is None else first if second is None else joined(first, second)

    before = list(itertools.accumulate([None, *loads[:-1]], added))
    after = list(itertools.accumulate([None, *reversed(loads[1:])], added))[::-1]
    return [
        added(left, right) if _looks_at_its_own(each) else None
        for each, left, right in zip(sheets, before, after, strict=True)
    ]


def _looks_at_its_own(rows: Rows) -> bool:
    """True where a row may refer to another row of the same record, or must not lead back to one."""
    record = rows.record
    return bool(record.circles) or any(record.fields[name].to == record.name for name in rows.fields)


def preview(
    parts: Sequence[SheetRows],
    business: Business,
    look: SystemReader,
    step: Step,
    refusals: Sequence[Refusal] = (),
    with_stakes: bool = False,
) -> Preview:
    """Checks parts and compares them with what the system holds, in one consistent look.

    Args:
        with_stakes: also work out what the load does to prices, in sum: somebody is going to read it.
    """
    checked = check_parts(parts, business, look, step, refusals)
    changes = []
    for index, part in enumerate(checked):
        rows = part.rows
        if not rows.has_key:
            continue
        step(f"comparing {rows.record.title.lower()}")
        change = _compared(rows, part.now, look)
        if more := look.replaced_otherwise(change):
            rows = rows.with_findings(replaced_more(rows, more))
            checked[index] = replace(part, rows=rows)
            change = _compared(rows, part.now, look)
        if odd := _odd_changes(part, rows, change, business, look):
            checked[index] = replace(part, rows=rows.with_findings(odd))
        changes.append(change)
    order = business.description.order
    changes.sort(key=lambda each: order.index(each.record.name))
    together = tuple(join_changes(changes))
    if not with_stakes:
        return Preview(tuple(checked), together)
    from kotrel.core.pricing.price_impact import price_stakes

    stakes = price_stakes(together, business.description, look.read, look.ledger_sums)
    return Preview(tuple(checked), together, stakes=stakes)


def _odd_changes(
    part: Checked, rows: Rows, change: RecordChanges, business: Business, look: SystemReader
) -> list[FindingGroup]:
    """What only shows beside what the system holds: changes that nobody may have meant."""
    if part.consequence is not None:
        return []
    odd = find_moved_changes(rows, change)
    odd += find_changed_meaning(rows, change, business.description, look.read, look.ledger_sums)
    if rows.record.name in _PRICED and not part.has_own_guards:
        from kotrel.core.pricing.odd_changes import find_odd_prices

        odd += find_odd_prices(rows, change, business.description, look.read)
    return odd


def _compared(rows: Rows, now: pl.DataFrame | None, look: SystemReader) -> RecordChanges:
    """What a load of the rows would change, compared with the system's rows that were read for them, or are now."""
    record, first = rows.record, rows.record.key[0]
    if now is not None and all(name in now.columns for name in record.loadable if name in rows.fields):
        return compare(rows, now)
    return compare_by_fields(rows, lambda fields: look.read(record.name, fields, (first, rows.values[first])))
