"""Which record a sheet may be of whose headings are none of the known ones: by what they say, in any language."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from kotrel.core.description.model import Record
from kotrel.core.matching.by_headings import names_another, terms_of_field
from kotrel.core.matching.proposing import GENERIC
from kotrel.core.tables.heading_words import terms_of
from kotrel.core.tables.table import Table


class Likely(Struct, frozen=True):
    """The records that a sheet is most likely of, one or several that fit alike.

    Attributes:
        fields: how many of its columns say what a field of the record is called.
        is_clear: most of its columns do, and enough of them.
    """

    records: tuple[Record, ...]
    fields: int
    is_clear: bool


ENOUGH = 3
"""At least this many headings say what a sheet is of."""


def likely_records(table: Table, records: Sequence[Record]) -> Likely | None:
    """The records of which most fields are what the headings say; of as many, those of which the key is.

    Only guidance: ``kotrel map`` proposes, and the user decides. None where no heading says anything.
    """
    found = {record.name: _said(table, record) for record in records}

    def rank(record: Record) -> tuple[int, bool]:
        said = found[record.name]
        return len(said), set(record.key) <= said

    best = max(map(rank, records), default=(0, False))
    if not best[0]:
        return None
    headed = sum(1 for column in table.columns if column.heading)
    most = tuple(record for record in records if rank(record) == best)
    return Likely(most, best[0], best[0] >= ENOUGH and best[0] * 2 > headed)


def guessed_record(table: Table, records: Sequence[Record]) -> str | None:
    """The first of the records that more than one of the headings say, or None."""
    likely = likely_records(table, records)
    return likely.records[0].name if likely is not None and likely.fields > 1 else None


def _said(table: Table, record: Record) -> set[str]:
    """The fields that the headings say, a column for each."""
    terms = {field.name: terms_of_field(field) for field in record.fields.values() if not field.is_kept}
    if record.called in terms:
        terms[record.called] |= {terms_of(word) for word in GENERIC}
    said: set[str] = set()
    for column in table.columns:
        heading = terms_of(column.heading)
        meant = (name for name, own in terms.items() if heading in own and name not in said)
        name = next((each for each in meant if not names_another(column.heading, record.fields[each], record)), None)
        said |= {name} if name is not None else set()
    return said
