"""Values that no cell holds: defaults, values made by an expression, codes with the next free number."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import polars as pl

from kotrel.core.description import Field
from kotrel.core.expressions import Compiled, Scope, compile_expression, number_codes
from kotrel.core.nearness import folded
from kotrel.core.rows import Rows
from kotrel.core.tidying import fixed_decimals
from kotrel.core.words import read_yes_no

Names = Callable[[str], Mapping[str, str]]
"""Record → code → name of each of its rows."""


def make_values(rows: Rows, names: Names, taken: Callable[[str], pl.Series]) -> Rows:
    """Fills in defaults and made values where a field is blank. It comes after mending: codes are right by then.

    Args:
        names: gives the codes and names of a list, for expressions that ask for a name.
        taken: gives all values of a field that the system holds, so that made codes go on behind them.

    Raises:
        ExpressionError: an expression is wrong.
    """
    values = rows.values
    for name, source in rows.sources.items():
        about = rows.record.fields[name]
        if source.default_by is not None and source.default_by in values.columns:
            known = {value: _canonical(default, about) for value, default in source.defaults.items()}
            last = _canonical(source.default, about) if source.default is not None else None
            default = values[source.default_by].replace_strict(known, default=last, return_dtype=pl.String)
            values = values.with_columns(pl.coalesce(pl.col(name), default).alias(name))
        elif source.default is not None:
            values = values.with_columns(pl.col(name).fill_null(_canonical(source.default, about)))
    for name, source in rows.sources.items():
        if source.make is not None:
            values = values.with_columns(_made(source.make, rows, values, name, names, taken))
    return replace(rows, values=values)


def _canonical(text: str, about: Field) -> str:
    """A default as the settings write it, in canonical text; what does not fit is found by the checks."""
    if about.is_decimal:
        return str(fixed_decimals(pl.Series([text]), about.decimals or 0)[0])
    if about.kind == "yes_no":
        return read_yes_no(text) or text
    return text


def _made(
    expression: str, rows: Rows, values: pl.DataFrame, name: str, names: Names, taken: Callable[[str], pl.Series]
) -> pl.Series:
    """A field's values with the blank ones made by its expression."""
    fields = rows.record.fields
    # A value may be made from fields that are fed, and from any column by its heading.
    scope = Scope(
        {each: fields[each] for each in values.columns if each in fields and each != name},
        {folded(column.heading): column.letter for column in rows.table.columns if column.heading},
        names,
    )
    compiled = compile_expression(expression, scope)
    frame = values.hstack(rows.table.cells.drop("row"))
    made = frame.select(pl.lit(None, pl.String).alias("rows"), _as_text(compiled, fields[name]).alias("made"))["made"]
    if len(made) != values.height:
        made = made.new_from_index(0, values.height)
    made = pl.select(pl.coalesce(values[name], made)).to_series().alias(name)
    if compiled.numbered:
        # A code made from a blank would belong to nothing.
        needs = [pl.col(each).is_null() for each in compiled.fields]
        if needs:
            made = made.set(values.select(pl.any_horizontal(needs)).to_series() & values[name].is_null(), None)
        made = number_codes(made, [*taken(name), *made])
    return made


def _as_text(compiled: Compiled, about: Field) -> pl.Expr:
    """What an expression gives, in canonical text of the field's kind; money and quantities are rounded to its decimals."""
    if compiled.kind == "number":
        decimals = (about.decimals or 0) if about.is_decimal else 0
        rounded = compiled.expr.round(decimals, mode="half_away_from_zero")
        return rounded.cast(pl.Decimal(38, decimals)).cast(pl.String)
    if compiled.kind == "yes_no":
        return pl.when(compiled.expr).then(pl.lit("yes")).otherwise(pl.lit("no"))
    return pl.when(compiled.expr != "").then(compiled.expr)
