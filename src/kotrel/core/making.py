"""Values that no cell holds: defaults, values made by an expression, codes with the next free number."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import polars as pl

from kotrel.core.description import Field
from kotrel.core.expressions import Compiled, Scope, compile_expression, number_codes
from kotrel.core.matching import Matched
from kotrel.core.nearness import folded
from kotrel.core.rows import Rows
from kotrel.core.sheet import Table

Names = Callable[[str], Mapping[str, str]]
"""Record → code → name of each of its rows."""


def make_values(
    values: pl.DataFrame, table: Table, matched: Matched, names: Names | None
) -> tuple[pl.DataFrame, tuple[str, ...]]:
    """Fills in defaults and made values where a field's cells are blank.

    Returns:
        The values, and the fields whose codes wait for :func:`number_rows`.

    Raises:
        ExpressionError: an expression is wrong.
    """
    for name, source in matched.sources.items():
        if source.default_by is not None and source.default_by in values.columns:
            by = values[source.default_by]
            default = by.replace_strict(dict(source.defaults), default=source.default, return_dtype=pl.String)
            values = values.with_columns(pl.coalesce(pl.col(name), default).alias(name))
        elif source.default is not None:
            values = values.with_columns(pl.col(name).fill_null(source.default))
    numbered: list[str] = []
    for name, source in matched.sources.items():
        if source.make is None:
            continue
        about = matched.record.fields[name]
        # A value may be made from fields that are fed, and from any column by its heading.
        scope = Scope(
            {each: matched.record.fields[each] for each in values.columns if each in matched.record.fields},
            {folded(column.heading): column.letter for column in table.columns if column.heading},
            names,
        )
        compiled = compile_expression(source.make, scope)
        made = values.hstack(table.cells.drop("row")).select(_as_text(compiled, about)).to_series()
        if compiled.numbered:
            numbered.append(name)
            blank = values.select(
                pl.any_horizontal(pl.lit(False), *(pl.col(each).is_null() for each in compiled.fields))
            )
            made = made.set(
                blank.to_series().new_from_index(0, values.height) if blank.height == 1 else blank.to_series(), None
            )
        if len(made) == 1 and values.height != 1:
            made = made.new_from_index(0, values.height)
        held = (
            values[name]
            if name in values.columns
            else pl.Series([None], dtype=pl.String).new_from_index(0, values.height)
        )
        filled = pl.select(pl.coalesce(held, made)).to_series()
        values = values.with_columns(filled.alias(name))
    return values, tuple(numbered)


def _as_text(compiled: Compiled, about: Field) -> pl.Expr:
    """What an expression gives, in canonical text of the field's kind; money and quantities are rounded to its decimals."""
    if compiled.kind == "number":
        decimals = (about.decimals or 0) if about.is_decimal else 0
        rounded = compiled.expr.round(decimals, mode="half_away_from_zero")
        return rounded.cast(pl.Decimal(38, decimals)).cast(pl.String)
    if compiled.kind == "yes_no":
        return pl.when(compiled.expr).then(pl.lit("yes")).otherwise(pl.lit("no"))
    return pl.when(compiled.expr != "").then(compiled.expr)


def number_rows(rows: Rows, taken: Callable[[str], pl.Series]) -> Rows:
    """Gives made codes their numbers.

    Args:
        taken: gives all values of a field that the system holds.
    """
    for name in rows.numbered:
        column = rows.values[name]
        codes = number_codes(column, [*taken(name), *column])
        rows = replace(rows, values=rows.values.with_columns(codes.alias(name)), numbered=())
    return rows
