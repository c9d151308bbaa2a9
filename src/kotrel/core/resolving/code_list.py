"""The codes of a list, and what people and spreadsheets could have made of each: a repair needs exactly one that fits.

What spreadsheets and people do to codes is undone only where it can be proved.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from functools import cached_property

import polars as pl
from msgspec import Struct

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Record
from kotrel.core.resolving.cell_damage import Cells, once_dates, once_numbers
from kotrel.core.values.dated_codes import DATE_LIKE, Day, any_could_be, days_of, days_shown
from kotrel.core.values.lookalikes import as_number, shape, unquoted, without_lookalikes
from kotrel.core.values.same_writing import form_of

BROKEN = re.compile(r"[\t\n\x0b\x0c\r\x85\u2028\u2029]")
CODE_AND_NAME = (
    re.compile(r"(.+?)\s+-+\s+(.+)"),
    re.compile(r"(.+?)\s*[:|=;/]\s*(.+)"),
    re.compile(r"(.+?)\s*\((.+)\)"),
    re.compile(r"(.+?)\s*\[(.+)\]"),
    re.compile(r"(\S+)\s+(.+)"),
)
"""How a code and its name stand in one cell."""
NO_OTHERS: Mapping[str, str] = {}
EYE_NEEDS = 3
"""Characters that a code needs before a letter in it may be taken for a digit: “1” is not an “L”."""


class Damage(Struct, frozen=True):
    """What happened to the cells of one column.

    Attributes:
        date_cells: the values in cells that hold a date.
        numbers, dates: the values that were codes of the list, and became numbers or dates.
    """

    date_cells: frozenset[str] = frozenset()
    numbers: frozenset[str] = frozenset()
    dates: frozenset[str] = frozenset()


UNDAMAGED = Damage()


class CodeList:
    """The codes of a list that some words may mean, and what each could have become."""

    def __init__(self, rows: pl.DataFrame, record: Record, words: Sequence[str]) -> None:
        self.names = ListNames(rows, record, words)
        self.title = record.title.lower()
        self.codes = self.names.codes
        self._every = rows[record.code]
        self._made: dict[Callable[[str], object], dict[object, list[str]]] = {}

    def which(self, made: Callable[[str], object], value: object) -> list[str]:
        """The codes on the list that ``made`` turns into the value. What it makes of each is made once."""
        if value is None:
            return []
        if made not in self._made:
            known = self._made[made] = {}
            for code in self.codes:
                known.setdefault(made(code), []).append(code)
        return self._made[made].get(value, [])

    @cached_property
    def dated(self) -> list[tuple[str, set[Day]]]:
        """The codes that a spreadsheet could take for days, and these."""
        shaped = self._every.filter(self._every.str.contains(DATE_LIKE)).to_list()
        return [(code, days) for code in shaped if (days := days_of(code))]

    def of_number(self, value: str) -> list[str]:
        """The codes on the list that a spreadsheet makes this number of."""
        return self.which(as_number, as_number(value))

    def of_date(self, value: str) -> list[str]:
        """The codes on the list that a spreadsheet could have turned into this date."""
        shown = days_shown(value)
        return [code for code, days in self.dated if any_could_be(days, shown)]

    def damage(self, cells: Cells, words: Sequence[str]) -> Damage:
        """Which of the words, none of them on the list, were codes of the list before a spreadsheet changed them."""
        return Damage(
            cells.dates,
            once_numbers(cells, words, self._every, self.of_number),
            once_dates(cells, words, self._every, self.of_date),
        )

    def repair(
        self, value: str, spellings: Mapping[str, str], damage: Damage, others: Mapping[str, str] = NO_OTHERS
    ) -> tuple[str, str, str] | None:
        """The code that was meant, the kind of repair and its proof; None without proof.

        The rules come in the order of their strength. One that finds several candidates ends the search: a weaker
        rule that finds only one of them, or another, proves nothing.

        Args:
            damage: what happened to the column's cells.
            others: the codes of rows that are known by this value otherwise, and the title of that code.
        """
        if (code := spellings.get(form_of(value))) is not None and self._has(code):
            return code, "name-for-code", "listed under spellings in kotrel.toml"
        if value in damage.date_cells:
            return self._of_date(value) if value in damage.dates else None
        named = self.names.codes_of(value)
        if codes_found := self.which(str.casefold, value.casefold()):
            # A word that is one row's name and another's code means neither.
            if len(codes_found) > 1 or any(self.names.is_name(value, code) for code in named - {codes_found[0]}):
                return None
            return codes_found[0], "other-case", f"the only code on the {self.title} list that differs only in capitals"
        if not BROKEN.search(value) and (
            codes_found := self.which(without_lookalikes, unquoted(without_lookalikes(value)))
        ):
            proof = f"the only code on the {self.title} list that looks like it"
            return (codes_found[0], "look-alike", proof) if len(codes_found) == 1 else None
        if others:
            # Another code that is also the name or the damaged code of a second row means neither.
            rivals = named | set(self.which(as_number, as_number(value)))
            code, *more = others
            if more or rivals - {code}:
                return None
            return code, "other-code", f"it is its {others[code]}"
        if codes_found := self.of_number(value):
            if value not in damage.numbers:
                return None
            kind = "leading-zeros" if codes_found[0].lstrip("0") == value.lstrip("0") else "number-for-code"
            return codes_found[0], kind, f"the only code on the {self.title} list that is this number"
        if value in damage.dates:
            return self._of_date(value)
        if self.of_date(value):
            return None
        return self._by_words(value, named)

    def _by_words(self, value: str, named: Collection[str]) -> tuple[str, str, str] | None:
        """The code that a name, or a text that looks like a code, means: the weakest of the rules."""
        if named:
            [code, *more] = sorted(named)
            if more:
                return None
            if self.names.is_code(value, code):
                proof = f"the only code on the {self.title} list that differs only in capitals and separators"
                return code, "other-case", proof
            name = self.names.names.get(code)
            return code, "name-for-code", f"{name or code} is its name on the {self.title} list"
        if both := self._code_and_name(value):
            return both
        if len(value) >= EYE_NEEDS and (found := self.which(shape, shape(value))):
            proof = f"the only code on the {self.title} list that looks like it"
            return (found[0], "look-alike", proof) if len(found) == 1 else None
        return None

    def _has(self, code: str) -> bool:
        return code in self.names.code_set or bool((self._every == code).any())

    def _code_and_name(self, value: str) -> tuple[str, str, str] | None:
        """The code where a cell holds it together with its name, in either order: both must mean the same."""
        for pattern in CODE_AND_NAME:
            if not (parts := pattern.match(without_lookalikes(value))):
                continue
            first, second = (self.names.codes_of(part) for part in parts.groups())
            folds = dict.fromkeys(part.casefold() for part in parts.groups())
            codes = [code for fold in folds for code in self.which(str.casefold, fold)]
            if len(codes) > 1:
                # The second part is a code too: either may be meant.
                return None
            if codes and codes[0] in first & second:
                proof = f"the code and its name on the {self.title} list, in one cell"
                return codes[0], "name-for-code", proof
        return None

    def _of_date(self, value: str) -> tuple[str, str, str] | None:
        found = self.of_date(value)
        proof = "the only code on the list that could become this date"
        return (found[0], "date-for-code", proof) if len(found) == 1 else None
