"""Barcodes as they were: with the zeros that a number cell dropped,
and without blanks and dashes between their digits.
"""

from __future__ import annotations

import re

import polars as pl

from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.code_formats import GTIN_LENGTHS, LEAST_DIGITS, gtin_check_digit

_BETWEEN = r"[ \u00a0\u2007\u2009\u202f\u2010-\u2013-]"
_APART = rf"^[0-9](?:(?:[0-9]|{_BETWEEN})*[0-9])?\.0$|^[0-9]+(?:{_BETWEEN}[0-9]+)+$"
ENOUGH = 5
"""Values of one length that must all have their check digit: one number in ten has it by chance."""

Repair = tuple[str, str, str]
"""The barcode as it was, the kind of repair, and its proof."""


def repaired_barcodes(rows: Rows, name: str, state: SystemState) -> dict[str, Repair]:
    """Value → its repair, for barcodes that lost leading zeros, or have blanks,
    dashes or ``.0`` that are no part of them.
    """
    values = rows.values[name]
    repairs = _as_held(rows, name, state)
    for value in values.filter(values.str.contains(_APART)).unique():
        digits = re.sub(rf"{_BETWEEN}|\.0$", "", value)
        if value not in repairs and len(digits) in GTIN_LENGTHS and digits[-1] == gtin_check_digit(digits[:-1]):
            repairs[value] = (
                digits,
                "digits-apart",
                "the check digit is right without what is between and after the digits",
            )
    return repairs | {value: fix for value, fix in _lost_zeros(rows, name, values).items() if value not in repairs}


def _as_held(rows: Rows, name: str, state: SystemState) -> dict[str, Repair]:
    """Values that differ from the barcode of their own item only by zeros at the beginning: they are that barcode."""
    key = rows.record.key
    if len(key) > 1 or key[0] not in rows.fields or key[0] == name:
        return {}
    sheet_barcodes = (
        rows.values.select(key[0], name)
        .drop_nulls()
        .filter(pl.col(name).str.contains(rf"^[0-9]{{{LEAST_DIGITS},14}}$"))
    )
    held = state.having(rows.record, [name], key[0], sheet_barcodes[key[0]]).select(
        key[0], pl.col(name).alias("held barcode")
    )
    # Only where one of the two begins with a zero can they differ by that, and few do: the others need not be paired.
    zero_first = [
        frame.filter(pl.col(column).str.starts_with("0"))[key[0]]
        for frame, column in ((sheet_barcodes, name), (held, "held barcode"))
    ]
    may_differ = pl.col(key[0]).is_in(pl.concat(zero_first).unique().implode())
    both = (
        sheet_barcodes.filter(may_differ)
        .join(held.drop_nulls().filter(may_differ), on=key[0])
        .filter(
            (pl.col(name) != pl.col("held barcode"))
            & (pl.col(name).str.strip_chars_start("0") == pl.col("held barcode").str.strip_chars_start("0"))
        )
    )
    title = rows.record.title.lower()
    return {
        value: (barcode, "leading-zeros", f"the {title} has it with these zeros")
        for value, barcode in both.select(name, "held barcode").iter_rows()
    }


def _lost_zeros(rows: Rows, name: str, values: pl.Series) -> dict[str, Repair]:
    """Number cells of barcodes that lost leading zeros: every one of their length has its check digit, and they are
    many.

    A check digit proves digits, never a length: only where a spreadsheet can have dropped the zeros, and only up to the
    next length that a barcode can have.
    """
    letter = rows.letters.get(name)
    if letter is None or not rows.table.sheet:
        return {}
    cells = values.filter(rows.table.kind_is(letter, "number")).drop_nulls()
    cells = cells.filter(cells.str.contains(rf"^[1-9][0-9]{{{LEAST_DIGITS - 1},12}}$"))
    short = cells.filter(~cells.str.len_chars().is_in(list(GTIN_LENGTHS))).unique().to_list()
    repairs: dict[str, Repair] = {}
    for target in GTIN_LENGTHS:
        mine = [value for value in short if target == min(size for size in GTIN_LENGTHS if size > len(value))]
        if len(mine) >= ENOUGH and all(value[-1] == gtin_check_digit(value[:-1]) for value in mine):
            proof = f"the cell holds a number, and all {len(mine)} of its kind have their check digit"
            repairs |= {value: (value.zfill(target), "leading-zeros", proof) for value in mine}
    return repairs
