"""How cells show their numbers: what a spreadsheet's number format makes of a value."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from typing import NamedTuple, Protocol


class Shown(NamedTuple):
    r"""How a cell shows its number.

    Attributes:
        places: the decimals; None where its format does not say.
        percent: whether as a percentage.
        mask: of a format that shows whole numbers with a fixed number of digits, or with signs among them: each digit
            is a ``0`` (always there) or ``#``, every other sign stands behind a ``\``. Empty where the format is none.
        currency: the sign or code of a currency in its format.
        text: what it shows, where the file itself says so and it is more than the number.
    """

    places: int | None
    percent: bool = False
    mask: str = ""
    currency: str = ""
    text: str = ""


class Formats(Protocol):
    """How the cells of a sheet show their numbers; looked up only where it matters."""

    @property
    def any_percent(self) -> bool:
        """True where the workbook has a format that shows percentages."""

    @property
    def currencies(self) -> Collection[str]:
        """The signs and codes of currencies in the formats of the workbook."""

    @property
    def any_mask(self) -> bool:
        """True where the workbook has a format with a mask, or a cell with a text of its own."""

    @property
    def struck(self) -> Mapping[str, Collection[int]]:
        """Letter → the rows in the sheet whose cells are struck through, filled or not."""

    @property
    def otherwise(self) -> Mapping[str, Mapping[int, str]]:
        """Letter → row → the words that a number's format shows beside the number, or instead of it;
        ``""`` for nothing at all.
        """

    @property
    def apart(self) -> Mapping[str, Mapping[int, str]]:
        """Letter → row → ``raised`` or ``struck``, where a part of the cell's text is so."""

    def of(self, letter: str) -> Mapping[int, Shown]:
        """Row in the sheet → how the number there is shown; cells in the general format are left out."""


_SIGNS = re.compile(r"\\.|.", re.DOTALL)


def masked(digits: str, mask: str) -> str:
    """A whole number as a mask shows it: 1234 is 001234 by ``000000``.
    The first place takes all digits that are left.
    """
    signs = _SIGNS.findall(mask)
    first = next((at for at, sign in enumerate(signs) if sign in "0#"), 0)
    left, shown = digits, []
    for at in range(len(signs) - 1, -1, -1):
        sign = signs[at]
        if sign not in ("0", "#"):
            shown.append(sign[1:])
        elif at == first and left:
            shown.append(left)
        elif left:
            left, last = left[:-1], left[-1]
            shown.append(last)
        elif sign == "0":
            shown.append("0")
    return "".join(reversed(shown))


_THOUSANDS = r"[0-9]{1,3}(?:[ '.,\u00a0\u2009\u202f][0-9]{3})+"


def is_code_of(shown: str, held: str) -> bool:
    """True where a cell shows the whole number it holds with zeros before it,
    or with other signs than those for thousands.
    """
    digits = re.sub("[^0-9]", "", shown)
    is_whole = re.fullmatch("[0-9]+", held) is not None and shown != held
    return is_whole and digits.lstrip("0").endswith(held.lstrip("0")) and not re.fullmatch(_THOUSANDS, shown)


def code_shown(held: str, how: Shown, has_decimals: bool) -> str:
    """What a cell with a code shows, where that says the same as the number it holds and more; else the number as it
    is.

    Signs for thousands are no part of a code.

    Args:
        has_decimals: whether some codes of the column have them; elsewhere, the format of 1234.00 was meant for
            amounts.
    """
    if how.text:
        return how.text
    if how.mask and is_code_of(shown := masked(held, how.mask).strip(), held):
        return shown
    if has_decimals and how.places and re.fullmatch(r"[0-9]+(?:\.[0-9]+)?", held):
        whole, _, decimals = held.partition(".")
        return f"{whole}.{decimals.ljust(how.places, '0')}"
    return held
