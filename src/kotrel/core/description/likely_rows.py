"""The rows of a long list that some words may mean: the others need not be looked at one by one."""

from __future__ import annotations

import re
from collections.abc import Iterable

import polars as pl

from kotrel.core.description.model import Record
from kotrel.core.values.lookalikes import as_number, plain

LONG = 20_000
"""A list with more rows is looked through by columns first."""

_ALIKE = "[^2-9A-HJKMNPR-Z]+"
"""What codes and names that mean the same may differ in, after capitals: separators, zeros, ones and letters like them."""

_LONGEST = 400
_OTHER_NUMBER = r"^[0-9]+(?:\.[0-9]+|(?:\.[0-9]+)?[eE][-+]?[0-9]{1,3})$"
_BETWEEN = re.compile(r"[^\w.]+")


def likely_rows(rows: pl.DataFrame, record: Record, words: Iterable[str]) -> pl.DataFrame:
    """The rows whose code or name may be meant by one of the words, spelled otherwise; all rows of a short list.

    Words and codes that any rule takes for the same (other capitals or separators, look-alike letters, lost zeros, numbers)
    have the same letters and digits left without those in :data:`_ALIKE`. A code with other than plain characters may be
    anything, and so may one that is a number in another notation.
    """
    if rows.height <= LONG or record.path:
        return rows
    spellings = _spellings(words)
    wanted = _left(pl.Series(sorted(spellings), dtype=pl.String)).unique().implode()
    columns = [name for name in (record.code, record.called) if name and name in rows.columns]
    likely = pl.Series([False]).new_from_index(0, rows.height)
    for values in (rows[name] for name in columns):
        likely = likely | (values.str.contains(r"[^ -~]") | _left(values).is_in(wanted)).fill_null(False)
    if any(as_number(each) is not None for each in spellings):
        likely = likely | rows[record.code].str.contains(_OTHER_NUMBER).fill_null(False)
    return rows.filter(likely)


def _spellings(words: Iterable[str]) -> set[str]:
    found: set[str] = set()
    for word in words:
        usual = plain(word)
        parts = {usual}
        # A cell may hold a code and its name; a long text is neither.
        for gap in _BETWEEN.finditer(usual) if len(usual) <= _LONGEST else ():
            parts |= {usual[: gap.start()], usual[gap.end() :]}
        found |= {word, word.casefold(), *parts}
        for part in parts:
            if (number := as_number(part)) is not None and number == number.to_integral_value():
                found.add(f"{number:f}".partition(".")[0])
    return found


def _left(values: pl.Series) -> pl.Series:
    return values.str.to_uppercase().str.replace_all(_ALIKE, "")
