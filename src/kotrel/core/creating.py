"""Values that are on no list yet and are to be added to it: a new vendor that comes with its first items."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.findings import FindingGroup, cells_of
from kotrel.core.held import Held
from kotrel.core.making import make_values
from kotrel.core.naming import ListNames
from kotrel.core.rows import Rows
from kotrel.core.sheet import Table


def created_rows(rows: Rows, create: Sequence[str], held: Held) -> tuple[Rows, ...]:
    """Rows for the lists in ``create``, one for each value that the rows use and the list does not have.

    Each bears the number of the row that uses it first. Its name is its code; the defaults of its record fill the rest.
    """
    found: list[Rows] = []
    for name in dict.fromkeys(create):
        target = held.description.records[name]
        uses = [
            rows.values.select("row", pl.col(field.name).alias("code"))
            for field in rows.record.references
            if field.to == name and field.name in rows.fields and not field.within and name != rows.record.name
        ]
        if not uses:
            continue
        used = pl.concat(uses).drop_nulls().unique("code", keep="first", maintain_order=True)
        known = held.known_codes(target, used["code"])
        new = used.filter(~pl.col("code").is_in(known.implode())).sort("row")
        if not new.height:
            continue
        values = new.select("row", pl.col("code").alias(target.code))
        if target.called and target.called != target.code:
            values = values.with_columns(pl.col(target.code).alias(target.called))
        table = Table(rows.table.file, rows.table.sheet, 0, (), values.select("row"), {})
        made = make_values(
            Rows(table, target, {}, values),
            held.names_of,
            lambda field, target=target: held.whole(target, field),  # type: ignore[misc]
            lambda height=values.height: pl.Series([True], dtype=pl.Boolean).new_from_index(0, height),  # type: ignore[misc]
        )
        found.append(made.with_findings(_near(made, target.code, held)))
    return tuple(found)


def _near(rows: Rows, code: str, held: Held) -> list[FindingGroup]:
    """A warning for each new value that is nearly one of the list: it may be a slip of the pen."""
    names = ListNames(held.all_of(rows.record), rows.record)
    near = [
        (row, value, hint)
        for row, value in rows.values.select("row", code).iter_rows()
        if (hint := names.suggestion(value))
    ]
    if not near:
        return []
    numbers, values, hints = zip(*near, strict=True)
    title = f"to be created, and nearly on the list “{rows.record.title}”"
    cells = cells_of(numbers, values, "is it the same under another spelling?", hints)
    return [rows.group("warning", "nearly-on-list", title, code, cells)]
