"""Rows → the texts of an upload file, and what cannot be written, at its cell."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl
from msgspec import Struct, field

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field, Record
from kotrel.core.expressions.compiling import compile_expression
from kotrel.core.expressions.scope import Scope
from kotrel.core.layouts.layout import Layout, LayoutColumn
from kotrel.core.layouts.wording import Names, UploadProblem, in_form, needs_quotes
from kotrel.core.parallel import map_parallel
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.rows import Rows

UPLOAD_ACTION = "what happens"
"""The column with ``new``, ``changed``, ``same`` or ``withdrawn``."""


class Values(Struct, frozen=True):
    """What the columns are filled from.

    Attributes:
        frame: ``ROW``, :data:`ACTION` and the record's fields as they will be: String in canonical text.
        changed: where only changed fields are written: field → Boolean for each row, it changes or the row is new or
            goes.
        names: see :data:`~kotrel.core.layouts.wording.Names`.
        joined: ``price SHOP`` or ``stock QUAY`` → String for each row, blank where there is none.
        reference: what names the upload, or an empty text.
    """

    frame: pl.DataFrame
    changed: Mapping[str, pl.Series]
    names: Names
    joined: Mapping[str, pl.Series]
    reference: str = ""


class LaidOut(Struct, frozen=True):
    """The file's columns as texts, c0, c1 …, and what cannot be written.

    Attributes:
        bare: no text needs quotes in a text file of the layout. False also where nobody looked.
        cleaned: field → its values as they are written, where some are written otherwise than they are.
    """

    texts: pl.DataFrame
    findings: list[FindingGroup]
    bare: bool = False
    cleaned: Mapping[str, pl.Series] = field(default_factory=dict)


def _without_column(layout: Layout, record: Record, rows: Rows) -> list[FindingGroup]:
    carried = [name for name in rows.fields if name in record.loadable and name in rows.letters]
    titles = [record.fields[name].title for name in carried if name not in layout.uses]
    if not titles:
        return []
    said = f"the layout has no column for {', '.join(titles)}"
    return [rows.sheet_finding("warning", "no-place", "fields without a column", said)]


def lay_out(layout: Layout, record: Record, rows: Rows, values: Values) -> LaidOut:
    """Fills every column of the layout.

    Raises:
        ExpressionError: a ``make`` is wrong.
    """
    done = map_parallel(
        lambda column: _column(layout, record, rows, values, column), layout.columns, values.frame.height
    )
    findings = [finding for each in done for finding in each.findings]
    findings += _without_column(layout, record, rows)
    texts = pl.DataFrame([each.texts.alias(f"c{place}") for place, each in enumerate(done)])
    cleaned = {
        str(column.field): each.cleaned
        for column, each in zip(layout.columns, done, strict=True)
        if each.cleaned is not None and column.field is not None and not column.name and not column.words
    }
    return LaidOut(texts, findings, all(each.bare for each in done), cleaned)


class _UploadColumn(Struct, frozen=True):
    """One column of the file (see :class:`LaidOut`)."""

    texts: pl.Series
    findings: list[FindingGroup]
    bare: bool
    cleaned: pl.Series | None


def _column(layout: Layout, record: Record, rows: Rows, values: Values, column: LayoutColumn) -> _UploadColumn:
    """What repeats is shaped once; only where something is wrong there is each row looked at."""
    raw, about = _raw(layout, record, values, column)
    few = _few_of(raw, column, rows)
    shaped, problems = in_form(raw if few is None else few, about, layout, column, values.names)
    if few is not None and problems:
        few = None
        shaped, problems = in_form(raw, about, layout, column, values.names)
    bare = _is_bare(shaped, few is not None, layout, column, rows)
    if few is not None:
        shaped = raw if shaped.equals(few) else raw.replace_strict(few, shaped, return_dtype=pl.String)
    if (cleared := _cleared(layout, record, values, column)) is not None:
        if layout.cleared is None:
            title = f"{column.called}: values that are taken away"
            problems.append(
                UploadProblem(
                    "cannot-clear",
                    title,
                    cleared,
                    f"the layout {layout.name} writes only what changes, so a blank changes nothing; cleared = “…” in the layout would say what to write",
                )
            )
        else:
            word = _same_everywhere(layout.cleared, values.frame.height)
            shaped, bare = word.zip_with(cleared, shaped), bare and not needs_quotes(word[:1], layout.separator)
    cleaned = next((each.written for each in problems if each.written is not None), None)
    return _UploadColumn(shaped, [_finding_of(each, raw, rows, values, column) for each in problems], bare, cleaned)


def _finding_of(
    problem: UploadProblem, raw: pl.Series, rows: Rows, values: Values, column: LayoutColumn
) -> FindingGroup:
    """What cannot be written, at its cells; where the sheet says nothing, it is what the system has."""
    numbers, given = values.frame[ROW].filter(problem.bad), raw.filter(problem.bad)
    field_name = column.field if column.field in rows.fields else None
    stands = (
        given.clear()
        if field_name is None
        else rows.as_it_stands(field_name).filter(rows.values[ROW].is_in(numbers.implode()))
    )
    if len(stands) != len(numbers):
        stands = given if column.field is None else pl.Series([None], dtype=pl.String).new_from_index(0, len(numbers))
    written = [None] * len(given) if problem.written is None else problem.written.filter(problem.bad).to_list()
    messages = [
        ("" if cell is not None or value is None else f"the sheet says nothing here, and the system has {value}; ")
        + problem.message
        + ("" if text is None else f": it is written as “{text}”")
        for cell, value, text in zip(stands, given, written, strict=True)
    ]
    severity: Severity = "error" if problem.written is None else "warning"
    return rows.group(severity, problem.kind, problem.title, field_name, cells_of(numbers, stands, messages))


def _few_of(raw: pl.Series, column: LayoutColumn, rows: Rows) -> pl.Series | None:
    """The distinct values of a column that is just what the rows say, where they repeat."""
    if column.field is None or column.field not in rows.fields:
        return None
    few = rows.few.of(column.field, rows.values)
    return few if few is not None and raw.equals(rows.values[column.field]) else None


def _is_bare(shaped: pl.Series, is_few: bool, layout: Layout, column: LayoutColumn, rows: Rows) -> bool:
    """True where no text needs quotes."""
    if layout.kind != "text" or layout.quotes != "needed":
        return False
    source = rows.sources.get(column.field or "")
    if not is_few and source is not None and len(source.columns) == 1 and rows.table.unquoted == layout.separator:
        # In a text file with the same separator and no quotes, no cell needs them.
        as_it_stands = shaped.equals(rows.table.cells[source.columns[0]])
    else:
        as_it_stands = False
    return as_it_stands or not needs_quotes(shaped, layout.separator)


def _raw(layout: Layout, record: Record, values: Values, column: LayoutColumn) -> tuple[pl.Series, Field | None]:
    """What a column is filled from, and the field that says how it is written."""
    frame = values.frame
    about: Field | None = None
    raw: pl.Series
    if column.fixed is not None:
        raw = _same_everywhere(column.fixed, frame.height)
    elif column.reference:
        raw = _same_everywhere(values.reference, frame.height)
    elif column.action:
        raw = frame[UPLOAD_ACTION].replace_strict(dict(column.action), default="", return_dtype=pl.String)
    elif column.make is not None:
        compiled = compile_expression(
            column.make, Scope({name: record.fields[name] for name in frame.columns if name in record.fields})
        )
        kind = {"number": "number", "date": "date", "yes_no": "yes_no"}.get(compiled.kind, "text")
        made = compiled.column(frame)
        raw = _text_of(made, kind)
        about = Field("made", column.called, kind, decimals=6 if kind == "number" else None)  # type: ignore[arg-type]
    elif column.price_of is not None or column.stock_in is not None:
        raw = values.joined[f"price {column.price_of}" if column.price_of is not None else f"stock {column.stock_in}"]
        about = Field("joined", column.called, "number", decimals=6)
    elif column.field is not None:
        raw, about = frame[column.field], record.fields[column.field]
        if layout.updates == "changed" and column.field not in record.key and not column.must:
            raw = raw.zip_with(_wanted(record, column.field, values), _same_everywhere(None, frame.height))
    else:
        raw = _same_everywhere(None, frame.height)
    return raw, about


def _same_everywhere(value: str | None, height: int) -> pl.Series:
    return pl.Series("value", [value], dtype=pl.String).new_from_index(0, height)


def _text_of(made: pl.Series, kind: str) -> pl.Series:
    if kind == "yes_no":
        return (
            pl.select(pl.when(made).then(pl.lit("yes")).otherwise(pl.lit("no"))).to_series()
            if made.len()
            else made.cast(pl.String)
        )
    return made.cast(pl.String)


def _cleared(layout: Layout, record: Record, values: Values, column: LayoutColumn) -> pl.Series | None:
    """Rows in which a value is taken away, where only changes are written; None where there are none."""
    changed = values.changed.get(column.field or "")
    if layout.updates != "changed" or changed is None or column.field in record.key:
        return None
    found = (
        changed & values.frame[str(column.field)].is_null() & ~values.frame[UPLOAD_ACTION].is_in(["new", "withdrawn"])
    )
    return found if found.any() else None


def _wanted(record: Record, field: str, values: Values) -> pl.Series:
    """Rows in which a field is to be written: it changes, or one of those that belong together with it."""
    group = next((group for group in record.together if field in group), (field,))
    wanted = [values.changed[name] for name in group if name in values.changed]
    found = wanted[0] if wanted else pl.Series([False]).new_from_index(0, values.frame.height)
    for each in wanted[1:]:
        found = found | each
    return found | (values.frame[UPLOAD_ACTION] == "new")


def split(texts: pl.DataFrame, most: int | None) -> Sequence[pl.DataFrame]:
    """The rows of each file, at most ``most`` in one; the columns stay as they are."""
    if most is None or texts.height <= most:
        return [texts]
    return [texts.slice(at, most) for at in range(0, texts.height, most)]
