"""What the values of a column begin with."""

from __future__ import annotations

import polars as pl


def common_start(values: pl.Series) -> str:
    """What all the values begin with, such as ``ITM-``: the first and the last in order say so for all between."""
    first, last = values.min(), values.max()
    if not isinstance(first, str) or not isinstance(last, str):
        return ""
    differ = next((place for place, (one, other) in enumerate(zip(first, last, strict=False)) if one != other), None)
    return first[:differ]
