"""What other counts have corrected since a count was frozen: that is no movement of goods, and is corrected once."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, suppress
from decimal import Decimal
from pathlib import Path

import polars as pl

from kotrel.core.columns import decimal_type
from kotrel.core.counting.frames import NUMBER
from kotrel.core.stock.sums import PLACE
from kotrel.counting.count_files import FOLDER, Count, Post
from kotrel.systems.interface import Reading
from kotrel.workspace.stored_blocks import Damaged

CORRECTED = (*PLACE, "posted_at", "quantity", "count")
"""Columns: a place, when it was posted (canonical text), the adjustment, and the name of the count."""


def corrections_since(hidden: Path, own: Path, frozen_at: str, places: pl.DataFrame, reading: Reading) -> pl.DataFrame:
    """What other counts of the workspace posted at these places since a moment, and is in force.

    A count that was put aside after it was posted is among them. One that somebody works on is read as it was last
    saved, so that two who post never wait for each other.

    Args:
        own: the file of the count itself.
    """
    found = [pl.DataFrame(schema=dict.fromkeys(CORRECTED, pl.String))]
    folder = hidden / FOLDER
    others = [path for path in (*sorted(folder.glob("*.count")), *sorted(folder.glob("*.dropped*"))) if path != own]
    entries = {each.fingerprint: each for each in reading.history() if each.kind == "load"} if others else {}
    in_force = {each.number for each in entries.values() if not each.undone_by}
    for path in others:
        # A damaged file is reported when somebody opens that count.
        with (
            suppress(sqlite3.Error, Damaged, OSError),
            closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True, timeout=30)) as connection,
        ):
            other = Count(connection, path)
            for post in other.posts():
                entry = entries.get(post.fingerprint)
                # One that was interrupted may have happened, although nobody has looked at that count since.
                load = post.load if post.load is not None or entry is None else entry.number
                if load is not None and load in in_force and post.at > frozen_at:
                    found.append(_corrected(other, post, reading.refused_later(load)))
    return pl.concat(found).join(places.select(PLACE), on=list(PLACE), how="semi", nulls_equal=True)


def _corrected(other: Count, post: Post, refused: frozenset[int]) -> pl.DataFrame:
    lines = [(place, adjustment) for place, _, _, adjustment, _, _ in other.posted(post.number) if place not in refused]
    posted = pl.DataFrame(lines, schema={NUMBER: pl.UInt32, "quantity": pl.String}, orient="row")
    posted = posted.filter(pl.col("quantity").cast(decimal_type(), strict=False) != 0)
    both = other.place_frame().join(posted, on=NUMBER, how="inner")
    return both.select(*PLACE, pl.lit(post.at).alias("posted_at"), "quantity", pl.lit(other.name).alias("count"))


def without_corrections(since: pl.DataFrame, corrected: pl.DataFrame) -> pl.DataFrame:
    """What moved since the freeze, without what other counts corrected: one movement for each correction.

    Args:
        since: ``PLACE``, ``quantity`` and ``posted_at``.
    """
    if not corrected.height or not since.height:
        return since
    open_: dict[tuple[str | None, ...], list[Decimal]] = {}
    for *key, quantity in corrected.select(*PLACE, "quantity").iter_rows():
        open_.setdefault(tuple(key), []).append(Decimal(quantity))
    return since.filter(pl.Series(list(_are_movements(since, open_)), dtype=pl.Boolean))


def _are_movements(since: pl.DataFrame, open_: dict[tuple[str | None, ...], list[Decimal]]) -> Iterator[bool]:
    for *key, quantity in since.select(*PLACE, "quantity").iter_rows():
        mine = open_.get(tuple(key), [])
        number = Decimal(quantity)
        if number in mine:
            mine.remove(number)
            yield False
        else:
            yield True
