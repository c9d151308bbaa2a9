"""Rows of a sheet that become several records: loaded whole or not at all, and values that one takes from another."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.journal import WHOLE
from kotrel.core.columns import ROW
from kotrel.core.loading.load_model import Checked, SheetRows
from kotrel.core.rows.findings import cells_of
from kotrel.core.rows.rows import Rows


def _refused_by_sheet(checked: Sequence[Checked]) -> dict[tuple[str, str], dict[int, str]]:
    """File and sheet → the rows that are refused, each with the first record that refuses it, in words."""
    refused: dict[tuple[str, str], dict[int, str]] = {}
    for each in checked:
        if each.consequence is None and not each.rows.once:
            rows = refused.setdefault(each.rows.table.origin, {})
            for row in each.rows.refused:
                rows.setdefault(row, each.rows.record.title.lower())
    return refused


def whole_rows(parts: Sequence[SheetRows], checked: Sequence[Checked]) -> list[SheetRows] | None:
    """The parts with an error on each row that another record made from the same row of the sheet refuses.

    Returns:
        None where there is no such row, so that every row is loaded whole or not at all.
    """
    refused = _refused_by_sheet(checked)
    done: list[SheetRows] = []
    for part in parts:
        rows = part.rows
        mine = refused.get(rows.table.origin, {})
        own = [each for each in checked if each.rows.table is rows.table or each.rows.record.name == rows.record.name]
        known = {row for each in own for row in each.rows.refused}
        lost = [row for row in rows.values[ROW] if row in mine and row not in known] if not rows.once else []
        if lost:
            messages = [f"the {mine[row]} in this row is refused: a row is loaded {WHOLE}" for row in lost]
            group = rows.group("error", "row-refused", "refused with its row", None, cells_of(lost, None, messages))
            part = replace(part, rows=rows.with_findings([group]))
        done.append(part)
    return done if any(new is not old for new, old in zip(done, parts, strict=True)) else None


def from_same_row(rows: Rows, done: Sequence[Rows]) -> Rows:
    """The rows with what their sources take from records
    that are done (see :class:`kotrel.core.tables.sources.Source`).
    """
    for name, source in rows.sources.items():
        if source.of_field is None:
            continue
        place = (source.of_record, *rows.table.origin)
        given = [
            each.values.select(ROW, pl.col(source.of_field).alias("value there"))
            for each in done
            if (each.record.name, *each.table.origin) == place and source.of_field in each.values.columns
        ]
        if given:
            given_rows = pl.concat(given).unique(ROW, keep="first")
            if rows.record.fields[name].must == "always":
                # Where the main record has none, that is what is wrong with the row; it is said there.
                given_rows = given_rows.drop_nulls("value there")
            # A row that the main record leaves out has nothing to depend on.
            rows = rows.only(rows.values[ROW].is_in(given_rows[ROW].implode()))
            values = rows.values.select(ROW).join(given_rows, on=ROW, how="left", maintain_order="left")["value there"]
            rows = replace(rows, values=rows.values.with_columns(values.alias(name)))
    return rows
