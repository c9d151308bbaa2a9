"""Names of the columns that Kotrel puts beside the fields of a record.

Each has a blank in it, which no field's name may have: a business system may well have fields called ``row``, ``line``,
``action`` or ``message``.
"""

from __future__ import annotations

import polars as pl

ROW = "sheet row"
"""The row in the sheet (the line of a text file), counted from 1."""

ACTION = "load action"
"""What a load does with a row: ``new``, ``changed``, ``removed``, ``same`` or ``refused``."""

MESSAGE = "row message"
"""All findings on a row, as one text."""

LINE = "journal line"
"""A row's number within its load."""


def worded(template: str, *parts: pl.Expr | pl.Series | str) -> pl.Expr:
    """A text for each row: ``{}`` in the template is the next part, a column or the name of one; blank where a part is.

    ``polars.format`` does the same, but in Polars 2.1 it gives up at a column that has an empty piece, as a large sheet
    has of which few rows are left.
    """
    pieces: list[pl.Expr | str] = []
    for number, words in enumerate(template.split("{}")):
        if number:
            part = parts[number - 1]
            pieces.append(pl.lit(part) if isinstance(part, pl.Series) else part)
        if words:
            pieces.append(pl.lit(words))
    return pl.concat_str(pieces)


def before(field: str) -> str:
    """The column with a field's value before the change."""
    return f"before {field}"


def raw_before(field: str) -> str:
    """The column with the system's own text of a former value that its canonical text would not bring back;
    if there is one.
    """
    return f"raw before {field}"


def raw_after(field: str) -> str:
    """The column with the system's own text that is to be stored, instead of the canonical one; if there is one."""
    return f"raw after {field}"


def clearing(field: str) -> str:
    """The Boolean column that says where a field's value is to be cleared; there only where one is."""
    return f"clear {field}"


def number_column(letter: str) -> str:
    """The column with a sheet's own cells, read as numbers (see :mod:`kotrel.core.normalizing.expression_columns`)."""
    return f"numbers of {letter}"


def sheet_column(letter: str) -> str:
    """The column with a sheet's own cells, beside the fields read from it."""
    return f"column {letter}"


SCALE = 12
"""Digits after the point in all calculations."""


def decimal_type(decimals: int = SCALE) -> pl.Decimal:
    """The kind of a column of exact numbers: as many digits as there can be, of which these stand after the point."""
    return pl.Decimal(38, decimals)
