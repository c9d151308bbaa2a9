"""Values that a load adds to a list, because rows use them: a new vendor that comes with its first items."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.list_names import ListNames
from kotrel.core.readying.filling import make_values
from kotrel.core.rows.findings import FindingGroup, cells_of, rows_with
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.table import Table


@dataclass(frozen=True)
class Consequence:
    """Rows that no sheet has, and that a load changes because of rows that sheets have.

    Attributes:
        kind: ``created``: they are new on a list, because rows use them.
        rows: each has the row number of the first row that causes it.
        causes: ``sheet row`` and the fields of the record's key: every row that causes one, and which.
    """

    kind: Literal["created"]
    rows: Rows
    causes: pl.DataFrame

    def caused_by(self, good: pl.Series, rows: Rows) -> Rows:
        """Of checked consequences, those that a good row causes, and those that have an error of their own.

        Args:
            good: the rows in the sheet that have no error.
            rows: the consequences with their findings.
        """
        key = list(rows.record.key)
        wanted = self.causes.filter(pl.col(ROW).is_in(good.implode())).select(key).unique()
        caused = (
            rows.values.select(key)
            .join(wanted.with_columns(pl.lit(True).alias("is caused")), on=key, how="left", maintain_order="left")[
                "is caused"
            ]
            .fill_null(False)
        )
        wrong = rows.values[ROW].is_in(rows_with(rows.findings, "error").implode())
        return rows.only(caused | wrong)


def created_rows(rows: Rows, create: Sequence[str], state: SystemState) -> tuple[Consequence, ...]:
    """Rows for the lists in ``create``, one for each value that the rows use and the list does not have.

    A row's name is its code; the defaults of its record fill the rest.
    """
    found: list[Consequence] = []
    for name in dict.fromkeys(create):
        target = state.description.records[name]
        uses = [
            rows.values.select(ROW, pl.col(field.name).alias("code"))
            for field in rows.record.references
            if field.to == name and field.name in rows.fields and not field.within and name != rows.record.name
        ]
        if not uses:
            continue
        every = pl.concat(uses).drop_nulls()
        used = every.sort(ROW).unique("code", keep="first", maintain_order=True)
        known = state.known_codes(target, used["code"])
        new = used.filter(~pl.col("code").is_in(known.implode())).sort(ROW)
        if not new.height:
            continue
        values = new.select(ROW, pl.col("code").alias(target.code))
        if target.called and target.called != target.code:
            values = values.with_columns(pl.col(target.code).alias(target.called))
        table = Table(rows.table.file, rows.table.sheet, 0, (), values.select(ROW), {})
        made = make_values(
            Rows(table, target, {}, values),
            state.names_of,
            lambda field, target=target: state.whole(target, field),  # type: ignore[misc]
            lambda height=values.height: pl.Series([True], dtype=pl.Boolean).new_from_index(0, height),  # type: ignore[misc]
        )
        causes = every.filter(pl.col("code").is_in(new["code"].implode())).rename({"code": target.code})
        found.append(Consequence("created", made.with_findings(_near(made, target.code, state)), causes))
    return tuple(found)


def _near(rows: Rows, code: str, state: SystemState) -> list[FindingGroup]:
    """A warning for each new value that is similar to one on the list: it may be a typing error."""
    names = ListNames(state.all_of(rows.record), rows.record)
    near = [
        (row, value, hint)
        for row, value in rows.values.select(ROW, code).iter_rows()
        if (hint := names.suggestion(value))
    ]
    if not near:
        return []
    numbers, values, hints = zip(*near, strict=True)
    title = f"to be created, but similar to a code on the list “{rows.record.title}”"
    cells = cells_of(numbers, values, "is it another spelling of the same?", hints)
    return [rows.group("warning", "nearly-on-list", title, code, cells)]
