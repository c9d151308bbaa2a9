"""Which column of the sheet may have a field that no column is headed for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import polars as pl

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState

NONE_LIKELY = "if a column has it, match it with kotrel map"


def likely_columns(rows: Rows, state: SystemState, fields: Sequence[Field]) -> Mapping[str, str]:
    """Field → the column that may have it, and why, in words, for the fields where there is one.

    A column is only named: what it feeds is for a match to say.
    """
    used = {letter for source in rows.sources.values() for letter in source.columns}
    unused = tuple(column for column in rows.table.columns if column.letter not in used and column.heading)
    if not unused:
        return {}
    # Only a missing column needs it, and every command would wait for it.
    from kotrel.core.understanding.proposing import propose

    lists = {field.to for field in fields}

    def names(record: str) -> ListNames:
        about = state.description.records[record]
        # Only these lists are worth reading: others would only say of other fields that the column is theirs.
        held = state.listed(about) if record in lists else pl.DataFrame(schema=dict.fromkeys(about.listed, pl.String))
        return ListNames(held, about)

    proposals, _ = propose(replace(rows.table, columns=unused), rows.record, names)
    return {
        each.field.name: f"column {each.column.letter} “{each.column.heading}” may have it ({each.why}): match it with kotrel map"
        for each in proposals
        if each.field in fields
    }
