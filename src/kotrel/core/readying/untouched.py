"""Cells of an exported sheet that nobody touched: they say, to the letter, what was exported.

Whatever a database holds (blanks at the ends, lists written otherwise, texts like ``#N/A`` or ``(clear)``), a cell that
still stands as it was exported is no edit, has no finding and is not repaired.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

import polars as pl

from kotrel.core.columns import ROW, clearing
from kotrel.core.rows.rows import Rows
from kotrel.core.understanding.tidying.column import STRAY_CHARS, unguard

_NUMBER = pl.Decimal(38, 12)


def with_exported_keys(rows: Rows, base: pl.DataFrame) -> Rows:
    """The rows with the keys as they were exported, where the cells still say so to the letter."""
    key = list(rows.record.key)
    if any(name not in rows.fields for name in key):
        return rows
    stands = pl.DataFrame([_stands(rows, name).alias(name) for name in key])
    known = base.select(key).unique().with_columns(pl.lit(True).alias("is exported"))
    same = stands.join(known, on=key, how="left", maintain_order="left")["is exported"].fill_null(False)
    if not same.any():
        return rows
    values = rows.values.with_columns(rows.values[name].zip_with(~same, stands[name]).alias(name) for name in key)
    return _settled(replace(rows, values=values), dict.fromkeys(key, same))


def without_untouched(rows: Rows, base: pl.DataFrame) -> Rows:
    """The rows with the exported values in all cells that still say them to the letter; their findings and repairs are gone.

    Args:
        base: what was exported, or loaded from the sheet since: the key and fields.
    """
    key = list(rows.record.key)
    fields = [name for name in rows.fields if name not in key and name in base.columns]
    was = base.unique(key, keep="any").select(
        *key, *(pl.col(name).alias(f"was {name}") for name in fields), pl.lit(True).alias("is exported")
    )
    held = rows.values.select(key).join(was, on=key, how="left", maintain_order="left")
    exported = held["is exported"].fill_null(False)
    columns: list[pl.Series] = []
    settled: dict[str, pl.Series] = {}
    for name in fields:
        before, stands = held[f"was {name}"], _stands(rows, name)
        same = exported & (stands.eq_missing(before) | (_blank(stands) & _blank(before)))
        if rows.record.fields[name].is_decimal:
            numbers = [each.cast(_NUMBER, strict=False) for each in (stands, before)]
            same = same | (exported & (numbers[0] == numbers[1]).fill_null(False))
        changes = same & rows.values[name].ne_missing(before)
        clears = clearing(name)
        if clears in rows.values.columns and (same & rows.values[clears]).any():
            columns.append((rows.values[clears] & ~same).alias(clears))
        if changes.any():
            columns.append(rows.values[name].zip_with(~same, before).alias(name))
        settled[name] = same
    return _settled(replace(rows, values=rows.values.with_columns(columns)), settled)


def _stands(rows: Rows, name: str) -> pl.Series:
    stands = rows.as_it_stands(name)
    return stands if rows.table.sheet else unguard(stands)


def _blank(values: pl.Series) -> pl.Series:
    return values.fill_null("").str.strip_chars(STRAY_CHARS) == ""


def _settled(rows: Rows, settled: dict[str, pl.Series]) -> Rows:
    """The rows without the findings and repairs on settled cells."""

    def open_rows(field: str | None) -> Collection[int] | None:
        if field not in settled:
            return None
        return set(rows.values[ROW].filter(settled[field]).to_list())

    findings = []
    for group in rows.findings:
        done = open_rows(group.field)
        if done:
            group = replace(group, cells=group.cells.filter(~pl.col(ROW).is_in(list(done))))
        findings.append(group)
    repairs = []
    for each in rows.repairs:
        done = open_rows(each.field)
        repairs.append(replace(each, cells=each.cells.filter(~pl.col(ROW).is_in(list(done)))) if done else each)
    return replace(
        rows,
        findings=tuple(group for group in findings if group.count),
        repairs=tuple(each for each in repairs if each.count),
    )
