"""Matches columns of a table to fields of a record by their headings."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from pathlib import PurePath
from typing import Literal

from msgspec import Struct

from kotrel.core.description.model import Field, Record
from kotrel.core.languages.all_languages import words_of
from kotrel.core.matching.heading_meaning import IN_BRACKETS, is_another_thing
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.similarity import folded
from kotrel.core.tables.heading_words import terms_of
from kotrel.core.tables.headings import bare_heading
from kotrel.core.tables.sources import Source
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.conventions import UNSAID, SheetHabits

OWN_HEADINGS = frozenset({folded("Kotrel findings")})
"""Headings of Kotrel's own marks, which are not the user's columns."""

NAME_OF = folded("Name of")
"""Starts the heading of a column with names for codes, which exports add for readers; never loaded."""

KEY_COUNTS = 3
"""A key among the headings counts like this many more columns."""

OWN_COUNTS = 2
"""A heading that is a field's own name or title counts this much more than a synonym."""


class Matched(Struct, frozen=True):
    """What feeds which field.

    Attributes:
        sources: field → where its values come from.
        doubled: field → all columns whose headings mean it, if there are several.
        unknown: columns that match no field of the record.
        own: how many columns are headed with their field's own name or title.
        label: what tells this mapping from others of the same sheet (``QUAY``), or an empty text.
        optional: True where a row counts only if a column other than the key is filled.
        where: an expression that picks the rows, or None for all.
        once_per: fields; there is one row for each of their values together, from all rows with them. None: a row for
            each row.
        no_price: words that mean “no price” in this sheet.
        skipped: letters of columns that are left out on purpose.
        replaced_by: the column that says by which other item a row's is replaced, or an empty text.
        as_they_stand: letters of columns whose headings say something that does not count.
        habits: how the sheet is written, as its mapping says.
        troubles: findings that are known before the rows are read.
        after_end: what follows the end of a period (see :class:`kotrel.core.rows.rows.Rows`).
        counting: fields of the key of which a filled cell makes a row count, too.
    """

    record: Record
    sources: Mapping[str, Source]
    doubled: Mapping[str, tuple[Column, ...]]
    unknown: tuple[Column, ...]
    optional: bool = False
    label: str = ""
    own: int = 0
    where: str | None = None
    once_per: tuple[str, ...] = ()
    no_price: tuple[str, ...] = ()
    skipped: frozenset[str] = frozenset()
    after_end: Literal["resume", "nothing"] | None = None
    replaced_by: str = ""
    troubles: tuple[FindingGroup, ...] = ()
    habits: SheetHabits = UNSAID
    as_they_stand: frozenset[str] = frozenset()
    counting: tuple[str, ...] = ()

    @property
    def has_key(self) -> bool:
        """True where every field of the key has a source or a default."""
        fields = self.record.fields
        fed = [name in self.sources for name in self.record.key]
        return any(fed) and all(
            one or fields[name].default is not None or fields[name].default_from is not None or fields[name].numbered
            for one, name in zip(fed, self.record.key, strict=True)
        )

    @property
    def fit(self) -> int:
        """How well the headings match the record: the columns that fit,
        with extra weight for exact names and for the key.
        """
        return len(self.sources) + (OWN_COUNTS - 1) * self.own + OWN_COUNTS * KEY_COUNTS * self.has_key

    @property
    def letters(self) -> dict[str, str]:
        """Field → the (first) column it comes from."""
        return {name: source.letter for name, source in self.sources.items() if source.letter is not None}


def headings_of(field: Field) -> list[str]:
    """All headings that match a field, folded: its name, title and synonyms."""
    return [folded(word) for word in (field.name, field.title, *field.synonyms)]


def _meanings(record: Record) -> dict[str, str]:
    """Heading → the field that it means."""
    meaning: dict[str, str] = {}
    for field in record.fields.values():
        for word in headings_of(field)[2:]:
            meaning.setdefault(word, field.name)
    # A field's own name or title always takes precedence over another field's synonym.
    for field in record.fields.values():
        for word in headings_of(field)[:2]:
            meaning[word] = field.name
    return meaning


def _meant(column: Column, meaning: Mapping[str, str], record: Record) -> str | None:
    """The field that the heading of a column means."""
    words = (folded(each) for each in (column.heading, column.lower, bare_heading(column.heading)))
    name = next((meaning[word] for word in words if word in meaning), None)
    return None if name is None or names_another(column.heading, record.fields[name], record) else name


def names_another(heading: str, field: Field, record: Record) -> bool:
    """Whether what a heading says in brackets makes it another thing than the field: an old price, a change in per
    cent, or another field of the record, such as “Description (long)”.
    """
    if is_another_thing(heading, field):
        return True
    whole = IN_BRACKETS.sub(r" \1 ", heading)
    if whole == heading or folded(heading) in headings_of(field):
        return False
    terms = terms_of(whole)
    return any(terms in terms_of_field(each) for each in record.fields.values() if each.name != field.name)


def match_headings(table: Table, record: Record) -> Matched:
    """Matches by heading alone, ignoring case, spaces, line breaks and punctuation."""
    meaning = _meanings(record)
    matched: dict[str, list[Column]] = {}
    unknown: list[Column] = []
    for column in table.columns:
        word = folded(column.heading)
        if word in OWN_HEADINGS or (word.startswith(NAME_OF) and word.removeprefix(NAME_OF) in meaning):
            continue
        if (name := _meant(column, meaning, record)) is None:
            unknown.append(column)
        else:
            matched.setdefault(name, []).append(column)
    for name in filter(matched.__contains__, record.key):
        # “Article” may be the item code, but not beside “Art. no.”: which of them it is, nobody has said.
        rivals = _with_the_code(matched[name], unknown, record.fields[name])
        matched[name] = [*rivals, *matched[name]]
        unknown = [column for column in unknown if column not in rivals]
    return Matched(
        record=record,
        sources={name: Source((columns[0].letter,)) for name, columns in matched.items()},
        doubled={name: tuple(columns) for name, columns in matched.items() if len(columns) > 1},
        unknown=tuple(unknown),
        own=sum(
            folded(columns[0].heading) in headings_of(record.fields[name])[:2] for name, columns in matched.items()
        ),
    )


def terms_of_field(field: Field) -> set[frozenset[str]]:
    """What the headings say that match a field, in terms.

    A net price is the cost on a supplier's list and the amount on one's own: a cost is never the latter.
    """
    found = {terms_of(word) for word in (field.name.replace("_", " "), field.title, *field.synonyms)}
    return found - {frozenset({"cost"})} if frozenset({"price"}) in found else found


def bare_terms(headings: Iterable[str]) -> set[frozenset[str]]:
    """The terms of headings that leave out what one of these says: that it is a code."""
    return {terms - {"code"} for heading in headings if "code" in (terms := terms_of(heading))}


def _with_the_code(columns: Sequence[Column], others: Sequence[Column], field: Field) -> list[Column]:
    """Of the other columns, those that are called a code of what these are called alone, and may feed the field too."""
    bare = {terms for column in columns if "code" not in (terms := terms_of(column.heading))}
    if not bare:
        return []
    known = terms_of_field(field)
    return [
        column
        for column in others
        if column.heading and terms_of(column.heading) in known and not bare.isdisjoint(bare_terms([column.heading]))
    ]


_UNNAMED = {"", *words_of("sheet")}
ENOUGH = 4
"""So many headings of another record speak against the name of a sheet."""


def likely_record(table: Table, records: Sequence[Record], match_on: str | None = None) -> Matched | None:
    """The record that the headings match best, or None if they match nothing.

    A sheet with a record's name and key is that record, unless its headings clearly say something else: most of them
    mean nothing there, and another record knows at least twice as many. Otherwise the columns that fit decide, those
    headed with a field's own name or title counting twice, and the key; of two equal records, the one with fewer
    fields.

    Args:
        match_on: a field by which rows are found instead of their key: a record with this field comes first.
    """
    fitting = list(filter(lambda each: each.sources, (match_headings(table, record) for record in records)))
    if match_on is not None:
        fitting = [each for each in fitting if match_on in each.sources and each.record.key != (match_on,)] or fitting
    named = [each for each in fitting if each.has_key and is_called(each.record, name_of(table))]

    def best(of: Sequence[Matched]) -> Matched | None:
        return max(of, key=lambda each: (each.fit, -len(each.record.fields)), default=None)

    mine, any_other = best(named), best(fitting)
    if mine is None or any_other is None:
        return any_other
    return any_other if any_other.has_key and _says_more(any_other, mine, table) else mine


def _says_more(other: Matched, named: Matched, table: Table) -> bool:
    """Whether the headings clearly say something else than the name of the sheet."""
    headed = sum(1 for column in table.columns if column.heading)
    return len(named.sources) * 2 < headed and len(other.sources) >= max(len(named.sources) * 2, ENOUGH)


def name_of(table: Table) -> str:
    """What a sheet is called: the name that somebody gave it, or else the file's."""
    unnamed = table.sheet.casefold().rstrip("0123456789 ") in _UNNAMED
    return PurePath(table.file).stem if unnamed else table.sheet


def rivals_of(matched: Matched, table: Table, records: Sequence[Record], match_on: str | None = None) -> list[Record]:
    """Other records that the headings could mean as well: they fit equally, or more columns are theirs.

    A sheet that is named like its record has none.
    """
    if is_called(matched.record, name_of(table)) or match_on is not None:
        return []
    others = [
        other
        for record in records
        if record.name != matched.record.name and (other := match_headings(table, record)).sources
    ]
    return [
        other.record
        for other in others
        if other.fit == matched.fit
        or (len(other.sources) > len(matched.sources) and len(other.sources) > 2 and not other.has_key)
    ]


def is_called(record: Record, sheet: str) -> bool:
    """True where a sheet is named like the record: its name, title or a synonym, in singular or plural."""
    name = folded(sheet)
    words = {folded(word) for word in (record.name, record.title, *record.synonyms)}
    return bool(name) and not words.isdisjoint((name, name + "s", *_singulars(name)))


def _singulars(name: str) -> list[str]:
    """What a plural may be the plural of: ``prices``, ``taxclasses``, ``categories``."""
    ends = (("ies", "y"), ("es", ""), ("s", ""))
    return [name.removesuffix(many) + one for many, one in ends if name.endswith(many)]
