"""Code formats: barcodes with their check digit."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.code_formats import gtin_check_digit, gtin_fits, gtin_has_length


def check_codes(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Fields whose description asks for a code format."""
    found: list[FindingGroup] = []
    for name in rows.fields:
        if rows.record.fields[name].check == "gtin":
            found += _gtin(rows, name)
    return found


def _gtin(rows: Rows, name: str) -> list[FindingGroup]:
    """Barcodes: only digits, 8, 12, 13 or 14 of them, the last the check digit (GS1 General Specifications, 7.9)."""
    codes = rows.values.lazy().select(ROW, pl.col(name).alias("value"))
    if rows.record.fields[name].kind == "list":
        codes = codes.with_columns(pl.col("value").str.split("; ")).explode("value")
    judged = codes.filter(pl.col("value").is_not_null()).with_columns(
        length=gtin_has_length(pl.col("value")),
        fits=gtin_fits(pl.col("value")),
        lettered=pl.col("value").str.contains(r"[^0-9]"),
    )
    bad = judged.filter(~pl.col("length") | ~pl.col("fits").fill_null(False)).collect()
    if not bad.height:
        return []
    found: list[FindingGroup] = []
    lettered = bad.filter("lettered")
    short = bad.filter(~pl.col("lettered") & ~pl.col("length"))
    wrong = bad.filter(pl.col("length"))
    if lettered.height:
        message = "a barcode has digits only; a code with letters is an alternative code"
        cells = cells_of(lettered[ROW], lettered["value"], message)
        found.append(rows.group("error", "barcode-with-letters", "not all digits", name, cells))
    if short.height:
        messages = [f"{len(value)} digits; a barcode has 8, 12, 13 or 14" for value in short["value"]]
        found.append(
            rows.group(
                "error",
                "barcode-length",
                "wrong number of digits",
                name,
                cells_of(short[ROW], short["value"], messages),
            )
        )
    if wrong.height:
        repaired = [value[:-1] + gtin_check_digit(value[:-1]) for value in wrong["value"]]
        message = "the last digit does not match the others: compare it with the article"
        cells = cells_of(wrong[ROW], wrong["value"], message, repaired)
        found.append(rows.group("error", "check-digit", "wrong check digit", name, cells))
    return found
