"""Characters that mean the usual ones: full-width letters, digits of other scripts, letters of two parts."""

from __future__ import annotations

import unicodedata

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field
from kotrel.core.understanding.tidying.column import Repair, Tidied
from kotrel.core.values.lookalikes import usual_signs

_ODD = "[\u0300-\u036f\u0660-\u0669\u066b\u066c\u06f0-\u06f9\u0966-\u096f\u09e6-\u09ef\uff01-\uff5e]"
"""Combining marks, the commonest digits of other scripts, and full-width characters."""


def usual_signs_of(rows: pl.Series, values: pl.Series, about: Field) -> Tidied:
    """The column with such characters as the usual ones, each a repair.

    A text keeps its full-width characters and digits: only its letters of two parts are joined.
    """
    if bool((values.str.len_bytes() == values.str.len_chars()).all()):
        return Tidied(values)
    odd = values.filter(values.str.contains(_ODD).fill_null(False)).unique().to_list()
    plain = about.kind not in ("text", "list", "file")
    usual = {value: usual_signs(value) if plain else _joined(value) for value in odd}
    usual = {value: after for value, after in usual.items() if value != after}
    if not usual:
        return Tidied(values)
    after = values.replace(usual)
    cells = pl.DataFrame([rows.alias(ROW), values.alias("before"), after.alias("after")]).filter(
        values.ne_missing(after)
    )
    cells = cells.with_columns(pl.lit("the same characters, in their usual form").alias("proof"))
    return Tidied(after, repairs=[Repair("unusual-characters", "unusual forms of characters replaced", cells)])


def _joined(text: str) -> str:

    return unicodedata.normalize("NFC", text)
