"""Change sets: what a load would do to each row.

Every row of a record's changes has an action: ``new``, ``changed``, ``removed`` (only when a load is undone),
``same`` or ``refused``. Each field that the rows carry has two columns: its value after, and its value before.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.columns import ACTION, LINE, MESSAGE, ROW, before, raw_after, raw_before
from kotrel.core.description.model import Record


class Origin(Struct, frozen=True):
    """Where rows stand in the journal: the load's number, the first line and the last."""

    load: int
    first: int
    last: int


class RecordChanges(Struct, frozen=True):
    """What happens to the rows of one record.

    Attributes:
        file, sheet: where the rows came from.
        fields: the loadable fields that the rows carry, the key among them.
        frame: ``ROW`` (UInt32), ``ACTION``, ``MESSAGE`` and, for each field, its value after and before; where
            canonical text does not say exactly what the system held or is to hold, the system's own text too
            (:func:`kotrel.core.columns.raw_before`, :func:`kotrel.core.columns.raw_after`).
        rest: the refused rows as they are in the sheet, or None.
        given: what the system itself put into all new rows, in fields they do not carry; None where the values differ.
        origin: the lines of the journal they were read from or, in an undo, the lines they reverse.
    """

    record: Record
    file: str
    sheet: str
    fields: tuple[str, ...]
    frame: pl.DataFrame
    rest: RefusedRows | None = None
    given: Mapping[str, str | None] = field(default_factory=dict)
    origin: Origin | None = None

    def count(self, action: str) -> int:
        return int((self.frame[ACTION] == action).sum())

    def rows_of(self, *actions: str) -> pl.DataFrame:
        """The rows with one of these actions. Where all rows have, they are not copied: a million take half a gigabyte."""
        wanted = self.frame[ACTION].is_in(list(actions))
        return self.frame if wanted.all() else self.frame.filter(wanted)

    def lines_from(self, first: int) -> pl.DataFrame:
        """The rows that are not refused, each with :data:`~kotrel.core.columns.LINE`, the number of its line in the journal."""
        return self.rows_of("new", "changed", "same", "removed").with_row_index(LINE, first)

    def refused(self) -> RecordChanges:
        """Only the refused rows."""
        return replace(self, frame=self.rows_of("refused"), origin=None)

    @property
    def counts(self) -> dict[str, int]:
        """The number of rows new, changed, same and refused, and removed if there are any."""
        counted = {action: self.count(action) for action in ("new", "changed", "same", "refused")}
        if removed := self.count("removed"):
            counted["removed"] = removed
        return counted

    @property
    def touches(self) -> bool:
        """True where at least one row of the system would change."""
        return bool(self.frame[ACTION].is_in(["new", "changed", "removed"]).any())

    def removed_keys(self) -> pl.DataFrame:
        """The keys of removed rows: String columns of the key's names."""
        removed = self.frame[ACTION] == "removed"
        return self.frame.select(pl.col(before(name)).alias(name) for name in self.record.key).filter(removed)

    def narrowed(self) -> RecordChanges:
        """The same changes with only the fields that change anything: an update writes no more than it has to.

        New and removed rows need all their fields, so nothing is left out if there are any.
        """
        if bool(self.frame[ACTION].is_in(["new", "removed"]).any()):
            return self
        fields = (*self.record.key, *self.touched_fields())
        columns = [name for field in fields for name in (field, before(field), raw_after(field), raw_before(field))]
        there = [name for name in columns if name in self.frame.columns]
        return replace(self, origin=None, fields=fields, frame=self.frame.select(ROW, ACTION, MESSAGE, *there))

    def touched_fields(self) -> list[str]:
        """The fields, without the key, that differ in at least one changed row."""
        changed = self.rows_of("changed")
        others = [name for name in self.fields if name not in self.record.key]
        if not changed.height or not others:
            return []
        differs = changed.select((pl.col(name).ne_missing(pl.col(before(name)))).any().alias(name) for name in others)
        return [name for name in others if differs[name][0]]

    def changed_counts(self) -> dict[str, int]:
        """The fields that change, and in how many rows; most first."""
        part, names = self.rows_of("changed"), self.touched_fields()
        if not names:
            return {}
        counted = part.select(pl.col(name).ne_missing(pl.col(before(name))).sum().alias(name) for name in names)
        return dict(sorted(counted.row(0, named=True).items(), key=lambda each: -each[1]))

    def changed_cells(self, action: str = "changed", first: int | None = None) -> pl.DataFrame:
        """Each changed value: row, key (parts joined by `` / ``), field, before, after; rows in the sheet's order.

        Args:
            first: only the first of them; of a million changes, all take hundreds of megabytes.
        """
        part = self.rows_of(action)
        part = part if first is None or part[ROW].is_sorted() else part.sort(ROW, maintain_order=True)
        key = key_text(self.record)
        cells = []
        for name in self.touched_fields():
            changed = part.lazy().filter(pl.col(name).ne_missing(pl.col(before(name))))
            asked = changed if first is None else changed.head(first)
            cells.append(
                asked.select(
                    ROW,
                    key.alias("key"),
                    pl.lit(name).alias("field"),
                    pl.col(before(name)).alias("before"),
                    pl.col(name).alias("after"),
                ).collect()
            )
        empty = pl.DataFrame(schema={ROW: pl.UInt32, **dict.fromkeys(("key", "field", "before", "after"), pl.String)})
        every = pl.concat([empty, *cells]).sort(ROW, maintain_order=True)
        return every if first is None else every.head(first)


def key_text(record: Record) -> pl.Expr:
    """The key of a row as one text, its parts joined by `` / ``."""
    return pl.concat_str([pl.col(name) for name in record.key], separator=" / ", ignore_nulls=True)


class RefusedRows(Struct, frozen=True):
    """The refused rows as they are in their sheet.

    Attributes:
        headings: of all columns, in the sheet's order.
        cells, kinds: ``ROW`` and, for each column, the cell's text and its kind, with the format of numbers.
    """

    headings: tuple[str, ...]
    cells: pl.DataFrame
    kinds: pl.DataFrame


def join_changes(changes: Sequence[RecordChanges]) -> list[RecordChanges]:
    """Joins changes that follow each other and have the same record, sheet and fields."""
    joined: list[RecordChanges] = []
    for part in changes:
        last = joined[-1] if joined else None
        if last is not None and (last.record.name, last.file, last.sheet, last.fields) == (
            part.record.name,
            part.file,
            part.sheet,
            part.fields,
        ):
            joined[-1] = replace(last, frame=pl.concat([last.frame, part.frame]), rest=_rests(last.rest, part.rest))
        else:
            joined.append(part)
    return joined


def _rests(first: RefusedRows | None, second: RefusedRows | None) -> RefusedRows | None:
    """The refused rows of two matches of one sheet; a row that both refuse is kept once."""
    if first is None or second is None:
        return first or second
    cells = pl.concat([first.cells, second.cells])
    once = cells[ROW].is_first_distinct()
    return RefusedRows(first.headings, cells.filter(once), pl.concat([first.kinds, second.kinds]).filter(once))
