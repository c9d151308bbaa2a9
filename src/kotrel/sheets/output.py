"""What goes into a file: sheets of columns, as plain data. The writers turn it into workbooks and text files."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl
from msgspec import Struct, field

from kotrel.core.description.model import Field


class OutColumn(Struct, frozen=True):
    """One column: its heading and, if it holds a field, the field, which decides how its values are written.

    Attributes:
        most: the most characters that it is wide, or None for as wide as usual.
    """

    heading: str
    field: Field | None = None
    most: int | None = None


class OutSheet(Struct, frozen=True):
    """One sheet: ``rows`` has a String column for each of ``columns``, in their order, in canonical text.

    Attributes:
        printed: it is laid out to be printed: A4 across, all columns on the page, headings and page numbers on each,
            long texts wrapped.
    """

    name: str
    columns: tuple[OutColumn, ...]
    rows: pl.DataFrame
    printed: bool = False


class OutBook(Struct, frozen=True):
    """What goes into one file. ``stamp`` goes inside workbooks, out of sight."""

    sheets: tuple[OutSheet, ...]
    stamp: Mapping[str, str] = field(default_factory=dict)
