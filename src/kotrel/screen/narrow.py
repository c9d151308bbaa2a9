"""Tables on a narrow screen: what describes gives way, and what names a thing or counts it is never cut."""

from __future__ import annotations

from collections.abc import Sequence

from rich.cells import cell_len
from rich.table import Column, Table

LEAST = 12
"""Characters that a column keeps when it gives way;
where even that is too much, a column that is cut short is left out.
"""


def _widest_cell(column: Column) -> int:
    return max((cell_len(str(cell)) for cell in column.cells), default=0)


def give_way(table: Table, room: int, *headings: str) -> Table:
    """The table with columns as wide as what is in them, but for those named here, which share what is left.

    Where that is too much, headings take two lines; then a description is left out; then the lines are longer than the
    screen.

    Args:
        table: with all its rows.
        room: columns of the screen.
        headings: the columns that give way; a ``max_width`` that one has still holds.
    """
    giving = [column for column in table.columns if column.header in headings]
    others = [column for column in table.columns if column.header not in headings]
    least = len(giving) * (LEAST + _between(table))
    for column in others:
        column.width = max(_widest_cell(column), cell_len(str(column.header)))
    if _wide(table) + least > room:
        for column in others:
            words = str(column.header).split() or [""]
            column.width, column.no_wrap = max(_widest_cell(column), *map(cell_len, words)), False
    if giving and _wide(table) + least > room and all(column.overflow == "ellipsis" for column in giving):
        return give_way(_drop_columns(table, giving), room)
    left = room - _wide(table) - len(giving) * _between(table)
    # The shortest first: what one does not need is for the others.
    natural = {id(column): max(_widest_cell(column), cell_len(str(column.header))) for column in giving}
    for done, column in enumerate(sorted(giving, key=lambda each: natural[id(each)])):
        share = max(LEAST, left // (len(giving) - done))
        column.max_width = min(share, natural[id(column)], column.max_width or share)
        left -= column.max_width
    whole = _wide(table) + sum((column.max_width or 0) + _between(table) for column in giving)
    if whole > room:
        table.width = whole
    return table


def _drop_columns(table: Table, left_out: Sequence[Column]) -> Table:
    fewer = Table(box=table.box, padding=table.padding, header_style=table.header_style)
    kept = [column for column in table.columns if column not in left_out]
    for column in kept:
        fewer.add_column(column.header, justify=column.justify, style=column.style, overflow=column.overflow)
    for cells in zip(*(column.cells for column in kept), strict=True):
        fewer.add_row(*cells)
    return fewer


def _between(table: Table) -> int:
    """Blanks beside each column."""
    return table.padding[1] + table.padding[3]


def _wide(table: Table) -> int:
    """The width of the columns that have one, with their blanks."""
    return sum(column.width + _between(table) for column in table.columns if column.width is not None)
