"""How a number cell is shown, as part of its kind: where cells are written again, they must still say the same."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW, worded
from kotrel.core.tables.number_display import Shown
from kotrel.core.tables.table import Table

_NUMBER = "number"


def format_code(how: Shown) -> str:
    """A number format that shows a number so: ``000000``, ``0.0%``, ``[$USD] 0.00``. Empty where any would do."""
    decimals = f"0.{'0' * how.places}" if how.places else "0"
    if how.text:
        return "".join("0" if sign.isdigit() else f"\\{sign}" for sign in how.text)
    if how.mask:
        return how.mask
    if how.percent:
        return f"{decimals}%"
    if how.currency:
        return f"[${how.currency}] {decimals}"
    return decimals if how.places is not None else ""


def kinds_as_shown(table: Table, letter: str) -> pl.Series:
    """The kinds of a column's cells, with the format of numbers behind: ``text``, ``number``, ``number 0.0%``."""
    kind = table.kinds.get(letter, "text")
    kinds = kind if isinstance(kind, pl.Series) else pl.Series([kind], dtype=pl.String).new_from_index(0, table.rows)
    if table.formats is None or not (kinds == _NUMBER).any():
        return kinds
    codes = {row: code for row, how in table.formats.of(letter).items() if (code := format_code(how))}
    if not codes:
        return kinds
    formats = table.cells[ROW].replace_strict(codes, default=None, return_dtype=pl.String)
    shown = pl.select(worded("{} {}", pl.lit(_NUMBER), formats)).to_series()
    return pl.select(pl.when((kinds == _NUMBER) & formats.is_not_null()).then(shown).otherwise(kinds)).to_series()


def parted_kind(kind: str) -> tuple[str, str]:
    """A kind and the format behind it, or an empty text."""
    plain, _, code = kind.partition(" ")
    return plain, code
