"""Rows → the texts of an upload file, and what cannot be written, at its cell."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field, Record
from kotrel.core.expressions import Scope, compile_expression
from kotrel.core.layouts.layout import Layout, LayoutColumn
from kotrel.core.parallel import map_parallel
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows

ACTION = "what happens"
"""The column with ``new``, ``changed``, ``same`` or ``withdrawn``."""


@dataclass(frozen=True)
class Values:
    """What the columns are filled from.

    Attributes:
        frame: ``ROW``, :data:`ACTION` and the record's fields as they will be: String in canonical text.
        changed: where only changed fields are written: field → Boolean for each row, it changes or the row is new or goes.
        names: field → code → name, for columns that write names.
        joined: ``price SHOP`` or ``stock QUAY`` → String for each row, blank where there is none.
        reference: what names the upload, or an empty text.
    """

    frame: pl.DataFrame
    changed: Mapping[str, pl.Series]
    names: Mapping[str, Mapping[str, str]]
    joined: Mapping[str, pl.Series]
    reference: str = ""


@dataclass(frozen=True)
class LaidOut:
    """The file's columns as texts, c0, c1 …, and what cannot be written."""

    texts: pl.DataFrame
    findings: list[FindingGroup]


def lay_out(layout: Layout, record: Record, rows: Rows, values: Values) -> LaidOut:
    """Fills every column of the layout.

    Raises:
        ExpressionError: a ``make`` is wrong.
    """
    columns: list[pl.Series] = []
    findings: list[FindingGroup] = []
    done = map_parallel(
        lambda column: _column(layout, record, rows, values, column), layout.columns, values.frame.height
    )
    for place, (texts, more) in enumerate(done):
        columns.append(texts.alias(f"c{place}"))
        findings += more
    carried = [name for name in rows.fields if name in record.loadable and name in rows.letters]
    left = [
        name
        for name in carried
        if name not in layout.fields and not any(column.make and name in column.make for column in layout.columns)
    ]
    if left:
        titles = ", ".join(record.fields[name].title for name in left)
        findings.append(
            rows.sheet_finding(
                "warning", "no-place", "fields without a column", f"the layout has no column for {titles}"
            )
        )
    return LaidOut(pl.DataFrame(columns), findings)


def _column(
    layout: Layout, record: Record, rows: Rows, values: Values, column: LayoutColumn
) -> tuple[pl.Series, list[FindingGroup]]:
    frame = values.frame
    about: Field | None = None
    raw: pl.Series
    if column.fixed is not None:
        raw = _all(column.fixed, frame.height)
    elif column.reference:
        raw = _all(values.reference, frame.height)
    elif column.action:
        raw = frame[ACTION].replace_strict(dict(column.action), default="", return_dtype=pl.String)
    elif column.make is not None:
        compiled = compile_expression(
            column.make, Scope({name: record.fields[name] for name in frame.columns if name in record.fields})
        )
        kind = {"number": "number", "date": "date", "yes_no": "yes_no"}.get(compiled.kind, "text")
        made = compiled.column(frame)
        raw = _text_of(made, kind)
        about = Field("made", column.heading, kind, decimals=6 if kind == "number" else None)  # type: ignore[arg-type]
    elif column.price_of is not None or column.stock_in is not None:
        raw = values.joined[f"price {column.price_of}" if column.price_of is not None else f"stock {column.stock_in}"]
        about = Field("joined", column.heading, "number", decimals=6)
    elif column.field is not None:
        raw, about = frame[column.field], record.fields[column.field]
        if layout.updates == "changed" and column.field not in record.key:
            raw = raw.zip_with(_wanted(record, column.field, values), _all(None, frame.height))
    else:
        raw = _all(None, frame.height)
    found: list[FindingGroup] = []

    def wrong(kind: str, title: str, bad: pl.Series, message: str) -> None:
        if bad.any():
            at = rows.values[ROW].is_in(frame[ROW].filter(bad).implode())
            stands = rows.as_it_stands(column.field).filter(at) if column.field in rows.fields else raw.filter(bad)
            numbers = frame[ROW].filter(bad)
            cells = cells_of(numbers, stands if len(stands) == len(numbers) else raw.filter(bad), message)
            found.append(rows.group("error", kind, title, column.field if column.field in rows.fields else None, cells))

    if column.must:
        wrong(
            "missing",
            f"{column.heading}: must be filled",
            raw.is_null() | (raw == ""),
            f"the column {column.heading} must not be blank",
        )
    if about is not None and about.is_decimal:
        raw, over = _number(raw, column, layout)
        decimals = column.decimals if column.decimals is not None else layout.decimals
        wrong(
            "too-many-decimals",
            f"{column.heading}: too many decimals",
            over,
            f"the column {column.heading} takes {decimals} decimals: round it first",
        )
    elif about is not None:
        raw = _worded(raw, about, column, layout, values)
    if column.words and not column.action:
        raw = raw.replace(dict(column.words))
    if layout.one_line:
        raw = raw.str.replace_all(r"[\r\n\t]+", " ")
        if layout.kind == "text":
            raw = raw.str.replace_all(layout.separator, " ", literal=True)
        raw = raw.str.replace_all(" {2,}", " ").str.strip_chars()
    if column.length is not None:
        wrong(
            "too-long",
            f"{column.heading}: too long",
            (raw.str.len_chars() > column.length).fill_null(False),
            f"the column {column.heading} takes {column.length} characters",
        )
    if layout.kind == "text" and layout.encoding.lower().replace("_", "-") not in ("utf-8", "utf-8-sig", "utf-16"):
        lost = _not_in(raw, layout.encoding)
        wrong(
            "not-in-encoding",
            f"{column.heading}: letters that {layout.encoding} lacks",
            lost,
            f"{layout.encoding} has no such letter: write it otherwise",
        )
    if layout.kind == "text" and layout.quotes == "none":
        split = raw.str.contains(layout.separator, literal=True).fill_null(False) | raw.str.contains(
            r"[\r\n]"
        ).fill_null(False)
        wrong(
            "needs-quotes",
            f"{column.heading}: separators or line breaks",
            split,
            "the program reads no quotes, so this would shift its columns (clean = true removes them)",
        )
    return raw.fill_null(layout.blank) if layout.blank and raw.null_count() else raw, found


def _all(value: str | None, height: int) -> pl.Series:
    return pl.Series("value", [value], dtype=pl.String).new_from_index(0, height)


def _text_of(made: pl.Series, kind: str) -> pl.Series:
    if kind == "yes_no":
        return (
            pl.select(pl.when(made).then(pl.lit("yes")).otherwise(pl.lit("no"))).to_series()
            if made.len()
            else made.cast(pl.String)
        )
    return made.cast(pl.String)


def _wanted(record: Record, field: str, values: Values) -> pl.Series:
    """Rows in which a field is to be written: it changes, or one of those that belong together with it."""
    group = next((group for group in record.together if field in group), (field,))
    wanted = [values.changed[name] for name in group if name in values.changed]
    found = wanted[0] if wanted else pl.Series([False]).new_from_index(0, values.frame.height)
    for each in wanted[1:]:
        found = found | each
    return found | (values.frame[ACTION] == "new")


def _number(raw: pl.Series, column: LayoutColumn, layout: Layout) -> tuple[pl.Series, pl.Series]:
    """Numbers in the layout's form, and which of them have more decimals than it takes."""
    decimals = column.decimals if column.decimals is not None else layout.decimals
    if column.at_most is None and (ready := _as_it_is(raw, decimals)) is not None:
        text = ready.str.replace(".", ",", literal=True) if layout.decimal_mark == "," else ready
        return text, pl.Series([False], dtype=pl.Boolean).new_from_index(0, len(raw))
    number = raw.cast(pl.Decimal(38, 12), strict=False)
    if column.at_most is not None:
        most = pl.Series([str(column.at_most)]).cast(pl.Decimal(38, 12)).new_from_index(0, len(number))
        number = number.zip_with((number <= most).fill_null(True), most)
    if decimals is None:
        text = number.cast(pl.String).str.replace(r"(\.[0-9]*?)0+$", "${1}").str.replace(r"\.$", "")
        over = pl.Series([False]).new_from_index(0, len(raw))
    else:
        near = number.round(decimals, mode="half_away_from_zero")
        over = (near != number).fill_null(False)
        text = near.cast(pl.Decimal(38, decimals)).cast(pl.String)
    return (text.str.replace(".", ",", literal=True) if layout.decimal_mark == "," else text), over


def _as_it_is(raw: pl.Series, decimals: int | None) -> pl.Series | None:
    """Canonical numbers that need no arithmetic: to be written without zeros at the end, or with the decimals that they have."""
    if decimals is None:
        # Without its point, 100 has no zeros that say nothing.
        whole = ~raw.str.contains(".", literal=True).fill_null(True)
        bare = raw.str.strip_chars_end("0").str.strip_suffix(".")
        return raw.zip_with(whole, bare) if whole.any() else bare
    point = rf"\.[0-9]{{{decimals}}}" if decimals else ""
    return raw if bool(raw.str.contains(rf"^-?[0-9]+{point}$").fill_null(True).all()) else None


def _worded(raw: pl.Series, about: Field, column: LayoutColumn, layout: Layout, values: Values) -> pl.Series:
    """Dates, yes and no, and names in the program's own form."""
    if about.kind == "date":
        form = layout.date.replace("YYYY", "%Y").replace("YY", "%y").replace("MM", "%m").replace("DD", "%d")
        return raw.str.to_date("%Y-%m-%d", strict=False).dt.to_string(form)
    if about.kind == "yes_no" and (layout.yes, layout.no) != ("yes", "no"):
        return raw.replace({"yes": layout.yes, "no": layout.no})
    if column.name and about.name in values.names:
        return raw.replace_strict(dict(values.names[about.name]), default=None, return_dtype=pl.String).fill_null(raw)
    return raw


def _not_in(texts: pl.Series, encoding: str) -> pl.Series:
    """Which texts have a letter that the encoding lacks. Each different text is tried once."""

    def lacks(text: str) -> bool:
        try:
            text.encode(encoding)
        except UnicodeEncodeError:
            return True
        return False

    bad = [text for text in texts.unique().drop_nulls().to_list() if lacks(text)]
    return texts.is_in(bad).fill_null(False)


def split(texts: pl.DataFrame, most: int | None) -> Sequence[pl.DataFrame]:
    """The rows of each file."""
    if most is None or texts.height <= most:
        return [texts]
    return [texts.slice(at, most) for at in range(0, texts.height, most)]
