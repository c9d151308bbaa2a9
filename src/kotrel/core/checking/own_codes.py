"""Other codes that are somebody's own: wherever such a code is typed or scanned, it means the row that it is the code of."""

from __future__ import annotations

from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState


def check_own_codes(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """A warning at each other code of a row that is the own code of a different one: whoever types it gets that row."""
    findings: list[FindingGroup] = []
    for target in state.description.records.values():
        for other, name in target.other_codes:
            if other == rows.record.name and name in rows.fields:
                findings += _about(rows, name, target, state)
    return findings


def _about(rows: Rows, name: str, target: Record, state: SystemState) -> list[FindingGroup]:
    values = rows.values[name]
    own = state.are_known(target, values).fill_null(False)
    leads = next(each.name for each in rows.record.references if each.to == target.name and not each.within)
    if leads in rows.values.columns:
        own = own & rows.values[leads].ne_missing(values)
    if not own.any():
        return []
    title = target.title.lower()
    messages = [
        f"it is {title} {code}'s own code, which comes first wherever a code is typed" for code in values.filter(own)
    ]
    cells = cells_of(rows.values[ROW].filter(own), values.filter(own), messages)
    return [rows.group("warning", "own-code", f"the own code of another {title}", name, cells)]
