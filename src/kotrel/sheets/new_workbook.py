"""Workbooks to be written."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from xlsxwriter import Workbook

FEW_ROWS = 20_000
"""A workbook of at most as many rows is put together in memory; for a larger one each part is a temporary file first."""


def new_workbook(path: Path, rows: int = 0) -> Workbook:
    """A workbook in which no text becomes a formula, a link or a number by itself.

    Args:
        rows: about as many as are written cell by cell.
    """
    import xlsxwriter

    return xlsxwriter.Workbook(
        path,
        {
            "strings_to_formulas": False,
            "strings_to_urls": False,
            "strings_to_numbers": False,
            # Making and removing eleven files takes longer than what is written into them.
            "in_memory": rows <= FEW_ROWS,
        },
    )
