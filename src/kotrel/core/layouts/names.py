"""Names that are written instead of codes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION
from kotrel.core.description.model import Description, Record
from kotrel.core.layouts.layout import Layout
from kotrel.core.parts import Look


def names_for(
    layout: Layout, record: Record, description: Description, look: Look, together: Sequence[RecordChanges]
) -> dict[str, Mapping[str, str]]:
    """Field → code → name, for the columns that write names: as they will be when the load is done."""
    return {
        column.field: _names(description.records[str(record.fields[column.field].to)], look, together)
        for column in layout.columns
        if column.field is not None and column.name
    }


def _names(about: Record, look: Look, together: Sequence[RecordChanges]) -> Mapping[str, str]:
    code, name = about.code, str(about.called)
    held = look.read(about.name, list(dict.fromkeys((code, name))))
    names = dict(zip(held[code], held[name], strict=True))
    for each in together:
        if each.record.name == about.name and name in each.fields:
            written = each.frame.filter(pl.col(ACTION).is_in(["new", "changed"]))
            names |= dict(zip(written[code], written[name], strict=True))
    return {code: name for code, name in names.items() if name}
