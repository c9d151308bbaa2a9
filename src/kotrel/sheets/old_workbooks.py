"""Sheets of old binary workbooks by the reader that knows their error cells, hidden rows and number formats."""

from __future__ import annotations

import io
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any


@contextmanager
def old_sheet(path: Path, sheet: str, with_formats: bool) -> Iterator[tuple[Any, Any]]:
    """The workbook and its sheet.

    Raises:
        ValueError: it cannot be read; with its formats, it may be only these that the reader does not know.
    """
    import xlrd

    try:
        # Its warnings would go to standard output, into the midst of --json.
        book = xlrd.open_workbook(path, logfile=io.StringIO(), on_demand=True, formatting_info=with_formats)
        cells = book.sheet_by_name(sheet)
    except Exception as error:
        # On damaged bytes the reader may fail in any way: of its own kinds of errors, and by any slip of theirs.
        raise ValueError(f"{path}: {error}") from error
    with book:
        yield book, cells
