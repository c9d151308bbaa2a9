"""A second table below the first: its rows would be read as if they had the first one's headings."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.matching.by_headings import headings_of
from kotrel.core.phrases import listed
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.similarity import folded
from kotrel.core.tables.table import Table

_BELOW = 3
"""So many rows after blank ones are looked at: a title may stand above the headings."""
_MOST = 1_000
"""Gaps that are looked at; a sheet with more of them has them everywhere."""


def _headings_of_all(records: Iterable[Record]) -> set[str]:
    return {word for record in records for field in record.fields.values() for word in headings_of(field) if word}


def headings_below(table: Table, records: Iterable[Record], last: int | None = None) -> list[tuple[int, str]]:
    """Row → what stands there, for rows after blank ones in which most cells, two at least, are headings of the system.

    Args:
        last: the last row of the part of the sheet before this one.
    """
    rows = table.cells[ROW]
    far = last is not None and table.first_row - last > 1
    gaps = (rows.diff() > 1).fill_null(far).arg_true().head(_MOST)
    if not len(gaps):
        return []
    places = sorted({gap + more for gap in gaps for more in range(min(_BELOW, len(rows) - gap))})
    known = _headings_of_all(records)
    found = []
    for row, *cells in table.cells[places].select(ROW, *(column.letter for column in table.columns)).iter_rows():
        if words := _headings_among(cells, known):
            found.append((row, listed([f"“{text.strip()}”" for text in words], 3)))
    return found


def _headings_among(cells: Sequence[str | None], known: Collection[str]) -> list[str]:
    """The headings in a row, where most of its cells, two at least, are headings and no two are the same."""
    filled = [text for text in cells if text and text.strip()]
    words = [text for text in filled if folded(text) in known]
    different = len(set(map(folded, filled))) == len(filled)
    return words if different and len(words) >= 2 and len(words) * 3 > len(filled) * 2 else []


def second_tables(rows: Rows, records: Iterable[Record], last: int | None = None) -> list[FindingGroup]:
    """An error at each such row."""
    found = headings_below(rows.table, records, last)
    if not found:
        return []
    message = "the headings of another table, {}: move it to its own sheet, with the rows below it"
    cells = cells_of([row for row, _ in found], None, [message.format(said) for _, said in found])
    return [FindingGroup("error", "second-table", "another table below", rows.record.name, None, None, cells)]
