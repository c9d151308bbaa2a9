"""Headings that stand again among the rows, as at the top of each printed page."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.phrases import listed
from kotrel.core.tables.headings import one_line


def headings_within(
    body: pl.DataFrame, rows: pl.Series, headings: Sequence[Sequence[str | None]], remarks: list[str]
) -> pl.Series | None:
    """Boolean for each row: every cell of it that is filled, two at least, is the heading of its column. None where no row is.

    Args:
        rows: the row of each in the sheet.
        headings: the rows of the headings, one for each row that they take.
        remarks: what is left out is added.
    """
    again: pl.Series | None = None
    for texts in headings:
        if sum(1 for text in texts if text and text.strip()) < 2:
            continue
        alike: pl.Series | None = None
        # The last column is hardly ever a value as its heading says, and settles it for nearly all sheets.
        for letter, text in reversed(list(zip(body.columns, texts, strict=True))):
            if text is None or not text.strip():
                same = body[letter].str.strip_chars().fill_null("") == ""
            else:
                same = body[letter].is_in([text, text.strip(), one_line(text)]).fill_null(False)
            alike = same if alike is None else alike & same
            if not alike.any():
                break
        if alike is not None and alike.any():
            again = alike if again is None else again | alike
    if again is None:
        return None
    numbers = [str(row) for row in rows.filter(again)]
    where = f"row {numbers[0]}" if len(numbers) == 1 else f"{len(numbers):,} rows: {listed(numbers, 5)}"
    remarks.append(f"the headings again, left out: {where}")
    return again
