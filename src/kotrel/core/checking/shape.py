"""Values that are too long, too precise, too large or outside their range."""

from __future__ import annotations

import polars as pl

from kotrel.core.description import Field
from kotrel.core.findings import FindingGroup
from kotrel.core.held import Held
from kotrel.core.numbers import PLAIN
from kotrel.core.rows import Rows
from kotrel.core.tidy import is_few

LARGEST = 12
"""Digits before the point: with up to six decimals, a scaled whole number still fits 64 bits."""


def check_shape(rows: Rows, held: Held) -> list[FindingGroup]:
    """Length, decimals and range of every carried field."""
    found: list[FindingGroup] = []
    for name in rows.fields:
        field = rows.record.fields[name]
        found += _numbers(rows, field) if field.is_decimal else _texts(rows, field)
    return found


def _texts(rows: Rows, field: Field) -> list[FindingGroup]:
    if field.kind in ("yes_no", "choice", "date"):
        return []
    values = rows.values[field.name]
    found: list[FindingGroup] = []
    seen = values.unique() if is_few(values) else values
    if field.length is not None and bool((seen.str.len_bytes() > field.length).any()):
        wrong = values.str.len_chars() > field.length
        length = pl.format("{} characters", pl.col(field.name).str.len_chars())
        found += rows.where(
            "error", "too-long", "too long", field, wrong, f"at most {field.length} characters", length
        )
    if field.kind in ("code", "reference") and bool(seen.str.contains(r"\p{Cc}").any()):
        wrong = values.str.contains(r"\p{Cc}")
        found += rows.where("error", "strange-letters", "a line break in a code", field, wrong, "a code stands on one line")
    if field.kind == "text" and bool(seen.str.contains(r"[\x00-\x08\x0b\x0c\x0e-\x1f]").any()):
        wrong = values.str.contains(r"[\x00-\x08\x0b\x0c\x0e-\x1f]")
        found += rows.where("error", "strange-letters", "unprintable characters", field, wrong, "type the text anew")
    return found


def _numbers(rows: Rows, field: Field) -> list[FindingGroup]:
    values = rows.values[field.name]
    decimals = field.decimals or 0
    found: list[FindingGroup] = []
    plain = pl.col(field.name).str.contains(PLAIN)
    if bool(values.str.contains(rf"\.[0-9]{{{decimals}}}[0-9]*[1-9]").any()):
        excess = plain & pl.col(field.name).str.contains(rf"\.[0-9]{{{decimals}}}[0-9]*[1-9]")
        rounded = pl.col(field.name).cast(pl.Decimal(38, 12), strict=False).round(decimals, mode="half_away_from_zero")
        shown = rounded.cast(pl.Decimal(38, decimals), strict=False).cast(pl.String)
        what = f"at most {decimals} decimals" if decimals else "a whole number"
        title = "too many decimals" if decimals else "not a whole number"
        found += rows.where("error", "too-many-decimals", title, field, excess, what, shown)
    exact = values.cast(pl.Decimal(38, max(decimals, 6)), strict=False)
    too_large = values.str.contains(rf"^-?[0-9]{{{LARGEST + 1},}}")
    if bool(too_large.any()):
        found += rows.where("error", "too-large", "too large", field, too_large, f"at most {LARGEST} digits before the point")
    for limit, wrong, kind, words in (
        (field.least, exact < field.least if field.least is not None else None, "too-small", "at least"),
        (field.most, exact > field.most if field.most is not None else None, "too-big", "at most"),
    ):
        if wrong is not None and bool(wrong.any()):
            title = "below zero" if limit == 0 and kind == "too-small" else f"not {words} {limit}"
            found += rows.where("error", kind, title, field, wrong, f"{words} {limit}")
    return found
