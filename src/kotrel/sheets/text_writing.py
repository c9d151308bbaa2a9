"""Text files in any form: with or without headings, in any encoding, with any separator, quotes and decimals.

The form is data (:class:`TextForm`), because every receiving program insists on its own. Nothing is lost on the way: a
value that the form cannot carry is an error that names it.
"""

from __future__ import annotations

import codecs
import io
from collections.abc import Sequence
from pathlib import Path
from typing import IO, BinaryIO, Literal, cast

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type
from kotrel.core.errors import WrongData
from kotrel.core.layouts.wording import class_of
from kotrel.core.values.formula_guard import guard
from kotrel.sheets.output import OutColumn, OutSheet

_POLARS_QUOTES: dict[str, Literal["necessary", "always", "never"]] = {
    "needed": "necessary",
    "all": "always",
    "none": "never",
}


_AS_WRITTEN = {"utf-8": b"", "utf-8-sig": codecs.BOM_UTF8}
"""Encodings that need no conversion, and what the file begins with."""


class TextForm(Struct, frozen=True):
    """How a text file is written.

    Attributes:
        headings: whether the first line has the headings.
        encoding: any that Python knows; ``utf-8-sig`` is UTF-8 with the mark that spreadsheet programs need.
        separator: one character between values.
        line_end: what ends each line.
        quotes: around values that ``needed`` them, around ``all``, or around ``none``.
        decimal_mark: the mark before decimals.
        decimals: exactly this many in each decimal field, or None for as many as the value has.
        one_line: whether line breaks and separators inside a value become a space, for readers that know no quotes.
        guarded: whether a text that a spreadsheet would take for a formula is protected.
        clear_thousands: whether numbers with three decimals are written so that nobody takes the point for thousands.
    """

    headings: bool = True
    encoding: str = "utf-8-sig"
    separator: str = ","
    line_end: Literal["\r\n", "\n", "\r"] = "\r\n"
    quotes: Literal["needed", "all", "none"] = "needed"
    decimal_mark: Literal[".", ","] = "."
    decimals: int | None = None
    one_line: bool = False
    guarded: bool = False
    clear_thousands: bool = False


COMMAS = TextForm(guarded=True, clear_thousands=True)
"""The form of Kotrel's own .csv files."""

TABS = TextForm(separator="\t", one_line=True, guarded=True, clear_thousands=True)
"""The form of Kotrel's own tab-separated files; some readers of these do not understand quotes."""


def text_form(ending: str) -> TextForm:
    """The form of Kotrel's own text files with that ending."""
    return COMMAS if ending.lower() == ".csv" else TABS


def _put_quoted(rows: pl.DataFrame, file: BinaryIO, form: TextForm) -> None:
    returns = _put_lines(rows, file, form, _POLARS_QUOTES[form.quotes])
    if form.quotes == "needed" and returns > rows.height * form.line_end.count("\r"):
        # A lone carriage return ends a line for many readers, but the writer sees no need to quote it.
        file.seek(0)
        file.truncate()
        _put_lines(rows, file, form, "always")


def write_text(sheet: OutSheet, path: Path, form: TextForm, bare: bool = False) -> None:
    """Writes one sheet as text.

    Args:
        bare: no value needs quotes as it is written (see :func:`~kotrel.core.layouts.wording.needs_quotes`), which
            saves the search for those that do.

    Raises:
        WrongData: a value has characters or decimals that the form cannot carry; the message names it.
    """
    names = [f"c{place}" for place in range(len(sheet.columns))]
    rows = sheet.rows.rename(dict(zip(sheet.rows.columns, names, strict=True)))
    for name, column in zip(names, sheet.columns, strict=True):
        rows = rows.with_columns(_written_values(rows[name], column, form).alias(name))
    if form.headings:
        heading = pl.DataFrame({name: [column.heading] for name, column in zip(names, sheet.columns, strict=True)})
        if form.guarded:
            heading = heading.with_columns(guard(pl.col(name)).alias(name) for name in names)
        rows = pl.concat([heading, rows])
    if form.one_line:
        rows = rows.with_columns(pl.all().str.replace_all(rf"[{class_of(form.separator)}\r\n]+", " "))
    if form.quotes == "none":
        _require_plain(rows, sheet.columns, form)
    elif rows.width == 1:
        # With nothing in it, the line would be blank, and readers leave out blank lines.
        rows = rows.with_columns(pl.all().fill_null(""))
    try:
        with path.open("wb") as file:
            if bare and not form.headings and rows.width > 1:
                _put_bare(rows, file, form)
            else:
                _put_quoted(rows, file, form)
    except UnicodeEncodeError as error:
        raise WrongData(
            f"{_value_with(rows, error.object[error.start])} cannot be written in the encoding {form.encoding}",
            "Change that value, or use another encoding.",
            "not-in-encoding",
        ) from None


def _put_lines(
    rows: pl.DataFrame, file: IO[bytes], form: TextForm, quotes: Literal["necessary", "always", "never"]
) -> int:
    """Writes the rows as lines; returns how many carriage returns there are.

    Raises:
        UnicodeEncodeError: a character is not in the encoding.
    """
    out = _Out(file) if form.encoding in _AS_WRITTEN else _Out(io.BytesIO())
    file.write(_AS_WRITTEN.get(form.encoding, b""))
    try:
        _put_rows(rows, cast(IO[bytes], out), form, quotes)
    except Exception:
        if out.failed is not None:
            # The disk is full, say: the writer of lines would make another error of it.
            raise out.failed from None
        raise
    if isinstance(out.file, io.BytesIO):
        file.write(out.file.getvalue().decode().encode(form.encoding))
    return out.returns


def _put_bare(rows: pl.DataFrame, file: IO[bytes], form: TextForm) -> None:
    """Writes rows that need no quotes, past Python where the encoding allows that."""
    if form.encoding in _AS_WRITTEN:
        try:
            file.write(_AS_WRITTEN[form.encoding])
            file.flush()
            _put_rows(rows, file, form, "never")
            return
        except Exception:
            # The disk is full, say: the writer of lines says that in its own way, and Python's clearly.
            file.seek(0)
            file.truncate()
    _put_lines(rows, file, form, "never")


def _put_rows(
    rows: pl.DataFrame, out: IO[bytes], form: TextForm, quotes: Literal["necessary", "always", "never"]
) -> None:
    rows.write_csv(
        out, include_header=False, separator=form.separator, line_terminator=form.line_end, quote_style=quotes
    )


class _Out:
    """A file that counts the carriage returns in it. What is written straight away is never in memory as a whole."""

    def __init__(self, file: IO[bytes]) -> None:
        self.file = file
        self.returns = 0
        self.failed: OSError | None = None

    def write(self, part: bytes) -> int:
        self.returns += part.count(b"\r")
        try:
            return self.file.write(part)
        except OSError as error:
            self.failed = error
            raise

    def flush(self) -> None:
        self.file.flush()


def _written_values(values: pl.Series, column: OutColumn, form: TextForm) -> pl.Series:
    """A column's values as the form writes them."""
    if column.field is None or not column.field.is_decimal:
        if not form.guarded:
            return values
        return values.to_frame().select(guard(pl.col(values.name)).alias(values.name)).to_series()
    if form.decimals is not None:
        values = _with_decimals(values, column, form.decimals)
    elif form.clear_thousands and column.field.decimals == 3:
        values = values.to_frame().select(_clear_number(pl.col(values.name))).to_series()
    if form.guarded:
        # A text where a number should be may be anything.
        text = pl.col(values.name)
        plain = text.str.contains(r"^-?[0-9]+(?:\.[0-9]+)?$")
        values = (
            values.to_frame().select(pl.when(plain).then(text).otherwise(guard(text)).alias(values.name)).to_series()
        )
    return values.str.replace(".", ",", literal=True) if form.decimal_mark == "," else values


def _with_decimals(values: pl.Series, column: OutColumn, decimals: int) -> pl.Series:
    """Numbers with exactly that many decimals.

    Raises:
        WrongData: a value has more; it is never rounded on the way out.
    """
    more = values.str.contains(rf"\.[0-9]{{{decimals}}}[0-9]*[1-9]").fill_null(False)
    if more.any():
        raise WrongData(
            f"{column.heading}: {values.filter(more)[0]} has more than {decimals} decimals",
            "Round the values first, or allow more decimals.",
            "too-many-decimals",
        )
    exact = values.cast(decimal_type(decimals), strict=False).cast(pl.String)
    return pl.select(pl.coalesce(exact, values).alias(values.name)).to_series()


def _clear_number(text: pl.Expr) -> pl.Expr:
    """A number without trailing zeros, or with four decimals where three could be taken for thousands (1.125)."""
    short = pl.when(text.str.contains(r"^-?[0-9]+\.[0-9]+$")).then(text.str.replace(r"\.?0+$", "")).otherwise(text)
    return pl.when(short.str.contains(r"^-?[1-9][0-9]{0,2}\.[0-9]{3}$")).then(short + "0").otherwise(short)


def _require_plain(rows: pl.DataFrame, columns: Sequence[OutColumn], form: TextForm) -> None:
    """Without quotes, a value must not contain the separator or a line break, and a line must not be blank.

    Raises:
        WrongData: one does.
    """
    for name, column in zip(rows.columns, columns, strict=True):
        bad = rows[name].str.contains(rf"[{class_of(form.separator)}\r\n]").fill_null(False)
        if bad.any():
            raise WrongData(
                f"{column.heading}: “{rows[name].filter(bad)[0]}” contains the separator or a line break",
                "Use quotes or another separator, or put such values on one line.",
                "needs-quotes",
            )
    if rows.width == 1 and (rows.to_series().fill_null("") == "").any():
        raise WrongData(
            f"{columns[0].heading}: without quotes, a blank value is a blank line, and readers leave that out",
            "Use quotes or a second column.",
            "needs-quotes",
        )


def _value_with(rows: pl.DataFrame, character: str) -> str:
    """The first value with a character, for a message."""
    for name in rows.columns:
        found = rows[name].filter(rows[name].str.contains(character, literal=True).fill_null(False))
        if len(found):
            return f"“{found[0]}”"
    return f"“{character}”"
