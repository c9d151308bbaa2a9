"""Writes upload files: just what the layout says, nothing of our own."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import polars as pl

from kotrel.core.layouts.layout import Layout
from kotrel.core.layouts.wording import needs_quotes
from kotrel.sheets.output import OutColumn, OutSheet
from kotrel.sheets.safe_writing import written_whole
from kotrel.sheets.tall_rows import TallColumn, TallRows, put_rows, require_room
from kotrel.sheets.text_writing import TextForm, write_text


def write_upload(sheets: Sequence[tuple[Layout, pl.DataFrame]], path: Path, bare: bool = False) -> None:
    """Writes one file: a text file, or a workbook with a sheet for each layout.

    Args:
        sheets: each with a String column for each of the layout's, in its order; of a text file there is one.
        bare: no text needs quotes in a text file.
    """
    with written_whole(path) as temporary:
        if sheets[0][0].kind == "workbook":
            _write_workbook(sheets, temporary)
            return
        [(layout, texts)] = sheets
        form = TextForm(
            headings=False,
            encoding=layout.encoding,
            separator=layout.separator,
            line_end=layout.line_end,
            quotes=layout.quotes,
        )
        columns = tuple(OutColumn(column.heading) for column in layout.columns)
        heads = _headings(layout, texts)
        bare = bare and not any(needs_quotes(heads[name], layout.separator) for name in heads.columns)
        rows = pl.concat([heads, texts]) if bare else _with_headings(layout, texts)
        write_text(OutSheet(layout.name, columns, rows), temporary, form, bare)


def _headings(layout: Layout, texts: pl.DataFrame) -> pl.DataFrame:
    heads = ([[column.heading for column in layout.columns]] if layout.headings else []) + (
        [list(layout.second)] if layout.second else []
    )
    return pl.DataFrame(heads, schema=dict.fromkeys(texts.columns, pl.String), orient="row")


def _with_headings(layout: Layout, texts: pl.DataFrame) -> pl.DataFrame:
    texts = pl.concat([_headings(layout, texts), texts])
    # An empty text would be written as two quotes, which careless readers take for a value.
    shortest = texts.select(pl.all().str.len_bytes().min()).row(0)
    return texts.with_columns(
        pl.col(name).replace("", None) for name, length in zip(texts.columns, shortest, strict=True) if length == 0
    )


def _write_workbook(sheets: Sequence[tuple[Layout, pl.DataFrame]], path: Path) -> None:
    """All cells are texts: the receiving program reads what stands there, and no formula can come of it."""
    import xlsxwriter

    book = xlsxwriter.Workbook(
        path,
        {"strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False, "constant_memory": True},
    )
    rows: dict[int, TallRows] = {}
    for place, (layout, texts) in enumerate(sheets):
        whole = _with_headings(layout, texts)
        require_room(whole.height - 1, f"layout {layout.name}", f"Set most_rows in layouts/{layout.name}.toml.")
        book.add_worksheet(layout.sheet[:31]).write_string(0, 0, "sample")
        rows[place] = TallRows(tuple(map(TallColumn, whole)), first=1)
    book.close()
    put_rows(path, rows)
