"""Many rows of a workbook, written as whole columns.

The workbook is written first by the usual writer: headings, widths, and for each look a single sample row that has the
formats of its cells. What comes here is the rows: the samples give way to them, and every cell has the format of its
sample.
"""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import IO

import polars as pl
from msgspec import Struct

from kotrel.core.errors import WrongUse
from kotrel.core.tables.table import letter_of
from kotrel.sheets.cell_texts import CELL_HOLDS, SHEET_HOLDS, writable

_NO_XML = r"[\x00-\x08\x0B\x0C\x0E-\x1F\x{FFFE}\x{FFFF}]"
"""Characters that XML cannot have, but for halves of letters, which no text of ours has."""
_ROWS = 50_000
"""Rows made at a time."""
_SAMPLE = re.compile(rb'<row r="([0-9]+)"[^>]*?(?:/>|>(.*?)</row>)', re.DOTALL)
_STYLE = re.compile(rb'<c r="([A-Z]+)[0-9]+" s="([0-9]+)"')
_DIMENSION = re.compile(rb'<dimension ref="[^"]*"/>')


class TallColumn(Struct, frozen=True):
    """A column of cells.

    Attributes:
        texts: String: what each cell holds; null for none.
        number: True where all cells are numbers, False where all are texts; or Boolean, for each cell.
    """

    texts: pl.Series
    number: pl.Series | bool = False


class TallRows(Struct, frozen=True):
    """The rows of one sheet.

    Attributes:
        first: the row of the first, counted from 1; the sample rows begin there.
        looks: which sample each row looks like, from 0; None where there is only one.
    """

    columns: tuple[TallColumn, ...]
    first: int = 2
    looks: pl.Series | None = None

    @property
    def height(self) -> int:
        return len(self.columns[0].texts)


def require_room(rows: int, what: str, hint: str) -> None:
    """Raises WrongUse where a sheet has no room for so many rows and their heading."""
    if rows >= SHEET_HOLDS:
        raise WrongUse(
            f"{what} has {rows:,} rows, and a sheet of a workbook has room for {SHEET_HOLDS - 1:,}",
            hint,
            "too-many-rows",
        )


def put_rows(path: Path, sheets: Mapping[int, TallRows]) -> None:
    """Puts rows into a finished workbook in the place of its sample rows.

    Args:
        path: the workbook, which nobody else has yet.
        sheets: by the sheet's place in the workbook, from 0.
    """
    parts = {f"xl/worksheets/sheet{place + 1}.xml": rows for place, rows in sheets.items() if rows.height}
    if not parts:
        return
    other = path.with_name(path.name + ".rows")
    try:
        with zipfile.ZipFile(path) as book, zipfile.ZipFile(other, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as out:
            for about in book.infolist():
                if about.filename not in parts:
                    out.writestr(about, book.read(about))
                    continue
                with out.open(about.filename, "w", force_zip64=True) as part:
                    _put_rows(book.read(about), parts[about.filename], part)
        other.replace(path)
    finally:
        other.unlink(missing_ok=True)


def _put_rows(sheet: bytes, rows: TallRows, part: IO[bytes]) -> None:
    samples = [found for found in _SAMPLE.finditer(sheet) if int(found[1]) >= rows.first]
    styles = [dict(_STYLE.findall(found[2] or b"")) for found in samples]
    reach = f"A1:{letter_of(len(rows.columns) - 1)}{rows.first + rows.height - 1}".encode()
    part.write(_DIMENSION.sub(b'<dimension ref="' + reach + b'"/>', sheet[: samples[0].start()], count=1))
    for piece in _pieces(rows, [{k.decode(): v.decode() for k, v in each.items()} for each in styles]):
        part.write(piece)
    part.write(sheet[samples[-1].end() :])


def _pieces(rows: TallRows, styles: list[dict[str, str]]) -> Iterator[bytes]:
    for start in range(0, rows.height, _ROWS):
        cells: dict[str, pl.Series] = {}
        for index, column in enumerate(rows.columns):
            texts = column.texts.slice(start, _ROWS)
            cells[f"t{index}"] = texts
            if isinstance(column.number, pl.Series):
                cells[f"n{index}"] = column.number.slice(start, _ROWS)
        if rows.looks is not None:
            cells["look"] = rows.looks.slice(start, _ROWS)
        frame = pl.DataFrame(cells).with_row_index("row", offset=rows.first + start)
        frame = frame.with_columns(pl.col("row").cast(pl.String))
        made = [
            _cell(frame, place, column, [each.get(letter_of(place), "0") for each in styles])
            for place, column in enumerate(rows.columns)
        ]
        lines = frame.select(
            pl.concat_str(pl.lit('<row r="'), "row", pl.lit('">'), *made, pl.lit("</row>"), ignore_nulls=True).alias(
                "x"
            )
        )
        yield lines["x"].str.join("").item().encode()


def _cell(frame: pl.DataFrame, index: int, column: TallColumn, styles: list[str]) -> pl.Expr:
    """The XML of a column's cells; null for those that hold nothing."""
    letter, text = letter_of(index), pl.col(f"t{index}")
    if len(set(styles)) == 1:
        style = pl.lit(styles[0])
    else:
        style = pl.col("look").replace_strict(dict(enumerate(styles)), return_dtype=pl.String)
    head = (pl.lit(f'<c r="{letter}'), pl.col("row"), pl.lit('" s="'), style)
    number = pl.concat_str(*head, pl.lit('"><v>'), text, pl.lit("</v></c>"))
    if column.number is True:
        return number
    frame_texts = frame[f"t{index}"]
    words = pl.lit(_escaped(frame_texts)) if frame_texts.null_count() < len(frame_texts) else text
    said = pl.concat_str(*head, pl.lit('" t="inlineStr"><is><t xml:space="preserve">'), words, pl.lit("</t></is></c>"))
    return said if column.number is False else pl.when(pl.col(f"n{index}")).then(number).otherwise(said)


def _escaped(texts: pl.Series) -> pl.Series:
    """Texts as they stand in XML; what no workbook can hold, as :func:`~kotrel.sheets.cell_texts.writable` has it."""
    odd = texts.str.contains(_NO_XML) | (texts.str.len_chars() > CELL_HOLDS)
    if odd.any():
        texts = pl.Series(texts.name, [None if each is None else writable(each) for each in texts], dtype=pl.String)
    # A text such as “_x0041_” would be read as the letter with that number.
    texts = texts.str.replace_all("_(x[0-9A-Fa-f]{4}_)", "_x005F_$1")
    for mark, written in (("&", "&amp;"), ("<", "&lt;"), (">", "&gt;"), ("\r", "_x000D_")):
        texts = texts.str.replace_all(mark, written, literal=True)
    return texts
