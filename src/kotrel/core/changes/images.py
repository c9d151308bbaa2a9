"""Row images: what a row held, as one text that a journal can keep."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.columns import raw_after, raw_before


def image(frame: pl.DataFrame, columns: Sequence[str]) -> pl.Expr:
    """The columns of a row as a JSON list of texts and nulls."""
    parts: list[pl.Expr] = []
    for name in columns:
        text = pl.col(name)
        if bool(frame[name].str.contains(r'["\\\p{Cc}]').any()):
            text = text.str.replace_all("\\", "\\\\", literal=True).str.replace_all('"', '\\"', literal=True)
            for plain, escaped in _ESCAPES:
                text = text.str.replace_all(plain, escaped, literal=True)
        parts.append(
            pl.when(text.is_null()).then(pl.lit("null")).otherwise(pl.concat_str(pl.lit('"'), text, pl.lit('"')))
        )
    return pl.concat_str(pl.lit("["), pl.concat_str(parts, separator=","), pl.lit("]"))


_ESCAPES = tuple((chr(code), f"\\u{code:04x}") for code in (*range(32), 127))
"""JSON allows no control character in a text (RFC 8259, section 7)."""


def from_images(images: pl.Series, names: Sequence[str]) -> pl.DataFrame:
    """The columns ``names`` from a column of images."""
    # Decoded once, not once for each column.
    parts = images.str.json_decode(pl.List(pl.String)).alias("parts").to_frame()
    return parts.select(
        pl.col("parts").list.get(place, null_on_oob=True).alias(name) for place, name in enumerate(names)
    )


def raw_image(rows: pl.DataFrame, fields: Sequence[str]) -> pl.Expr:
    """The system's own texts in each row, after and before, where there are any; else null."""
    names = _raw_names(fields)
    there = [name for name in names if name in rows.columns]
    if not there:
        return pl.lit(None, pl.String)
    whole = rows.with_columns(pl.lit(None, pl.String).alias(name) for name in names if name not in there).select(names)
    images = whole.select(image(whole, names)).to_series()
    return pl.when(pl.any_horizontal(pl.col(there).is_not_null())).then(pl.lit(images))


def from_raw_image(images: pl.Series, fields: Sequence[str]) -> list[pl.DataFrame]:
    """The columns that :func:`raw_image` was made of, without those that are blank in every row; none where there are none."""
    if images.null_count() == len(images):
        return []
    raw = from_images(images, _raw_names(fields))
    return [raw.select(name for name in raw.columns if raw[name].null_count() < raw.height)]


def _raw_names(fields: Sequence[str]) -> list[str]:
    return [raw(name) for raw in (raw_after, raw_before) for name in fields]
