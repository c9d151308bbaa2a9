"""Many count sheets of one shape, tidied and repaired as one: what is found nowhere need not be looked for in each.

Only where nothing at all is found or repaired does the result stand; otherwise each sheet is read by itself, as if this
were not here.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

import polars as pl
from msgspec.structs import replace

from kotrel.core.checking.left_out_units import check_units
from kotrel.core.columns import ROW
from kotrel.core.matching.by_headings import Matched
from kotrel.core.matching.row_reading import understand
from kotrel.core.resolving.repairing import repair
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.table import Table
from kotrel.core.values.conventions import Conventions

_PLAIN = r"^-?[0-9]{1,15}$"
"""A number that can be read in one way only, wherever it stands."""
_APART = 1 << 21
"""Between the row numbers of one sheet and the next: more than a sheet has rows."""


def read_alike(
    sheets: Sequence[tuple[Table, Matched]], state: SystemState, conventions: Conventions, today: date
) -> list[Rows] | None:
    """The rows of each sheet, or None where they are not alike, or something is to be said of one."""
    if len(sheets) < 2 or not _are_alike(sheets, conventions):
        return None
    table, match = sheets[0]
    cells = [
        each.cells.select(pl.col(ROW) + _APART * place, *(column.letter for column in table.columns))
        for place, (each, _) in enumerate(sheets)
    ]
    kinds = {column.letter: _kinds_together([each for each, _ in sheets], column.letter) for column in table.columns}
    whole = replace(table, cells=pl.concat(cells), kinds=kinds, formats=None, unquoted="")
    only_kinds = {source.letter or "": _only_kind(whole, match, name) for name, source in match.sources.items()}
    if not all(only_kinds.values()):
        return None
    whole = replace(whole, kinds={letter: kind for letter, kind in only_kinds.items() if kind})
    rows = understand(whole, match, conventions, today)
    rows = rows.only(rows.values["item"].is_not_null() | rows.values["counted"].is_not_null())
    rows = repair(rows, state, conventions.spellings)
    rows = rows.with_findings(check_units(rows, state))
    if rows.findings or rows.repairs:
        return None
    of = rows.values.with_columns((pl.col(ROW) // _APART).alias("sheet"), pl.col(ROW) % _APART)
    parts = of.partition_by("sheet", as_dict=True, include_key=False)
    nothing = rows.values.clear()
    return [
        replace(rows, table=own, values=parts.get((place,), nothing), letters=mine.letters, sources=dict(mine.sources))
        for place, (own, mine) in enumerate(sheets)
    ]


def _kinds_together(tables: Sequence[Table], letter: str) -> str | pl.Series:
    """The kind or kinds of a column in all the sheets, one after the other."""
    kinds = [table.kinds.get(letter, "text") for table in tables]
    first = kinds[0]
    if isinstance(first, str) and all(isinstance(kind, str) and kind == first for kind in kinds):
        return first
    return pl.concat(
        pl.Series([kind], dtype=pl.String).new_from_index(0, table.rows) if isinstance(kind, str) else kind
        for table, kind in zip(tables, kinds, strict=True)
    )


def _only_kind(table: Table, match: Matched, name: str) -> str | None:
    """The kind of all cells of a column; None where they are not of one kind,
    or do not say by themselves what they are.
    """
    letter = match.sources[name].letter or ""
    cells = table.cells[letter]
    is_number, is_text = ((table.kind_is(letter, kind) | cells.is_null()).all() for kind in ("number", "text"))
    if match.record.fields[name].is_decimal:
        return "number" if is_number else "text" if is_text and cells.str.contains(_PLAIN).all() else None
    return "text" if is_text else None


def _are_alike(sheets: Sequence[tuple[Table, Matched]], conventions: Conventions) -> bool:
    """True for sheets of one shape in which every cell may say by itself what it is.

    How a column writes its numbers or days is shown by all of its cells together: there, sheets must not speak for each
    other.
    """
    table, match = sheets[0]
    if conventions.rounding or match.once_per or match.doubled or table.ragged or table.swallowed:
        return False
    for name, source in match.sources.items():
        if not source.is_plain or source.letter is None or source.rounding:
            return False
        if match.record.fields[name].kind not in ("code", "text", "reference", "quantity", "number"):
            return False
    return all(own == match and _is_like(each, table) for each, own in sheets)


def _is_like(table: Table, first: Table) -> bool:
    if table.columns != first.columns or not table.sheet or table.hidden.any:
        return False
    formats = table.formats
    return formats is None or not (formats.any_percent or formats.any_mask or formats.struck)
