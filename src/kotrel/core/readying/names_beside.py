"""Names that an export put beside its codes: only the codes count, so a name that was changed alone is told."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import folded
from kotrel.core.tables.table import Column
from kotrel.core.understanding.matching import NAME_OF, headings_of


def find_changed_names(rows: Rows, state: SystemState, exported: bool) -> list[FindingGroup]:
    """A warning at each name beside a code that is not the name of that code.

    Args:
        exported: only cells that were edited since the export have values: beside a code that was edited too, the name is only old.
    """
    found = []
    for name in rows.letters:
        about = rows.record.fields[name]
        column = _beside(rows, about)
        target = state.description.records[about.to] if about.to is not None else None
        if column is None or target is None or target.called is None or len(target.key) > 1:
            continue
        listed = state.listed(target)
        names = {code: name for code, name in zip(listed[target.code], listed[target.called], strict=True) if name}
        codes = rows.as_it_stands(name).str.strip_chars()
        said = rows.table.cells[column.letter].str.strip_chars()
        right = codes.replace_strict(names, default=None, return_dtype=pl.String)
        wrong = (said != "") & (said.str.to_lowercase() != right.str.to_lowercase())
        if exported:
            wrong = wrong & rows.values[name].is_null()
        wrong = wrong.fill_null(False)
        if wrong.any():
            messages = [
                f"only the code counts, and {code} is “{names[code]}”: change the code if another is meant"
                for code in codes.filter(wrong)
            ]
            cells = cells_of(rows.values[ROW].filter(wrong), said.filter(wrong), messages)
            title = "a name that is not its code's"
            found.append(
                FindingGroup(
                    "warning", "name-only", title, rows.record.name, name, column.letter, cells, column.heading
                )
            )
    return found


def _beside(rows: Rows, about: Field) -> Column | None:
    """The column with the names of a field's codes, if the sheet has one."""
    wanted = {f"{NAME_OF}{word}" for word in headings_of(about)}
    return next((column for column in rows.table.columns if folded(column.heading) in wanted), None)
