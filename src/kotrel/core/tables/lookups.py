"""Small tables that a sheet is looked up in, such as a supplier's discount groups:
their values become further columns.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.phrases import listed
from kotrel.core.similarity import folded
from kotrel.core.tables.as_shown import as_shown
from kotrel.core.tables.table import Column, Table, index_of, letter_of


class Lookup(Struct, frozen=True):
    """One ``[lookup.NAME]`` of a mapping.

    Attributes:
        by: the heading of the column whose values are looked up.
        written: the value for each, where the mapping itself has them.
        file, sheet: where the table is, if not in the mapping: a file (else the one that is read), and its sheet.
        key: the heading of the table's column with those values; empty for the one that is headed like ``by``, or the
            first.
        default: the value for what is not in the table, or blank; None where that is an error.
    """

    name: str
    by: str
    written: Mapping[str, str] = field(default_factory=dict)
    file: str = ""
    sheet: str = ""
    key: str = ""
    default: str | None = None


class LookupTable(Struct, frozen=True):
    """What a lookup knows: heading of a value column → key → value;
    ``""`` heads the values that stand in the mapping.
    """

    lookup: Lookup
    values: Mapping[str, Mapping[str, str]]
    where: str


class NotFound(Struct, frozen=True):
    """Cells of a column that a lookup does not have: ``cells`` has the row, the value and a message."""

    letter: str
    heading: str
    cells: pl.DataFrame


def _keys_meant(keys: pl.Series, there: Collection[str]) -> list[str | None]:
    """The key of the table that each value means: itself, else the one with other capitals."""
    loose = {key.casefold(): key for key in there}
    distinct = keys.unique().drop_nulls()
    meant = {key: key if key in there else loose.get(key.casefold()) for key in distinct}
    return [None if key is None else meant[key] for key in keys]


def with_looked_up(table: Table, known: LookupTable) -> tuple[Table, NotFound | None]:
    """The table with a further column for each column of values, ``[NAME.Heading]`` or ``[NAME]``; and what was not
    found.

    A value is found as it is written, else whatever its capitals.
    """
    lookup = known.lookup
    origin = next(column for column in table.columns if is_named(column, lookup.by))
    keys = as_shown(table, origin.letter).str.strip_chars()
    keys = keys.set(keys == "", None)
    some = next(iter(known.values.values()), {})
    meant = _keys_meant(keys, some)
    lost = pl.Series(meant, dtype=pl.String).is_null()
    last = max(index_of(column.letter) for column in (*table.columns, *table.looked_up))
    cells, added = table.cells, []
    for number, (heading, values) in enumerate(known.values.items(), start=1):
        letter = letter_of(last + number)
        found = [lookup.default if key is None else values[key] for key in meant]
        cells = cells.with_columns(pl.Series(letter, found, dtype=pl.String))
        added.append(Column(letter, f"{lookup.name}.{heading}" if heading else lookup.name))
    origins = {**table.origins, **{column.letter: origin.letter for column in added}}
    kinds = {**table.kinds, **dict.fromkeys((column.letter for column in added), "text")}
    more = replace(table, cells=cells, kinds=kinds, looked_up=(*table.looked_up, *added), origins=origins)
    if lookup.default is not None or not lost.any():
        return more, None
    frame = pl.DataFrame({ROW: table.cells[ROW], "value": keys}).filter(lost)
    messages = [_not_in(known, key, list(some)) for key in frame["value"]]
    frame = frame.with_columns(pl.Series("message", messages), pl.lit(None, pl.String).alias("suggestion"))
    return more, NotFound(origin.letter, origin.heading, frame)


def _not_in(known: LookupTable, key: str | None, there: Sequence[str]) -> str:
    if key is None:
        return f"blank, and {known.where} has no value for a blank"
    return f"{known.where} has no “{key}”; it has {listed(there, 5)}"


def is_named(column: Column, name: str) -> bool:
    """Is it this column's heading, or its letter written like ``=C``?"""
    return column.letter == name[1:].upper() if name.startswith("=") else folded(column.heading) == folded(name)
