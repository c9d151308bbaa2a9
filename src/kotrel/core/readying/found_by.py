"""References that a sheet gives by several fields of the row meant: a customer by name and post code."""

from __future__ import annotations

import polars as pl

from kotrel.core.description.model import Record
from kotrel.core.phrases import listed_and
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import folded
from kotrel.core.tables.as_shown import cells_as_shown
from kotrel.core.tables.sources import Source


def found_by_fields(
    rows: Rows, name: str, source: Source, target: Record, state: SystemState
) -> dict[str, tuple[str, str, str]]:
    """Value of the field → the code of the one row that has all the values given, ignoring case and punctuation, and its proof.

    A blank cell means that the row has nothing there either. Where several rows fit, or none, there is no entry.
    """
    fields, key = list(source.found_by), target.key[0]
    given = cells_as_shown(rows.table, source.columns).select(
        pl.col(letter).str.strip_chars().replace("", None).alias(field)
        for field, letter in zip(fields, source.columns, strict=True)
    )
    given = given.with_columns(rows.values[name].alias("value")).drop_nulls("value").unique(maintain_order=True)
    if not given.height:
        return {}
    held = [
        state.having(target, fields, field, given[field].unique().drop_nulls()).select(key, *fields) for field in fields
    ]
    every = pl.concat([*held, state.coming(target, (key, *fields))]).drop_nulls(key).unique()
    codes: dict[tuple[str, ...], set[str]] = {}
    for code, *parts in every.iter_rows():
        codes.setdefault(tuple(folded(part or "") for part in parts), set()).add(code)
    found: dict[str, set[str]] = {}
    for *parts, value in given.iter_rows():
        found.setdefault(value, set()).update(codes.get(tuple(folded(part or "") for part in parts), {""}))
    proof = f"the only {target.title.lower()} with this {listed_and([target.fields[field].title.lower() for field in fields])}"
    return {
        value: (next(iter(there)), "other-code", proof)
        for value, there in found.items()
        if len(there) == 1 and "" not in there
    }
