"""What the system holds → files: exports, which are remembered, and templates."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.columns import decimal_type
from kotrel.core.description.model import Field, Record
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.expressions.compiling import compile_expression
from kotrel.core.expressions.scope import Scope
from kotrel.core.phrases import listed_and
from kotrel.core.similarity import did_you_mean
from kotrel.loading.file_options import record_named
from kotrel.loading.list_reading import called_in, found_in, names_of
from kotrel.sheets.cell_texts import put_text
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.sheets.safe_writing import require_new_file, written_whole
from kotrel.sheets.table_writing import day_in_sheets, is_exact_number, write_book
from kotrel.sheets.users_workbook import save_workbook, users_workbook
from kotrel.systems.interface import Reading, Step
from kotrel.workspace.exports import STAMP, remember_export
from kotrel.workspace.settings import Workspace


class Exported(Struct, frozen=True):
    """What was written: the file, and the number of rows of each record."""

    path: Path
    rows: dict[str, int]
    stamp: str


class ExportRequest(Struct, frozen=True):
    """What to export.

    Attributes:
        fields: names, or empty for all.
        where: a filter, or None.
        sort: field names; ``down`` after one sorts it downwards.
        with_names: add the name beside each code.
    """

    fields: tuple[str, ...] = ()
    where: str | None = None
    sort: tuple[str, ...] = ()
    with_names: bool = False


def export_records(
    records: Sequence[str],
    path: Path,
    workspace: Workspace,
    chosen: ExportRequest,
    into: Path | None,
    at: datetime,
    step: Step,
) -> Exported:
    """Exports what the system holds; the export is remembered under ``.kotrel/exports``.

    Args:
        into: a workbook; the sheets are added to a copy of it.

    Raises:
        WrongUse: a field or the filter is wrong, or the file is there already.
    """
    require_new_file(path)
    chosen_records = [record_named(workspace.description, name) for name in dict.fromkeys(records)]
    chosen = replace(chosen, fields=tuple(dict.fromkeys(chosen.fields)))
    _require_fields(chosen_records, chosen.fields)
    kept: dict[str, pl.DataFrame] = {}
    sheets: list[OutSheet] = []
    with workspace.system().reading() as reading:
        for record in chosen_records:
            step(f"reading {record.title.lower()}")
            fields = _fields(record, chosen.fields)
            rows = _rows(record, fields, chosen, workspace, reading)
            kept[record.name] = rows
            sheets.append(_sheet(record, fields, rows, chosen, workspace, reading))
    stamp = stamp_for(kept, at)
    step("writing")
    book = OutBook(tuple(sheets), {STAMP: stamp})
    if into is None:
        write_book(book, path)
    else:
        _add_to(into, book, path)
    remember_export(workspace.hidden, stamp, kept, chosen.where, path, at)
    return Exported(path, {name: rows.height for name, rows in kept.items()}, stamp)


def _require_fields(records: Sequence[Record], wanted: Sequence[str]) -> None:
    """Raises WrongUse where none of the records has a field that is asked for."""
    for name in wanted:
        if not any(name in record.fields for record in records):
            hint = did_you_mean(
                name,
                [each for record in records for each in record.fields],
                f"kotrel records {records[0].name} lists them.",
            )
            raise WrongUse(
                f"{listed_and([record.name for record in records])} {'has' if len(records) == 1 else 'have'} no field “{name}”",
                hint,
                "no-such-field",
            )


def _fields(record: Record, wanted: Sequence[str]) -> list[Field]:
    """The fields asked for, as far as the record has them, always with the key."""
    names = [*(name for name in record.key if name not in wanted), *(name for name in wanted if name in record.fields)]
    return [record.fields[name] for name in (names if wanted else record.fields)]


def _rows(
    record: Record, fields: Sequence[Field], chosen: ExportRequest, workspace: Workspace, reading: Reading
) -> pl.DataFrame:
    names = names_of(workspace, reading)
    scope = Scope(record.fields, names=called_in(names), found=found_in(workspace, reading, record))
    condition = compile_expression(chosen.where, scope, "yes_no") if chosen.where else None
    order = [name.removesuffix(" down").strip() for name in chosen.sort]
    for name in order:
        if name not in record.fields:
            raise WrongUse(
                f"{record.name} has no field “{name}” to sort by",
                did_you_mean(name, record.fields),
                "no-such-field",
            )
    needed = dict.fromkeys([*(field.name for field in fields), *(condition.fields if condition else ()), *order])
    rows = reading.read(record.name, list(needed))
    if condition is not None:
        rows = rows.filter(condition.column(rows).fill_null(False))
    by = [pl.col(name).cast(decimal_type()) if record.fields[name].is_decimal else pl.col(name) for name in order]
    rows = (
        rows.sort(by, descending=[name.endswith(" down") for name in chosen.sort], nulls_last=True)
        if by
        else rows.sort(record.key)
    )
    return rows.select(field.name for field in fields)


def _sheet(
    record: Record,
    fields: Sequence[Field],
    rows: pl.DataFrame,
    chosen: ExportRequest,
    workspace: Workspace,
    reading: Reading,
) -> OutSheet:
    names = names_of(workspace, reading)
    columns: list[OutColumn] = []
    series: list[pl.Series] = []
    for field in fields:
        columns.append(OutColumn(field.title, field))
        series.append(rows[field.name])
        if chosen.with_names and field.to is not None and not field.within:
            known = names(field.to).names
            columns.append(OutColumn(f"Name of {field.title.lower()}"))
            series.append(
                rows[field.name]
                .replace_strict(known, default=None, return_dtype=pl.String)
                .alias(f"name of {field.name}")
            )
    return OutSheet(record.title, tuple(columns), pl.DataFrame(series))


def stamp_for(kept: dict[str, pl.DataFrame], at: datetime) -> str:
    """What a workbook says of the export it came from."""
    digest = hashlib.sha256(at.isoformat().encode())
    for name, rows in kept.items():
        digest.update(f"{name} {rows.height} {rows.columns}".encode())
    return f"{at:%Y%m%d-%H%M%S}-{digest.hexdigest()[:8]}"


def _put_value(cell: Any, value: str, field: Field | None) -> None:
    """A canonical value as the cell of a workbook that somebody works with: a date, a number, or a text."""
    if field is not None and field.kind == "date" and (day := day_in_sheets(value)) is not None:
        cell.value = day
        cell.number_format = "yyyy-mm-dd"
    elif field is not None and field.is_decimal and is_exact_number(value):
        cell.value = float(value)
    else:
        put_text(cell, value)
        cell.number_format = "@"


def _add_to(book: Path, sheets: OutBook, path: Path) -> None:
    """A copy of a workbook with the export's sheets added after its own."""
    if book.suffix.lower() not in (".xlsx", ".xlsm") or path.suffix.lower() != book.suffix.lower():
        raise WrongUse("--into needs an .xlsx or .xlsm workbook, and -o the same ending", "", "unknown-ending")
    with written_whole(path) as temporary:
        shutil.copyfile(book, temporary)
        try:
            out = users_workbook(temporary, book)
        except ValueError as error:
            raise OutOfReach(f"{book} cannot be read as a workbook", "", "damaged-file") from error
        for each in sheets.sheets:
            sheet = out.create_sheet(each.name)
            sheet.append([column.heading for column in each.columns])
            for number, column in enumerate(each.columns, start=1):
                for row, value in enumerate(each.rows.to_series(number - 1), start=2):
                    if value is not None:
                        _put_value(sheet.cell(row, number), value, column.field)
        try:
            save_workbook(out, temporary)
        except ValueError as error:
            raise OutOfReach(
                f"{book} cannot be written again as it is", "Export to another workbook.", "odd-workbook"
            ) from error


# --- templates -------------------------------------------------------------------------------------------------------


def prepared_book(parts: Sequence[tuple[Record, pl.DataFrame]]) -> OutBook:
    """Rows in the shape of the template: a sheet for each record, a column for each field with a source."""
    together: dict[str, tuple[Record, list[pl.DataFrame]]] = {}
    for record, rows in parts:
        together.setdefault(record.name, (record, []))[1].append(rows)
    sheets = []
    for record, frames in together.values():
        rows = pl.concat(frames, how="diagonal")
        fields = [field for name, field in record.fields.items() if name in rows.columns and not field.is_kept]
        columns = tuple(OutColumn(field.title, field) for field in fields)
        sheets.append(OutSheet(record.title, columns, rows.select(field.name for field in fields)))
    return OutBook(tuple(sheets))
