"""Text as it is in a column → canonical text of its field's kind, with repairs and findings.

Whole columns are checked first; only values that are not yet plain are read one by one, each distinct value once.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Iterable

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field
from kotrel.core.normalizing.amounts import column_mark, fixed_decimals, tidy_number
from kotrel.core.normalizing.column import ColumnSetting, Repair, Tidied, Trouble, clean_ends, unwrap
from kotrel.core.normalizing.date_columns import tidy_date, tidy_moment
from kotrel.core.normalizing.shown_numbers import (
    read_as_shown,
    read_percentages,
    refuse_other_currencies,
    round_as_wished,
)
from kotrel.core.normalizing.terms import tidy_choice, tidy_list, tidy_yes_no
from kotrel.core.rows.distinct_values import is_plain
from kotrel.core.rows.findings import cells_of
from kotrel.core.rows.lasting_errors import MARK
from kotrel.core.values.formula_guard import unguard
from kotrel.core.values.lookalikes import usual_signs
from kotrel.core.values.meaningless_texts import is_error_name

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
    usual = {value: usual_signs(value) if plain else _compose_letters(value) for value in odd}
    usual = {value: after for value, after in usual.items() if value != after}
    if not usual:
        return Tidied(values)
    after = values.replace(usual)
    cells = pl.DataFrame([rows.alias(ROW), values.alias("before"), after.alias("after")]).filter(
        values.ne_missing(after)
    )
    cells = cells.with_columns(pl.lit("the same characters, in their usual form").alias("proof"))
    return Tidied(after, repairs=[Repair("unusual-characters", cells)])


def _compose_letters(text: str) -> str:

    return unicodedata.normalize("NFC", text)


__all__ = ["ColumnSetting", "Tidied", "column_mark", "fixed_decimals", "tidy"]


def tidy(
    rows: pl.Series,
    values: pl.Series,
    kinds: Callable[[str], pl.Series],
    about: Field,
    setting: ColumnSetting,
    few: pl.Series | None = None,
) -> Tidied:
    """One column → canonical text of its field's kind.

    Args:
        rows: the sheet row of each value (UInt32).
        values: the cells as text; blank is null.
        kinds: gives the rows with a kind of cell (see :data:`kotrel.core.tables.table.CellKinds`).
        few: the distinct values of a column that repeats them (see :func:`few_of`).
    """
    quick = None if few is None else _tidy_few(rows, values, kinds, about, setting, few)
    return _tidy_all(rows, values, kinds, about, setting) if quick is None else quick


def _tidy_few(
    rows: pl.Series,
    values: pl.Series,
    kinds: Callable[[str], pl.Series],
    about: Field,
    setting: ColumnSetting,
    few: pl.Series,
) -> Tidied | None:
    """A column that repeats a few values, by these alone: where there is nothing to tell of them, there is nothing at
    all.

    Returns:
        None where each cell must be looked at.
    """
    by_cell = about.is_decimal or about.kind == "date" or setting.formats is not None
    matters = ("error", "uncalculated", *(("number", "date") if by_cell else ()))
    if any(kinds(kind).any() for kind in matters):
        return None
    nowhere = pl.Series([False], dtype=pl.Boolean).new_from_index(0, len(few))
    done = _tidy_all(rows.head(len(few)), few, lambda kind: nowhere, about, setting)
    if done.troubles or done.repairs:
        return None
    if done.values.equals(few):
        return Tidied(values, few=few, plain=done.plain)
    return Tidied(values.replace(few, done.values), few=done.values.unique())


def _tidy_all(
    rows: pl.Series, values: pl.Series, kinds: Callable[[str], pl.Series], about: Field, setting: ColumnSetting
) -> Tidied:
    errors = kinds("error")
    if values.null_count() == len(values) and not errors.any() and not kinds("uncalculated").any():
        return Tidied(values)
    plain = is_plain(values)
    if not plain:
        errors = errors | _named_errors(values)
    broken = _broken_cells(rows, values, errors, kinds("uncalculated"))
    if broken:
        values = values.set(errors | kinds("uncalculated"), None)
    recorded = about.kind in ("code", "text", "reference", "file")
    unwrapped = Tidied(values) if plain else unwrap(rows, values)
    cleaned = Tidied(unwrapped.values) if plain else clean_ends(rows, unwrapped.values, recorded)
    guarded = setting.text_file and not about.is_decimal and not plain
    values = unguard(cleaned.values) if guarded else cleaned.values
    usual = Tidied(values) if plain else usual_signs_of(rows, values, about)
    values = usual.values
    shown: list[Tidied] = []
    if about.is_decimal:
        number_cells = kinds("number")
        for change in (refuse_other_currencies, read_percentages, round_as_wished):
            shown.append(change(rows, values, number_cells, about, setting))
            values = shown[-1].values
        tidied = tidy_number(rows, values, number_cells, about, setting)
    else:
        tidied = _tidy_value(rows, values, kinds, about, setting)
    steps = [unwrapped, cleaned, usual, *shown, tidied]
    troubles = [trouble for step in steps for trouble in step.troubles]
    repairs = [repair for step in steps for repair in step.repairs]
    # What was only plain text is still as it was.
    return Tidied(tidied.values, [*broken, *troubles], repairs, plain=plain and tidied.values is values)


def _named_errors(values: pl.Series) -> pl.Series:
    """Boolean for each text: it is the name of an error.
    In a text file, and in a cell typed as text, it is only that.
    """
    begins = values.str.contains(r"^\s*(?:#|[Ee][Rr][Rr]:)").fill_null(False)
    if not begins.any():
        return begins
    names = [text for text in values.filter(begins).unique() if is_error_name(text)]
    return (values.is_in(names) | values.str.starts_with(MARK)).fill_null(False)


def _tidy_value(
    rows: pl.Series, values: pl.Series, kinds: Callable[[str], pl.Series], about: Field, setting: ColumnSetting
) -> Tidied:
    """Values of a field that is no number, in its canonical form."""
    if about.kind == "date":
        return tidy_date(rows, values, kinds("number"), kinds("date"), setting)
    if about.kind == "moment":
        return tidy_moment(rows, values, about.zoned)
    if about.kind == "yes_no":
        return tidy_yes_no(rows, values)
    if about.kind == "choice":
        return tidy_choice(rows, values, about)
    if about.kind == "list":
        return tidy_list(rows, values)
    return read_as_shown(rows, values, kinds("number"), setting)


def _broken_cells(rows: pl.Series, values: pl.Series, errors: pl.Series, uncalculated: pl.Series) -> list[Trouble]:
    """Cells with a spreadsheet error, or with a formula that was never calculated."""
    if not errors.any() and not uncalculated.any():
        return []
    troubles: list[Trouble] = []
    marked = errors & values.str.starts_with(MARK).fill_null(False)
    prepared = "it was wrong in the sheet this was prepared from: enter the right value"
    reasons: Iterable[tuple[pl.Series, str, str, str]] = (
        (errors & ~marked, "error-value", "a spreadsheet error", "correct the formula in that cell"),
        (marked, "error-value", "already wrong in its source", prepared),
        (
            uncalculated,
            "not-calculated",
            "a formula that was never calculated",
            "open the file in a spreadsheet program and save it",
        ),
    )
    for bad, kind, title, message in reasons:
        if bad.any():
            troubles.append(Trouble("error", kind, title, cells_of(rows.filter(bad), values.filter(bad), message)))
    return troubles
