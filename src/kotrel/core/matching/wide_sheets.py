"""Wide sheets: a column, or a group of columns, for each row of a list, such as one for each price list or warehouse."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence

from msgspec import Struct, field

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.matching.quantity_breaks import bare_breaks, break_field, break_said
from kotrel.core.tables.heading_words import terms_of
from kotrel.core.tables.table import Column
from kotrel.core.values.same_writing import form_of

VALUES = ("amount", "quantity")
"""Fields whose values are in such columns where their headings say nothing else."""
FEWEST = 2
"""A single column headed with a code may be anything."""


class WideValue(Struct, frozen=True):
    """A field that such columns fill.

    Attributes:
        heading: what they are headed with, as a mapping says it: ``{warehouse} Min``.
        columns: one for each of the words that are repeated.
    """

    field: Field
    heading: str
    columns: tuple[Column, ...]


class Wide(Struct, frozen=True):
    """What such columns mean.

    Attributes:
        by: the reference that their headings name.
        words: what they call its codes, in the order of the sheet.
        values: the fields that their cells fill.
        codes: the codes that the words mean.
        means: what each of the words means, where they are none of the codes.
        sure, why: how sure that is, in per cent, and how it is known.
    """

    by: Field
    words: tuple[str, ...]
    values: tuple[WideValue, ...]
    codes: frozenset[str] = frozenset()
    means: Mapping[str, str] = field(default_factory=dict)
    sure: int = 100
    why: str = "headings on that list"

    @property
    def columns(self) -> tuple[Column, ...]:
        return tuple(column for value in self.values for column in value.columns)

    def names_one(self, heading: str) -> bool:
        """Whether a heading names one of the codes, and so speaks of that row only."""
        forms = set(map(form_of, (*self.words, *self.codes)))
        return any(form_of(word) in forms for word, _, _ in _parted(heading, self.by.name))


def _is_on(known: ListNames, words: str) -> bool:
    """Whether words are a code or the name of one code of a list."""
    return bool(words) and (
        any(form_of(code) == form_of(words) for code in known.codes_of(words)) or len(known.codes_of(words)) == 1
    )


def find_wide(
    columns: Sequence[Column], record: Record, fed: Sequence[str], names: Callable[[str], ListNames]
) -> Wide | None:
    """The columns that are headed with codes or names of one list, if a reference to it is not fed otherwise.

    Args:
        fed: fields that have a column already.
    """
    value = _value_of(record, fed)
    if value is None:
        return None
    best: Wide | None = None
    for by in _repeatable(record, fed):
        known = names(str(by.to))
        mine = tuple(column for column in columns if _is_on(known, column.heading))
        if len(mine) >= FEWEST and (best is None or len(mine) > len(best.columns)):
            words = tuple(column.heading for column in mine)
            best = Wide(by, words, (WideValue(value, f"{{{by.name}}}", mine),))
    return best


def find_groups(
    columns: Sequence[Column], record: Record, fed: Sequence[str], names: Callable[[str], ListNames]
) -> Wide | None:
    """The columns whose headings name a code of one list and a field: ``QUAY Min``, ``QUAY Max``, ``LOFT Min``,
    ``LOFT Max``.

    Args:
        fed: fields that other columns feed.
    """
    found = (_grouped_by(field, columns, record, names(str(field.to))) for field in _repeatable(record, fed))
    return max(filter(None, found), key=lambda each: len(each.columns), default=None)


def _grouped_by(by: Field, columns: Sequence[Column], record: Record, known: ListNames) -> Wide | None:
    """The columns that are headed with the codes of one list and with fields; each field has a column for each code."""
    groups: dict[tuple[str, str], dict[str, Column]] = {}
    for column in columns:
        if (read := _read_heading(column.heading, by, record, known)) is not None:
            word, heading, name = read
            groups.setdefault((heading, name), {}).setdefault(word, column)
    words = max((list(group) for group in groups.values()), key=len, default=[])
    whole = {of: group for of, group in groups.items() if set(group) == set(words)}
    if len(words) < FEWEST or len({name for _, name in whole}) < len(whole):
        return None
    values = (
        WideValue(record.fields[name], heading, tuple(group[word] for word in words))
        for (heading, name), group in whole.items()
    )
    return Wide(by, tuple(words), tuple(values), frozenset(code for word in words for code in known.codes_of(word)))


def _read_heading(heading: str, by: Field, record: Record, known: ListNames) -> tuple[str, str, str] | None:
    """What a heading calls a code of the list, how a mapping says it, and the field that the rest of it means."""
    meant = {terms_of(word): field.name for field in record.fields.values() for word in (field.title, *field.synonyms)}
    for word, rest, said in _parted(heading, by.name):
        name = meant.get(terms_of(rest))
        if name is not None and name not in record.key and _is_on(known, word):
            return word, said, name
    return None


def find_breaks(columns: Sequence[Column], record: Record, fed: Sequence[str], plain: Column | None) -> Wide | None:
    """The columns whose headings say from which quantity on their amounts hold: ``1+``, ``10+``; ``Price from 10``.

    Args:
        columns: those that other fields do not need.
        fed: fields that other columns feed.
        plain: the column that has the amount without saying from which quantity on: from where such rows begin.
    """
    by = break_field(record)
    value = _value_of(record, fed)
    if by is None or value is None or by.name in fed:
        return None
    said = {column: break_ for column in columns if (break_ := break_said(column.heading)) is not None}
    named = {column: break_.quantity for column, break_ in said.items() if break_.is_of(value)}
    found = named or bare_breaks(columns)
    if plain is not None and found and by.default:
        found = {plain: by.default, **found}
    means = {column.heading: quantity for column, quantity in found.items()}
    if not found or len(set(means.values())) < len(found):
        return None
    values = (WideValue(value, f"{{{by.name}}}", tuple(found)),)
    return Wide(by, tuple(means), values, means=means, sure=95, why="the quantities in the headings; correct?")


_NUMBERED = re.compile(r"(?P<words>.*[^\W\d_])[\s._#:-]*(?P<number>[1-9])", re.DOTALL)
_AMOUNT = frozenset(("price", "amount", "sales"))


def find_pairs(columns: Sequence[Column], record: Record, fed: Sequence[str]) -> Wide | None:
    """Pairs of columns that are numbered: ``Qty 1``, ``Price 1``, ``Qty 2``, ``Price 2``: a quantity and the amount that
    holds from it on.

    Args:
        columns: those that other fields do not need.
        fed: fields that other columns feed.
    """
    by, value = break_field(record), _value_of(record, fed)
    if by is None or value is None:
        return None
    groups: dict[str, dict[str, Column]] = {}
    for column in columns:
        if (read := _NUMBERED.fullmatch(column.heading.strip())) is not None:
            # The heading as a mapping says it, without its number.
            at = column.heading.rindex(read["number"])
            said = column.heading[:at] + f"{{{by.name}}}" + column.heading[at + 1 :]
            groups.setdefault(said, {})[read["number"]] = column
    of_quantity = _only(groups, by, lambda terms: "quantity" in terms or terms == {"from"})
    of_amount = _only(groups, value, lambda terms: bool(terms & _AMOUNT))
    if of_quantity is None or of_amount is None or of_quantity == of_amount:
        return None
    numbers = [each for each in groups[of_quantity] if each in groups[of_amount]]
    if len(numbers) < FEWEST or len(numbers) < max(len(groups[of_quantity]), len(groups[of_amount])):
        return None
    values = tuple(
        WideValue(field, said, tuple(groups[said][each] for each in numbers))
        for field, said in ((by, of_quantity), (value, of_amount))
    )
    return Wide(by, tuple(numbers), values, sure=95, why="numbered pairs of columns; correct?")


def _only(
    groups: Mapping[str, Mapping[str, Column]], field: Field, fits: Callable[[frozenset[str]], bool]
) -> str | None:
    """The one heading of numbered columns that means a field; None where several may."""
    meant = {terms_of(word) for word in (field.title, *field.synonyms)}
    said = {each: terms_of(re.sub(r"[{].*?[}]", "", each)) for each in groups if len(groups[each]) >= FEWEST}
    found = [each for each, terms in said.items() if terms in meant or fits(terms)]
    return found[0] if len(found) == 1 else None


def _value_of(record: Record, fed: Sequence[str]) -> Field | None:
    """The field that such columns have the values of, if no other column feeds it."""
    return next((record.fields[name] for name in VALUES if name in record.fields and name not in fed), None)


def _repeatable(record: Record, fed: Sequence[str]) -> Iterator[Field]:
    """The references that headings may name."""
    return (each for each in record.references if each.name not in fed and not each.within and each.to != record.name)


def _parted(heading: str, by: str) -> Iterator[tuple[str, str, str]]:
    """Each way to part a heading into the words at one end and the rest, and the heading as a mapping says it."""
    pieces = [each for each in re.split(r"[\s:()\[\]/_–|-]+", heading) if each]
    for size in range(1, len(pieces)):
        first, rest = " ".join(pieces[:size]), " ".join(pieces[size:])
        yield first, rest, f"{{{by}}} {rest}"
        yield rest, first, f"{first} {{{by}}}"
