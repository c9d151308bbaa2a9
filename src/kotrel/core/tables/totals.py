"""Rows that are no data: totals and notes below a table, and totals of groups within it. Each is reported."""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation

import polars as pl

from kotrel.core.languages.all_languages import words_of
from kotrel.core.tables.headings import one_line

_WORDS = "|".join(sorted(map(re.escape, words_of("totals")), key=len, reverse=True))
_TOTAL = re.compile(rf"^(grand |sub[- ]?)?(?:{_WORDS}|gesamt\w*)(?!\w)", re.IGNORECASE)
_TOTAL_LAST = re.compile(rf".*\b(?:{_WORDS})\s*:?$", re.IGNORECASE)
LOOK_BELOW = 30
"""Totals and notes are searched for in this many rows from the end."""


def below_the_table(body: pl.DataFrame, rows: pl.Series, remarks: list[str]) -> int:
    """How many rows at the end do not belong to the table: totals and separate notes. Each is reported."""
    if body.height < 2 or body.width < 3:
        return 0
    head = body.head(200).select(pl.sum_horizontal(pl.all().is_not_null().cast(pl.Int32))).to_series()
    # Three quarters of the rows are no fuller than this. In a short table, totals and notes are among them.
    usual = int(head.quantile(0.75, interpolation="higher") or 0)
    if usual < 3:
        return 0
    last, numbers = body.tail(LOOK_BELOW).rows(), rows.tail(LOOK_BELOW + 1).to_list()
    left: list[tuple[str, int, str]] = []
    notes: list[tuple[str, int, str]] = []
    for back in range(1, len(last)):
        filled = [text for text in last[-back] if text and text.strip()]
        row = numbers[-back]
        words = filled[0].strip() if filled else ""
        if _TOTAL.match(words) and len(filled) < usual:
            left += [*notes, ("totals row", row, words)]
        elif len(filled) == 1 and " " in words:
            notes.append(("note", row, words))
            if row - numbers[-back - 1] <= 1 and not left:
                # Whether it is a note is known only where a blank row or a total stands above it.
                continue
            left += notes
        else:
            break
        notes = []
    for what, row, words in reversed(left):
        remarks.append(f"{what} left out: row {row} “{one_line(words)[:40]}”")
    return len(left)


MOST_THIN = 5_000
"""Totals are searched for among this many thin rows; a sheet with more is not one with totals."""
_NAMED = 3


def totals_within(body: pl.DataFrame, rows: pl.Series, remarks: list[str], begins: bool = True) -> pl.Series | None:
    """Boolean for each row of a table: it is the total of rows above it, not data. None where there is no total.

    Such a row is thinner than the others, and either says that it is a total and has nothing else but numbers, or has
    no more than half of the usual cells, none in the first column, and its numbers add up what is above.

    Args:
        begins: the table begins with these rows; else others are above them.
    """
    if body.height < 3 or body.width < 3:
        return None
    # Columns that are filled throughout make no row thinner than another.
    gappy = [name for name in body.columns if body[name].null_count()]
    if not gappy:
        return None
    full = body.width - len(gappy)
    filled = body.select(pl.sum_horizontal(pl.col(gappy).is_not_null().cast(pl.Int32)) + full).to_series()
    usual = int(filled.quantile(0.75, interpolation="higher") or 0)
    thin = (filled < usual).arg_true()
    if usual < 3 or not 0 < len(thin) <= MOST_THIN:
        return None
    found: list[int] = []
    for place in thin.to_list():
        start = found[-1] + 1 if found else 0
        if not (begins and place == 0) and _is_total_row(body, place, start, usual):
            found.append(place)
    if not found:
        return None
    names = ", ".join(f"{rows[place]}" for place in found[:_NAMED])
    more = f" and {len(found) - _NAMED:,} more" if len(found) > _NAMED else ""
    remarks.append(f"totals within the table left out: row{'s' if len(found) > 1 else ''} {names}{more}")
    return pl.int_range(body.height, eager=True).is_in(found)


def _is_total_row(body: pl.DataFrame, place: int, start: int, usual: int) -> bool:
    """True where a thin row is the total of those from ``start`` on.

    Args:
        usual: how many cells a row usually has.
    """
    cells = {letter: text.strip() for letter, text in zip(body.columns, body.row(place), strict=True) if text}
    numbers = {letter: value for letter, text in cells.items() if (value := _number(text)) is not None}
    if not numbers:
        return False
    words = [text for letter, text in cells.items() if letter not in numbers]
    if len(words) == 1 and _is_total(words[0]):
        return True
    bare = body.columns[0] not in cells and len(cells) * 2 <= usual and place - start >= 2
    return bare and _adds_up(body.slice(start, place - start), numbers)


def _is_total(words: str) -> bool:
    """True for ``Subtotal rope`` and ``Rope, total:``, but not for a code such as ``TOTAL-5``."""
    return bool(_TOTAL.match(words) or _TOTAL_LAST.match(words)) and not re.match(r"\S*[0-9]", words)


def _adds_up(above: pl.DataFrame, numbers: dict[str, Decimal]) -> bool:
    """True where every number is the sum of its column, and not all are zero."""
    for letter, total in numbers.items():
        values = [_number(text) for text in above[letter].drop_nulls()]
        if (
            len(values) < 2
            or any(value is None for value in values)
            or sum(v for v in values if v is not None) != total
        ):
            return False
    return any(numbers.values())


def _number(text: str) -> Decimal | None:
    """A plain number, with a point or a comma before its decimals."""
    try:
        value = Decimal(text.replace(",", ".") if text.count(",") == 1 and "." not in text else text.replace(",", ""))
    except InvalidOperation:
        return None
    return value if value.is_finite() else None
