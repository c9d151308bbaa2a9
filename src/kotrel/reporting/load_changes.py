"""What a load changed, value by value, for its page; and the workbook with what has no room there."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.columns import before
from kotrel.core.description.in_words import shown
from kotrel.core.description.model import Field, Record
from kotrel.core.phrases import count
from kotrel.reporting.page import MOST_ROWS, Cell, PageTable, Row, Section
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.sheets.table_writing import write_book

_VALUES = {
    "record": pl.String,
    "field": pl.String,
    "key": pl.String,
    "from": pl.String,
    "to": pl.String,
    "size": pl.Float64,
}


def changed_values(changes: Sequence[RecordChanges]) -> list[tuple[Record, Field, pl.DataFrame]]:
    """Each field whose values changed, with key, ``from``, ``to`` and how far it moved in per cent;
    the largest first.
    """
    values: dict[tuple[str, str], tuple[Record, Field, list[pl.DataFrame]]] = {}
    for record_changes in changes:
        if record_changes.record.is_kept:
            continue
        changed = record_changes.rows_of("changed")
        for name in record_changes.fields if changed.height else ():
            if name in record_changes.record.key:
                continue
            moved = changed.filter(pl.col(name).ne_missing(pl.col(before(name))))
            if moved.height:
                part = moved.select(
                    key_text(record_changes.record).alias("key"),
                    pl.col(before(name)).alias("from"),
                    pl.col(name).alias("to"),
                )
                field = record_changes.record.fields[name]
                values.setdefault((record_changes.record.name, name), (record_changes.record, field, []))[2].append(
                    part
                )
    return [(record, field, _largest_first(pl.concat(parts), field)) for record, field, parts in values.values()]


def _largest_first(rows: pl.DataFrame, field: Field) -> pl.DataFrame:
    if not field.is_decimal:
        return rows.with_columns(pl.lit(None, pl.Float64).alias("size")).sort("key")
    old, new = (pl.col(name).cast(pl.Float64, strict=False) for name in ("from", "to"))
    size = pl.when(old != 0).then((new - old) / old.abs() * 100)
    return rows.with_columns(size.alias("size")).sort(size.abs(), "key", descending=[True, False], nulls_last=True)


def change_sections(values: Iterable[tuple[Record, Field, pl.DataFrame]]) -> list[Section]:
    tables = []
    for record, field, rows in values:
        numeric = field.is_decimal
        body = [
            [
                row["key"],
                Cell(_value(row["from"], field), numeric),
                Cell(_value(row["to"], field), numeric),
                *([Cell("" if row["size"] is None else f"{row['size']:+.1f} %", True)] if numeric else []),
            ]
            for row in rows.head(MOST_ROWS).iter_rows(named=True)
        ]
        heads = [record.title, "From", "To", *(["Change"] if numeric else [])]
        caption = f"{record.title}: {field.title.lower()}, {count(rows.height, 'change')}{', the largest first' if numeric else ''}"
        tables.append(PageTable(caption, heads, body, total=rows.height, searched=True))
    return [Section("Changes, from → to", tables=tables)] if tables else []


def _value(value: str | None, field: Field) -> str:
    return "(blank)" if value is None else shown(value, field) or ""


COLUMNS_SHOWN = 6
"""Fields of a new row that are shown beside its key, at most."""


def _shown_fields(changes: RecordChanges, rows: pl.DataFrame) -> list[str]:
    """The first fields that are filled in some row, the name before all others."""
    record = changes.record
    filled = [name for name in changes.fields if name not in record.key and rows[name].null_count() < rows.height]
    return sorted(filled, key=lambda name: name != record.called)[:COLUMNS_SHOWN]


def row_sections(changes: Sequence[RecordChanges], action: str, title: str) -> list[Section]:
    """The new or the removed rows of each record, with their name and the first fields that are filled."""
    tables = []
    for part in changes:
        rows = part.rows_of(action)
        if not rows.height or part.record.is_kept:
            continue
        record = part.record
        if action != "new":
            rows = rows.with_columns(
                pl.col(before(name)).alias(name) for name in part.fields if before(name) in rows.columns
            )
        names = _shown_fields(part, rows)
        fields = [record.fields[name] for name in names]
        body: list[Row] = [
            [
                key or "",
                *(
                    Cell(_plain_value(value, field), field.is_decimal)
                    for field, value in zip(fields, values, strict=True)
                ),
            ]
            for key, *values in rows.head(MOST_ROWS).select(key_text(record).alias("the key"), *names).iter_rows()
        ]
        heads = [record.title, *(record.fields[name].title for name in names)]
        caption = f"{record.title}: {count(rows.height, action + ' row')}"
        tables.append(PageTable(caption, heads, body, total=rows.height, searched=True))
    return [Section(title, tables=tables)] if tables else []


def _plain_value(value: str | None, field: Field) -> str:
    return "" if value is None else shown(value, field) or ""


def list_rest(
    values: Sequence[tuple[Record, Field, pl.DataFrame]], changes: Sequence[RecordChanges], path: Path
) -> str | None:
    """A workbook with every change and every new row, where the page has no room for them; its name."""
    new = [(each.record, each.rows_of("new")) for each in changes if not each.record.is_kept]
    if all(rows.height <= MOST_ROWS for rows in (*(each[2] for each in values), *(each[1] for each in new))):
        return None
    sheets = []
    if values:
        whole = pl.concat(
            rows.select(
                pl.lit(record.title).alias("Record"),
                pl.lit(field.title).alias("Field"),
                pl.col("key").alias("Key"),
                pl.col("from").alias("From"),
                pl.col("to").alias("To"),
            )
            for record, field, rows in values
        )
        sheets.append(OutSheet("Changes", tuple(OutColumn(name) for name in whole.columns), whole, printed=True))
    for record, rows in new:
        if rows.height:
            fields = [name for name in record.fields if name in rows.columns]
            columns = tuple(OutColumn(record.fields[name].title, record.fields[name]) for name in fields)
            sheets.append(OutSheet(f"New {record.name}"[:31], columns, rows.select(fields), printed=True))
    write_book(OutBook(tuple(sheets)), path)
    return path.name
