"""The lines of a count sheet with which nothing is the matter, all at once: by far the most.

A line is plain where it counts a place that the count has, in the item's base unit, at a time that can be read.
"""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.counting.frames import LINES, NUMBER
from kotrel.core.counting.freezing import PLACE
from kotrel.core.rows.rows import Rows

_AT, _ODD = "counted at", "is no time"


class KnownPlaces:
    """The places of a count, as lines are looked up among them: a sheet has few of the items of a large count."""

    def __init__(self, places: pl.DataFrame) -> None:
        """Takes places as :func:`kotrel.core.counting.frames.place_frame`."""
        self._places = places.select(NUMBER, *PLACE, "expected").sort("item", maintain_order=True)
        runs = self._places.group_by("item", maintain_order=True).len("places")
        self._runs = runs.with_columns((pl.col("places").cum_sum() - pl.col("places")).alias("first"))
        self.warehouses: set[str | None] = set(places["warehouse"].unique())

    def placed(self, lines: pl.DataFrame) -> pl.DataFrame:
        """Lines of a sheet with :data:`NUMBER` and ``expected`` of the place that each counts, blank where the count has none."""
        runs = self._runs.join(lines.select("item").unique(), on="item", how="semi")
        rows = (
            runs.select(pl.int_ranges("first", pl.col("first") + pl.col("places"))).to_series().explode().drop_nulls()
        )
        known = self._places[rows].unique(list(PLACE), keep="last")
        return lines.join(known, on=list(PLACE), how="left", nulls_equal=True, maintain_order="left")


def plain_lines(
    rows: Rows,
    lines: pl.DataFrame,
    units: Mapping[str, str],
    moments: Mapping[str | None, tuple[str | None, str]],
    round_: int,
) -> tuple[pl.DataFrame, pl.Series]:
    """The plain lines as ``ROW`` and the columns of LINES, and which lines those are (Boolean).

    Args:
        lines: the lines of the sheet, :meth:`KnownPlaces.placed`: ``ROW``, :data:`PLACE` with the sheet's warehouse filled in, and ``unit``,
            ``counted``, ``counter``, ``time``, ``remark``.
        moments: what each time that is written in the sheet means, and what is wrong with it.
    """
    items = lines["item"].drop_nulls().unique()
    base = pl.DataFrame(
        {"item": items, "base unit": [units.get(item) for item in items]}, schema_overrides={"base unit": pl.String}
    )
    times = pl.DataFrame(
        [(time, at, bool(odd)) for time, (at, odd) in moments.items()],
        schema={"time": pl.String, _AT: pl.String, _ODD: pl.Boolean}, orient="row",
    )  # fmt: skip
    table = lines.join(base, on="item", how="left", maintain_order="left").join(
        times, on="time", how="left", nulls_equal=True, maintain_order="left"
    )
    own_unit = pl.col("unit").is_null() | (pl.col("unit") == pl.col("base unit"))
    plain = table.select(
        pl.col("counted").is_not_null() & pl.col("base unit").is_not_null() & pl.col(NUMBER).is_not_null()
        & own_unit & ~pl.col(_ODD).fill_null(True) & pl.col("warehouse").is_not_null()
    ).to_series()  # fmt: skip
    before, after = _around(rows)
    chosen = table.filter(plain).select(
        ROW, NUMBER, pl.lit(round_, pl.Int64).alias("round"), "counted", pl.col("counter").fill_null(""), pl.col(_AT).alias("at"),
        pl.format("{}{}{}", pl.lit(before), ROW, pl.lit(after)).alias("where"), pl.col("remark").fill_null(""),
    )  # fmt: skip
    return chosen.select(ROW, *LINES), plain


def where_of(rows: Rows, row: int, letter: str | None) -> str:
    """The file and the cell; in workbooks with its sheet, of which there may be several."""
    table = rows.table
    return f"{table.file} {table.address(row, letter) if table.sheet else table.place(row, letter)}"


def _around(rows: Rows) -> tuple[str, str]:
    """What stands before and after the row's number in the place of a counted cell."""
    sample = 123_456_789
    text = where_of(rows, sample, rows.letters.get("counted"))
    before, _, after = text.rpartition(str(sample))
    return before, after
