"""The parts of a load: rows as they were read, checked, and what a load of them would change."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from datetime import datetime
from typing import TYPE_CHECKING, Protocol

import polars as pl
from msgspec import Struct

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.changes.journal import Entry
from kotrel.core.columns import ROW, clearing
from kotrel.core.description.model import Description, Record
from kotrel.core.documents.stock_rules import CAREFUL, StockRules
from kotrel.core.pricing.sheet_guard import UNGUARDED, SheetGuard
from kotrel.core.rows.findings import concerns_sheet
from kotrel.core.rows.load_options import DEFAULT_OPTIONS, LoadOptions
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import Files, PendingRows, Reader, SystemState
from kotrel.core.stock.sums import Sums
from kotrel.core.values.conventions import Conventions

if TYPE_CHECKING:
    from kotrel.core.documents.posted_already import LoadsOf
    from kotrel.core.pricing.price_workbook_checks import PriceBook
    from kotrel.core.resolving.three_way import ExportBase

Step = Callable[[str], None]
"""Called with the name of each step of a long piece of work as it begins."""


class SystemReader(Protocol):
    """One consistent look at a system: all reads see the same moment."""

    @property
    def read(self) -> Reader:
        """Reads rows of a record."""

    @property
    def ledger_sums(self) -> Sums:
        """Sums of the ledger."""

    @property
    def loads_of(self) -> LoadsOf:
        """The loads that wrote rows of a record."""

    def require(self, record: str) -> None:
        """Raises OutOfReach where the system does not hold the record as described."""

    def replaced_otherwise(self, changes: RecordChanges) -> list[tuple[int, str, str]]:
        """Row, field and what the system really holds, where a change would replace more than is shown of it."""


class Business(Struct, frozen=True):
    """What the pipeline has to know about a business.

    Attributes:
        files: looks up the files that values name, or None where no folder is set.
        largest_file: the most bytes such a file may have.
        stock: what it allows of stock documents.
        now: the moment, by the clock of the place; its day is the date of documents that say none.
        prices: what it says of prices in any sheet.
    """

    description: Description
    conventions: Conventions
    options: LoadOptions = DEFAULT_OPTIONS
    files: Files | None = None
    largest_file: int = 0
    stock: StockRules = CAREFUL
    now: datetime = datetime.min
    prices: SheetGuard = UNGUARDED

    def state(self, look: SystemReader, pending: Mapping[str, PendingRows]) -> SystemState:
        return SystemState(self.description, look.read, pending, self.files, self.largest_file)


class SheetRows(Struct, frozen=True):
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


class Checked(Struct, frozen=True):
    """The rows of one record after checking.

    Attributes:
        remarks: how they were understood and what was left out, in words.
        now: what the system holds for these rows, if it has already been read.
        consequence: None for the rows of a sheet; else why the load changes rows that no sheet has (see
            :class:`kotrel.core.resolving.list_additions.Consequence`); ``posted`` for what documents post to the
            ledger.
        totals: of the first rows of a load with documents: what they post (see
            :attr:`kotrel.core.documents.load_documents.InDocuments.totals`).
        has_own_guards: they are of a workbook of new prices, which the guards of its rules judge.
    """

    rows: Rows
    remarks: tuple[str, ...] = ()
    now: pl.DataFrame | None = None
    consequence: str | None = None
    totals: pl.DataFrame | None = None
    has_own_guards: bool = False

    @property
    def ok(self) -> bool:
        return not any(group.severity == "error" for group in self.rows.findings)

    @property
    def says_nothing(self) -> bool:
        """True for what needs no words of its own: movements, and headers and lots of a flat sheet that is right."""
        part = bool(self.rows.flat_of) and (self.rows.once or not self.remarks)
        return self.consequence == "posted" or (part and not self.rows.findings)


def _is_posted_whole(record: Record, headers: Collection[str], parts: Sequence[Rows]) -> bool:
    """False for the rows of documents of which each has a row with an error; the first field of the key has the
    document's number.

    Args:
        headers: the records of documents that the load has.
    """
    lines = {rows.record.name: rows.record.part_of for rows in parts}
    header: str | None = record.name
    while header is not None and header not in headers:
        header = lines.get(header)
    if header is None:
        return True
    mine = [
        rows for rows in parts if header in (rows.record.name, rows.record.part_of, lines.get(str(rows.record.part_of)))
    ]
    numbers = {
        bad: {
            number
            for rows in mine
            for number in rows.values.filter(pl.col(ROW).is_in(rows.refused.implode()) == bad)[rows.record.key[0]]
        }
        for bad in (True, False)
    }
    return bool(numbers[False] - numbers[True])


class Preview(Struct, frozen=True):
    """What a load would do.

    Attributes:
        changes: in load order.
        before: the load by which the same content was loaded already, or None.
        stakes: what it does to prices, in sum (see :data:`kotrel.core.pricing.price_impact.STAKES`), or None.
    """

    checked: tuple[Checked, ...]
    changes: tuple[RecordChanges, ...]
    before: Entry | None = None
    stakes: pl.DataFrame | None = None

    @property
    def ok(self) -> bool:
        return all(each.ok for each in self.checked)

    @property
    def notes(self) -> tuple[str, ...]:
        """What is said of whole sheets: what was left out and what was not read, each once."""
        said: dict[str, None] = {}
        for each in self.checked:
            if each.consequence is None:
                said |= dict.fromkeys(each.remarks)
                for group in each.rows.findings:
                    if group.severity != "error":
                        messages = group.cells.filter(pl.col(ROW) == 0)["message"].drop_nulls()
                        said |= dict.fromkeys(messages)
        return tuple(said)

    @property
    def touches(self) -> bool:
        return any(each.touches for each in self.changes)

    @property
    def has_good_rows(self) -> bool:
        """True where something would be left to load without the bad rows: a sheet with an error that concerns the
        whole sheet has no good ones, and a document is posted whole or not at all.
        """
        bad = {each.rows.table.origin for each in self.checked if any(True for _ in concerns_sheet(each.rows.findings))}
        left = [each for each in self.changes if each.touches and (each.file, each.sheet) not in bad]
        parts = [each.rows for each in self.checked if each.consequence is None and each.rows.has_key]
        headers = {rows.record.name for rows in parts if rows.record.nature == "document"}
        return any(_is_posted_whole(each.record, headers, parts) for each in left)

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
            {"record": part.rows.record.name, "key": key, "until": end, "because_of_row": row}
            for part in self.checked
            if part.consequence == "ended" and part.rows.record.period is not None
            for row, key, end in part.rows.values.select(
                ROW, key_text(part.rows.record).alias("key"), part.rows.record.period[1]
            ).iter_rows()
        ]

    def resumes(self) -> list[dict[str, object]]:
        """The rows that no sheet has and that begin again: record, key, first and last day,
        and the row that causes it.
        """
        return [
            {"record": part.rows.record.name, "key": key, "from": start, "until": end, "because_of_row": row}
            for part in self.checked
            if part.consequence == "resumed" and part.rows.record.period is not None
            for row, key, start, end in part.rows.values.select(
                ROW, key_text(part.rows.record).alias("key"), *part.rows.record.period
            ).iter_rows()
        ]

    def creates(self) -> dict[str, list[str]]:
        """Record → the codes that are added to that list because other rows use them."""
        created: dict[str, list[str]] = {}
        for each in self.checked:
            if each.consequence == "created":
                codes = each.rows.values[each.rows.record.code].to_list()
                created.setdefault(each.rows.record.name, []).extend(codes)
        return created


def in_load(rows: Rows, before: PendingRows | None) -> PendingRows:
    """The rows as later parts see them: those without an error count as existing."""
    wrong = rows.values[ROW].is_in(rows.refused.implode())
    cleared = [clearing(name) for name in rows.cleared]
    values = rows.values.filter(~wrong).select(*rows.fields, *cleared)
    bad = rows.values.filter(wrong)
    keys = bad.select(key_text(rows.record)).to_series()
    letter = rows.letters.get(rows.record.key[0])
    places = [rows.table.address(row, letter) for row in bad[ROW]]
    refused = {str(key): place for key, place in zip(keys, places, strict=True)}
    if rows.record.called in rows.fields and len(rows.record.key) == 1:
        # Others may refer to such a row by its name.
        named = zip(bad[rows.record.called], places, strict=True)
        refused = {name: place for name, place in named if name is not None} | refused
    return PendingRows(values, refused) if before is None else joined(before, PendingRows(values, refused))


def joined(first: PendingRows, second: PendingRows) -> PendingRows:
    return PendingRows(pl.concat([first.values, second.values], how="diagonal"), {**first.refused, **second.refused})
