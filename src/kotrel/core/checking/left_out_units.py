"""Columns of units that no field reads, where the rows are in another one: a price for a coil taken for one a metre."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.checking.left_out import first_words, held_beside, left_out_columns
from kotrel.core.checking.units_in_headings import (
    check_units_in_headings,
    check_units_of_measures,
    is_amount,
    unit_beside,
    unit_list,
    units_of_rows,
)
from kotrel.core.columns import ROW
from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field
from kotrel.core.matching.heading_meaning import MEASURE
from kotrel.core.matching.heading_units import UNIT, unit_field
from kotrel.core.matching.unread_columns import unread_limit
from kotrel.core.phrases import listed, listed_and
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.heading_words import plain_terms, terms_of
from kotrel.core.tables.table import Column

FEW = 20
"""The most different words that a column of units may hold."""


def check_units(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """An error for each column that says another unit than the rows are in: in its heading, or in cells that nothing
    reads.
    """
    return [
        *check_units_in_headings(rows, state),
        *check_units_of_measures(rows, state),
        *_left_out_units(rows, state),
        *_left_out_measures(rows, state),
    ]


def _left_out_measures(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """An error for each column that is left out and holds nothing but units of weights or sizes, beside figures of such that
    would be taken as in another unit: ``g`` under “Weight in”.
    """
    fields = [rows.record.fields[name] for name in rows.letters if not is_amount(rows, name)]
    units = sorted({name for field in fields if (name := unit_field(rows.record, field)) and name not in rows.sources})
    findings: list[FindingGroup] = []
    for column in left_out_columns(rows) if units else ():
        words = first_words(rows, column)
        if not len(words) or not words.str.contains(MEASURE).all() or not _is_clear(words, column.heading, fields):
            continue
        held = held_beside(rows, column)
        own = [unit_beside(rows, name, state) for name in units]
        if not any(_all_same(held, each) for each in own):
            titles = listed_and([rows.record.fields[name].title for name in units], "or")
            message = (
                f"column {column.letter} “{column.heading}” holds units ({listed(sorted(words), 3)}), and no field reads it: map it "
                f"to {titles} with kotrel map, or name it under skip in the mapping"
            )
            findings.append(unread_limit(rows, column, message))
    return findings


def _all_same(held: pl.Series, own: pl.Series) -> bool:
    """Whether what a column says is each row's own unit, wherever it says one."""
    same = (held.str.to_lowercase() == own.str.to_lowercase()).fill_null(False)
    return bool((same | held.is_null()).all())


def _is_clear(words: pl.Series, heading: str, fields: Sequence[Field]) -> bool:
    """Whether words are units rather than sizes of clothes: M and L may be both, unless the heading speaks of a measure."""
    if not words.str.to_lowercase().is_in(["m", "l", "t"]).all():
        return True
    return any(terms_of(heading) & terms_of(field.title) for field in fields)


def _left_out_units(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """An error for each column that is left out, holds nothing but units of the list, and for some row another than its
    own.
    """
    left_out = _few_words(rows)
    units = unit_list(rows.record, state) if left_out else None
    if units is None:
        return []
    words = {word for held in left_out.values() for word in held.drop_nulls().unique()}
    known = ListNames(state.listed(units), units, sorted(words))
    codes = {word: next(iter(found)) for word in words if len(found := known.codes_of(word)) == 1}
    own: pl.Series | None = None
    findings: list[FindingGroup] = []
    for column, held in left_out.items():
        if set(held.drop_nulls().unique()) <= set(codes):
            own = units_of_rows(rows, state) if own is None else own
            findings += _about(
                rows, column, held, held.replace_strict(codes, default=None, return_dtype=pl.String), own
            )
    return findings


def _few_words(rows: Rows) -> dict[Column, pl.Series]:
    """Columns that are left out and may hold units: a few words, under a heading that nobody knows; with their values for
    each row.
    """
    amounts = any(is_amount(rows, name) for name in rows.letters)
    if not amounts or UNIT in rows.sources:
        return {}
    found: dict[Column, pl.Series] = {}
    for column in left_out_columns(rows):
        if terms_of(column.heading) & plain_terms() or not _may_be_units(first_words(rows, column)):
            continue
        held = held_beside(rows, column)
        if held.null_count() < len(held) and _may_be_units(held.drop_nulls().unique()):
            found[column] = held
    return found


def _may_be_units(words: pl.Series) -> bool:
    return len(words) <= FEW and not words.str.contains("[0-9]").any()


def _about(rows: Rows, column: Column, held: pl.Series, codes: pl.Series, own: pl.Series) -> list[FindingGroup]:
    odd = (codes != own).fill_null(False)
    if not odd.any():
        return []
    row, said, unit = rows.values.select(ROW, held.alias("said"), own.alias("its unit")).filter(odd).row(0)
    message = (
        f"column {column.letter} “{column.heading}” holds units, and no field reads it: {rows.table.place(row, None)} says {said}, and "
        f"is taken as in {unit}. Map it with kotrel map, or name it under skip in the mapping"
    )
    return [unread_limit(rows, column, message)]
