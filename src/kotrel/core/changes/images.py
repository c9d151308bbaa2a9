"""Row images: what a row held, as one text that a journal can keep."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl


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
