"""Values that are too long, too precise, too large or out of range."""

from __future__ import annotations

import re

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW, decimal_type
from kotrel.core.description.model import Field
from kotrel.core.normalizing.shown_numbers import rounded_to
from kotrel.core.parallel import map_parallel
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.lookalikes import LOST
from kotrel.core.values.numbers import PLAIN

LARGEST = 12
"""Digits before the point: with up to six decimals, a scaled whole number still fits 64 bits."""

CONTROL = r"[\x00-\x1f\x7f-\u{9f}]"
UNPRINTABLE = r"[\x00-\x08\x0b\x0c\x0e-\x1f]"


def _at_most(field: Field) -> str:
    """``at most 2 characters (two letters, ISO 3166-1)``: with what the system's description says of the field."""
    meaning = field.meaning.rstrip(".")
    said = f" ({meaning[0].lower()}{meaning[1:]})" if meaning and len(meaning) <= 60 else ""
    return f"at most {field.length} characters{said}"


def check_shape(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """The length, decimals and range of every field that the rows carry."""

    def one(name: str) -> list[FindingGroup]:
        field = rows.record.fields[name]
        return _numbers(rows, field) if field.is_decimal else _texts(rows, field)

    return [group for groups in map_parallel(one, rows.fields, rows.values.height) for group in groups]


def _texts(rows: Rows, field: Field) -> list[FindingGroup]:
    if field.kind in ("yes_no", "choice", "date", "moment"):
        return []
    values = rows.values[field.name]
    findings: list[FindingGroup] = []
    seen = rows.seen(field.name)
    if field.length is not None and bool((seen.str.len_bytes() > field.length).any()):
        wrong = values.str.len_chars() > field.length
        findings += rows.where("error", "too-long", "too long", field, wrong, _at_most(field))
    if rows.few.plain(field.name, rows.values):
        return findings
    if bool(seen.str.contains(CONTROL).any()):
        one_line = field.kind in ("code", "reference")
        wrong = values.str.contains(r"\p{Cc}" if one_line else UNPRINTABLE)
        title, message = (
            ("a line break in a code", "a code must be on one line")
            if one_line
            else ("unprintable characters", "type the text again")
        )
        findings += rows.where("error", "strange-letters", title, field, wrong, message)
    if bool(seen.str.contains(LOST, literal=True).any()):
        findings += rows.where(
            "error",
            "letters-lost",
            "unreadable characters",
            field,
            values.str.contains(LOST, literal=True),
            "characters were lost before the file reached Kotrel: get the text from its source again",
        )
    return findings


def _as_shown(rows: Rows, field: Field, cells: pl.DataFrame) -> pl.DataFrame:
    """The cells of a finding, with what the spreadsheet shows in each instead of what it holds."""
    letter = rows.letters.get(field.name)
    if letter is None or rows.table.formats is None:
        return cells
    shown = rows.table.formats.of(letter)
    messages = [
        f"{said}; the cell shows {rounded_to(value, places)}: round it, or set rounding under [sheets] in kotrel.toml"
        if row in shown and (places := shown[row].places) is not None and re.fullmatch(PLAIN, value or "")
        else said
        for row, value, said in cells.select(ROW, "value", "message").iter_rows()
    ]
    return cells.with_columns(pl.Series("message", messages, dtype=pl.String))


def _after_point(values: pl.Series) -> pl.Series:
    """How many decimals each has. After tidying, a number has exactly its field's decimals unless it has too many."""
    return values.str.len_bytes() - values.str.find(".", literal=True) - 1


def _numbers(rows: Rows, field: Field) -> list[FindingGroup]:
    values = rows.values[field.name]
    seen = rows.seen(field.name)
    decimals = field.decimals or 0
    findings: list[FindingGroup] = []
    if bool((_after_point(seen) > decimals).any()):
        after_point = _after_point(values)
        excess = pl.col(field.name).str.contains(PLAIN) & (after_point > decimals)
        rounded = pl.col(field.name).cast(decimal_type(), strict=False).round(decimals, mode="half_away_from_zero")
        shown = rounded.cast(decimal_type(decimals), strict=False).cast(pl.String)
        what = f"at most {decimals} decimals" if decimals else "a whole number"
        title = "too many decimals" if decimals else "not a whole number"
        groups = rows.where("error", "too-many-decimals", title, field, excess, what, shown)
        findings += [replace(group, cells=_as_shown(rows, field, group.cells)) for group in groups]
    if int(seen.str.len_bytes().max() or 0) > LARGEST:  # type: ignore[arg-type]
        too_large = values.str.contains(rf"^-?[0-9]{{{LARGEST + 1},}}")
        findings += rows.where(
            "error", "too-large", "too large", field, too_large, f"at most {LARGEST} digits before the point"
        )
    if field.least is not None and (field.least != 0 or bool(seen.str.starts_with("-").any())):
        exact = values.cast(decimal_type(max(decimals, 6)), strict=False)
        title = "below zero" if field.least == 0 else f"below {field.least}"
        least = "must not be negative" if field.least == 0 else f"must be at least {field.least}"
        findings += rows.where("error", "too-small", title, field, exact < field.least, least)
    if field.most is not None:
        exact = values.cast(decimal_type(max(decimals, 6)), strict=False)
        findings += rows.where(
            "error", "too-big", f"above {field.most}", field, exact > field.most, f"must be at most {field.most}"
        )
    return findings
