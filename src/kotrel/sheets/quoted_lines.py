"""Text files in which a program has put each line in quotes as a whole, as a spreadsheet does that took it for one column."""

from __future__ import annotations

import csv
import re
from collections.abc import Sequence

import polars as pl

_LINES = 100
"""So many lines show that all of them have the same columns."""


def within_quotes(raw: bytes, cells: pl.DataFrame, separators: Sequence[str]) -> bytes | None:
    """The text within the quotes; None where they may as well be those of single values.

    Args:
        raw: the file.
        cells: what it holds as it stands: one column.
    """
    column = cells.to_series()
    if not raw.startswith(b'"') or column.len() < 2 or column.null_count():
        return None
    if column.str.contains("\n", literal=True).any():
        return None
    for separator in separators:
        widths = {len(row) for row in csv.reader(column.head(_LINES), delimiter=separator)}
        # After the comma of a name there is a blank; between headings there is none.
        is_name = '"' not in column[0] and re.search(re.escape(separator) + r"\s", column[0])
        if len(widths) == 1 and widths != {1} and not is_name:
            return "\n".join(column).encode()
    return None
