"""Quantities with their unit beside them, as people write them into count sheets:
``1 BOX``, ``12 boxes``, ``39 EA``.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Record
from kotrel.core.matching.heading_units import singulars
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.numbers import read_number

_WRITTEN = re.compile(r"^\s*([-+]?[0-9][0-9.,\s']*?)\s*([^\W\d_][\w.²³/ -]*)$")
UNREAD = ("not-a-number", "sign-not-meant")
"""Kinds of finding at a quantity with a word beside it."""


def _written_units(rows: Rows) -> dict[int, re.Match[str]]:
    """Row → the number and the word in its quantity, where it is written so."""
    unread = [group for group in rows.findings if group.field == "counted" and group.kind in UNREAD]
    matches = {
        row: _WRITTEN.match(value or "")
        for group in unread
        for row, value in group.cells.select(ROW, "value").iter_rows()
    }
    return {row: parts for row, parts in matches.items() if parts}


def with_units_beside(rows: Rows, state: SystemState) -> Rows:
    """The rows with such quantities read: the number as counted, the word as the line's unit.

    A unit in its own column that is another one is an error at the quantity.
    """
    unit = rows.record.fields["unit"]
    written = _written_units(rows)
    if not written or unit.to is None:
        return rows
    target = state.description.records[unit.to]
    counted, units = _read_units(written, state.listed(target), target)
    if not counted:
        return rows
    values = rows.values
    if "unit" not in values.columns:
        values = values.with_columns(pl.lit(None, pl.String).alias("unit"))
    held = dict(values.select(ROW, "unit").iter_rows())
    other = [row for row in counted if held[row] not in (None, units[row])]
    read = {row: text for row, text in counted.items() if row not in other}
    values = values.with_columns(_replaced("counted", read), _replaced("unit", {row: units[row] for row in read}))
    findings = filter(lambda group: group.count, (_drop_read(group, counted) for group in rows.findings))
    done = replace(rows, values=values, findings=tuple(findings))
    if not other:
        return done
    said = {row: written[row][0] for row in other}
    messages = [f"{text.strip()} is in {units[row]}, and the line's unit is {held[row]}" for row, text in said.items()]
    cells = cells_of(other, list(said.values()), messages)
    return done.with_findings([rows.group("error", "must-match", "two units for one quantity", "counted", cells)])


def _read_units(
    matches: Mapping[int, re.Match[str]], listed: pl.DataFrame, target: Record
) -> tuple[dict[int, str], dict[int, str]]:
    """By row: the quantity before the word, and the code of the one unit that the word can mean."""
    forms = {row: singulars(parts[2]) for row, parts in matches.items()}
    words = pl.Series("word", sorted({form for each in forms.values() for form in each}), dtype=pl.String)
    names = ListNames(listed, target, words)
    known = {
        word: next(iter(codes))
        for word in words
        if len(codes := names.codes_of(word) | ({word.upper()} & names.code_set)) == 1
    }
    counted: dict[int, str] = {}
    units: dict[int, str] = {}
    for row, parts in matches.items():
        code = next((known[form] for form in forms[row] if form in known), None)
        number = read_number(parts[1], None)
        if code is not None and number.value is not None and not number.trouble:
            counted[row], units[row] = f"{number.value:f}", code
    return counted, units


def _replaced(name: str, values: dict[int, str]) -> pl.Expr:
    new = pl.col(ROW).replace_strict(values, default=None, return_dtype=pl.String)
    return pl.coalesce(new, pl.col(name)).alias(name)


def _drop_read(group: FindingGroup, read: dict[int, str]) -> FindingGroup:
    if group.field != "counted" or group.kind not in UNREAD:
        return group
    return replace(group, cells=group.cells.filter(~pl.col(ROW).is_in(list(read))))
