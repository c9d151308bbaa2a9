"""Repairs damaged barcodes, where the check digit or the item itself proves what they were."""

from __future__ import annotations

import re

import polars as pl

from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.code_formats import GTIN_LENGTHS, gtin_check_digit

Repair = tuple[str, str, str]
"""The barcode as it was, the kind of repair, and its proof."""


def repaired_barcodes(rows: Rows, name: str, state: SystemState) -> dict[str, Repair]:
    """Value → its repair, for barcodes that lost leading zeros, or have blanks, dashes or ``.0`` that are no part of them."""
    values = rows.values[name]
    if bool(values.str.len_bytes().is_in([*GTIN_LENGTHS]).all()) and values.str.len_bytes().n_unique() < 2:
        return {}
    found = _as_held(rows, name, state)
    for value in values.filter(values.str.contains(r"^[0-9](?:[0-9 -]*[0-9])?\.0$|^[0-9]+(?:[ -][0-9]+)+$")).unique():
        digits = re.sub(r"[ -]|\.0$", "", value)
        if value not in found and len(digits) in GTIN_LENGTHS and digits[-1] == gtin_check_digit(digits[:-1]):
            found[value] = (
                digits,
                "digits-apart",
                "the check digit is right without what is between and after the digits",
            )
    return found | {value: fix for value, fix in _lost_zeros(values).items() if value not in found}


def _as_held(rows: Rows, name: str, state: SystemState) -> dict[str, Repair]:
    """Values that differ from the barcode of their own item only by zeros at the beginning: they are that barcode."""
    key = rows.record.key
    if len(key) > 1 or key[0] not in rows.fields or key[0] == name:
        return {}
    own = rows.values.select(key[0], name).drop_nulls().filter(pl.col(name).str.contains(r"^[0-9]{4,14}$"))
    held = state.having(rows.record, [name], key[0], own[key[0]]).select(key[0], pl.col(name).alias("held barcode"))
    both = own.join(held.drop_nulls().unique(key[0], keep="any"), on=key[0]).filter(
        (pl.col(name) != pl.col("held barcode"))
        & (pl.col(name).str.strip_chars_start("0") == pl.col("held barcode").str.strip_chars_start("0"))
    )
    title = rows.record.title.lower()
    return {
        value: (barcode, "leading-zeros", f"the {title} has it with these zeros")
        for value, barcode in both.select(name, "held barcode").iter_rows()
    }


def _lost_zeros(values: pl.Series) -> dict[str, Repair]:
    """Barcodes that lost leading zeros: the check digit is right, and the column's other barcodes have the full length.

    A check digit alone is right by chance for one number in ten.
    """
    digits = values.str.contains(r"^[0-9]{4,13}$").fill_null(False)
    lengths = values.filter(digits).str.len_chars()
    if not (~lengths.is_in(list(GTIN_LENGTHS))).any():
        return {}
    whole = values.filter(values.str.contains(r"^[0-9]{8,14}$").fill_null(False)).str.len_chars()
    usual = [int(length) for length in whole.filter(whole.is_in(list(GTIN_LENGTHS))).mode().sort()]
    found: dict[str, Repair] = {}
    for value in values.filter(digits).unique().to_list():
        if len(value) in GTIN_LENGTHS or value[-1] != gtin_check_digit(value[:-1]):
            continue
        longer = [length for length in usual if length > len(value)]
        if longer:
            proof = f"the check digit is right with {longer[0]} digits, as most of the column has"
            found[value] = (value.zfill(longer[0]), "leading-zeros", proof)
    return found
