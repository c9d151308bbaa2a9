"""What suppliers' price lists have beside plain columns:
a price per hundred, discount groups, a day in the title, successors.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from msgspec import Struct, field

from kotrel.core.description.model import Record
from kotrel.core.matching.heading_meaning import said_by
from kotrel.core.matching.heading_units import Converted
from kotrel.core.matching.proposing import Proposal
from kotrel.core.similarity import folded
from kotrel.core.tables.as_shown import as_shown
from kotrel.core.tables.heading_words import is_scale
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.dates import dates_within
from kotrel.core.values.numbers import read_number

SUCCESSOR_WORDS = frozenset(
    ("replacedby", "replacement", "successor", "supersededby", "newitem", "newcode", "newarticle", "ersetztdurch", "nachfolger", "nachfolgeartikel",
     "nachfolgeartikelnr", "remplacépar", "remplacepar", "remplacement", "vervangendoor", "vervanger", "opvolger", "sustituidopor",
     "reemplazadopor", "sustituto", "sostituitoda", "sostituto", "ersattav", "erstattetav", "zastąpionyprzez", "nahrazeno")
)  # fmt: skip
"""Headings (folded) of columns that say by which other item a row's is replaced."""
FEW_KEYS = 200
"""A table that is looked up in has no more rows than this."""


class LookupFound(Struct, frozen=True):
    """A column whose values are the keys of another sheet."""

    column: Column
    sheet: str
    key: str
    headings: tuple[str, ...]


class Habits(Struct, frozen=True):
    """What was seen, each to be confirmed by a person.

    Attributes:
        per: field of money and the column that says for how many it is; ``per_number``: field and the number that its
            heading says; ``times``: field, what the figures are in units of, and the heading that says it.
        day: field, address of the cell above the headings, and the day that it says.
        units: field of a unit, the unit that a heading of quantities, amounts or measures names, and that heading.
        converted: field of a measure that is in a unit which is not on the list, and how it is converted.
    """

    per: tuple[str, Column] | None = None
    per_number: Mapping[str, str] = field(default_factory=dict)
    times: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    replaced_by: Column | None = None
    lookups: tuple[LookupFound, ...] = ()
    day: tuple[str, str, str] | None = None
    units: tuple[tuple[str, str, str], ...] = ()
    converted: Mapping[str, Converted] = field(default_factory=dict)

    @property
    def columns(self) -> list[Column]:
        """The columns that it speaks of."""
        found = [self.per[1]] if self.per is not None else []
        return [*found, *([self.replaced_by] if self.replaced_by else []), *(each.column for each in self.lookups)]

    def questions(self) -> list[str]:
        """One question for each."""
        asked = []
        if self.per is not None:
            name, column = self.per
            asked.append(f"does column {column.letter} “{column.heading}” say how many pieces {name} is for? (per)")
        asked += [f"is {name} for {number}, as its heading says? (per)" for name, number in self.per_number.items()]
        asked += [
            f"are the figures of {name} in units of {number}, as the heading “{heading}” says? (make)"
            for name, (number, heading) in self.times.items()
        ]
        for each in self.lookups:
            heads = " or ".join(f"[groups.{heading}]" for heading in each.headings[:2])
            asked.append(
                f"column {each.column.letter} “{each.column.heading}” names rows of sheet “{each.sheet}”: does {heads} change the price? (lookup)"
            )
        if self.replaced_by is not None:
            column = self.replaced_by
            asked.append(
                f"does column {column.letter} “{column.heading}” name the item that replaces the row's? (replaced_by)"
            )
        if self.day is not None:
            asked.append(f"is {self.day[0]} the day in {self.day[1]}, {self.day[2]}? (cell)")
        asked += [
            f"are the figures in {code}, as the heading “{heading}” says? (fixed)" for _, code, heading in self.units
        ]
        asked += [
            f"“{each.heading}” is in {each.unit}, which is not on the list: convert it to {each.code}, {each.number} for one? (make)"
            for each in self.converted.values()
        ]
        return asked


NONE = Habits()


def _day_above(table: Table, record: Record, fed: Collection[str]) -> tuple[str, str, str] | None:
    """The field that says from when on, and the cell and the day of the one date above the table;
    None where a column has it.
    """
    begins = record.period[0] if record.period is not None else None
    if begins is None or begins in fed:
        return None
    days = [(address, day) for address, text in table.above.items() for day in dates_within(text)]
    return (begins, *days[0]) if len(days) == 1 else None


def _scale_of(table: Table, proposals: Sequence[Proposal], left: Sequence[Column]) -> tuple[str, Column] | None:
    """The field with amounts, and the column that says for how many they are; None where there is none."""
    money = next((each.field.name for each in proposals if each.field.kind == "money"), None)
    columns = (each for each in left if is_scale(each.heading) and _is_of_numbers(table, each))
    column = next(columns, None) if money is not None else None
    return None if money is None or column is None else (money, column)


def habits_of(
    table: Table, record: Record, proposals: Sequence[Proposal], left: Sequence[Column], others: Sequence[Table]
) -> Habits:
    """What a sheet has of these habits.

    Args:
        left: the columns that feed no field.
        others: the other sheets of the file.
    """
    fed = {each.field.name for each in proposals}
    per = _scale_of(table, proposals, left)
    free = [each for each in left if per is None or each is not per[1]]
    successor = next((each for each in free if folded(each.heading) in SUCCESSOR_WORDS), None)
    free = [each for each in free if each is not successor]
    lookups = [found for each in free if (found := _looked_up(table, each, others)) is not None]
    day = _day_above(table, record, fed)
    return Habits(per, *_scales_in_headings(proposals), successor, tuple(lookups), day)


def _scales_in_headings(proposals: Sequence[Proposal]) -> tuple[dict[str, str], dict[str, tuple[str, str]]]:
    """For how many amounts are, and in units of what figures are, as their headings say it; by field."""
    said = [(each, says) for each in proposals if (says := said_by(each.column.heading, each.field)) is not None]
    numbers = {each.field.name: says.value for each, says in said if says.what in ("per", "cents")}
    times = {each.field.name: (says.value, each.column.heading) for each, says in said if says.what == "times"}
    return numbers, times


def _texts(table: Table, column: Column) -> set[str]:
    return {text.strip() for text in as_shown(table, column.letter).drop_nulls() if text.strip()}


def _is_of_numbers(table: Table, column: Column) -> bool:
    texts = _texts(table, column)
    return bool(texts) and all(read_number(text, None).value is not None for text in texts)


def _looked_up(table: Table, column: Column, others: Sequence[Table]) -> LookupFound | None:
    """The sheet whose first column has the values of this one, each once, if there is one."""
    texts = _texts(table, column)
    if len(texts) < 2:
        return None
    for other in others:
        headed = [each for each in other.columns if each.heading]
        if not 2 <= other.rows <= FEW_KEYS or len(headed) < 2:
            continue
        keys = as_shown(other, headed[0].letter).drop_nulls().str.strip_chars()
        known = {key.casefold() for key in keys}
        shared = sum(text.casefold() in known for text in texts)
        if keys.is_unique().all() and shared * 5 >= len(texts) * 4:
            numbers = [each.heading for each in headed[1:] if _is_of_numbers(other, each)]
            return LookupFound(column, other.sheet, headed[0].heading, tuple(numbers)) if numbers else None
    return None
