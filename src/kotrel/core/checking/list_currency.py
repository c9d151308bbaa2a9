"""Amounts in another currency than their own row's, or finer than their price list:
each list has a currency and decimals.
"""

from __future__ import annotations

import polars as pl

from kotrel.core.checking.left_out import first_words, held_beside, left_out_columns
from kotrel.core.columns import ROW, decimal_type
from kotrel.core.description.model import CURRENCY_FIELD, DECIMALS_FIELD, PRICE_LIST, Field, currency_source, list_field
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import folded
from kotrel.core.tables.heading_words import CURRENCY_WORDS
from kotrel.core.tables.table import Column
from kotrel.core.values.currencies import CURRENCY, currency_in, may_be
from kotrel.core.values.numbers import currency_beside

_HAS_SIGN = r"[^0-9.,' +\-()%\u00a0\u2009\u202f]"


def check_currency(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Cells whose heading, text or number format names a currency that is not their row's.

    Rows without one of their own have the workspace's; those of other records are judged where they are read.
    """
    if not rows.currency or currency_source(rows.record) is None:
        return []
    findings: list[FindingGroup] = []
    price_currency: pl.Series | None = None
    for field in rows.record.fields.values():
        if field.kind != "money" or field.name not in rows.values.columns:
            continue
        said = _stated_currencies(rows, field)
        if said.null_count() == len(said):
            continue
        price_currency = own_currency(rows, state) if price_currency is None else price_currency
        pairs = pl.DataFrame([said.alias("said"), price_currency.alias("own")])
        wrong = [(sign, code) for sign, code in pairs.drop_nulls().unique().iter_rows() if not may_be(sign, code)]
        for sign, code in sorted(wrong):
            here = (pairs["said"] == sign) & (pairs["own"] == code) & rows.values[field.name].is_not_null()
            message = f"it is in {sign}, and this row is in {code}: convert it"
            findings += rows.where(
                "error", "other-currency", "in another currency", field, here.fill_null(False), message
            )
    return findings


def check_left_out_currencies(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Cells of a column that no field reads, where they name another currency than their row's."""
    has_amounts = any(rows.record.fields[name].kind == "money" for name in rows.fields)
    if not rows.currency or not has_amounts or CURRENCY_FIELD in rows.sources:
        return []
    findings: list[FindingGroup] = []
    own: pl.Series | None = None
    for column in left_out_columns(rows):
        is_named = folded(column.heading) in CURRENCY_WORDS
        if not is_named and not _are_currencies(first_words(rows, column)):
            continue
        held = held_beside(rows, column)
        if not is_named and not _are_currencies(held.drop_nulls().unique()):
            continue
        own = own_currency(rows, state) if own is None else own
        findings += _in_another(rows, column, held, own)
    return findings


def _in_another(rows: Rows, column: Column, held: pl.Series, own: pl.Series) -> list[FindingGroup]:
    """An error at each cell of a column that names another currency than the row's own."""
    pairs = pl.DataFrame([rows.values[ROW], held.alias("said"), own.alias("own")]).drop_nulls()
    known = pairs.select("said", "own").unique().iter_rows()
    wrong = [(said, here) for said, here in known if not may_be(said, here) and not may_be(said.upper(), here)]
    if not wrong:
        return []
    odd = pairs.join(pl.DataFrame(wrong, schema=["said", "own"], orient="row"), on=["said", "own"], how="semi")
    messages = [
        f"its amounts are in {said}, and would be taken as {here}: convert them"
        for said, here in odd.select("said", "own").iter_rows()
    ]
    cells = cells_of(odd[ROW], odd["said"], messages)
    title = "in another currency"
    return [
        FindingGroup("error", "other-currency", title, rows.record.name, None, column.letter, cells, column.heading)
    ]


def _are_currencies(words: pl.Series) -> bool:
    return bool(words.str.contains(f"^(?:{CURRENCY})$").all())


def check_list_decimals(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Prices with more decimals than their list, by which every price that is asked for is rounded."""
    if list_field(rows.record) is None:
        return []
    findings: list[FindingGroup] = []
    for field in rows.record.fields.values():
        if field.kind != "money" or field.name not in rows.values.columns:
            continue
        places = of_list(rows, state, DECIMALS_FIELD).cast(pl.Int64, strict=False)
        fewest = places.min()
        if not isinstance(fewest, int) or not _has_more_decimals(rows.seen(field.name), field, max(fewest, 0)):
            continue
        finer = (_decimals_of(rows.values[field.name]) > places).fill_null(False)
        for count in places.filter(finer).unique().sort():
            has = "has no decimals" if not count else "has 1 decimal" if count == 1 else f"has {count} decimals"
            message = f"the price list {has}, and a price is rounded to that when it is looked up"
            rounded = pl.col(field.name).cast(decimal_type(), strict=False).round(count, mode="half_away_from_zero")
            shown = rounded.cast(decimal_type(count), strict=False).cast(pl.String)
            here = finer & (places == count)
            findings += rows.where(
                "warning", "finer-than-list", "finer than the price list", field, here, message, shown
            )
    return findings


def _has_more_decimals(values: pl.Series, field: Field, places: int) -> bool:
    """Whether any value has more decimals that count."""
    # An amount has the decimals of its field.
    rest = (field.decimals or 0) - places
    if rest > 0 and values.str.ends_with("0" * rest).all():
        return False
    return bool(values.str.contains(rf"\.[0-9]{{{places}}}[0-9]*[1-9]").any())


def _decimals_of(values: pl.Series) -> pl.Series:
    """How many decimals of each value count, without zeros at the end."""
    return values.str.extract(r"\.([0-9]*[1-9])0*$").str.len_chars().fill_null(0)


def _stated_currencies(rows: Rows, field: Field) -> pl.Series:
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


def own_currency(rows: Rows, state: SystemState) -> pl.Series:
    """The currency of each row: its own, in the sheet or the system, else its price list's, else the workspace's."""
    record, values = rows.record, rows.values
    here = pl.Series([rows.currency]).new_from_index(0, values.height)
    if currency_source(record) is None:
        return here
    known = [values[CURRENCY_FIELD]] if CURRENCY_FIELD in values.columns else []
    if list_field(record) is not None:
        known.append(of_list(rows, state, CURRENCY_FIELD))
    elif len(record.key) == 1 and record.key[0] in values.columns:
        key = record.key[0]
        known.append(
            _looked_up(
                values[key], state.having(record, [CURRENCY_FIELD], key, values[key]).select(key, CURRENCY_FIELD)
            )
        )
    return pl.select(pl.coalesce(*known, here)).to_series()


def of_list(rows: Rows, state: SystemState, field: str) -> pl.Series:
    """A field of each row's price list; null where nobody knows."""
    name, target = list_field(rows.record), state.description.records.get(PRICE_LIST)
    if name not in rows.values.columns or target is None or field not in target.fields:
        return pl.Series([None], dtype=pl.String).new_from_index(0, rows.values.height)
    wanted = [target.code, field]
    held = state.having(target, [field], target.code, rows.distinct(name).drop_nulls()).select(wanted)
    return _looked_up(rows.values[name], pl.concat([state.coming(target, wanted), held]))


def _looked_up(codes: pl.Series, pairs: pl.DataFrame) -> pl.Series:
    """The second column of a table by its first."""
    known = dict(pairs.drop_nulls().unique(pairs.columns[0], keep="first", maintain_order=True).iter_rows())
    return codes.replace_strict(known, default=None, return_dtype=pl.String)
