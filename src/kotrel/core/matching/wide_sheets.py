"""Wide sheets: a column for each row of a list, such as one for each price list or warehouse."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec import Struct

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.tables.table import Column
from kotrel.core.values.same_writing import form_of

VALUES = ("amount", "quantity")
"""Fields whose values stand in such columns."""
FEWEST = 2
"""A single column headed with a code may be anything."""


class Wide(Struct, frozen=True):
    """What such columns mean.

    Attributes:
        by: the reference that their headings name.
        value: the field that their cells fill.
    """

    by: Field
    value: Field
    columns: tuple[Column, ...]


def _headed_with(columns: Sequence[Column], known: ListNames) -> tuple[Column, ...]:
    """The columns that are headed with a code or a name of a list."""
    codes = set(map(form_of, known.codes))
    return tuple(
        column
        for column in columns
        if column.heading and (form_of(column.heading) in codes or len(known.codes_of(column.heading)) == 1)
    )


def find_wide(
    columns: Sequence[Column], record: Record, fed: Sequence[str], names: Callable[[str], ListNames]
) -> Wide | None:
    """The columns that are headed with codes or names of one list, if a reference to it is not fed otherwise.

    Args:
        fed: fields that have a column already.
    """
    value = next((record.fields[name] for name in VALUES if name in record.fields and name not in fed), None)
    if value is None:
        return None
    best: Wide | None = None
    for field in record.references:
        if field.name in fed or field.within or field.to == record.name:
            continue
        mine = _headed_with(columns, names(str(field.to)))
        if len(mine) >= FEWEST and (best is None or len(mine) > len(best.columns)):
            best = Wide(field, value, mine)
    return best
