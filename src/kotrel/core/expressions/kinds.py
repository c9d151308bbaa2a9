"""The kinds of values an expression can give."""

from __future__ import annotations

from typing import Literal

import polars as pl

Kind = Literal["text", "number", "yes_no", "date"]

Typed = tuple[Kind, pl.Expr]
"""A compiled piece: what it gives, and how."""

SCALE = 12
"""Digits after the point with which numbers are worked out."""

NUMBER = pl.Decimal(38, SCALE)
