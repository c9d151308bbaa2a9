"""The places of a count as its file keeps them: what was frozen as whole columns, finds row by row."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from decimal import Decimal

import polars as pl

from kotrel.core.counting.freezing import FROZEN
from kotrel.core.counting.variance import Place

NUMBER = "number"
_ROWS = 200_000
"""Rows of one block: far below what SQLite holds in one cell, whatever the descriptions."""


def blocks_of(places: pl.DataFrame) -> Iterator[bytes]:
    """Frozen places (:data:`~kotrel.core.counting.freezing.FROZEN`) as blocks of columns."""
    for part in places.select(FROZEN).iter_slices(_ROWS):
        block = io.BytesIO()
        part.rechunk().write_ipc(block, compression="lz4")
        yield block.getvalue()


def places_in(blocks: Sequence[bytes], finds: Sequence[Sequence[str | None]]) -> pl.DataFrame:
    """All places in their order: :data:`NUMBER` (UInt32, from 1), the columns of FROZEN, and ``find`` (Boolean)."""
    schema = dict.fromkeys(FROZEN, pl.String)
    found = pl.DataFrame(finds, schema=schema, orient="row")
    parts = [pl.read_ipc(io.BytesIO(block)).select(FROZEN) for block in blocks]
    frozen = pl.concat(parts) if parts else pl.DataFrame(schema=schema)
    whole = pl.concat([frozen, found]).with_row_index(NUMBER, offset=1)
    return whole.with_columns((pl.col(NUMBER) > frozen.height).alias("find"))


def as_places(frame: pl.DataFrame) -> list[Place]:
    """Rows of :func:`places_in`, each as one."""
    columns = (NUMBER, *FROZEN, "find")
    return [
        Place(number, item, warehouse, bin_, lot, serial, Decimal(expected), Decimal(cost or 0), unit or "", description or "",
              category or "", find)
        for number, item, warehouse, bin_, lot, serial, expected, cost, unit, description, category, find
        in frame.select(columns).iter_rows()
    ]  # fmt: skip
