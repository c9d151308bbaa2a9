"""Numbers in cells that show them otherwise than they are stored: as percentages, or with fewer decimals."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import ROUND_HALF_UP, Decimal

import polars as pl

from kotrel.core.description.model import Field
from kotrel.core.normalizing.column import ColumnSetting, Repair, Tidied, Trouble
from kotrel.core.phrases import plain_number
from kotrel.core.rows.findings import AS_SHOWN, cells_of, repaired_cells
from kotrel.core.tables.as_shown import shown_otherwise
from kotrel.core.tables.number_display import Shown
from kotrel.core.values.currencies import may_be
from kotrel.core.values.numbers import as_calculated

SHOWN_BY_SHEET = "as shown"


def read_percentages(
    rows: pl.Series, values: pl.Series, is_number: pl.Series, about: Field, setting: ColumnSetting
) -> Tidied:
    """Cells that show a percentage hold a hundredth of it: 12.5 % is stored as 0.125.

    As where somebody types the sign, a number is what the cell shows; money and quantities are never percentages.
    """
    if setting.formats is None or not setting.formats.any_percent or not is_number.any():
        return Tidied(values)
    shown = setting.shown
    wrong = is_number & rows.is_in([row for row, how in shown.items() if how.percent])
    if not wrong.any():
        return Tidied(values)
    stored = values.filter(wrong)
    shown_as = [plain_number(Decimal(text) * 100) for text in stored]
    if not about.is_percentage:
        message = "the cell shows a percentage: write the amount"
        cells = cells_of(rows.filter(wrong), [f"{text} %" for text in shown_as], message)
        return Tidied(
            values.set(wrong, None), [Trouble("error", "per-cent", "a percentage instead of an amount", cells)]
        )
    after = values.scatter(wrong.arg_true(), pl.Series(shown_as, dtype=pl.String))
    cells = repaired_cells(rows.filter(wrong), stored, shown_as, [f"the cell shows {text} %" for text in shown_as])
    return Tidied(after, repairs=[Repair("percent-as-shown", cells)])


def refuse_other_currencies(
    rows: pl.Series, values: pl.Series, is_number: pl.Series, about: Field, setting: ColumnSetting
) -> Tidied:
    """Cells that show an amount in another currency than the one of the amounts here."""
    here = setting.conventions.currency
    if setting.formats is None or about.kind != "money" or not here or not is_number.any():
        return Tidied(values)
    if all(may_be(sign, here) for sign in setting.formats.currencies):
        return Tidied(values)
    signs = {row: how.currency for row, how in setting.shown.items() if how.currency and not may_be(how.currency, here)}
    wrong = is_number & rows.is_in(list(signs)) & values.is_not_null()
    if not wrong.any():
        return Tidied(values)
    cells = cells_of(
        rows.filter(wrong),
        values.filter(wrong),
        [f"the cell shows {signs[row]}, and amounts here are in {here}: convert it" for row in rows.filter(wrong)],
    )
    return Tidied(values.set(wrong, None), [Trouble("error", "other-currency", "in another currency", cells)])


def round_as_wished(
    rows: pl.Series, values: pl.Series, is_number: pl.Series, about: Field, setting: ColumnSetting
) -> Tidied:
    """Number cells rounded as the mapping or the settings ask, half away from zero; texts stay as they are typed."""
    rounding = setting.rounding or (setting.conventions.rounding if about.kind == "money" else "")
    if not rounding or not is_number.any():
        return Tidied(values)
    shown: Mapping[int, Shown] = setting.shown if rounding == SHOWN_BY_SHEET else {}
    numbers: list[int] = []
    before: list[str] = []
    after: list[str] = []
    proofs: list[str] = []
    for index in (is_number & values.str.contains(r"[.eE]").fill_null(False)).arg_true():
        row, text = rows[index], values[index]
        places = shown[row].places if row in shown else int(rounding) if rounding != SHOWN_BY_SHEET else None
        rounded = None if places is None else rounded_to(text, places)
        if rounded is not None and Decimal(rounded) != Decimal(text):
            numbers.append(index)
            before.append(text)
            after.append(rounded)
            proofs.append(
                f"the cell shows {rounded}"
                if rounding == SHOWN_BY_SHEET
                else f"to {rounding} decimals, as rounding says"
            )
    if not numbers:
        return Tidied(values)
    done = values.scatter(numbers, pl.Series(after, dtype=pl.String))
    cells = repaired_cells(rows.gather(numbers), before, after, proofs)
    return Tidied(done, repairs=[Repair("rounded", cells)])


def rounded_to(text: str, places: int) -> str:
    """A number cell rounded half away from zero, to a number of decimals, as a spreadsheet calculates it."""
    return f"{as_calculated(text).quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP):f}"


def read_as_shown(rows: pl.Series, values: pl.Series, is_number: pl.Series, setting: ColumnSetting) -> Tidied:
    """A number that a format gives leading zeros, or signs among its digits, is what the cell shows: people see nothing
    else.

    Args:
        rows: sheet rows.
        is_number: the cells that hold a number, not a text.
    """
    changed = shown_otherwise(rows, values, is_number, setting.formats, setting.letter)
    if not changed:
        return Tidied(values)
    places, numbers, before, after = (list(each) for each in zip(*changed, strict=True))
    cells = repaired_cells(numbers, before, after, [f"the cell shows {text}" for text in after])
    done = values.scatter(places, pl.Series(after, dtype=pl.String))
    return Tidied(done, repairs=[Repair(AS_SHOWN, cells)])
