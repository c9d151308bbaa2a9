"""Fills in values that no cell holds: defaults, values made by an expression, codes with the next free number."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing, decimal_type
from kotrel.core.description.model import DefaultSet, Field
from kotrel.core.expressions.compiled import Compiled
from kotrel.core.expressions.compiling import compile_at
from kotrel.core.expressions.numbering import counts_up, number_codes
from kotrel.core.expressions.scope import Scope
from kotrel.core.normalizing.by_kind import ColumnSetting, Tidied, tidy
from kotrel.core.normalizing.column import Trouble
from kotrel.core.normalizing.expression_columns import expression_columns, unread_findings, unread_texts
from kotrel.core.normalizing.price_units import per_one
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Defaulted, Rows
from kotrel.core.tables.sources import Source, letters_by_heading
from kotrel.core.values.conventions import Conventions

_NO_DAY = date(2000, 1, 1)
"""Settings are not written on a day: a year of two digits in one cannot be completed."""


def read_values(rows: pl.Series, values: pl.Series, field: Field, conventions: Conventions) -> Tidied:
    """A column of texts that no cell holds, as values of the field's kind, with what could not be read."""
    nowhere = pl.Series([False], dtype=pl.Boolean).new_from_index(0, len(values))
    tidied = tidy(rows, values, lambda kind: nowhere, field, ColumnSetting(conventions, _NO_DAY))
    for repaired in tidied.repairs:
        if repaired.kind == "two-digit-year":
            cells = repaired.cells
            message = "write the year with four digits"
            tidied.troubles.append(
                Trouble(
                    "error", "ambiguous-date", "a year of two digits", cells_of(cells[ROW], cells["before"], message)
                )
            )
    return tidied


class DefaultReader:
    """Reads the defaults of one record, each once, and keeps those that could not be read."""

    def __init__(self, rows: Rows, conventions: Conventions) -> None:
        self._rows = rows
        self._conventions = conventions
        self._troubles: dict[tuple[str, str], Trouble] = {}

    def read(self, name: str, text: str) -> str | None:
        """A default in canonical text; what could not be read stays as it is,
        and becomes a finding where it is used.
        """
        field = self._rows.record.fields[name]
        tidied = read_values(pl.Series(ROW, [0], dtype=pl.UInt32), pl.Series([text]), field, self._conventions)
        value = tidied.values[0]
        if tidied.troubles and value is not None:
            self._troubles[name, value] = tidied.troubles[0]
        return None if value is None else str(value)

    def findings(self, used: list[Defaulted]) -> list[FindingGroup]:
        """An error at each row that was given a default that could not be read."""
        findings = []
        for source in used:
            trouble = self._troubles.get((source.field, source.value))
            if trouble is not None:
                where = {"mapping": "the mapping", "system": "system.toml"}.get(
                    source.source, f"the defaults “{source.source}”"
                )
                message = f"the default “{source.value}” of {where}: {trouble.cells['message'][0]}"
                cells = cells_of(source.rows, [source.value] * len(source.rows), message)
                findings.append(self._rows.group("error", trouble.kind, trouble.title, source.field, cells))
        return findings


Names = Callable[[str], Mapping[str, str]]
"""Record → the code and name of each of its rows."""


def make_values(
    rows: Rows,
    names: Names,
    taken: Callable[[str], pl.Series],
    new: Callable[[], pl.Series],
    sets: Sequence[DefaultSet] = (),
    conventions: Conventions = Conventions(),  # noqa: B008 - it cannot be changed
) -> Rows:
    """Fills in defaults and made values where a field is blank. Repairs come first, so that codes are right by then.

    They are for new rows, unless a mapping says that they are for all: a blank cell of an existing row changes nothing.
    The mapping's values come first, then the sets of defaults, and last those of the description. All of them are read
    as cells are. A cell that clears its value gets none.

    Args:
        names: gives the codes and names of a list, for expressions that use a name.
        taken: gives all values of a field that the system holds, so that made codes continue after them.
        new: gives which rows are new (Boolean).
        sets: the sets of defaults for this record.

    Raises:
        ExpressionError: an expression is wrong.
    """
    conventions = conventions.for_sheet(rows.habits)
    reader = DefaultReader(rows, conventions)
    used: list[Defaulted] = []
    for name, source in rows.sources.items():
        if source.default is not None or source.default_by is not None:
            former = rows.values[name]
            values = _fill_column(rows, name, _defaults_of(source, name, rows, reader), new)
            used += _given_values(rows, values, name, former, "mapping")
            rows = replace(rows, values=values)
    for name, source in rows.sources.items():
        if source.make is not None:
            made, findings = _values_by_expression(source.make, rows, name, names, taken, conventions)
            findings = [*_where_used(findings, rows, name, new), *_not_for_existing(rows, name, made, new)]
            rows = replace(rows, values=_fill_column(rows, name, made, new)).with_findings(findings)
    if rows.has_key:
        rows, more = _from_sets(rows, names, new, sets, reader)
        used += more
    return replace(rows, defaulted=(*rows.defaulted, *used)).with_findings(reader.findings(used))


def calculated_in_sheet(rows: Rows, names: Names, conventions: Conventions) -> Rows:
    """The rows with the values that the mapping calculates from other columns of theirs, where it counts up nothing:
    for what has to know all values of a row before anything else, such as a line's quantity.
    """
    conventions = conventions.for_sheet(rows.habits)
    sources = dict(rows.sources)
    for name, source in rows.sources.items():
        if source.make is not None and not counts_up(source.make):
            made, findings = _values_by_expression(source.make, rows, name, names, rows.values.get_column, conventions)
            rows = replace(rows, values=rows.values.with_columns(made)).with_findings(findings)
            sources[name] = replace(source, make=None)
    return replace(rows, sources=sources)


def _defaults_of(source: Source, name: str, rows: Rows, reader: DefaultReader) -> pl.Series:
    """The default of each row, as the mapping says."""
    last = reader.read(name, source.default) if source.default is not None else None
    if source.default_by is not None and source.default_by in rows.values.columns:
        known = {value: reader.read(name, default) for value, default in source.defaults.items()}
        return rows.values[source.default_by].replace_strict(known, default=last, return_dtype=pl.String).alias(name)
    return pl.Series(name, [last], dtype=pl.String).new_from_index(0, rows.values.height)


def _from_sets(
    rows: Rows, names: Names, new: Callable[[], pl.Series], sets: Sequence[DefaultSet], reader: DefaultReader
) -> tuple[Rows, list[Defaulted]]:
    """New rows with the values of the sets, and last those of the description; and what was filled in."""
    if not new().any():
        return rows, []
    given: list[tuple[str, str | None, Mapping[str, str]]] = [(each.name, each.where, each.values) for each in sets]
    described = {name: field.default for name, field in rows.record.fields.items() if field.default is not None}
    given.append(("system", None, described))
    as_it_came = rows.values
    used: list[Defaulted] = []
    for source_name, where, wanted in given:
        # The condition looks at the row as it came: what one set fills in does not bring another into force.
        applies: pl.Series | None = None
        for name, text in wanted.items():
            values = rows.values
            former = values[name] if name in values.columns else _blank_column(values, name)
            if name in values.columns and not former.null_count():
                continue
            if applies is None:
                applies = new() & _where(where, rows, as_it_came, names)
            if not (applies & former.is_null()).any():
                continue
            value = reader.read(name, text)
            filled = pl.when(applies & former.is_null()).then(pl.lit(value)).otherwise(former)
            values = _unless_cleared(values, name, filled)
            used += _given_values(rows, values, name, former, source_name)
            rows = replace(rows, values=values)
    return rows, used


def fill_keys(
    rows: Rows,
    behind: Callable[[str, str], pl.Series],
    names: Names = lambda record: {},
    sets: Sequence[DefaultSet] = (),
    conventions: Conventions = Conventions(),  # noqa: B008 - it cannot be changed
) -> Rows:
    """Fills in the defaults of the key's fields: without them, nobody can know which row of the system is meant.

    They come in the order of all defaults (see :func:`make_values`): the mapping's, the sets', those of the
    description.

    Args:
        behind: reference, field → the value there, for each row.
        names: gives the codes and names of a list, for the conditions of sets.
        sets: the sets of defaults for this record.
    """
    record = rows.record
    if not any(name in rows.fields for name in record.key):
        return rows
    conventions = conventions.for_sheet(rows.habits)
    reader = DefaultReader(rows, conventions)
    as_it_came = rows.values
    used: list[Defaulted] = []

    def fill(name: str, given: pl.Series, source: str) -> None:
        nonlocal rows
        values = rows.values
        former = values[name] if name in values.columns else _blank_column(values, name)
        if not (former.is_null() & given.is_not_null()).any():
            return
        values = _unless_cleared(values.with_columns(former.alias(name)), name, pl.coalesce(pl.col(name), given))
        used.extend(_given_values(rows, values, name, former, source))
        rows = replace(rows, values=values)

    def everywhere(name: str, text: str) -> pl.Series:
        return pl.Series(name, [reader.read(name, text)], dtype=pl.String).new_from_index(0, rows.values.height)

    for name in record.key:
        about, source = record.fields[name], rows.sources.get(name)
        if source is not None and (source.default is not None or source.default_by is not None):
            fill(name, _defaults_of(source, name, rows, reader), "mapping")
        for each in sets:
            if name in each.values:
                applies = _where(each.where, rows, as_it_came, names)
                blank = _blank_column(rows.values, name)
                fill(name, everywhere(name, each.values[name]).zip_with(applies, blank), each.name)
        if about.default_from is not None and about.default_from[0] in rows.fields:
            fill(name, behind(*about.default_from), about.default_from[0])
        if about.default is not None:
            fill(name, everywhere(name, str(about.default)), "system")
    return replace(rows, defaulted=(*rows.defaulted, *used)).with_findings(reader.findings(used))


def fill_same(rows: Rows, new: pl.Series, behind: Callable[[str, str], pl.Series]) -> Rows:
    """Fills new rows from the row they refer to, in the fields that must be the same as there or default to it.

    Args:
        behind: reference, field → the value there, for each row.
    """
    values, given_values = rows.values, list(rows.defaulted)
    for name, field in rows.record.fields.items():
        dotted = field.same_as or (field.default_from if name not in rows.record.key else None)
        if dotted is None or dotted[0] not in values.columns:
            continue
        former = values[name] if name in values.columns else _blank_column(values, name)
        blank = former.is_null() & new
        if blank.any():
            values = values.with_columns(former.zip_with(~blank, behind(*dotted)).alias(name))
            given_values += _given_values(rows, values, name, former, dotted[0])
    return replace(rows, values=values, defaulted=tuple(given_values))


def _blank_column(values: pl.DataFrame, name: str) -> pl.Series:
    return pl.Series(name, [None], dtype=pl.String).new_from_index(0, values.height)


def _fill_column(rows: Rows, name: str, given: pl.Series, new: Callable[[], pl.Series]) -> pl.DataFrame:
    """The values with one column filled from a mapping: in new rows, or in all where the mapping asks for that."""
    values = rows.values
    fillable = values[name].is_null() & given.is_not_null()
    if not fillable.any():
        return values
    if not rows.sources[name].for_all and name not in rows.record.key:
        fillable = fillable & new()
    return _unless_cleared(values, name, pl.when(fillable).then(given).otherwise(pl.col(name)))


def _unless_cleared(values: pl.DataFrame, name: str, filled: pl.Expr) -> pl.DataFrame:
    """The values with one column filled in, except in cells that clear their value."""
    clears = clearing(name)
    kept = pl.when(~pl.col(clears)).then(filled) if clears in values.columns else filled
    return values.with_columns(kept.alias(name))


def _given_values(rows: Rows, values: pl.DataFrame, name: str, former: pl.Series, source: str) -> list[Defaulted]:
    """What has been filled in, value by value."""
    if name not in values.columns:
        return []
    filled = former.is_null() & values[name].is_not_null()
    if not filled.any():
        return []
    groups = values.filter(filled).group_by(name, maintain_order=True).agg(ROW)
    return [Defaulted(name, value, source, pl.Series(ROW, row, dtype=pl.UInt32)) for value, row in groups.iter_rows()]


def _where(where: str | None, rows: Rows, values: pl.DataFrame, names: Names) -> pl.Series:
    """Boolean for each row: whether a set of defaults applies. A field that the rows do not carry counts as blank."""
    everywhere = pl.Series([True], dtype=pl.Boolean).new_from_index(0, values.height)
    if where is None:
        return everywhere
    compiled = compile_at("where of a set of defaults", where, Scope(rows.record.fields, {}, names), "yes_no")
    frame = values.with_columns(_blank_column(values, name) for name in compiled.fields if name not in values.columns)
    return compiled.column(frame).fill_null(False)


def _values_by_expression(
    expression: str,
    rows: Rows,
    name: str,
    names: Names,
    taken: Callable[[str], pl.Series],
    conventions: Conventions,
) -> tuple[pl.Series, list[FindingGroup]]:
    """A value for each row, made by an expression and read as the field's kind; and what could not be read.

    Numbers go only to blank cells.
    """
    fields, values = rows.record.fields, rows.values
    # An expression may use the fields that have a source, and any column by its heading.
    scope = Scope(
        {each: fields[each] for each in values.columns if each in fields and each != name},
        letters_by_heading(rows.table.readable),
        names,
    )
    compiled = compile_at(f"make of {name} in the mapping", expression, scope, may_number=True)
    columns, troubles = expression_columns(rows.table, compiled, conventions, _NO_DAY)
    frame = values.hstack(columns)
    unread = unread_findings(rows, name, troubles, unread_texts(compiled, frame))
    per = rows.sources[name].per
    exact = per is not None and compiled.kind == "number"
    made = compiled.column(frame, _as_text(compiled, replace(fields[name], decimals=12) if exact else fields[name]))
    made = made.zip_with(values[name].is_null(), values[name]).alias(name)
    if compiled.numbered:
        # A code made from a blank would mean nothing.
        needs = [pl.col(each).is_null() for each in compiled.fields]
        if needs:
            made = made.set(values.select(pl.any_horizontal(needs)).to_series() & values[name].is_null(), None)
        return number_codes(made, [*taken(name), *made]), unread
    if per is not None and exact:
        blank = values[name].is_null()
        setting = ColumnSetting(conventions, _NO_DAY, rounding=rows.sources[name].rounding)
        fresh = Tidied(made.set(~blank, None))
        one = per_one(values[ROW], fresh, rows.table, per, fields[name], setting)
        findings = [rows.group(each.severity, each.kind, each.title, name, each.cells) for each in one.troubles]
        return one.values.zip_with(blank, values[name]).alias(name), [*unread, *findings]
    if compiled.kind == "number":
        return made, [*unread, *_about_rounding(compiled, rows, name, made, frame)]
    if compiled.kind not in ("text", "date"):
        return made, unread
    blank = values[name].is_null()
    tidied = read_values(values[ROW].filter(blank), made.filter(blank), fields[name], conventions)
    findings = [rows.group(each.severity, each.kind, each.title, name, each.cells) for each in tidied.troubles]
    return made.scatter(blank.arg_true(), tidied.values), [*unread, *findings]


def _where_used(
    findings: Sequence[FindingGroup], rows: Rows, name: str, new: Callable[[], pl.Series]
) -> list[FindingGroup]:
    """The findings on made values that are used: in blank cells,
    and of existing rows only where the mapping asks for that.
    """
    if not findings:
        return []
    used = rows.values[name].is_null()
    if not rows.sources[name].for_all and name not in rows.record.key:
        used = used & new()
    there = rows.values[ROW].filter(used).implode()
    left = [replace(each, cells=each.cells.filter(pl.col(ROW).is_in(there))) for each in findings]
    return [each for each in left if each.count]


def _not_for_existing(rows: Rows, name: str, made: pl.Series, new: Callable[[], pl.Series]) -> list[FindingGroup]:
    """A note where a sheet has figures to calculate a value from for existing rows, too, and they are not used."""
    source, field = rows.sources[name], rows.record.fields[name]
    if source.for_all or name in rows.record.key or counts_up(source.make or ""):
        return []
    left = int((rows.values[name].is_null() & made.is_not_null() & ~new()).sum())
    if not left:
        return []
    existing = "1 existing row keeps its value" if left == 1 else f"{left:,} existing rows keep their values"
    message = (
        f'{field.title.lower()} is calculated for new rows only, and {existing}: for = "all" under [field.{name}] in the '
        "mapping calculates it for them, too"
    )
    return [rows.sheet_finding("note", "not-for-existing", "calculated for new rows only", message, field=name)]


def _is_fixed(rows: Rows, name: str) -> bool:
    source = rows.sources.get(name)
    return source is not None and source.fixed is not None


def without_lonely(rows: Rows) -> Rows:
    """The rows without a fixed value where all else that belongs together with it is blank: the unit of no weight."""
    values = rows.values
    for group in rows.record.together:
        fixed = [name for name in group if name in rows.fields and _is_fixed(rows, name)]
        others = [name for name in group if name in rows.fields and name not in fixed]
        if not fixed or not others:
            continue
        said = [pl.col(name).is_not_null() for name in others]
        said += [pl.col(clearing(name)) for name in others if clearing(name) in values.columns]
        values = values.with_columns(pl.when(pl.any_horizontal(said)).then(pl.col(name)).alias(name) for name in fixed)
    return rows if values is rows.values else replace(rows, values=values)


def _about_rounding(
    compiled: Compiled, rows: Rows, name: str, made: pl.Series, frame: pl.DataFrame
) -> list[FindingGroup]:
    """A note at each value that has fewer decimals than the expression gave."""
    exact = compiled.column(frame, compiled.expr.cast(pl.String).str.strip_chars_end("0").str.strip_suffix("."))
    mine = rows.values[name].is_null() & exact.is_not_null()
    rounded = mine & (exact != made.str.replace(r"(\.[0-9]*?)0+$", "${1}").str.strip_suffix("."))
    if not rounded.any():
        return []
    messages = [
        f"{before} is rounded to {after}"
        for before, after in zip(exact.filter(rounded), made.filter(rounded), strict=True)
    ]
    cells = cells_of(rows.values[ROW].filter(rounded), made.filter(rounded), messages)
    return [rows.group("note", "made-rounded", "calculated values rounded to the field's decimals", name, cells)]


def _as_text(compiled: Compiled, about: Field) -> pl.Expr:
    """The result of an expression, in canonical text of the field's kind; numbers are rounded to its decimals."""
    if compiled.kind == "number":
        decimals = (about.decimals or 0) if about.is_decimal else 0
        rounded = compiled.expr.round(decimals, mode="half_away_from_zero")
        return rounded.cast(decimal_type(decimals)).cast(pl.String)
    if compiled.kind == "yes_no":
        return pl.when(compiled.expr).then(pl.lit("yes")).otherwise(pl.lit("no"))
    return pl.when(compiled.expr != "").then(compiled.expr)
