"""Rows as they were read → checked rows → what a load would change. No files and no workspace: any caller can run it.

The commands run it on files against a connected system; a service can run the same code on rows that were sent to it.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, compare, in_reference_order, key_text, put_together
from kotrel.core.changes.journal import Entry, Refusal
from kotrel.core.changes.system_remarks import replaced_more, with_refusals
from kotrel.core.checking import check_rows
from kotrel.core.checking.across import check_across
from kotrel.core.checking.dependents import with_dependents
from kotrel.core.columns import ROW
from kotrel.core.description.model import Description
from kotrel.core.pricing.book_checks import PriceBook, check_book
from kotrel.core.readying.ready_rows import ready_rows, require_known_options
from kotrel.core.readying.same_row import from_same_row
from kotrel.core.readying.three_way import ExportBase
from kotrel.core.rows.cells import at_their_cells
from kotrel.core.rows.findings import rows_with
from kotrel.core.rows.load_options import DEFAULT_OPTIONS, LoadOptions
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import Files, InLoad, Reader, SystemState
from kotrel.core.values.conventions import Conventions

Step = Callable[[str], None]
"""Called with the name of each step of a long piece of work as it begins."""


class Look(Protocol):
    """One consistent look at a system: all reads see the same moment."""

    @property
    def read(self) -> Reader:
        """Reads rows of a record."""

    def require(self, record: str) -> None:
        """Raises OutOfReach where the system does not hold the record as described."""

    def replaced_otherwise(self, changes: RecordChanges) -> list[tuple[int, str, str]]:
        """Row, field and what the system really holds, where a change would replace more than is shown of it."""


@dataclass(frozen=True)
class Business:
    """What the pipeline has to know about a business.

    Attributes:
        files: looks up the files that values name, or None where no folder is set.
        largest_file: the most bytes such a file may have.
    """

    description: Description
    conventions: Conventions
    options: LoadOptions = DEFAULT_OPTIONS
    files: Files | None = None
    largest_file: int = 0

    def state(self, look: Look, pending: Mapping[str, InLoad]) -> SystemState:
        return SystemState(self.description, look.read, pending, self.files, self.largest_file)


@dataclass(frozen=True)
class Part:
    """The rows of one record from one sheet, as they were read.

    Attributes:
        remarks: how they were understood and what was left out, in words.
        base: what the sheet was exported with, or None.
        book: what is known of the workbook of new prices that it is of, or None.
    """

    rows: Rows
    remarks: tuple[str, ...] = ()
    base: ExportBase | None = None
    book: PriceBook | None = None


@dataclass(frozen=True)
class Checked:
    """The rows of one record after checking.

    Attributes:
        remarks: how they were understood and what was left out, in words.
        now: what the system holds for these rows, if it has already been read.
        consequence: None for the rows of a sheet; else why the load changes rows that no sheet has
            (see :class:`kotrel.core.readying.list_additions.Consequence`).
    """

    rows: Rows
    remarks: tuple[str, ...] = ()
    now: pl.DataFrame | None = None
    consequence: str | None = None

    @property
    def ok(self) -> bool:
        return not any(group.severity == "error" for group in self.rows.findings)


@dataclass(frozen=True)
class Preview:
    """What a load would do.

    Attributes:
        changes: in load order.
        before: the load by which the same content was loaded already, or None.
    """

    checked: tuple[Checked, ...]
    changes: tuple[RecordChanges, ...]
    before: Entry | None = None

    @property
    def ok(self) -> bool:
        return all(each.ok for each in self.checked)

    @property
    def touches(self) -> bool:
        return any(each.touches for each in self.changes)

    def counts(self) -> dict[str, dict[str, int]]:
        """Record → how many rows are new, changed, same, refused."""
        counted: dict[str, dict[str, int]] = {}
        for each in self.changes:
            record = counted.setdefault(each.record.name, {})
            for action, number in each.counts.items():
                record[action] = record.get(action, 0) + number
        return counted

    def ends(self) -> list[dict[str, object]]:
        """The rows that no sheet has and whose period ends: record, key, the last day, and the row that causes it."""
        return [
            {"record": each.rows.record.name, "key": key, "until": end, "because_of_row": row}
            for each in self.checked
            if each.consequence == "ended" and each.rows.record.period is not None
            for row, key, end in each.rows.values.select(
                ROW, key_text(each.rows.record).alias("key"), each.rows.record.period[1]
            ).iter_rows()
        ]

    def creates(self) -> dict[str, list[str]]:
        """Record → the codes that are added to that list because other rows use them."""
        found: dict[str, list[str]] = {}
        for each in self.checked:
            if each.consequence == "created":
                codes = each.rows.values[each.rows.record.code].to_list()
                found.setdefault(each.rows.record.name, []).extend(codes)
        return found


def check_parts(
    parts: Sequence[Part], business: Business, look: Look, step: Step, refusals: Sequence[Refusal] = ()
) -> list[Checked]:
    """Readies and checks parts in their order; rows of one part count as existing for those after it.

    Args:
        parts: in load order.
        refusals: what the system itself has reported on rows of this load.

    Raises:
        WrongUse: the load options do not fit these records.
    """
    require_known_options(business.options, business.description, [each.rows.record.name for each in parts])
    pending: dict[str, InLoad] = {}
    checked: list[Checked] = []
    for name, group in itertools.groupby(parts, lambda each: each.rows.record.name):
        step(f"checking {business.description.records[name].title.lower()}")
        # A sheet can be right in itself; only the system knows whether it takes such rows at all.
        look.require(name)
        done = [each.rows for each in checked if each.consequence is None]
        ready = [replace(each, rows=from_same_row(each.rows, done)) for each in group]
        checked += _check_record(ready, business, look, pending, refusals)
    return checked


def _check_record(
    parts: Sequence[Part], business: Business, look: Look, pending: dict[str, InLoad], refusals: Sequence[Refusal]
) -> list[Checked]:
    """Readies and checks all rows of one record, from however many sheets; adds them to what is pending."""
    readied = [
        ready_rows(each.rows, each.base, business.state(look, pending), business.options, business.conventions)
        for each in parts
    ]
    across = check_across([each.rows for each in readied]) if len(parts) > 1 else [[]]
    books = check_book(
        [(ready.rows, part.book) for part, ready in zip(parts, readied, strict=True)], business.state(look, pending)
    )
    done: list[Checked] = []
    loads: list[InLoad] = []
    for place, (part, ready) in enumerate(zip(parts, readied, strict=True)):
        state = business.state(look, pending)
        # The same state: what is created was not on any list before.
        caused = [(it, with_refusals(check_rows(it.rows, state), refusals)) for it in ready.consequences]
        before = dict(pending)
        for _, rows in caused:
            pending[rows.record.name] = _in_load(rows, pending.get(rows.record.name))
        siblings = [each.rows for n, each in enumerate(readied) if n != place and each.rows.has_key]
        if caused or siblings:
            # A row may refer to a row of the same record on another sheet.
            with_them = dict(pending)
            for rows in siblings:
                with_them[rows.record.name] = _in_load(rows, with_them.get(rows.record.name))
            state = business.state(look, with_them)
        rows = check_rows(ready.rows, state).with_findings([*across[place], *books[place]])
        rows = with_dependents(with_refusals(rows, refusals), state)
        good = rows.values[ROW].filter(~rows.values[ROW].is_in(rows_with(rows.findings, "error").implode()))
        for consequence, made in caused:
            # What only refused rows would have caused does not happen.
            left = consequence.caused_by(good, made)
            pending[left.record.name] = _in_load(left, before.get(left.record.name))
            if left.values.height:
                done.append(Checked(left, consequence=consequence.kind))
        rows = at_their_cells(rows)
        done.append(Checked(rows, (*part.remarks, *ready.remarks), ready.now))
        if rows.has_key:
            loads.append(_in_load(rows, None))
    for each in loads:
        name = parts[0].rows.record.name
        pending[name] = each if name not in pending else _joined(pending[name], each)
    return done


def preview(
    parts: Sequence[Part], business: Business, look: Look, step: Step, refusals: Sequence[Refusal] = ()
) -> Preview:
    """Checks parts and compares them with what the system holds, in one consistent look."""
    checked = check_parts(parts, business, look, step, refusals)
    changes = []
    for place, each in enumerate(checked):
        rows = each.rows
        if not rows.has_key:
            continue
        step(f"comparing {rows.record.title.lower()}")
        carried = [name for name in rows.record.loadable if name in rows.fields]
        first = rows.record.key[0]
        now = each.now
        if now is None or any(name not in now.columns for name in carried):
            now = look.read(rows.record.name, carried, (first, rows.values[first]))
        change = compare(rows, now)
        if odd := look.replaced_otherwise(change):
            rows = rows.with_findings(replaced_more(rows, odd))
            checked[place] = replace(each, rows=rows)
            change = compare(rows, now)
        changes.append(change)
    order = business.description.order
    changes.sort(key=lambda each: order.index(each.record.name))
    ready = [
        each
        for _, group in itertools.groupby(changes, lambda each: each.record.name)
        for each in in_reference_order(list(group))
    ]
    return Preview(tuple(checked), tuple(put_together(ready)))


def _in_load(rows: Rows, before: InLoad | None) -> InLoad:
    """The rows as later parts see them: those without an error count as existing."""
    wrong = rows.values[ROW].is_in(rows_with(rows.findings, "error").implode())
    values = rows.values.filter(~wrong).select(rows.fields)
    bad = rows.values.filter(wrong)
    keys = bad.select(key_text(rows.record)).to_series()
    letter = rows.letters.get(rows.record.key[0])
    refused = {str(key): rows.table.address(row, letter) for key, row in zip(keys, bad[ROW], strict=True)}
    return InLoad(values, refused) if before is None else _joined(before, InLoad(values, refused))


def _joined(first: InLoad, second: InLoad) -> InLoad:
    return InLoad(pl.concat([first.values, second.values], how="diagonal"), {**first.refused, **second.refused})
