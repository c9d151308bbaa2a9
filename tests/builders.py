"""Builds what tests put together again and again: rows of a record, and a system that holds a few."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import polars as pl

from kotrel.core.columns import ROW, clearing
from kotrel.core.description.model import Description, Record
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import Reader, SystemState
from kotrel.core.tables.table import Column, Table, letter_of

Texts = Sequence[str | None]


def columns_of(lines: Sequence[Mapping[str, str | None]], names: Sequence[str] = ()) -> dict[str, list[str | None]]:
    """Lines as columns; what a line does not say is blank.

    Args:
        names: which columns, in this order; as the lines bring them where none is given.
    """
    chosen = names or list(dict.fromkeys(name for line in lines for name in line))
    return {name: [line.get(name) for line in lines] for name in chosen}


def values_of(columns: Mapping[str, Texts], marks: Mapping[str, Sequence[bool]] | None = None) -> pl.DataFrame:
    """Values of rows from row 2 on.

    Args:
        marks: field → where it is to be cleared.
    """
    size = len(next(iter(columns.values()), []))
    return pl.DataFrame(
        [
            pl.Series(ROW, range(2, size + 2), dtype=pl.UInt32),
            *(pl.Series(name, given, dtype=pl.String) for name, given in columns.items()),
            *(pl.Series(clearing(name), given, dtype=pl.Boolean) for name, given in (marks or {}).items()),
        ]
    )


def rows_of(
    record: Record, values: pl.DataFrame, letters: Mapping[str, str] | None = None, file: str = "t.csv"
) -> Rows:
    """Rows with these values; without letters, as if no column of the sheet had them."""
    return Rows(Table(file, "", 1, (), values.select(ROW), {}), record, dict(letters or {}), values)


def rows_in_sheet(
    record: Record, columns: Mapping[str, Texts], marks: Mapping[str, Sequence[bool]] | None = None
) -> Rows:
    """Rows as a sheet has them: a column for each field, with its name as the heading, from row 2 on."""
    values = values_of(columns, marks)
    letters = {name: letter_of(place) for place, name in enumerate(columns)}
    cells = values.select(ROW, *(pl.col(name).alias(letter) for name, letter in letters.items()))
    table = Table("t.xlsx", "S", 1, tuple(Column(letters[name], name) for name in columns), cells, {})
    return Rows(table, record, letters, values)


def reader_of(held: Mapping[str, Mapping[str, Texts]]) -> Reader:
    """Reads from a system that holds these rows of each record; a field that is not given is blank."""

    def read(record: str, fields: Sequence[str], among: Any = None, filled: Any = None) -> pl.DataFrame:
        given = held.get(record, {})
        size = len(next(iter(given.values()), []))
        frame = pl.DataFrame([pl.Series(name, given.get(name, [None] * size), dtype=pl.String) for name in fields])
        if among is not None and among[0] in fields:
            frame = frame.filter(pl.col(among[0]).is_in(among[1].implode()))
        return frame.filter(pl.col(filled).is_not_null()) if isinstance(filled, str) and filled in fields else frame

    return read


def system_of(description: Description, held: Mapping[str, Mapping[str, Texts]], **more: Any) -> SystemState:
    """A system that holds these rows of each record."""
    return SystemState(description, reader_of(held), **more)
