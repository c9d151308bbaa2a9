"""What was in force before a row with an end, such as a promotion, and would be in force again the day after."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date, timedelta
from typing import Literal, NamedTuple

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.resolving.list_additions import Consequence
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.table import Table

AfterEnd = Literal["resume", "nothing"]
"""What follows the end of a row: what was in force before, or nothing."""
OPEN = "9999-12-31"
"""Stands for the end of a period without one, so that ends can be compared."""


class _Point(NamedTuple):
    place: int
    start: str
    reach: str
    row: int | None


def days_left(points: pl.DataFrame, first: str) -> pl.DataFrame:
    """The days that new rows leave without one, although an earlier row reaches them.

    ``caused by``: the row of the sheet whose end leaves them (Int64); ``place of point``: the point that would be in force then (UInt32);
    ``from day`` and ``to day``, text: the first day and the last, blank for an open end.

    An earlier row never goes on across a later one, new or there already: it goes on until the day before that.

    Args:
        points: the rows for the same things (``same thing``) in the order of their first days; ``goes on`` and ``went on``
            (the row after it, or before it, is for the same), ``is new``, ``own end`` and ``new end`` (what follows for
            a new row without an end); see :mod:`kotrel.core.resolving.periods`.
    """
    reach = pl.when("is new").then(pl.coalesce("own end", "ends within")).otherwise("own end").fill_null(OPEN)
    ordered = points.with_row_index("place of point").with_columns(reach.alias("reaches to"))
    # Most things have one row, or rows that follow each other: they are not looked at one by one.
    ordered = ordered.filter(pl.col("goes on") | pl.col("went on"))
    before = pl.col("reaches to").cum_max().shift(1).over("same thing")
    ends = pl.col("is new") & (pl.col("reaches to") != OPEN) & (before > pl.col("reaches to"))
    wanted = ordered.filter(ends)["same thing"].unique()
    spans: list[tuple[int, int, str, str | None]] = []
    few = ordered.filter(pl.col("same thing").is_in(wanted.implode()))
    for part in few.partition_by("same thing", maintain_order=True):
        rows = part.select("place of point", pl.col(first), "reaches to", pl.when("is new").then(ROW)).iter_rows()
        spans += _of_one([_Point(*row) for row in rows])
    schema = {"caused by": pl.Int64, "place of point": pl.UInt32, "from day": pl.String, "to day": pl.String}
    return pl.DataFrame(spans, schema=schema, orient="row")


def _of_one(points: Sequence[_Point]) -> Iterator[tuple[int, int, str, str | None]]:
    for index, point in enumerate(points):
        until = _day(points[index + 1].start, -1) if index + 1 < len(points) else OPEN
        day = _day(point.reach, 1) if point.reach != OPEN else OPEN
        while day <= until and day != OPEN:
            earlier = [n for n in range(index) if points[n].reach >= day]
            # A row of the sheet between them is why the earlier one ended; without one the system has it so.
            cause = (
                next((points[n].row for n in range(index, earlier[-1], -1) if points[n].row is not None), None)
                if earlier
                else None
            )
            if cause is None:
                break
            base = points[earlier[-1]]
            last = min(base.reach, until)
            yield cause, base.place, day, None if last == OPEN else last
            day = _day(last, 1) if last != OPEN else OPEN


def _day(day: str, by: int) -> str:
    try:
        return (date.fromisoformat(day) + timedelta(by)).isoformat()
    except OverflowError:
        return OPEN


def rows_again(
    rows: Rows, left: pl.DataFrame, points: pl.DataFrame, state: SystemState, first: str, last: str
) -> Consequence | None:
    """The rows that begin again, with all that the former ones say; each is caused by the row whose end it follows."""
    if not left.height:
        return None
    record = rows.record
    key = list(record.key)
    based = left.join(
        points.with_row_index("place of point").select("place of point", "is new", pl.col(ROW).alias("own row"), *key),
        on="place of point",
    )
    of_sheet = based.filter("is new").join(
        rows.values.select(ROW, *(name for name in rows.fields if name not in key)),
        left_on="own row",
        right_on=pl.col(ROW).cast(pl.Int64),
        how="left",
    )
    fields = list(record.fields)
    held = state.having(record, fields, key[0], based[key[0]].unique()).select(fields).unique(key, keep="any")
    of_system = based.filter(~pl.col("is new")).join(held, on=key, how="left")
    whole = pl.concat([of_sheet, of_system], how="diagonal")
    carried = [name for name in fields if name in whole.columns and name not in (first, last)]
    values = whole.select(
        pl.col("caused by").cast(pl.UInt32).alias(ROW),
        *carried,
        pl.col("from day").alias(first),
        pl.col("to day").alias(last),
    ).sort(ROW, *key)
    ordered = values.select(ROW, *(name for name in fields if name in values.columns))
    table = Table(*rows.table.origin, 0, (), ordered.select(ROW), {})
    return Consequence("resumed", Rows(table, record, {}, ordered, currency=rows.currency), ordered.select(ROW, *key))
