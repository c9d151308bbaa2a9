"""Quantity breaks in headings: ``10+``, ``Price from 100``, ``10-49``: amounts that hold from a quantity on."""

from __future__ import annotations

import re
from collections.abc import Sequence

from msgspec import Struct

from kotrel.core.description.model import Field, Record
from kotrel.core.languages.all_languages import months, words_of
from kotrel.core.tables.heading_words import terms_of
from kotrel.core.tables.table import Column
from kotrel.core.values.month_names import plain_letters

_NUMBER = r"(?<![0-9.,'])(?P<number>[1-9][0-9]{0,4})"
_ENDS = r"(?![0-9]|[.,'/][0-9])"
_MEASURE = r"(?!\s*(?:%|(?:mm|cm|dm|m|km|in|inch|ft|g|kg|l|ml|cl|v|w|a|days?|tage?|jours?)\b))"
"""What is 6-8 mm is a size, and 3-5 days a time."""
_PATTERNS = (
    re.compile(rf"{_NUMBER}\s?(?:pcs?|stk|st)?\.?\s?\+(?!\s*[/0-9])", re.IGNORECASE),
    re.compile(rf"(?:≥|>\s?=)\s*{_NUMBER}{_ENDS}{_MEASURE}"),
    re.compile(rf"{_NUMBER}\s?[-–]\s?(?P<to>[1-9][0-9]{{0,4}}){_ENDS}{_MEASURE}"),
    re.compile(rf"{_NUMBER}\s+(?:[^\W\d_]+\.?\s+){{0,2}}(?P<more>[^\W\d_]+)\s*(?:[\])]|$)"),
    re.compile(rf"(?P<word>[^\W\d_]+)\.?(?:\s+de)?\s*{_NUMBER}{_ENDS}{_MEASURE}"),
)
_LEAST = words_of("least")
PIECES = frozenset(("each", "quantity", "pcs", "pc", "pieces", "piece", "stk", "st", "off"))
"""Terms beside a number that say no more than that it is of pieces."""
_MORE = frozenset(map(plain_letters, words_of("more")))
_MONTHS = frozenset(plain_letters(name)[:3] for _, name in months())
_AMOUNTS = frozenset(("price", "cost", "sales", "net", "list", "each", "quantity", "from"))
"""Terms that may stand before a range of quantities."""
_YEARS = range(1900, 2100)


class QuantityBreak(Struct, frozen=True):
    """From which quantity on the amounts of a column hold.

    Attributes:
        quantity: a whole number.
        around: what stands before and behind it in the heading.
    """

    quantity: str
    around: tuple[str, str]

    def is_of(self, amount: Field) -> bool:
        """Whether the rest of the heading says nothing, that it is of pieces, or what such amounts are called."""
        terms = terms_of("".join(self.around)) - PIECES
        return not terms or terms in {terms_of(word) for word in (amount.title, *amount.synonyms)}


def break_said(heading: str) -> QuantityBreak | None:
    """The quantity from which on the amounts below a heading hold, where it says one."""
    heading = " ".join(heading.split())
    for pattern in _PATTERNS:
        for match in pattern.finditer(heading):
            if _is_break(match, heading):
                return QuantityBreak(match["number"], (heading[: match.start()], heading[match.end() :]))
    return None


def _is_break(match: re.Match[str], heading: str) -> bool:
    said, number = match.groupdict(), int(match["number"])
    at = match.end("to" if said.get("to") else "number")
    behind = re.match(r"[.\s]*([^\W\d_]+)", heading[at:])
    if number in _YEARS or (behind is not None and plain_letters(behind[1])[:3] in _MONTHS):
        return False
    if (more := said.get("more")) is not None:
        return plain_letters(more) in _MORE
    if (to := said.get("to")) is not None:
        # “Price (zone 1-3)” is no quantity.
        before = re.search(r"([^\W\d_]+)\.?\s*$", heading[: match.start()])
        return number < int(to) and (before is None or terms_of(before[1]) <= _AMOUNTS)
    if (word := said.get("word")) is not None:
        # “Qty 2” alone is a second quantity; “Price, qty 2” is a price.
        of_quantity = terms_of(word) == {"quantity"} and len(match[0]) < len(heading)
        return plain_letters(word) in _LEAST or terms_of(word) == {"from"} or of_quantity
    return True


def bare_breaks(columns: Sequence[Column]) -> dict[Column, str]:
    """Columns that are headed with nothing but rising numbers: 1, 10, 100. Years are none of them."""
    found = {column: column.heading.strip() for column in columns if re.fullmatch("[1-9][0-9]{0,4}", column.heading)}
    numbers = [int(each) for each in found.values()]
    rising = len(found) > 1 and numbers == sorted(numbers)
    return found if rising and not any(number in _YEARS for number in numbers) else {}


def break_field(record: Record) -> Field | None:
    """The field of a record that says from which quantity on a row holds, or None: the quantity in its key."""
    return next((record.fields[name] for name in record.key if record.fields[name].kind == "quantity"), None)
