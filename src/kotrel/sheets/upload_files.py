"""Writes upload files: just what the layout says, nothing of our own."""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Sequence
from pathlib import Path

import polars as pl

from kotrel.core.errors import WrongData
from kotrel.core.layouts.layout import Layout, LayoutColumn
from kotrel.core.layouts.wording import needs_quotes, strftime_of
from kotrel.sheets.new_workbook import new_workbook
from kotrel.sheets.output import OutColumn, OutSheet
from kotrel.sheets.safe_writing import written_whole
from kotrel.sheets.table_writing import DAY_ZERO, FIRST_DAY, exact_numbers
from kotrel.sheets.tall_rows import TallColumn, TallRows, put_rows, require_room
from kotrel.sheets.template_filling import fill_template
from kotrel.sheets.text_writing import TextForm, write_text


def write_upload(sheets: Sequence[tuple[Layout, pl.DataFrame]], path: Path, bare: bool = False) -> None:
    """Writes one file: a text file, or a workbook with a sheet for each layout.

    Args:
        sheets: each with a String column for each of the layout's, in its order; of a text file there is one.
        bare: no text needs quotes in a text file.
    """
    with written_whole(path) as temporary:
        if sheets[0][0].template:
            fill_template(sheets, temporary)
            return
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
        short = any(len(line) < len(layout.columns) for line in layout.above)
        heads = _headings(layout, texts, not short)
        bare = bare and not any(needs_quotes(heads[name], layout.separator) for name in heads.columns)
        rows = pl.concat([heads, texts]) if bare else _with_headings(heads, texts)
        write_text(OutSheet(layout.name, columns, rows), temporary, form, bare)
        if short:
            _put_above(layout, temporary)


def _put_above(layout: Layout, path: Path) -> None:
    """Puts the lines above the headings before them: a text file has no more values in a line than it says."""
    rows = path.read_bytes()
    text = io.StringIO()
    quoting = {"all": csv.QUOTE_ALL, "none": csv.QUOTE_NONE, "needed": csv.QUOTE_MINIMAL}[layout.quotes]
    writer = csv.writer(text, delimiter=layout.separator, lineterminator=layout.line_end, quoting=quoting)  # type: ignore[arg-type]
    try:
        writer.writerows(layout.above)
        above = text.getvalue().encode(layout.encoding)
    except (csv.Error, UnicodeEncodeError) as error:
        raise WrongData(
            f"the lines above the headings cannot be written: {error}", "Correct lines_above.", "not-in-encoding"
        ) from None
    mark = next(
        (each for each in (codecs.BOM_UTF8, codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE) if rows.startswith(each)), b""
    )
    path.write_bytes(
        above + rows.removeprefix(mark) if above.startswith(mark) else mark + above + rows.removeprefix(mark)
    )


def _headings(layout: Layout, texts: pl.DataFrame, above: bool = True) -> pl.DataFrame:
    """The lines above the rows; ``above`` the headings too."""
    heads = [[*line, *[""] * (texts.width - len(line))] for line in layout.above] if above else []
    heads += [[column.heading for column in layout.columns]] if layout.headings else []
    heads += [list(line) for line in layout.below]
    return pl.DataFrame(heads, schema=dict.fromkeys(texts.columns, pl.String), orient="row")


def _with_headings(heads: pl.DataFrame, texts: pl.DataFrame) -> pl.DataFrame:
    texts = pl.concat([heads, texts])
    # An empty text would be written as two quotes, which careless readers take for a value.
    shortest = texts.select(pl.all().str.len_bytes().min()).row(0)
    return texts.with_columns(
        pl.col(name).replace("", None) for name, length in zip(texts.columns, shortest, strict=True) if length == 0
    )


def _write_workbook(sheets: Sequence[tuple[Layout, pl.DataFrame]], path: Path) -> None:
    """Numbers and dates are cells of their kind, with a format; no text becomes a formula."""
    book = new_workbook(path)
    rows: dict[int, TallRows] = {}
    for index, (layout, texts) in enumerate(sheets):
        heads = _headings(layout, texts)
        require_room(
            heads.height + texts.height - 1, f"layout {layout.name}", f"Set most_rows in layouts/{layout.name}.toml."
        )
        sheet = book.add_worksheet(layout.sheet[:31])
        for line, values in enumerate(heads.iter_rows()):
            for column, text in enumerate(values):
                if text:
                    sheet.write_string(line, column, text)
        for column, about in enumerate(layout.columns):
            sheet.write_blank(heads.height, column, None, book.add_format({"num_format": number_format(layout, about)}))
        columns = tuple(_cells(layout, about, texts.to_series(at)) for at, about in enumerate(layout.columns))
        rows[index] = TallRows(columns, first=heads.height + 1)
    book.close()
    put_rows(path, rows)


def number_format(layout: Layout, column: LayoutColumn) -> str:
    """How a spreadsheet shows the cells of a column."""
    if column.cell == "number":
        decimals = column.decimals if column.decimals is not None else layout.decimals
        return "General" if decimals is None else "0" + ("." + "0" * decimals if decimals else "")
    if column.cell == "date":
        return layout.date.lower()
    return "@"


def _cells(layout: Layout, column: LayoutColumn, texts: pl.Series) -> TallColumn:
    """The texts of a column as cells: what is no number or day, such as a word for none, stays a text."""
    if column.cell == "number":
        plain = texts.str.replace(",", ".", literal=True) if layout.decimal_mark == "," else texts
        known = exact_numbers(plain)
        return TallColumn(plain.zip_with(known, texts).replace("", None), known)
    if column.cell == "date":
        day = texts.str.to_date(strftime_of(layout.date), strict=False)
        known = (day >= FIRST_DAY).fill_null(False)
        count = (day - DAY_ZERO).dt.total_days().cast(pl.String)
        return TallColumn(count.zip_with(known, texts).replace("", None), known)
    return TallColumn(texts.replace("", None))
