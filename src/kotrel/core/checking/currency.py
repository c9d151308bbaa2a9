"""Amounts in another currency than their own row's: price lists have one each."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.currencies import CURRENCY_FIELD, PRICE_LIST, currency_source
from kotrel.core.description.model import Field
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.currencies import currency_in, may_be
from kotrel.core.values.numbers import currency_beside

_HAS_SIGN = r"[^0-9.,' +\-()%\u00a0\u2009\u202f]"


def check_currency(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Cells whose heading, text or number format names a currency that is not their row's.

    Rows without one of their own have the workspace's; those of other records are judged where they are read.
    """
    if not rows.currency or currency_source(rows.record) is None:
        return []
    found: list[FindingGroup] = []
    own: pl.Series | None = None
    for field in rows.record.fields.values():
        if field.kind != "money" or field.name not in rows.values.columns:
            continue
        said = _said(rows, field)
        if said.null_count() == len(said):
            continue
        own = _own_currency(rows, state) if own is None else own
        pairs = pl.DataFrame([said.alias("said"), own.alias("own")])
        wrong = [(sign, code) for sign, code in pairs.drop_nulls().unique().iter_rows() if not may_be(sign, code)]
        for sign, code in sorted(wrong):
            here = (pairs["said"] == sign) & (pairs["own"] == code) & rows.values[field.name].is_not_null()
            message = f"it is in {sign}, and this row is in {code}: convert it"
            found += rows.where("error", "other-currency", "in another currency", field, here.fill_null(False), message)
    return found


def _said(rows: Rows, field: Field) -> pl.Series:
    """The sign or code that stands beside each amount: in its cell, else in its number format, else in the heading."""
    count = rows.values.height
    heading = currency_in(rows.heading(field.name))
    said = pl.Series("said", [heading], dtype=pl.String).new_from_index(0, count)
    letter = rows.letters.get(field.name)
    formats = rows.table.formats
    if letter is not None and formats is not None and formats.currencies:
        shown = {row: how.currency for row, how in formats.of(letter).items() if how.currency}
        of_cells = rows.values[ROW].replace_strict(shown, default=None, return_dtype=pl.String)
        said = of_cells.zip_with(of_cells.is_not_null(), said)
    texts = rows.as_it_stands(field.name)
    signed = texts.filter(texts.str.contains(_HAS_SIGN).fill_null(False)).unique().to_list()
    beside = {text: sign for text in signed if (sign := currency_beside(text))}
    if beside:
        typed = texts.replace_strict(beside, default=None, return_dtype=pl.String)
        said = typed.zip_with(typed.is_not_null(), said)
    return said


def _own_currency(rows: Rows, state: SystemState) -> pl.Series:
    """The currency of each row: its own, in the sheet or the system, else its price list's, else the workspace's."""
    record, values = rows.record, rows.values
    known = [values[CURRENCY_FIELD]] if CURRENCY_FIELD in values.columns else []
    source = currency_source(record)
    target = state.description.records.get(PRICE_LIST)
    if source != CURRENCY_FIELD and target is not None and CURRENCY_FIELD in target.fields:
        if source in values.columns:
            held = state.having(target, [CURRENCY_FIELD], target.code, values[source])
            lists = pl.concat(
                [state.coming(target, [target.code, CURRENCY_FIELD]), held.select(target.code, CURRENCY_FIELD)]
            )
            known.append(_looked_up(values[source], lists))
    elif len(record.key) == 1 and record.key[0] in values.columns:
        key = record.key[0]
        known.append(
            _looked_up(
                values[key], state.having(record, [CURRENCY_FIELD], key, values[key]).select(key, CURRENCY_FIELD)
            )
        )
    here = pl.Series([rows.currency]).new_from_index(0, values.height)
    return pl.select(pl.coalesce(*known, here)).to_series()


def _looked_up(codes: pl.Series, pairs: pl.DataFrame) -> pl.Series:
    """The second column of a table by its first."""
    known = dict(pairs.drop_nulls().unique(pairs.columns[0], keep="first", maintain_order=True).iter_rows())
    return codes.replace_strict(known, default=None, return_dtype=pl.String)
