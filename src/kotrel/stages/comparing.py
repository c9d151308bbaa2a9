"""Two files → what differs between them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from pathlib import Path

import polars as pl

from kotrel.core.changes.comparison import Difference, compare_tables
from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.errors import KotrelError, WrongData, WrongUse
from kotrel.core.rows.rows import Rows
from kotrel.core.similarity import folded, nearest
from kotrel.core.tables.table import Table
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.stages.file_options import Wanted
from kotrel.stages.understanding import tables_in, understand_file
from kotrel.systems.interface import Step
from kotrel.workspace.settings import Workspace


@dataclass(frozen=True)
class Compared:
    """Two compared files; ``titles`` names each column; ``record`` is None where they were compared by heading."""

    old: Path
    new: Path
    difference: Difference
    titles: Mapping[str, str]
    record: Record | None


def compare_files(
    old: Path, new: Path, key: str | None, workspace: Workspace | None, wanted: Wanted, today: date, step: Step
) -> Compared:
    """Compares two sheets: as rows of a record if both are recognised as the same one, otherwise column by column.

    Raises:
        WrongUse: no key was named and none can be found.
        WrongData: a key is there twice.
    """
    understood = _as_record(old, new, workspace, wanted, today, step) if workspace is not None else None
    if understood is not None:
        record, first, second = understood
        chosen = _key_of_record(record, key, first, second)
        titles = {name: field.title for name, field in record.fields.items()}
    else:
        record = None
        first, second, titles = _as_they_stand(old, new, wanted, step)
        chosen = (_key_of_columns(key, first, second, titles),)
    try:
        return Compared(old, new, compare_tables(first, second, chosen), titles, record)
    except ValueError as error:
        raise WrongData(str(error), "Fix it, or name another key: --key FIELD", "twice-in-sheet") from None


def _as_record(
    old: Path, new: Path, workspace: Workspace, wanted: Wanted, today: date, step: Step
) -> tuple[Record, pl.DataFrame, pl.DataFrame] | None:
    """Both sheets as rows of the same record with its key, or None."""
    try:
        first = understand_file(old, workspace, wanted, today, step)[0].rows
        second = understand_file(new, workspace, wanted, today, step)[0].rows
    except KotrelError:
        if wanted.record or wanted.map_name:
            raise
        return None
    if first.record.name != second.record.name or not (first.has_key and second.has_key):
        return None
    return first.record, _with_errors_shown(first), _with_errors_shown(second)


def _with_errors_shown(rows: Rows) -> pl.DataFrame:
    """The values, with spreadsheet errors as they are: ``#N/A`` is not a blank."""
    values = rows.values
    for group in rows.findings:
        if group.kind in ("error-value", "not-calculated") and group.field is not None:
            shown = group.cells.select(ROW, pl.col("value").alias("as shown"))
            joined = values.select(ROW, group.field).join(shown, on=ROW, how="left", maintain_order="left")
            values = values.with_columns(
                joined.select(pl.coalesce(group.field, "as shown")).to_series().alias(group.field)
            )
    return values.select(rows.fields)


def _key_of_record(record: Record, key: str | None, first: pl.DataFrame, second: pl.DataFrame) -> tuple[str, ...]:
    if key is None:
        return record.key
    named = next(
        (name for name, field in record.fields.items() if folded(key) in (folded(name), folded(field.title))), None
    )
    if named is None or named not in first.columns or named not in second.columns:
        close = nearest(key, [name for name in first.columns if name in second.columns])
        raise WrongUse(
            f"the sheets have no field “{key}” in common", f"Did you mean {close}?" if close else "", "no-such-field"
        )
    return (named,)


def _as_they_stand(
    old: Path, new: Path, wanted: Wanted, step: Step
) -> tuple[pl.DataFrame, pl.DataFrame, dict[str, str]]:
    step("reading both")
    tables = [tables_in(path, wanted)[0] for path in (old, new)]
    titles: dict[str, str] = {}
    frames = [_by_heading(table, titles) for table in tables]
    return frames[0], frames[1], titles


def _by_heading(table: Table, titles: dict[str, str]) -> pl.DataFrame:
    """A table's cells, with columns named by their folded headings; of two that are alike, the first is used."""
    columns: dict[str, pl.Expr] = {}
    for column in table.columns:
        name = folded(column.heading)
        if name and name not in columns:
            titles.setdefault(name, column.heading)
            text = pl.col(column.letter).str.strip_chars()
            columns[name] = pl.when(text != "").then(text).alias(name)
    return table.cells.select(columns.values())


def _key_of_columns(key: str | None, first: pl.DataFrame, second: pl.DataFrame, titles: Mapping[str, str]) -> str:
    shared = [name for name in first.columns if name in second.columns]
    if key is not None:
        if folded(key) in shared:
            return folded(key)
        close = nearest(key, [titles[name] for name in shared])
        raise WrongUse(
            f"the sheets have no column “{key}” in common", f"Did you mean “{close}”?" if close else "", "no-such-field"
        )
    for name in shared:
        if all(frame[name].null_count() == 0 and frame[name].n_unique() == frame.height for frame in (first, second)):
            return name
    raise WrongUse(
        "no column in both sheets is filled and different in every row",
        "Name the one that identifies a row: --key HEADING",
        "no-key-column",
    )


def difference_book(compared: Compared) -> OutBook:
    """The differences, as a workbook with three sheets."""
    difference = compared.difference

    def sheet(name: str, rows: pl.DataFrame) -> OutSheet:
        fields = compared.record.fields if compared.record else {}
        columns = tuple(OutColumn(compared.titles.get(each, each), fields.get(each)) for each in rows.columns)
        return OutSheet(name, columns, rows)

    changed = difference.changed.with_columns(pl.col("column").replace(dict(compared.titles)))
    changed_sheet = OutSheet("Changed", tuple(OutColumn(name) for name in ("Key", "Column", "From", "To")), changed)
    return OutBook((changed_sheet, sheet("Added", difference.added), sheet("Gone", difference.gone)))
