"""The kinds of values that an expression can have."""

from __future__ import annotations

from decimal import Decimal
from typing import Literal

import polars as pl

from kotrel.core.columns import decimal_type

Kind = Literal["text", "number", "yes_no", "date"]

SAID = {"text": "a text", "number": "a number", "yes_no": "a yes/no value", "date": "a date"}

Typed = tuple[Kind, "pl.Expr"]
"""A compiled part of an expression: its kind, and how to compute it."""

WHOLE_DIGITS = 20
"""Digits before the point of a number that is written out."""


def exact(value: Decimal | int) -> pl.Expr:
    """A number as :func:`decimal_type` has it, all its digits kept."""
    return pl.lit(f"{value:f}" if isinstance(value, Decimal) else str(value)).cast(decimal_type())


def how_to_turn(got: Kind, wanted: Kind) -> str:
    """What to write to turn one kind into another, or nothing where that cannot be."""
    if got == "number" and wanted == "text":
        return "text(…) turns a number into a text."
    if got == "text" and wanted == "number":
        return "number(…) turns a text into a number."
    return ""
