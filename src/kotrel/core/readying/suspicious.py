"""Keys that may be damaged: numbers, other than plain characters, quotes around them, dates."""

from __future__ import annotations

import polars as pl

from kotrel.core.rows.rows import Rows
from kotrel.core.values.dated_codes import SHAPED_LIKE_DATE, may_be_date
from kotrel.core.values.starts import common_start

_DAMAGED = rf"""^[0-9.]+(?:[eE]\+?[0-9]+)?$|[^ -~]|^["'].|(?:{SHAPED_LIKE_DATE})"""


def suspicious_keys(rows: Rows, name: str) -> pl.Series:
    """Boolean for each row. How all keys of a sheet begin nearly always shows that none is damaged."""
    values = rows.values[name]
    start = common_start(values)
    if start[:1] not in ("", ".", '"', "'") and not may_be_date(start) and rows.few.plain(name, rows.values):
        return pl.Series([False], dtype=pl.Boolean).new_from_index(0, len(values))
    return values.str.contains(_DAMAGED).fill_null(False)
