"""Code formats: barcodes with their check digit."""

from __future__ import annotations

import polars as pl

from kotrel.core.checking.meaningless import meaningless_words
from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import slips_between
from kotrel.core.values.code_formats import gtin_fits, gtin_has_length


def check_codes(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Fields whose description asks for a code format."""
    found: list[FindingGroup] = []
    for name in rows.fields:
        if rows.record.fields[name].check == "gtin":
            found += _gtin(rows, name, state)
    return found


def _gtin(rows: Rows, name: str, state: SystemState) -> list[FindingGroup]:
    """Barcodes: only digits, 8, 12, 13 or 14 of them, the last the check digit (GS1 General Specifications, 7.9)."""
    codes = rows.values.lazy().select(ROW, pl.col(name).alias("value"))
    if rows.record.fields[name].kind == "list":
        codes = codes.with_columns(pl.col("value").str.split("; ")).explode("value")
    judged = codes.filter(pl.col("value").is_not_null()).with_columns(
        length=gtin_has_length(pl.col("value")),
        fits=gtin_fits(pl.col("value")),
    )
    bad = judged.filter(~pl.col("length") | ~pl.col("fits").fill_null(False)).collect()
    if bad.height and (words := meaningless_words(rows, state, name)):
        # They have their own error.
        bad = bad.filter(~pl.col("value").is_in(words))
    if not bad.height:
        return []
    bad = bad.with_columns(lettered=pl.col("value").str.contains(r"[^0-9]"))
    findings: list[FindingGroup] = []
    lettered = bad.filter("lettered")
    short = bad.filter(~pl.col("lettered") & ~pl.col("length"))
    wrong = bad.filter(pl.col("length"))
    if lettered.height:
        message = "a barcode has digits only; a code with letters is an alternative code"
        cells = cells_of(lettered[ROW], lettered["value"], message)
        findings.append(rows.group("error", "barcode-with-letters", "not all digits", name, cells))
    if short.height:
        messages = [f"{len(value)} digits; a barcode has 8, 12, 13 or 14" for value in short["value"]]
        findings.append(
            rows.group(
                "error",
                "barcode-length",
                "wrong number of digits",
                name,
                cells_of(short[ROW], short["value"], messages),
            )
        )
    if wrong.height:
        message = "the check digit is wrong: check the number against the packaging"
        cells = cells_of(wrong[ROW], wrong["value"], message, _nearly_own(rows, name, wrong, state))
        findings.append(rows.group("error", "check-digit", "wrong check digit", name, cells))
    return findings


NEARLY = 2
"""A barcode that differs in no more digits, exchanged digits counted once, is suggested."""


def _nearly_own(rows: Rows, name: str, wrong: pl.DataFrame, state: SystemState) -> list[str | None]:
    """For each wrong barcode the one that its own item has, if it is nearly the same.

    A check digit cannot say which digit is wrong: nothing is suggested that the system does not know.
    """
    key = rows.record.key
    if len(key) > 1 or key[0] not in rows.fields or key[0] == name or rows.record.fields[name].kind == "list":
        return [None] * wrong.height
    keyed = wrong.select(ROW, "value").join(rows.values.select(ROW, key[0]), on=ROW, how="left", maintain_order="left")
    held = state.having(rows.record, [name], key[0], keyed[key[0]]).select(key[0], pl.col(name).alias("held barcode"))
    both = keyed.join(held.unique(key[0], keep="any"), on=key[0], how="left", maintain_order="left")
    return [
        barcode if barcode is not None and slips_between(value, barcode) <= NEARLY else None
        for value, barcode in both.select("value", "held barcode").iter_rows()
    ]
