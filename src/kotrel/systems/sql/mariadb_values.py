"""Values as SQL for MariaDB and MySQL: lists of rows to insert, and texts in the type of a column."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any

import polars as pl

_CHUNK = 20_000
_BYTES = 1_000_000
"""Rows and bytes of one insert: a server takes 16 MB at once unless it says otherwise."""


def as_text_of(value: Any) -> str:
    """A value of the driver as a text; names of the catalogue may come as bytes."""
    if isinstance(value, bytes | bytearray):
        return bytes(value).decode("utf-8", "replace")
    return "" if value is None else str(value)


def value_lists(frame: pl.DataFrame, forms: Sequence[str] | None) -> Iterator[str]:
    """The rows of a frame as lists of SQL values, in pieces that a server takes at once."""
    # Yes and no are numbers there.
    frame = frame.with_columns(pl.col(pl.Boolean).cast(pl.Int8))
    texts = [_literal(pl.col(name), of) for name, of in frame.schema.items()]
    for index, form in enumerate(forms or ()):
        if form != "?":
            texts[index] = _in_form(texts[index], form)
    row = pl.concat_str(
        [pl.lit("("), texts[0], *(part for each in texts[1:] for part in (pl.lit(", "), each)), pl.lit(")")]
    )
    for part in frame.iter_slices(_CHUNK):
        piece: list[str] = []
        size = 0
        for text in part.select(row.alias("row"))["row"]:
            piece.append(text)
            size += len(text)
            if size > _BYTES:
                yield ", ".join(piece)
                piece, size = [], 0
        if piece:
            yield ", ".join(piece)


def _literal(column: pl.Expr, of: pl.DataType) -> pl.Expr:
    if of.is_integer():
        # Without quotes: the text '1' is eight bits, too many for a bit.
        return pl.when(column.is_null()).then(pl.lit("NULL")).otherwise(column.cast(pl.String))
    text = column.cast(pl.String).str.replace_all("'", "''", literal=True)
    return pl.when(column.is_null()).then(pl.lit("NULL")).otherwise(pl.lit("'") + text + pl.lit("'"))


def _in_form(text: pl.Expr, form: str) -> pl.Expr:
    """A value within SQL that has a question mark in its place."""
    parts = form.split("?")
    found: list[pl.Expr] = []
    for index, part in enumerate(parts):
        found += [pl.lit(part), text] if index < len(parts) - 1 else [pl.lit(part)]
    return pl.concat_str(found)


def cast_as(text: str, kind: str) -> str:
    """SQL for a text as a column of that type stores it."""
    name = kind.partition("(")[0].partition(" ")[0].lower()
    size = re.search(r"\(([0-9, ]+)\)", kind)
    if name == "decimal":
        return f"CAST({text} AS decimal({size[1] if size else '10'}))"
    if name in ("tinyint", "smallint", "mediumint", "int", "bigint", "year", "bit"):
        return f"CAST({text} AS {'unsigned' if 'unsigned' in kind else 'signed'})"
    if name in ("double", "float"):
        return f"CAST({text} AS double)"
    if name == "date":
        return f"CAST({text} AS date)"
    if name in ("datetime", "timestamp"):
        return f"CAST({text} AS datetime{f'({size[1]})' if size else ''})"
    return f"CAST({text} AS time)" if name == "time" else text
