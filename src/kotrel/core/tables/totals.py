"""Rows that are no data: totals and notes below a table, and totals of groups within it. Each is reported."""

from __future__ import annotations

import re
from collections.abc import Sequence
from decimal import Decimal, InvalidOperation

import polars as pl

from kotrel.core.languages.all_languages import words_of
from kotrel.core.tables.heading_words import terms_of
from kotrel.core.tables.headings import one_line

_WORDS = "|".join(sorted(map(re.escape, words_of("totals")), key=len, reverse=True))
_TOTAL = re.compile(rf"^(grand |sub[- ]?)?(?:{_WORDS}|gesamt\w*)(?!\w)", re.IGNORECASE)
_TOTAL_LAST = re.compile(rf".*\b(?:{_WORDS})\s*:?$", re.IGNORECASE)
LOOK_BELOW = 30
"""Totals and notes are searched for in this many rows from the end."""


def below_the_table(body: pl.DataFrame, rows: pl.Series, remarks: list[str]) -> int:
    """How many rows at the end do not belong to the table: totals and separate notes. Each is reported.

    Args:
        body: the cells below the headings, a String column for each of the sheet's; ``rows`` are their numbers in it.
    """
    if body.height < 2 or body.width < 3:
        return 0
    head = body.head(200).select(pl.sum_horizontal(pl.all().is_not_null().cast(pl.Int32))).to_series()
    # Three quarters of the rows are no fuller than this. In a short table, totals and notes are among them.
    usual = int(head.quantile(0.75, interpolation="higher") or 0)
    if usual < 3:
        return 0
    first = body[body.columns[0]]
    # Where nearly every row has its first cell, a line without it is no row.
    keyed = first.null_count() <= max(3, body.height // 10)
    last, numbers = body.tail(LOOK_BELOW).rows(), rows.tail(LOOK_BELOW + 1).to_list()
    left: list[tuple[str, int, str]] = []
    notes: list[tuple[str, int, str]] = []
    for back in range(1, len(last)):
        filled = list(filter(None, ((text or "").strip() for text in last[-back])))
        row = numbers[-back]
        words = "".join(filled[:1])
        if _TOTAL.match(words) and len(filled) < usual:
            left += [*notes, ("totals row", row, words)]
        elif _is_note(last[-back], words, keyed):
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


def _is_note(cells: Sequence[str | None], words: str, keyed: bool) -> bool:
    """True for a line of words that may stand below a table:
    a sentence, “Notes:”, or “Prepared by” and a name beside each other.
    """
    filled = [text for text in cells if text and text.strip()]
    if len(filled) == 1:
        return " " in words or terms_of(words) == {"note"}
    return keyed and not (cells[0] or "").strip() and all(_number(text) is None for text in filled)


def groups_within(body: pl.DataFrame, rows: pl.Series, remarks: list[str]) -> pl.Series | None:
    """Boolean for each row of a table: it is the title of a group of rows, and alone in its row. None where there is
    none.

    Such a row has only its first cell, which has blanks or no digits, where nearly all other first cells are codes.
    """
    if body.height < 3 or body.width < 3 or not body[body.columns[1]].null_count():
        return None
    first = body[body.columns[0]]
    alone = body.select(
        pl.col(body.columns[0]).is_not_null() & pl.all_horizontal(pl.col(body.columns[1:]).is_null())
    ).to_series()
    if not alone.any() or alone.sum() * 2 > body.height:
        return None
    others = first.filter(~alone).drop_nulls()
    if not len(others):
        return None
    digits, blanks = r"[0-9]", r"\S\s+\S"
    with_digits = others.str.contains(digits).mean() or 0
    with_blanks = others.str.contains(blanks).mean() or 0
    is_title = pl.Series([False], dtype=pl.Boolean).new_from_index(0, body.height)
    if with_digits > 0.9:  # type: ignore[operator]
        is_title = is_title | ~first.str.contains(digits).fill_null(True)
    if with_blanks < 0.1:  # type: ignore[operator]
        is_title = is_title | first.str.contains(blanks).fill_null(False)
    titles = (alone & is_title).arg_true().to_list()
    if not titles:
        return None
    named = [f"{rows[place]} “{one_line(str(first[place]))[:30]}”" for place in titles[:_NAMED]]
    remarks.append(_left_out("titles of groups", named, len(titles)))
    return pl.int_range(body.height, eager=True).is_in(titles)


MOST_THIN = 5_000
"""Totals are searched for among this many thin rows; a sheet with more is not one with totals."""
_NAMED = 3
_NOISE = Decimal("1e-8")
"""A sum that a spreadsheet has calculated may differ by so much from the exact one."""


def _thin_rows(body: pl.DataFrame) -> tuple[int, list[int]]:
    """How many cells a row usually has, and the rows with fewer."""
    # Columns that are filled throughout make no row thinner than another.
    gappy = [name for name in body.columns if body[name].null_count()]
    if not gappy:
        return body.width, []
    full = body.width - len(gappy)
    filled = body.select(pl.sum_horizontal(pl.col(gappy).is_not_null().cast(pl.Int32)) + full).to_series()
    usual = int(filled.quantile(0.75, interpolation="higher") or 0)
    return usual, (filled < usual).arg_true().to_list()


def totals_within(body: pl.DataFrame, rows: pl.Series, remarks: list[str], begins: bool = True) -> pl.Series | None:
    """Boolean for each row of a table: it is the total of rows above it, not data. None where there is no total.

    Such a row is thinner than the others, and either says that it is a total and has nothing else but numbers, or has
    no more than half of the usual cells, none in the first column, and its numbers add up what is above.

    Args:
        begins: the table begins with these rows; else others are above them.
    """
    if body.height < 3 or body.width < 3:
        return None
    usual, thin = _thin_rows(body)
    if usual < 3 or not 0 < len(thin) <= MOST_THIN:
        return None
    totals: list[int] = []
    for place in thin:
        start = totals[-1] + 1 if totals else 0
        of_all = place == 0 and begins
        if _is_total_of_all(body) if of_all else _is_total_row(body, place, start, usual):
            totals.append(place)
    if not totals:
        return None
    remarks.append(_left_out("totals within the table", [f"{rows[place]}" for place in totals[:_NAMED]], len(totals)))
    return pl.int_range(body.height, eager=True).is_in(totals)


def _left_out(what: str, named: Sequence[str], number: int) -> str:
    """Says which rows are left out: the first of them, and how many more."""
    more = f" and {number - len(named):,} more" if number > len(named) else ""
    return f"{what} left out: row{'s' if number > 1 else ''} {', '.join(named)}{more}"


def _is_total_of_all(body: pl.DataFrame) -> bool:
    """True where the first row says that it is a total, and its numbers add up all rows below it."""
    cells = {letter: text.strip() for letter, text in zip(body.columns, body.row(0), strict=True) if text}
    numbers = {letter: value for letter, text in cells.items() if (value := _number(text)) is not None}
    words = [text for letter, text in cells.items() if letter not in numbers]
    return bool(numbers) and len(words) == 1 and _is_total(words[0]) and _adds_up(body.slice(1), numbers)


def _is_total_row(body: pl.DataFrame, index: int, start: int, usual: int) -> bool:
    """True where a thin row is the total of those from ``start`` on.

    Args:
        usual: how many cells a row usually has.
    """
    cells = {letter: text.strip() for letter, text in zip(body.columns, body.row(index), strict=True) if text}
    numbers = {letter: value for letter, text in cells.items() if (value := _number(text)) is not None}
    if not numbers:
        return False
    words = [text for letter, text in cells.items() if letter not in numbers]
    if len(words) == 1 and _is_total(words[0]):
        return True
    bare = body.columns[0] not in cells and len(cells) * 2 <= usual and index - start >= 2
    return bare and _adds_up(body.slice(start, index - start), numbers)


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
            or abs(sum(v for v in values if v is not None) - total) > _NOISE
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
