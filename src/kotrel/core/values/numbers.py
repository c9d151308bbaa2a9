"""Numbers as people type them → exact decimals, by the decimal mark of their column.

The decimal mark is decided from all values of a column; what could be read two ways is never guessed.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from decimal import Decimal
from typing import Literal

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type
from kotrel.core.values.currencies import CURRENCY

Mark = Literal[".", ","]

PLAIN = r"^-?[0-9]+(?:\.[0-9]+)?$"
"""A number as programs write it."""

_POINT_IS_CLEAR = r"^-?(?:[0-9]+\.(?:[0-9]{1,2}|[0-9]{4,})|0+\.[0-9]+|[0-9]{4,}\.[0-9]+)$"
CLEAR_MARKS = (_POINT_IS_CLEAR, _POINT_IS_CLEAR.replace(r"\.", ","))
"""Numbers each of which proves its decimal mark: the point, the comma."""
_POINT_IS_DOUBTFUL = r"^-?[1-9][0-9]{0,2}\.[0-9]{3}$"

_BLANKS = re.compile(r"[\s\u00a0\u2007\u2009\u202f'’`´]")
_APART = re.compile(r"[0-9][\s\u00a0\u2007\u2009\u202f'’`´]+[0-9]")
_THOUSANDS = re.compile(
    r"(?<![0-9.,])[0-9]{1,3}(?P<mark>[ \u00a0\u2007\u2009\u202f'’`´])[0-9]{3}(?:(?P=mark)[0-9]{3})*(?![0-9])"
)
"""Digits in groups of three, with the same mark between them."""
_SHAPE = re.compile(
    rf"^(?P<open>\()?(?P<sign>[-+−–])?(?P<before>{CURRENCY})?(?P<sign2>[-+−–])?(?P<body>[0-9.,]*[0-9][.,]?[0-9]*)(?:(?<=[.,])(?P<cents>[-−–]{{1,2}}))?"
    rf"(?P<exponent>[eE][-+]?[0-9]{{1,3}})?(?P<percent>%)?(?P<after>{CURRENCY})?(?P<trail>[-−–])?(?P<close>\))?$"
)


class Read(Struct, frozen=True):
    """One text read as a number: the value, or why not; and the sign or code of a currency beside it."""

    value: Decimal | None
    trouble: Literal["", "no-number", "ambiguous", "other-mark", "percent"] = ""
    currency: str = ""


def _mark_shown_by(body: str) -> Mark | Literal["either", "none"]:
    """The decimal mark that one number proves, or ``either`` if it proves nothing."""
    points, commas = body.count("."), body.count(",")
    if points and commas:
        return "." if body.rfind(".") > body.rfind(",") else ","
    if not points and not commas:
        return "none"
    used: Mark = "." if points else ","
    other: Mark = "," if points else "."
    if max(points, commas) > 1:
        return other
    before, after = body.split(used)
    if len(after) == 3 and 1 <= len(before) <= 3 and not before.startswith("0"):
        return "either"
    return used


def _body_and_trail(found: re.Match[str]) -> tuple[str, str | None]:
    """The digits and marks of a number, and a trailing minus. In “12.–” and “12,-” the dash stands for zero cents."""
    body, trail = found["body"], found["trail"]
    if found["cents"]:
        return body + "00", trail
    return (body + "00", None) if trail and body.endswith((".", ",")) else (body, trail)


def _without_blanks(text: str) -> str:
    """The text without blanks, and without the marks between thousands.

    Digits with a blank or an apostrophe anywhere else between them are two numbers or a slip: they stay as they are,
    and no shape of a number fits them.
    """
    joined = _THOUSANDS.sub(lambda found: _BLANKS.sub("", found[0]), text)
    return text if _APART.search(joined) else _BLANKS.sub("", joined)


class Marks(Struct, frozen=True):
    """What the values of a column prove of its decimal mark.

    Attributes:
        mark: the mark, or None if no value proves one or some prove the other: a contradiction proves nothing.
        contradicts: some values prove one mark and some the other.
        witnesses: how many values prove the mark.
    """

    mark: Mark | None
    contradicts: bool = False
    witnesses: int = 0

    @property
    def deciding(self) -> Mark | None:
        """The mark, where it may decide how ``1.234`` is read: one value alone may be the slip itself."""
        return self.mark if self.witnesses >= ENOUGH_WITNESSES else None


ENOUGH_WITNESSES = 2


def mark_of(values: Iterable[str]) -> Marks:
    """The decimal mark that a column's values prove."""
    votes: dict[Mark, int] = {".": 0, ",": 0}
    for value in values:
        if (found := _SHAPE.match(_without_blanks(value))) and not found["exponent"]:
            shown = _mark_shown_by(_body_and_trail(found)[0])
            if shown == "." or shown == ",":
                votes[shown] += 1
    if all(votes.values()):
        return Marks(None, True)
    return Marks(None if not any(votes.values()) else "." if votes["."] else ",", witnesses=sum(votes.values()))


def read_number(text: str, mark: Mark | None) -> Read:
    """Reads one number as typed.

    It understands currency signs and codes before or after, spaces and apostrophes between thousands, a minus before or
    after, a dash for the cents, brackets for negatives, an exponent, and a per cent sign (``percent``: the value is the
    number before the sign). What stands before an exponent has decimals, never thousands.

    Args:
        text: the cell's text.
        mark: the column's decimal mark, or None if not known.
    """
    match = _SHAPE.match(_without_blanks(text))
    if not match or bool(match["open"]) != bool(match["close"]):
        return Read(None, "no-number")
    body, trail = _body_and_trail(match)
    shown = _mark_shown_by(body)
    if match["exponent"] and shown == "either":
        # Nobody writes thousands before an exponent.
        shown = "." if "." in body else ","
    if shown == "either":
        if mark is None:
            return Read(None, "ambiguous")
        shown = mark
    elif shown in (".", ",") and mark is not None and shown != mark:
        return Read(None, "other-mark")
    value = _value(body, shown)
    if value is None:
        return Read(None, "no-number")
    if match["exponent"]:
        value = value.scaleb(int(match["exponent"][1:]))
    signs = [sign for sign in (match["sign"], match["sign2"], trail) if sign not in (None, "+")]
    if len(signs) + bool(match["open"]) > 1:
        return Read(None, "no-number")
    if signs or match["open"]:
        value = -value
    return Read(value, "percent" if match["percent"] else "", match["before"] or match["after"] or "")


def _value(body: str, shown: str | None) -> Decimal | None:
    """The digits as a number; None where the marks between thousands stand wrong.

    Args:
        shown: the decimal mark; anything else where there is none.
    """
    thousands = "," if shown == "." else "."
    whole, _, part = body.partition(shown) if shown in (".", ",") else (body, "", "")
    groups = whole.split(thousands)
    if thousands in part or (len(groups) > 1 and (any(len(group) != 3 for group in groups[1:]) or not groups[0])):
        return None
    return Decimal("".join(groups) + ("." + part if part else "") or "0")


def as_calculated(text: str) -> Decimal:
    """A number cell as spreadsheet programs calculate with it: its stored value at 15 significant digits."""
    value = Decimal(text)
    return value if len(value.as_tuple().digits) <= 15 else Decimal(f"{value:.15g}")


def numbers_in(texts: pl.Series) -> pl.Series:
    """Texts by themselves, without a column that shows their decimal mark, as numbers (Decimal with 12 places).

    Null where a text is none, could be two, or is an amount in a currency or a percentage.
    """
    number_of: dict[str, Decimal | None] = {}
    for text in texts.drop_nulls().unique().to_list():
        read = read_number(text, None)
        number_of[text] = None if read.trouble or read.currency or read.value is None else round(read.value, 12)
    dtype = decimal_type()
    known = pl.Series(list(number_of.values()), dtype=dtype)
    return texts.replace_strict(pl.Series(list(number_of), dtype=pl.String), known, default=None, return_dtype=dtype)


def currency_beside(text: str) -> str:
    """The sign or code of a currency beside a number as typed; empty where there is none."""
    found = _SHAPE.match(_without_blanks(text))
    return (found["before"] or found["after"] or "") if found else ""


def doubtful_points(column: pl.Series) -> bool:
    """True where plain numbers such as ``1.234`` could mean thousands and no other value of the column decides."""
    return bool(column.str.contains(_POINT_IS_DOUBTFUL).any()) and not bool(column.str.contains(_POINT_IS_CLEAR).any())
