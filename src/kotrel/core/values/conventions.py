"""How a business writes numbers, dates and names in its sheets."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from msgspec import Struct, field
from msgspec.structs import replace


class SheetHabits(Struct, frozen=True):
    """How one sheet is written, where its mapping says so; blank texts where it does not."""

    decimal_mark: Literal["", ".", ","] = ""
    dates: Literal["", "day", "month"] = ""


UNSAID = SheetHabits()
"""Of a sheet whose mapping does not say it."""


class Conventions(Struct, frozen=True):
    """How the sheets of a workspace are written.

    Attributes:
        decimal_mark: the mark before the decimals; ``auto`` decides for each column from all its values.
        dates: which comes first in a date like 3/4/2026; ``auto`` likewise.
        rounding: money in number cells is rounded ``as shown`` in the cell, or to a number of decimals (``"2"``); an
            empty text rounds nothing.
        currency: the currency of all amounts, or an empty text where any may stand.
        no_price: words that mean “no price”, in any sheet (see :mod:`kotrel.core.matching.no_prices`).
        spellings: record → the form of another spelling (:func:`~kotrel.core.values.same_writing.form_of`) → the code it stands for.
        settled: names of the settings that somebody gave for this run; no mapping says otherwise.
    """

    decimal_mark: Literal["auto", ".", ","] = "auto"
    dates: Literal["auto", "day", "month"] = "auto"
    currency: str = ""
    rounding: str = ""
    no_price: tuple[str, ...] = ()
    spellings: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    settled: frozenset[str] = frozenset()

    def for_sheet(self, habits: SheetHabits) -> Conventions:
        """Those of one sheet: what was given for this run counts first, then its mapping, then the workspace."""
        decimal_mark, dates = self.decimal_mark, self.dates
        if habits.decimal_mark and "decimal_mark" not in self.settled:
            decimal_mark = habits.decimal_mark
        if habits.dates and "dates" not in self.settled:
            dates = habits.dates
        same = decimal_mark == self.decimal_mark and dates == self.dates
        return self if same else replace(self, decimal_mark=decimal_mark, dates=dates)


ROUNDINGS = "“as shown” or a number of decimals from 0 to 6"


def is_rounding(value: object) -> bool:
    """True for what a setting of rounding may be; an empty text is none."""
    return value in ("", "as shown") or (isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= 6)
