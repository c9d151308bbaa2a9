"""Sheets as tables that can be compared: as rows of a record with what no field takes beside them,
or column by column.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import polars as pl
from msgspec import Struct, field

from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.rows.rows import Rows
from kotrel.core.similarity import folded
from kotrel.core.tables.as_shown import cells_as_shown
from kotrel.core.tables.table import Column, Table
from kotrel.loading.sheets_in.sheet_reading import Understood


class Comparable(Struct):
    """Rows to compare.

    Attributes:
        sheets: the names of the sheets that they come from; empty names are those of text files.
        rows: String columns: fields by their names; other columns by names that no field has.
        titles: column → how people know it.
        places: of each row, the ``sheet`` and the number of the row in it.
        headings: folded heading → the column that it feeds.
    """

    sheets: tuple[str, ...]
    rows: pl.DataFrame
    titles: dict[str, str]
    places: pl.DataFrame
    headings: dict[str, str] = field(default_factory=dict)


def by_record(understood: Sequence[Understood]) -> dict[str, tuple[Record, Comparable]]:
    """Record → its rows from all sheets of a file. Columns that feed no field are there too, by their headings."""
    used: dict[str, set[str]] = {}
    for part in understood:
        letters = {letter for source in part.rows.sources.values() for letter in source.columns}
        used.setdefault(part.rows.table.sheet, set()).update(letters)
    comparables: dict[str, tuple[Record, list[Comparable]]] = {}
    told: set[str] = set()
    for part in understood:
        table, record = part.rows.table, part.rows.record
        # A sheet that is read as several records has what is left over only once.
        spare = [] if table.sheet in told else [c for c in table.columns if c.letter not in used[table.sheet]]
        told.add(table.sheet)
        comparables.setdefault(record.name, (record, []))[1].append(_of_record(part.rows, spare))
    return {name: (record, _joined_parts(parts)) for name, (record, parts) in comparables.items()}


def by_heading(table: Table) -> Comparable:
    """The cells of a table. A column without a heading goes by its letter, the second of one heading by its number."""
    names = _columns_by_name(table.columns)
    frame = _filled_columns(table, names)
    titles = {name: _title(column, name) for name, column in names.items()}
    return Comparable((table.sheet,), frame.drop(ROW), titles, _places(frame, table.sheet))


def _places(frame: pl.DataFrame, sheet: str) -> pl.DataFrame:
    return frame.select(pl.lit(sheet).alias("sheet"), ROW)


def _of_record(rows: Rows, spare: Iterable[Column]) -> Comparable:
    names = {f"[{name}]": column for name, column in _columns_by_name(spare).items()}
    beside = _filled_columns(rows.table, names)
    frame = _with_errors_shown(rows).join(beside, on=ROW, how="left", maintain_order="left")
    titles = {name: about.title for name, about in rows.record.fields.items()}
    titles |= {name: _title(column, name[1:-1]) for name, column in names.items()}
    headings = {folded(rows.heading(name)): name for name in rows.letters}
    headings |= {name[1:-1]: name for name in names}
    return Comparable((rows.table.sheet,), frame.drop(ROW), titles, _places(frame, rows.table.sheet), headings)


def _joined_parts(parts: Sequence[Comparable]) -> Comparable:
    rows, places = pl.concat([each.rows for each in parts], how="diagonal"), pl.concat(each.places for each in parts)
    first = Comparable((), rows, {}, places)
    for each in parts:
        first.sheets += each.sheets
        first.titles |= each.titles
        first.headings = each.headings | first.headings
    return first


def _columns_by_name(columns: Iterable[Column]) -> dict[str, Column]:
    names: dict[str, Column] = {}
    for column in columns:
        name = folded(column.heading) or f"column {column.letter.lower()}"
        times = 1
        while (alone := name if times == 1 else f"{name} {times}") in names:
            times += 1
        names[alone] = column
    return names


def _title(column: Column, name: str) -> str:
    number = name.removeprefix(folded(column.heading)).strip()
    if not column.heading:
        return f"column {column.letter}"
    return f"{column.heading} ({number})" if number else column.heading


def _filled_columns(table: Table, names: dict[str, Column]) -> pl.DataFrame:
    """``ROW`` and the columns under their names, as people see them, without spaces at their ends."""
    cells = cells_as_shown(table, [column.letter for column in names.values()])
    texts = {name: pl.col(column.letter).str.strip_chars() for name, column in names.items()}
    return cells.select(ROW, *(pl.when(text != "").then(text).alias(name) for name, text in texts.items()))


def _with_errors_shown(rows: Rows) -> pl.DataFrame:
    """The values, with what could not be read as it is told:
    ``#N/A`` is not a blank, nor is a price in another currency.
    """
    values = rows.values_as_typed
    for group in rows.findings:
        if group.severity == "error" and group.field in rows.fields:
            told = group.cells.select(ROW, pl.col("value").alias("as shown")).unique(ROW)
            joined = values.select(ROW, group.field).join(told, on=ROW, how="left", maintain_order="left")
            values = values.with_columns(
                joined.select(pl.coalesce(group.field, "as shown")).to_series().alias(group.field)
            )
    return values.select(ROW, *rows.fields)
