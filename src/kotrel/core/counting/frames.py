"""Places and counted lines as whole columns, and as single ones where something is to be said of them."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

import polars as pl

from kotrel.core.counting.selection import FROZEN
from kotrel.core.counting.variance import CountEntry, CountPlace

NUMBER = "number of place"
"""The column (UInt32) with the number of a place, from 1."""
LINES = {
    NUMBER: pl.UInt32, "round": pl.Int64, "counted": pl.String, "counter": pl.String, "at": pl.String, "where": pl.String,
    "remark": pl.String,
}  # fmt: skip
"""The columns of counted lines, as the attributes of :class:`~kotrel.core.counting.variance.Entry`;
``counted`` is a plain number.
"""


def place_frame(frozen: pl.DataFrame, finds: Sequence[Sequence[str | None]] = ()) -> pl.DataFrame:
    """All places of a count in their order: :data:`NUMBER`, the columns of FROZEN, and ``find`` (Boolean).

    Args:
        frozen: the columns of FROZEN: String in canonical text.
        finds: the same of each place that was only found while counting.
    """
    found = pl.DataFrame(finds, schema=dict.fromkeys(FROZEN, pl.String), orient="row")
    whole = pl.concat([frozen.select(FROZEN), found]).with_row_index(NUMBER, offset=1)
    return whole.with_columns((pl.col(NUMBER) > frozen.height).alias("find"))


def as_places(frame: pl.DataFrame) -> list[CountPlace]:
    """Rows of :func:`place_frame`, each as one."""
    return [
        CountPlace(
            number,
            item,
            warehouse,
            bin_,
            lot,
            serial,
            Decimal(expected),
            Decimal(cost or 0),
            unit or "",
            description or "",
            category or "",
            find,
        )
        for number, item, warehouse, bin_, lot, serial, expected, cost, unit, description, category, find in frame.select(
            NUMBER, *FROZEN, "find"
        ).iter_rows()
    ]


def line_frame(entries: Sequence[CountEntry]) -> pl.DataFrame:
    """Counted lines as columns."""
    rows = [
        (each.place, each.round, f"{each.counted:f}", each.counter, each.at, each.where, each.remark)
        for each in entries
    ]
    return pl.DataFrame(rows, schema=LINES, orient="row")


def as_entries(lines: pl.DataFrame) -> list[CountEntry]:
    """Rows of :data:`LINES`, each as one."""
    return [
        CountEntry(number, round_, Decimal(counted), counter, at, where, remark)
        for number, round_, counted, counter, at, where, remark in lines.select(list(LINES)).iter_rows()
    ]
