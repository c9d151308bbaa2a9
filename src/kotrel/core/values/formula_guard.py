"""The mark that keeps a text from becoming a formula where a text file is opened in a spreadsheet:
written and read by one pattern.
"""

from __future__ import annotations

import polars as pl

GUARD = "'"
NEEDS_GUARD = r"^['\s]*[=+\-@\t\r]"
"""A text that a spreadsheet would take for a formula, or that would lose a mark of its own on reading."""
GUARDED = r"^'['\s]*[=+\-@\t\r]"
"""A text with the mark before it."""


def guard(text: pl.Expr) -> pl.Expr:
    """Texts as they are written into a text file: with the mark, where they need it."""
    return pl.when(text.str.contains(NEEDS_GUARD)).then(pl.lit(GUARD) + text).otherwise(text)


def unguard(values: pl.Series) -> pl.Series:
    """Texts as they were before :func:`guard`."""
    if not bool(values.str.starts_with(GUARD).any()):
        return values
    guarded = values.str.contains(GUARDED).fill_null(False)
    return pl.select(pl.when(guarded).then(values.str.slice(1)).otherwise(values)).to_series().alias(values.name)
