"""Fields and values in words: what a field accepts, and values as people like to read them."""

from __future__ import annotations

import re
from collections.abc import Iterator

import polars as pl

from kotrel.core.description.model import Field
from kotrel.core.values.code_formats import CODE_RULES


def what(field: Field) -> str:
    """What kind of value a field takes, in words."""
    if field.to:
        return f"a code from the {field.to.replace('_', ' ')} list"
    if field.kind == "yes_no":
        return "yes or no"
    if field.kind == "choice":
        return f"one of: {', '.join(field.choices)}"
    if field.is_decimal:
        name = {"money": "an amount", "quantity": "a quantity", "number": "a number"}[field.kind]
        return f"{name}, {field.decimals} decimals" if field.decimals else "a whole number"
    return {
        "code": "a code",
        "text": "text",
        "date": "a date",
        "moment": "a date and time with its zone" if field.zoned else "a date and time",
        "list": "a list, separated by ;",
        "file": "a file name",
    }[field.kind]


def _limits(field: Field) -> Iterator[str]:
    """What a value alone must be."""
    if field.is_kept:
        yield "kept by the system, never loaded"
    if field.length and field.kind in ("code", "text", "list", "file"):
        yield f"at most {field.length} characters"
    if field.least is not None:
        yield "never below zero" if field.least == 0 else f"at least {field.least}"
    if field.most is not None:
        yield f"at most {field.most}"
    if field.check:
        yield CODE_RULES[field.check]


def _told_by_others(field: Field) -> Iterator[str]:
    """What a value must be beside others."""
    if field.within:
        yield f"within its {' and '.join(field.within)}"
    if field.one_of:
        yield f"one of those of the {field.one_of[0][0].replace('_', ' ')}"
    if field.same_as:
        yield f"the same as on the {field.same_as[0].replace('_', ' ')}"
    if field.fulfils:
        yield "reduces what is open of the order"


def rules(field: Field) -> str:
    """The rules of a field, in words."""
    parts = [*_limits(field), *_told_by_others(field)]
    if field.default_from:
        parts.append(f"that of the {field.default_from[0].replace('_', ' ')} if blank")
    if field.default is not None:
        parts.append(f"default for new rows: {field.default}")
    if field.zero_means:
        parts.append(f"0 means: {field.zero_means}")
    if field.unique:
        parts.append("unique")
    if field.meaning:
        parts.append(field.meaning)
    return "; ".join(parts)


_IDLE = {
    "money": r"^(-?[0-9]+\.[0-9]{2}[0-9]*?)0+$",
    "quantity": r"^(-?[0-9]+(?:\.[0-9]*?[1-9])?)\.0*$|^(-?[0-9]+\.[0-9]*[1-9])0+$",
}
"""Zeros at the end that say nothing; of money two decimals always stay."""


def _pattern(field: Field | None) -> str | None:
    if field is None or not field.is_decimal or not field.decimals:
        return None
    return _IDLE["money" if field.kind == "money" else "quantity"]


def shown(value: str | None, field: Field | None) -> str | None:
    """A value without idle zeros; what is no plain number stays as it is."""
    pattern = _pattern(field)
    if value is None or pattern is None:
        return value
    found = re.match(pattern, value)
    return next(part for part in found.groups() if part is not None) if found else value


def shown_column(column: pl.Expr, field: Field) -> pl.Expr:
    """The same for a column of values."""
    pattern = _pattern(field)
    if pattern is None:
        return column
    return pl.coalesce(*(column.str.extract(pattern, place) for place in range(1, pattern.count("(-?") + 1)), column)
