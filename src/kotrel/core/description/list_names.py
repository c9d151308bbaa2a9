"""Names on a list: what people write instead of a code."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import cached_property

import polars as pl

from kotrel.core.description.model import Record
from kotrel.core.similarity import Nearest
from kotrel.core.values.lookalikes import as_number, without_lookalikes
from kotrel.core.values.same_writing import form_of, usual_text

LONG = 20_000
"""A list with more rows is looked through by columns first."""

_ALIKE = "[^2-9A-HJKMNPR-Z]+"
"""What codes and names that mean the same may differ in, after capitals:
separators, zeros, ones and letters like them.
"""

_LONGEST = 400
_OTHER_NUMBER = r"^[0-9]+(?:\.[0-9]+|(?:\.[0-9]+)?[eE][-+]?[0-9]{1,3})$"
_BETWEEN = re.compile(r"[^\w.]+")


def likely_rows(rows: pl.DataFrame, record: Record, words: Iterable[str]) -> pl.DataFrame:
    """The rows whose code or name may be meant by one of the words, spelled otherwise; all rows of a short list.

    Words and codes that any rule takes for the same (other capitals or separators, look-alike letters, lost zeros,
    numbers) have the same letters and digits left without those in :data:`_ALIKE`. A code with other than plain
    characters may be anything, and so may one that is a number in another notation.

    Args:
        rows: the record's code, and what its rows are called where they have a name: String columns; others stay.
    """
    if rows.height <= LONG or record.path:
        return rows
    spellings = _spellings(words)
    wanted = _letters_and_digits(pl.Series(sorted(spellings), dtype=pl.String)).unique().implode()
    columns = [name for name in (record.code, record.called) if name and name in rows.columns]
    likely = pl.Series([False]).new_from_index(0, rows.height)
    for values in (rows[name] for name in columns):
        likely = likely | (values.str.contains(r"[^ -~]") | _letters_and_digits(values).is_in(wanted)).fill_null(False)
    if any(as_number(each) is not None for each in spellings):
        likely = likely | rows[record.code].str.contains(_OTHER_NUMBER).fill_null(False)
    return rows.filter(likely)


def _spellings(words: Iterable[str]) -> set[str]:
    spellings: set[str] = set()
    for word in words:
        usual = without_lookalikes(word)
        parts = {usual}
        # A cell may hold a code and its name; a long text is neither.
        for gap in _BETWEEN.finditer(usual) if len(usual) <= _LONGEST else ():
            parts |= {usual[: gap.start()], usual[gap.end() :]}
        spellings |= {word, word.casefold(), usual_text(word), *parts}
        for part in parts:
            if (number := as_number(part)) is not None and number == number.to_integral_value():
                spellings.add(f"{number:f}".partition(".")[0])
    return spellings


def _letters_and_digits(values: pl.Series) -> pl.Series:
    return values.str.to_uppercase().str.replace_all(_ALIKE, "")


_STEP = re.compile("[>»›→]")
"""What people write between the levels of a path, besides separators."""
_DEEPEST = 30
"""Levels of a list that a path of names has at most."""


class ListNames:
    """The codes of one list, with everything that people may call them.

    Args:
        rows: the list's rows: its key, its name, its parent (see
            :meth:`kotrel.core.rows.system_state.SystemState.all_of`).
        words: what is going to be asked for, where that is known: of a long list only what they may mean is learned.
    """

    def __init__(self, rows: pl.DataFrame, record: Record, words: Iterable[str] | None = None) -> None:
        self.record = record
        self._every = rows
        rows = rows if words is None else likely_rows(rows, record, words)
        key = record.code
        self.codes: list[str] = rows[key].to_list()
        self.code_set = frozenset(self.codes)
        self.names: dict[str, str] = {}
        names = dict(zip(self.codes, rows[record.called].to_list(), strict=True)) if record.called else {}
        parents = dict(zip(self.codes, rows[record.path].to_list(), strict=True)) if record.path else {}
        self._codes_by_name: dict[str, set[str]] = {}
        for code in self.codes:
            self._learn(code, code)
            if name := names.get(code):
                self.names[code] = name
                self._learn(name, code)
            if record.path:
                steps = self._steps(code, parents)
                self._learn(" ".join(steps), code)
                self._learn(" ".join(names.get(step) or step for step in steps), code)

    @cached_property
    def _in_use(self) -> pl.DataFrame:
        """All rows of the list that are still used."""
        out = self.record.out_of_use
        if not out or out not in self._every.columns:
            return self._every
        return self._every.filter((pl.col(out) == "yes").fill_null(False).not_())

    @cached_property
    def _codes_in_use(self) -> frozenset[str]:
        return frozenset(self._in_use[self.record.code])

    @cached_property
    def _near_codes(self) -> Nearest:
        return Nearest(self._in_use[self.record.code].to_list())

    @cached_property
    def _by_name(self) -> dict[str, str]:
        if not self.record.called:
            return {}
        return dict(self._in_use.select(self.record.called, self.record.code).drop_nulls().iter_rows())

    @cached_property
    def _near_names(self) -> Nearest:
        return Nearest(list(self._by_name))

    @staticmethod
    def _steps(code: str, parents: dict[str, str | None]) -> list[str]:
        """The codes from the top level down to this one; a circle in the list ends it,
        and so does a depth that nobody writes out.
        """
        steps = [code]
        while (parent := parents.get(steps[0])) and parent not in steps and len(steps) < _DEEPEST:
            steps.insert(0, parent)
        return steps

    def _learn(self, words: str, code: str) -> None:
        self._codes_by_name.setdefault(form_of(words), set()).add(code)

    def codes_of(self, words: str) -> set[str]:
        """The codes that the words are or name, written in this way or another."""
        return self._codes_by_name.get(self._form(words), set())

    def is_code(self, words: str, code: str) -> bool:
        """True where the words are the code itself, written in this way or another."""
        return self._form(words) == form_of(code)

    def _form(self, words: str) -> str:
        return form_of(_STEP.sub(" ", words) if self.record.path else words)

    def is_name(self, words: str, code: str) -> bool:
        """True where the words are the name of the code, ignoring case only."""
        return (self.names.get(code) or "").casefold() == words.strip().casefold()

    def code_of(self, words: str) -> str | None:
        """The one code that the words are or name, or None."""
        found = self.codes_of(words)
        return next(iter(found)) if len(found) == 1 else None

    def likely(self, words: str) -> str | None:
        """The code that was probably meant: the one with that name, the nearest code,
        or the code of the nearest name.
        """
        if code := self.code_of(words) or self._near_codes.of(words):
            return code
        return self._by_name.get(self._near_names.of(words) or "")

    def suggestion(self, words: str) -> str | None:
        """The same in words, for a suggestion."""
        if code := self.code_of(words):
            name = self.names.get(code)
            return f"{code} ({name})" if name else code
        if len(named := self.codes_of(words) & self._codes_in_use) == 1:
            # Of several with one name, the only one that is still used.
            return f"{next(iter(named))}?"
        if code := self._near_codes.of(words):
            return f"{code}?"
        if name := self._near_names.of(words):
            return f"{self._by_name[name]}? ({name})"
        return None
