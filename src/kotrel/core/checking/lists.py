"""References: every code has to be on its list."""

from __future__ import annotations

from kotrel.core.findings import FindingGroup, cells_of
from kotrel.core.held import Held
from kotrel.core.naming import ListNames
from kotrel.core.rows import Rows


def check_lists(rows: Rows, held: Held) -> list[FindingGroup]:
    """Codes that are not on the list their field refers to, with the nearest code or the code of that name."""
    found: list[FindingGroup] = []
    for name in rows.fields:
        field = rows.record.fields[name]
        if field.to is None:
            continue
        target = held.description.records[field.to]
        values = rows.values[name]
        distinct = values.unique().drop_nulls()
        unknown = distinct.filter(~distinct.is_in(held.known_codes(target, distinct).implode()))
        if target.name == rows.record.name and len(unknown):
            # A row may refer to another row of the same sheet.
            unknown = unknown.filter(~unknown.is_in(rows.values[target.key[0]].implode()))
        if not len(unknown):
            continue
        bad = rows.values.select("row", name, rows.as_it_stands(name)).filter(values.is_in(unknown.implode()))
        names = ListNames(held.all_of(target), target)
        hints = {value: names.suggestion(value) for value in unknown}
        title = f"not on the list “{target.title}”"
        cells = cells_of(bad["row"], bad["as it stands"], title, [hints[value] for value in bad[name]])
        found.append(rows.group("error", "not-on-list", title, name, cells))
    return found
