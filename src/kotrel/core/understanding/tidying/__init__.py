"""Text as it is in a column → canonical text of its field's kind, with repairs and findings.

Whole columns are checked first; only values that are not yet plain are read one by one, each distinct value once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import polars as pl

from kotrel.core.description.model import Field
from kotrel.core.rows.findings import cells_of
from kotrel.core.understanding.tidying.amounts import column_mark, fixed_decimals, tidy_number
from kotrel.core.understanding.tidying.column import Setting, Tidied, Trouble, clean_ends, is_few, unguard
from kotrel.core.understanding.tidying.days import tidy_date
from kotrel.core.understanding.tidying.moments import tidy_moment
from kotrel.core.understanding.tidying.shown_numbers import read_percentages, round_as_wished
from kotrel.core.understanding.tidying.signs import usual_signs_of
from kotrel.core.understanding.tidying.terms import tidy_choice, tidy_list, tidy_yes_no

__all__ = ["Setting", "Tidied", "column_mark", "fixed_decimals", "is_few", "tidy"]

ERROR_NAMES = (
    "#N/A",
    "#REF!",
    "#VALUE!",
    "#DIV/0!",
    "#NAME?",
    "#NUM!",
    "#NULL!",
    "#SPILL!",
    "#CALC!",
    "#FIELD!",
    "#GETTING_DATA",
)
"""What spreadsheets show where a formula fails."""


def tidy(
    rows: pl.Series, values: pl.Series, kinds: Callable[[str], pl.Series], about: Field, setting: Setting
) -> Tidied:
    """One column → canonical text of its field's kind.

    Args:
        rows: the sheet row of each value (UInt32).
        values: the cells as text; blank is null.
        kinds: gives the rows with a kind of cell (see :data:`kotrel.core.tables.table.CellKinds`).
    """
    errors = kinds("error")
    if values.null_count() == len(values) and not errors.any() and not kinds("uncalculated").any():
        return Tidied(values)
    if (values.str.starts_with("#").fill_null(False)).any():
        # In a text file, and in a cell typed as text, an error is only its name.
        errors = errors | values.is_in(ERROR_NAMES).fill_null(False)
    broken = _broken_cells(rows, values, errors, kinds("uncalculated"))
    if broken:
        values = values.set(errors | kinds("uncalculated"), None)
    recorded = about.kind in ("code", "text", "reference", "file")
    cleaned = clean_ends(rows, values, recorded)
    values = unguard(cleaned.values) if setting.text_file and not about.is_decimal else cleaned.values
    usual = usual_signs_of(rows, values, about)
    values = usual.values
    shown: list[Tidied] = []
    if about.is_decimal:
        number_cells = kinds("number")
        for change in (read_percentages, round_as_wished):
            shown.append(change(rows, values, number_cells, about, setting))
            values = shown[-1].values
        tidied = tidy_number(rows, values, number_cells, about, setting)
    elif about.kind == "date":
        tidied = tidy_date(rows, values, kinds("number"), kinds("date"), setting)
    elif about.kind == "moment":
        tidied = tidy_moment(rows, values, about.zoned)
    elif about.kind == "yes_no":
        tidied = tidy_yes_no(rows, values)
    elif about.kind == "choice":
        tidied = tidy_choice(rows, values, about)
    elif about.kind == "list":
        tidied = tidy_list(rows, values)
    else:
        tidied = Tidied(values)
    steps = [cleaned, usual, *shown, tidied]
    troubles = [trouble for step in steps for trouble in step.troubles]
    return Tidied(tidied.values, [*broken, *troubles], [repair for step in steps for repair in step.repairs])


def _broken_cells(rows: pl.Series, values: pl.Series, errors: pl.Series, uncalculated: pl.Series) -> list[Trouble]:
    """Cells with a spreadsheet error, or with a formula that was never calculated."""
    found: list[Trouble] = []
    reasons: Iterable[tuple[pl.Series, str, str, str]] = (
        (errors, "error-value", "a spreadsheet error", "correct the formula in that cell"),
        (
            uncalculated,
            "not-calculated",
            "a formula that was never calculated",
            "open the file in a spreadsheet program and save it",
        ),
    )
    for bad, kind, title, message in reasons:
        if bad.any():
            found.append(Trouble("error", kind, title, cells_of(rows.filter(bad), values.filter(bad), message)))
    return found
