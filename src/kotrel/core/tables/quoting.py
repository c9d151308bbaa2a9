"""What a value of a text file needs quotes for."""

from __future__ import annotations

import polars as pl


def class_of(separator: str) -> str:
    """A separator inside a character class of a regular expression."""
    return "\\" + separator if separator in "\\]^-" else separator


def needs_quotes(texts: pl.Series, separator: str) -> bool:
    """True where a text has the separator, a quote or a line break, or is empty: without quotes that would be none."""
    marked = texts.str.contains(rf'[{class_of(separator)}"\r\n]')
    return bool((marked | (texts == "")).any())
