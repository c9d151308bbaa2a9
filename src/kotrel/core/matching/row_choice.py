"""Which rows of a sheet a saved mapping takes: those that a condition picks, and one for each value of a field."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.expressions.compiling import compile_at
from kotrel.core.expressions.scope import Scope
from kotrel.core.normalizing.expression_columns import expression_columns, unread_findings, unread_texts
from kotrel.core.phrases import count
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.sources import letters_by_heading
from kotrel.core.values.conventions import Conventions


def choose_rows(
    rows: Rows,
    where: str | None,
    once_per: Sequence[str] = (),
    conventions: Conventions = Conventions(),  # noqa: B008 - it cannot be changed
    today: date = date.min,
) -> Rows:
    """The rows that the mapping takes; how many a condition leaves out is a remark of their table.

    Args:
        where: an expression over the fields that are read and the sheet's columns, or None.
        once_per: fields; rows in which one of them is blank make none.

    Raises:
        ExpressionError: the condition is wrong.
    """
    if where is not None:
        wanted, unread = _picked(rows, where, conventions, today)
        for group in unread:
            # Whether such a row is wanted nobody knows: it stays, with its error.
            wanted |= rows.values[ROW].is_in(group.cells[ROW].implode())
        left = int((~wanted).sum())
        rows = rows.with_findings(unread).only(wanted)
        if left:
            table = rows.table
            rows = replace(
                rows,
                table=replace(
                    table, remarks=(*table.remarks, f"{count(left, 'row')} left out by the mapping: {where}")
                ),
            )
    return _one_row_each(rows, list(once_per)) if once_per else rows


def _picked(rows: Rows, where: str, conventions: Conventions, today: date) -> tuple[pl.Series, list[FindingGroup]]:
    """Which rows a condition picks, and what of the sheet it could not read."""
    record = rows.record
    scope = Scope({name: record.fields[name] for name in rows.fields}, letters_by_heading(rows.table.readable))
    compiled = compile_at("where in the mapping", where, scope, "yes_no")
    columns, troubles = expression_columns(rows.table, compiled, conventions, today)
    frame = rows.values.hstack(columns)
    found = unread_findings(rows, None, troubles, unread_texts(compiled, frame))
    return compiled.column(frame).fill_null(False), found


def _one_row_each(rows: Rows, fields: list[str]) -> Rows:
    """One row for each value: the first, with what it leaves blank from the others.
    What they say otherwise is a warning; in a document an error, but for texts: a document is posted once, for all of
    its lines.
    """
    values = rows.values
    known = values.select(pl.all_horizontal(pl.col(fields).is_not_null())).to_series()
    others = [name for name in rows.fields if name not in fields]
    grouped = (
        values.filter(known)
        .group_by(fields, maintain_order=True)
        .agg(
            pl.col(ROW).first(),
            *(pl.col(name).drop_nulls().first().alias(f"one {name}") for name in others),
            *(pl.col(name).drop_nulls().n_unique().alias(f"times {name}") for name in others),
        )
    )
    wanted = values[ROW].is_in(grouped[ROW].implode())
    done = rows.only(wanted)
    kept = done.values.select(ROW).join(grouped, on=ROW, how="left", maintain_order="left")
    done = replace(done, once=True, values=done.values.with_columns(kept[f"one {name}"].alias(name) for name in others))
    findings: list[FindingGroup] = []
    for name in others:
        differs = kept.filter(pl.col(f"times {name}") > 1)
        if differs.height:
            about = rows.record.fields[name]
            severity: Severity = "error" if rows.record.nature == "document" and about.kind != "text" else "warning"
            then = "this one is used" if severity == "warning" else "give these rows another document number"
            codes = differs.select(pl.concat_str(fields, separator=", ")).to_series()
            messages = [f"other rows with {code} have another {about.title.lower()}: {then}" for code in codes]
            cells = cells_of(differs[ROW], differs[f"one {name}"], messages)
            findings.append(done.group(severity, "differs-in-sheet", "rows that say different things", name, cells))
    return done.with_findings(findings)
