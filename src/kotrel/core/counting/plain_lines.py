"""The lines of a count sheet with which nothing is the matter, all at once: by far the most.

A line is plain where it counts a place that the count has, in the item's base unit, at a time that can be read.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from decimal import Decimal

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.counting.freezing import PLACE
from kotrel.core.counting.variance import Entry
from kotrel.core.rows.rows import Rows

NUMBER = "number of place"
_AT, _ODD = "counted at", "is no time"


def place_frame(places: Iterable[tuple[int, str, str | None, str | None, str | None, str | None]]) -> pl.DataFrame:
    """Places to look lines up in: :data:`NUMBER` (Int64) and the columns of :data:`PLACE`."""
    frame = pl.DataFrame(list(places), schema={NUMBER: pl.Int64, **dict.fromkeys(PLACE, pl.String)}, orient="row")
    return frame.unique(list(PLACE), keep="last", maintain_order=True)


def plain_entries(
    rows: Rows,
    lines: pl.DataFrame,
    places: pl.DataFrame,
    units: Mapping[str, str],
    moments: Mapping[str | None, tuple[str | None, str]],
    round_: int,
) -> tuple[list[Entry], pl.Series]:
    """The entries of the plain lines, in their order, and which lines those are (Boolean).

    Args:
        lines: the lines of the sheet: ``ROW``, :data:`PLACE` with the sheet's warehouse filled in, and ``unit``, ``counted``,
            ``counter``, ``time``, ``remark``.
        moments: what each time that is written in the sheet means, and what is wrong with it.
    """
    base = pl.DataFrame(
        {"item": list(units), "base unit": list(units.values())}, schema=dict.fromkeys(("item", "base unit"), pl.String)
    )
    times = pl.DataFrame(
        [(time, at, bool(odd)) for time, (at, odd) in moments.items()],
        schema={"time": pl.String, _AT: pl.String, _ODD: pl.Boolean}, orient="row",
    )  # fmt: skip
    table = (
        lines.join(places, on=list(PLACE), how="left", nulls_equal=True, maintain_order="left")
        .join(base, on="item", how="left", maintain_order="left")
        .join(times, on="time", how="left", nulls_equal=True, maintain_order="left")
    )
    own_unit = pl.col("unit").is_null() | (pl.col("unit") == pl.col("base unit"))
    plain = table.select(
        pl.col("counted").is_not_null() & pl.col("base unit").is_not_null() & pl.col(NUMBER).is_not_null()
        & own_unit & ~pl.col(_ODD).fill_null(True) & pl.col("warehouse").is_not_null()
    ).to_series()  # fmt: skip
    before, after = _around(rows)
    chosen = table.filter(plain).select(
        NUMBER, "counted", pl.col("counter").fill_null(""), _AT,
        pl.format("{}{}{}", pl.lit(before), ROW, pl.lit(after)), pl.col("remark").fill_null(""),
    )  # fmt: skip
    entries = [
        Entry(number, round_, Decimal(counted), counter, at, where, remark)
        for number, counted, counter, at, where, remark in chosen.iter_rows()
    ]
    return entries, plain


def _around(rows: Rows) -> tuple[str, str]:
    """What stands before and after the row's number in the place of a counted cell."""
    sample = 123_456_789
    text = f"{rows.table.file} {rows.table.place(sample, rows.letters.get('counted'))}"
    before, _, after = text.rpartition(str(sample))
    return before, after
