"""Names on a list: what people write instead of a code."""

from __future__ import annotations

import polars as pl

from kotrel.core.description.model import Record
from kotrel.core.similarity import folded, nearest


class ListNames:
    """The codes of one list, with everything that people may call them.

    Args:
        rows: the list's rows: its key, its name, its parent (see :meth:`kotrel.core.rows.system_state.SystemState.all_of`).
    """

    def __init__(self, rows: pl.DataFrame, record: Record) -> None:
        self.record = record
        key = record.code
        self.codes: list[str] = rows[key].to_list()
        self.code_set = frozenset(self.codes)
        self.names: dict[str, str] = {}
        names = dict(zip(self.codes, rows[record.called].to_list(), strict=True)) if record.called else {}
        parents = dict(zip(self.codes, rows[record.path].to_list(), strict=True)) if record.path else {}
        self.in_use = self.codes
        if record.out_of_use and record.out_of_use in rows.columns:
            gone = (rows[record.out_of_use] == "yes").fill_null(False).to_list()
            self.in_use = [code for code, out in zip(self.codes, gone, strict=True) if not out]
        self._codes_by_name: dict[str, set[str]] = {}
        for code in self.codes:
            self._learn(code, code)
            if name := names.get(code):
                self.names[code] = name
                self._learn(name, code)
            if record.path:
                steps = self._steps(code, parents)
                self._learn("".join(steps), code)
                self._learn("".join(names.get(step) or step for step in steps), code)

    @staticmethod
    def _steps(code: str, parents: dict[str, str | None]) -> list[str]:
        """The codes from the top level down to this one; a circle in the list ends it."""
        steps = [code]
        while (parent := parents.get(steps[0])) and parent not in steps:
            steps.insert(0, parent)
        return steps

    def _learn(self, words: str, code: str) -> None:
        self._codes_by_name.setdefault(folded(words), set()).add(code)

    def codes_of(self, words: str) -> set[str]:
        """The codes that the words name (ignoring case and punctuation)."""
        return self._codes_by_name.get(folded(words), set())

    def is_name(self, words: str, code: str) -> bool:
        """True where the words are the name of the code, ignoring case only."""
        return (self.names.get(code) or "").casefold() == words.strip().casefold()

    def code_of(self, words: str) -> str | None:
        """The one code that the words name (ignoring case and punctuation), or None."""
        found = self.codes_of(words)
        return next(iter(found)) if len(found) == 1 else None

    def likely(self, words: str) -> str | None:
        """The code that was probably meant: the one with that name, the nearest code, or the code of the nearest name."""
        if code := self.code_of(words) or nearest(words, self.in_use):
            return code
        by_name = self._names_in_use()
        return by_name.get(nearest(words, by_name) or "")

    def _names_in_use(self) -> dict[str, str]:
        return {self.names[code]: code for code in self.in_use if code in self.names}

    def suggestion(self, words: str) -> str | None:
        """The same in words, for a suggestion."""
        if code := self.code_of(words):
            name = self.names.get(code)
            return f"{code} ({name})" if name else code
        if len(named := self.codes_of(words) & set(self.in_use)) == 1:
            # Of several with one name, the only one that is still used.
            return f"{next(iter(named))}?"
        if code := nearest(words, self.in_use):
            return f"{code}?"
        by_name = self._names_in_use()
        if name := nearest(words, by_name):
            return f"{by_name[name]}? ({name})"
        return None
