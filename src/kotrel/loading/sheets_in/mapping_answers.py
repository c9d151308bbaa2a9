"""What answers do to a mapping: fields are named and fed, and columns are shown."""

from __future__ import annotations

from typing import Any

from kotrel.core.description.model import Field, Record
from kotrel.core.matching.by_headings import headings_of
from kotrel.core.similarity import folded
from kotrel.core.tables.as_shown import per_cent_shown
from kotrel.core.tables.table import Column, Table
from kotrel.screen.dialogue import Document


def values_shown(table: Table, column: Column, most: int = 5) -> str:
    """The first different values of a column, for a question."""
    distinct = per_cent_shown(table, column.letter).drop_nulls().str.strip_chars().unique(maintain_order=True)
    some = [text for text in distinct.head(most + 1).to_list() if text]
    return "; ".join(some[:most]) + (" …" if len(distinct) > most else "")


def column_named(column: Column) -> str:
    """A column by its letter and heading."""
    return f"{column.letter} “{column.heading}”"


def field_named(record: Record, said: str) -> Field | None:
    """The field that a person means by its name, its title or a known heading for this field."""
    word = folded(said)
    for field in record.fields.values():
        if not field.is_kept and word in headings_of(field)[:2]:
            return field
    fitting = [each for each in record.fields.values() if not each.is_kept and word in headings_of(each)]
    return fitting[0] if len(fitting) == 1 else None


def taken_already(document: Document, field: Field, heading: str) -> str | None:
    """Why a field cannot have this column: it reads another one, which would be lost without a word."""
    other = document["field"].get(field.name, {}).get("column")
    if other is None or folded(str(other)) == folded(heading):
        return None
    return f"{field.title} already reads “{other}”; name another field, or skip this column"


def feed(document: Document, field: str, settings: dict[str, Any]) -> None:
    """Says in the mapping what a field is fed from; what it said before goes."""
    import tomlkit

    table = tomlkit.table()
    for key, value in settings.items():
        table.add(key, value)
    if field in document["field"]:
        document["field"].remove(field)
    document["field"].add(field, table)
