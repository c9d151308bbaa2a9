"""The rows of a table, matched to the fields of a record and tidied."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing
from kotrel.core.description.model import Field, Record
from kotrel.core.rows.distinct_values import Few
from kotrel.core.rows.findings import FindingGroup, RepairGroup, Severity, cells_of, concerns_sheet, rows_with
from kotrel.core.tables.sources import Source, raw_values
from kotrel.core.tables.table import Table
from kotrel.core.values.conventions import UNSAID, SheetHabits

CLEAR = "(clear)"
"""The word that, alone in a cell, clears the value that the system has."""


class Defaulted(Struct, frozen=True):
    """A value that was filled in because cells were blank.

    Attributes:
        source: where it comes from: ``match``, ``system`` (the description), or the name of a set of defaults.
        rows: UInt32, the rows in the sheet.
    """

    field: str
    value: str
    source: str
    rows: pl.Series


class Rows(Struct, frozen=True):
    """Rows of one record.

    Attributes:
        table: the table they came from; its ``cells`` hold what stood there.
        letters: field → the column it comes from; fields with fixed or made values are not in it.
        values: ``ROW`` (UInt32, the row in the sheet) and a String column for each field with a source. Values are in
            canonical text (exact decimals with all their digits, ISO dates, ``yes``/``no``, lists joined by ``; ``);
            blank is null. A value that could not be read stays as it was and has a finding. A column named by
            :func:`clearing` marks where a blank clears what the system has.
        findings, repairs: what was found and repaired so far.
        sources: field → where its values come from; defaults and made values are filled in by
            :mod:`kotrel.core.resolving.filling`.
        defaulted: what was filled in because cells were blank.
        once: True where each row stands for all rows of the sheet with the same value.
        flat_of: the document whose flat sheet the rows are from, or an empty text.
        currency: of the amounts here; empty where any may stand.
        after_end: what follows the end of a period, as the mapping says it: ``resume``, ``nothing``, or None.
        skipped: letters of columns that the mapping leaves out on purpose.
        as_they_stand: letters of columns whose headings say something that does not count.
        left_out: how many rows ``only`` of the load options left out.
        habits: how the sheet is written, as its mapping says.
        few: what is known about columns by their distinct values (see :meth:`seen`).
    """

    table: Table
    record: Record
    letters: Mapping[str, str]
    values: pl.DataFrame
    findings: tuple[FindingGroup, ...] = ()
    repairs: tuple[RepairGroup, ...] = ()
    sources: Mapping[str, Source] = field(default_factory=dict)
    defaulted: tuple[Defaulted, ...] = ()
    once: bool = False
    flat_of: str = ""
    currency: str = ""
    after_end: Literal["resume", "nothing"] | None = None
    skipped: frozenset[str] = frozenset()
    as_they_stand: frozenset[str] = frozenset()
    left_out: int = 0
    habits: SheetHabits = UNSAID
    few: Few = field(default_factory=Few)

    @property
    def fields(self) -> tuple[str, ...]:
        """Names of the fields that the rows carry."""
        return tuple(name for name in self.values.columns if name in self.record.fields)

    @property
    def cleared(self) -> tuple[str, ...]:
        """Names of the fields that are cleared in at least one row."""
        return tuple(name for name in self.fields if clearing(name) in self.values.columns)

    @property
    def values_as_typed(self) -> pl.DataFrame:
        """:attr:`values`, with what people type where a cell clears its value."""
        clears = [
            pl.when(pl.col(clearing(name))).then(pl.lit(CLEAR)).otherwise(pl.col(name)).alias(name)
            for name in self.cleared
        ]
        return self.values.with_columns(clears)

    @property
    def refused(self) -> pl.Series:
        """The rows (UInt32, distinct, sorted) that cannot be loaded:
        those with an error, or all where the sheet has one.
        """
        if any(True for _ in concerns_sheet(self.findings)):
            return self.values[ROW].unique().sort()
        return rows_with(self.findings, "error")

    def only(self, wanted: pl.Series) -> Rows:
        """Only the wanted rows (Boolean for each), with the findings on them and on the whole sheet."""
        left = self.values.filter(wanted)[ROW].implode()
        findings = [
            replace(group, cells=group.cells.filter(pl.col(ROW).is_in(left) | (pl.col(ROW) == 0)))
            for group in self.findings
        ]
        repairs = [replace(group, cells=group.cells.filter(pl.col(ROW).is_in(left))) for group in self.repairs]
        return replace(
            self,
            table=self.table.only(wanted),
            values=self.values.filter(wanted),
            findings=tuple(group for group in findings if group.count),
            repairs=tuple(group for group in repairs if group.count),
        )

    @property
    def has_key(self) -> bool:
        return all(name in self.values.columns for name in self.record.key)

    def seen(self, name: str) -> pl.Series:
        """The values of a field for questions about any of them: each once where they repeat, all of them otherwise."""
        few = self.few.of(name, self.values)
        return self.values[name] if few is None else few

    def distinct(self, name: str) -> pl.Series:
        """The distinct values of a field, in any order."""
        few = self.few.of(name, self.values)
        return self.values[name].unique() if few is None else few

    def with_findings(self, more: Sequence[FindingGroup]) -> Rows:
        return replace(self, findings=(*self.findings, *more))

    def heading(self, field: str | None) -> str:
        letter = self.letters.get(field or "")
        return next((column.heading for column in self.table.columns if column.letter == letter), "")

    def group(
        self,
        severity: Severity,
        kind: str,
        title: str,
        field: str | None,
        cells: pl.DataFrame,
    ) -> FindingGroup:
        """A finding group on one field of these rows.

        Args:
            cells: as :func:`kotrel.core.rows.findings.cells_of` makes them.
        """
        letter = self.letters.get(field or "")
        return FindingGroup(severity, kind, title, self.record.name, field, letter, cells, self.heading(field))

    def where(
        self,
        severity: Severity,
        kind: str,
        title: str,
        field: Field,
        wrong: pl.Series | pl.Expr,
        message: str,
        suggestion: pl.Expr | None = None,
    ) -> list[FindingGroup]:
        """A finding group of the rows for which ``wrong`` is true, with their values; no group if there are none.

        Cells that could not be read are left out: they already have a finding.
        """
        marked = (
            self.values.lazy()
            .with_columns(self.as_it_stands(field.name))
            .filter(wrong)
            .filter(~pl.col(ROW).is_in(self.unread(field.name).implode()))
            .select(
                ROW,
                pl.col("as it stands").alias("value"),
                pl.lit(message).alias("message"),
                (pl.lit(None, pl.String) if suggestion is None else suggestion).alias("suggestion"),
            )
        )
        cells = marked.collect()
        return [self.group(severity, kind, title, field.name, cells)] if cells.height else []

    def told(self, severity: Severity, kind: str, title: str, field: str, messages: pl.DataFrame) -> list[FindingGroup]:
        """A finding group on cells of a field, each with its message; no group if there are none.

        Cells that could not be read are left out: they already have a finding.

        Args:
            messages: ``ROW`` and ``message``.
        """
        messages = messages.filter(~pl.col(ROW).is_in(self.unread(field).implode()))
        if not messages.height:
            return []
        values = self.values.select(ROW).with_columns(self.as_it_stands(field).alias("value"))
        cells = messages.select(ROW, "message").join(values, on=ROW, how="left", maintain_order="left").sort(ROW)
        table = cells_of(cells[ROW], cells["value"], cells["message"])
        return [self.group(severity, kind, title, field, table)]

    def unread(self, field: str) -> pl.Series:
        """The rows whose cell in that field already has an error. A warning hides nothing."""
        cells = [group.cells[ROW] for group in self.findings if group.field == field and group.severity == "error"]
        return pl.concat(cells) if cells else pl.Series(ROW, [], dtype=pl.UInt32)

    def as_it_stands(self, field: str) -> pl.Series:
        """A field's cells as they are in the sheet; a made value as it was made."""
        letter = self.letters.get(field)
        source = self.sources.get(field)
        if source is not None and len(source.columns) > 1:
            return raw_values(self.table, source).alias("as it stands")
        if letter is not None:
            return self.table.cells[letter].alias("as it stands")
        if field in self.values.columns:
            return self.values[field].alias("as it stands")
        return pl.Series("as it stands", [None], dtype=pl.String).new_from_index(0, self.values.height)

    def sheet_finding(
        self,
        severity: Severity,
        kind: str,
        title: str,
        message: str,
        letter: str | None = None,
        heading: str = "",
        field: str | None = None,
    ) -> FindingGroup:
        """A finding on a column or the sheet as a whole, not on a row; or on a field that has no column."""
        cells = cells_of([0], [heading or None], message)
        return FindingGroup(severity, kind, title, self.record.name, field, letter, cells, heading)
