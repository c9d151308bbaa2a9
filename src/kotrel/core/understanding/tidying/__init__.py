"""Text as it stands in a column → canonical text of its field's kind, with repairs told and doubts left as findings.

Whole columns are looked at first; only values that are not plain already are read one by one, each distinct value once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import polars as pl

from kotrel.core.description.model import Field
from kotrel.core.rows.findings import cells_of
from kotrel.core.understanding.tidying.amounts import column_mark, fixed_decimals, tidy_number
from kotrel.core.understanding.tidying.column import Setting, Tidied, Trouble, clean_ends, is_few, unguard
from kotrel.core.understanding.tidying.days import tidy_date
from kotrel.core.understanding.tidying.terms import tidy_choice, tidy_list, tidy_yes_no

__all__ = ["Setting", "Tidied", "column_mark", "fixed_decimals", "is_few", "tidy"]


def tidy(
    rows: pl.Series, values: pl.Series, kinds: Callable[[str], pl.Series], about: Field, setting: Setting
) -> Tidied:
    """One column → canonical text of its field's kind.

    Args:
        rows: the sheet row of each value (UInt32).
        values: the cells as text; blank is null.
        kinds: gives, for a kind of cell, which rows are of it (see :data:`kotrel.core.tables.table.CellKinds`).
    """
    broken = _broken_cells(rows, values, kinds)
    if broken:
        lost = kinds("error") | kinds("uncalculated")
        values = values.set(lost, None)
    told = about.kind in ("code", "text", "reference", "file")
    cleaned = clean_ends(rows, values, told)
    values = unguard(cleaned.values) if setting.text_file and not about.is_decimal else cleaned.values
    if about.is_decimal:
        tidied = tidy_number(rows, values, kinds("number"), about, setting)
    elif about.kind == "date":
        tidied = tidy_date(rows, values, kinds("number"), setting)
    elif about.kind == "yes_no":
        tidied = tidy_yes_no(rows, values)
    elif about.kind == "choice":
        tidied = tidy_choice(rows, values, about)
    elif about.kind == "list":
        tidied = tidy_list(rows, values)
    else:
        tidied = Tidied(values)
    return Tidied(tidied.values, [*broken, *tidied.troubles], [*cleaned.repairs, *tidied.repairs])


def _broken_cells(rows: pl.Series, values: pl.Series, kinds: Callable[[str], pl.Series]) -> list[Trouble]:
    """Cells that hold an error of the spreadsheet, or a formula that was never worked out."""
    found: list[Trouble] = []
    reasons: Iterable[tuple[str, str, str, str]] = (
        ("error", "error-value", "an error of the spreadsheet", "mend the formula in that cell"),
        (
            "uncalculated",
            "not-calculated",
            "a formula never worked out",
            "open the file in a spreadsheet program and save it",
        ),
    )
    for cell_kind, kind, title, message in reasons:
        bad = kinds(cell_kind)
        if bad.any():
            found.append(Trouble("error", kind, title, cells_of(rows.filter(bad), values.filter(bad), message)))
    return found
