"""Cells as people see them: where a number shows more than it holds, such as 001234 for 1234, as it is shown."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from decimal import Decimal
from typing import NamedTuple

import polars as pl

from kotrel.core.columns import ROW, sheet_column
from kotrel.core.tables.number_display import Formats, code_shown
from kotrel.core.tables.table import Table
from kotrel.core.values.formula_guard import unguard


class ShownCell(NamedTuple):
    """A number cell that shows more than it holds: its place in the column, its row in the sheet, both texts."""

    place: int
    row: int
    held: str
    shown: str


def shown_otherwise(
    rows: pl.Series, values: pl.Series, is_number: pl.Series, formats: Formats | None, letter: str
) -> list[ShownCell]:
    """The number cells of a column that show leading zeros, signs among their digits or further decimals.

    Args:
        rows: sheet rows.
        is_number: the cells that hold a number, not a text.
        letter: the column.
    """
    if formats is None or not is_number.any():
        return []
    with_point = (is_number & values.str.contains(".", literal=True).fill_null(False)).any()
    if not formats.any_mask and not with_point:
        return []
    how, cells = formats.of(letter), []
    for place in is_number.arg_true():
        row, held = rows[place], values[place]
        if held is not None and row in how and (shown := code_shown(held, how[row], bool(with_point))) != held:
            cells.append(ShownCell(place, row, held, shown))
    return cells


def as_shown(table: Table, letter: str) -> pl.Series:
    """The cells of a column as texts that say what people see;
    for what is joined, taken apart, translated or compared.
    """
    values = table.cells[letter]
    more = shown_otherwise(table.cells[ROW], values, table.kind_is(letter, "number"), table.formats, letter)
    if not more:
        return values
    return values.scatter([each.place for each in more], pl.Series([each.shown for each in more], dtype=pl.String))


def per_cent_shown(table: Table, letter: str) -> pl.Series:
    """A column as people see it, and 0.4 that shows 40 % as ``40%``:
    for where nothing else tells that it is per cent.
    """
    shown = as_shown(table, letter).str.strip_chars()
    if table.formats is None or not table.formats.any_percent:
        return shown
    here = [row for row, how in table.formats.of(letter).items() if how.percent]
    places = (table.kind_is(letter, "number") & table.cells[ROW].is_in(here) & shown.is_not_null()).arg_true()
    texts = [f"{Decimal(shown[place]) * 100:f}" for place in places]
    texts = [f"{text.rstrip('0').rstrip('.') if '.' in text else text}%" for text in texts]
    return shown.scatter(places, pl.Series(texts, dtype=pl.String))


def cells_as_shown(table: Table, letters: Iterable[str]) -> pl.DataFrame:
    """``ROW`` and those columns as people see them."""
    return pl.DataFrame(
        [table.cells[ROW], *(as_shown(table, letter).alias(letter) for letter in dict.fromkeys(letters))]
    )


def columns_for(table: Table, letters: Sequence[str]) -> pl.DataFrame:
    """Columns of the sheet (String) under the names by which expressions read them.

    They are as people see them: without spaces at their ends, and with nothing but spaces they are blank.
    """
    cells = cells_as_shown(table, letters)
    if not table.sheet:
        # Only text files have marks against formulas.
        cells = cells.with_columns(unguard(cells[letter]) for letter in letters)
    texts = {letter: pl.col(letter).str.strip_chars() for letter in letters}
    return cells.select(pl.when(text != "").then(text).alias(sheet_column(letter)) for letter, text in texts.items())
