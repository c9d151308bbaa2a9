"""Words that mean “no price”, such as POA: what a business has declared is read as a blank, and counted by word."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.model import list_field
from kotrel.core.matching.by_headings import Matched
from kotrel.core.phrases import count, listed_and
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.tables.sources import columns_named
from kotrel.core.tables.table import Table
from kotrel.core.values.same_writing import form_of


def _rows_without_any(
    table: Table, of_field: Mapping[str, Collection[str]], meant: Mapping[str, pl.Series]
) -> pl.Series:
    """Boolean for each row: it has such a word, and no price or discount beside it.

    Args:
        of_field: field → the letters of its columns; ``meant``: letter → the words that mean no price, else null.
    """
    none = pl.DataFrame([mark.is_not_null().alias(letter) for letter, mark in meant.items()])
    lacks = {name: pl.any_horizontal(mine) for name, mine in of_field.items()}
    filled = table.cells.select(
        (pl.col(letter).str.strip_chars() != "").fill_null(False).alias(f"{letter} filled") for letter in meant
    )
    has = [~lacks[name] & pl.any_horizontal(f"{letter} filled" for letter in mine) for name, mine in of_field.items()]
    return none.hstack(filled).select(pl.any_horizontal(lacks.values()) & ~pl.any_horizontal(has)).to_series()


def without_words(table: Table, matched: Matched, words: Collection[str]) -> Table:
    """The table with blanks where a column of prices has such a word, and a remark that says how often.

    A row of a price list that has no price says nothing, and is left out.

    Args:
        words: as they were declared; capitals and separators make no difference, and ``replaced by *`` is all that
            begins so.
    """
    of_field = _letters(table, matched)
    letters = list(dict.fromkeys(letter for mine in of_field.values() for letter in mine))
    if not words or not letters:
        return table
    meant = {letter: _meant(table.cells[letter], words) for letter in letters}
    said = pl.concat([each.drop_nulls() for each in meant.values()])
    if not len(said):
        return table
    blanked = [table.cells[letter].set(mark.is_not_null(), None) for letter, mark in meant.items()]
    by_word = said.value_counts(sort=True).rename({said.name: "word"}).sort("count", "word", descending=[True, False])
    words_said = [f"{number:,} × {word}" for word, number in by_word.iter_rows()]
    of_list = list_field(matched.record) is not None
    left = _rows_without_any(table, of_field, meant)
    what = (
        count(int(left.sum()), "row left out", "rows left out")
        if of_list
        else count(len(said), "cell blank", "cells blank")
    )
    remarks = (*table.remarks, f"{what}, no price: {listed_and(words_said)}")
    table = replace(table, cells=table.cells.with_columns(blanked), remarks=remarks)
    return table.only(~left) if of_list else table


def without_replaced(table: Table, matched: Matched) -> tuple[Table, FindingGroup | None]:
    """The table without the rows that another item replaces and that have no amount,
    and a warning on those that still have one.
    """
    if not matched.replaced_by:
        return table, None
    said = table.cells[matched.replaced_by].str.strip_chars().fill_null("") != ""
    of_field = _letters(table, matched)
    letters = list(dict.fromkeys(letter for mine in of_field.values() for letter in mine))
    filled = [(pl.col(letter).str.strip_chars() != "").fill_null(False) for letter in letters]
    priced = table.cells.select(pl.any_horizontal(pl.lit(not letters), *filled)).to_series()
    if len(priced) != len(said):
        priced = priced.new_from_index(0, len(said))
    left, kept = said & ~priced, said & priced
    warning = None
    if kept.any():
        names = table.cells[matched.replaced_by].filter(kept)
        heading = next(column.heading for column in table.columns if column.letter == matched.replaced_by)
        still = "but its price is still used" if letters else "but its row is still used"
        cells = cells_of(table.cells[ROW].filter(kept), names, [f"replaced by {name}, {still}" for name in names])
        warning = FindingGroup(
            "warning",
            "replaced",
            "replaced by another item",
            matched.record.name,
            None,
            matched.replaced_by,
            cells,
            heading,
        )
    if not left.any():
        return table, warning
    remark = f"{count(int(left.sum()), 'row')} left out: replaced by another item, and without a price"
    return replace(table, remarks=(*table.remarks, remark)).only(~left), warning


def _letters(table: Table, matched: Matched) -> dict[str, list[str]]:
    """Each field of an amount or a discount → the columns that it is read or calculated from."""
    letters: dict[str, list[str]] = {}
    for name, source in matched.sources.items():
        about = matched.record.fields[name]
        if about.kind != "money" and not about.is_percentage:
            continue
        mine = list(source.columns)
        for heading in re.findall(r"\[([^\]]+)\]", source.make or ""):
            # What is looked up beside an amount, such as a discount, is none by itself.
            mine += [column.letter for column in columns_named(table.columns, heading)]
        if mine:
            letters[name] = mine
    return letters


def _meant(cells: pl.Series, words: Collection[str]) -> pl.Series:
    """For each cell the word that it is, or null."""
    whole = {form_of(word): word for word in words if not word.endswith("*")}
    begins = [(form_of(word.removesuffix("*")), word) for word in words if word.endswith("*")]
    meant: dict[str, str] = {}
    for text in cells.drop_nulls().unique():
        key = form_of(text)
        word = whole.get(key) or next((word for start, word in begins if start and key.startswith(start)), None)
        if key and word is not None:
            meant[text] = word
    return cells.replace_strict(meant, default=None, return_dtype=pl.String).alias("word")
