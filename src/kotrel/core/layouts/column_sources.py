"""What the columns of an upload file are filled from:
the rows as they will be, and what stands elsewhere in the system.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION as LOAD_ACTION
from kotrel.core.columns import ROW, before
from kotrel.core.description.model import Description, Record
from kotrel.core.layouts.layout import Layout
from kotrel.core.layouts.prices_and_stock import joined_for
from kotrel.core.layouts.upload_rows import UPLOAD_ACTION, Values
from kotrel.core.loading.load_model import SystemReader
from kotrel.core.pricing.rates import Rates
from kotrel.core.rows.searching import looked_up


def names_for(
    layout: Layout, record: Record, description: Description, look: SystemReader, together: Sequence[RecordChanges]
) -> dict[str, Mapping[str, str]]:
    """Field → code → name, for the columns that write names: as they will be when the load is done."""
    return {
        column.field: _names(description.records[str(record.fields[column.field].to)], look, together)
        for column in layout.columns
        if column.field is not None and column.name
    }


def _names(about: Record, look: SystemReader, together: Sequence[RecordChanges]) -> Mapping[str, str]:
    code, name = about.code, str(about.called)
    held = look.read(about.name, list(dict.fromkeys((code, name))))
    names = dict(zip(held[code], held[name], strict=True))
    for each in together:
        if each.record.name == about.name and name in each.fields:
            written = each.rows_of("new", "changed")
            names |= dict(zip(written[code], written[name], strict=True))
    return {code: name for code, name in names.items() if name}


WITHDRAWN = "is withdrawn"
"""A Boolean column of changes, where there is one: the row is archived because a load is taken back."""


def values_of(
    layout: Layout,
    changes: RecordChanges,
    rows: pl.Series | None,
    description: Description,
    look: SystemReader,
    day: str,
    rates: Rates,
    reference: str = "",
    together: Sequence[RecordChanges] = (),
) -> Values:
    """The rows as they will be: what the sheet says, and what the system holds where it says nothing.

    Args:
        rows: the rows of the sheet to write, in their order; None for those that change anything.
        day: of the prices in force, ISO date.
        rates: for prices that are a discount off one in another currency.
        together: all that changes in this load: names may be new too.

    Raises:
        WrongUse: the layout names a price list or a warehouse that the system does not have.
    """
    record = changes.record
    frame = changes.frame
    in_order = rows is not None and rows.equals(frame[ROW]) and frame[ROW].n_unique() == frame.height
    if rows is not None and not in_order:
        frame = pl.DataFrame([rows]).join(frame, on=ROW, how="left", maintain_order="left")
        frame = frame.unique(ROW, keep="first", maintain_order=True)
    goes = bool((frame[LOAD_ACTION] == "removed").any())
    frame = frame.with_columns(
        pl.when(pl.col(WITHDRAWN) if WITHDRAWN in frame.columns else pl.lit(False))
        .then(pl.lit("withdrawn"))
        .otherwise(pl.col(LOAD_ACTION).fill_null("same").replace({"removed": "withdrawn"}))
        .alias(UPLOAD_ACTION),
        # A row that goes is written as it was.
        *(
            pl.when(pl.col(LOAD_ACTION) == "removed").then(pl.col(before(name))).otherwise(pl.col(name)).alias(name)
            for name in changes.fields
            if goes
        ),
    )
    if missing := [name for name in _needed(layout, record) if name not in frame.columns]:
        key = list(record.key)
        held = look.read(record.name, [*key, *missing], (key[0], frame[key[0]])).unique(key, keep="any")
        frame = looked_up(frame, held, key)
    changed = {
        name: frame.select(
            (pl.col(name).ne_missing(pl.col(before(name))) | pl.col(UPLOAD_ACTION).is_in(["new", "withdrawn"])).alias(
                name
            )
        ).to_series()
        for name in changes.fields
        if layout.updates == "changed"
    }
    names = names_for(layout, record, description, look, together)
    joined = joined_for(layout, record, frame, description, look, day, rates) if record.name == "item" else {}
    return Values(frame, changed, names, joined, reference)


def _needed(layout: Layout, record: Record) -> Sequence[str]:
    """The fields that the layout's columns may be filled from."""
    uses = layout.uses
    if any(column.price_of is not None for column in layout.columns):
        uses |= {"unit", "category", "price"}
    return [name for name in record.fields if name in uses]


def without_place(layout: Layout, record: Record, fields: Sequence[str]) -> list[str]:
    """The fields that the layout has no column for."""
    return [name for name in fields if name not in layout.uses and name not in record.key]
