"""What other counts have corrected since a count was frozen: that is no movement of goods, and is corrected once."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from decimal import Decimal
from pathlib import Path

import polars as pl

from kotrel.core.columns import decimal_type
from kotrel.core.counting.frames import NUMBER
from kotrel.core.phrases import plain_number
from kotrel.core.stock.sums import PLACE
from kotrel.counting.count_files import FOLDER, Count, DamagedCount, Post
from kotrel.systems.interface import Reading
from kotrel.workspace.stored_blocks import Damaged

CORRECTED = (*PLACE, "posted_at", "quantity", "count")
"""Columns: a place, when it was posted (canonical text), the adjustment, and the name of the count."""


def corrections_since(hidden: Path, own: Path, frozen_at: str, places: pl.DataFrame, reading: Reading) -> pl.DataFrame:
    """What counts of the workspace posted at these places since a moment; of what was undone, both ways, without a name.

    A count that was put aside after it was posted is among them. One that somebody works on is read as it was last
    saved, so that two who post never wait for each other.

    Args:
        own: the file of the count itself: only what it posted and was undone is of interest, for what is posted is closed.
    """
    found = [pl.DataFrame(schema=dict.fromkeys(CORRECTED, pl.String))]
    posts = list(_posts(hidden, own, frozen_at))
    entries = {each.fingerprint: each for each in reading.history() if each.kind == "load"} if posts else {}
    for path, post in posts:
        # One that was interrupted may have happened, although nobody has looked at that count since.
        entry = entries.get(post.fingerprint)
        if entry is None or (path == own and not entry.undone_by):
            continue
        try:
            with _read_only(path) as other:
                frame = _corrected(other, post, reading.refused_later(entry.number))
        except (sqlite3.Error, Damaged):
            raise DamagedCount(
                f"{path} is damaged: nobody can know what that count corrected",
                "Put back a copy of that file from before, or move it elsewhere if it has no place of this count.",
                "count-damaged",
            ) from None
        if entry.undone_by:
            frame = frame.with_columns(pl.lit(None, pl.String).alias("count"))
            back = pl.when(pl.col("quantity").str.starts_with("-")).then(pl.col("quantity").str.strip_prefix("-"))
            found.append(frame.with_columns(back.otherwise("-" + pl.col("quantity")).alias("quantity")))
        found.append(frame)
    return pl.concat(found).join(places.select(PLACE), on=list(PLACE), how="semi", nulls_equal=True)


def _posts(hidden: Path, own: Path, frozen_at: str) -> Iterator[tuple[Path, Post]]:
    """The postings of all counts of the workspace since a moment, each with the count's file."""
    folder = hidden / FOLDER
    for path in (*sorted(folder.glob("*.count")), *sorted(folder.glob("*.dropped*"))):
        # A damaged file is reported when somebody opens that count.
        with suppress(sqlite3.Error, Damaged, OSError), _read_only(path) as count:
            yield from [(path, post) for post in count.posts() if post.at > frozen_at]


@contextmanager
def _read_only(path: Path) -> Iterator[Count]:
    with closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True, timeout=30)) as connection:
        yield Count(connection, path)


def _corrected(other: Count, post: Post, refused: frozenset[int]) -> pl.DataFrame:
    lines = [(place, adjustment) for place, _, _, adjustment, _, _ in other.posted(post.number) if place not in refused]
    posted = pl.DataFrame(lines, schema={NUMBER: pl.UInt32, "quantity": pl.String}, orient="row")
    posted = posted.filter(pl.col("quantity").cast(decimal_type(), strict=False) != 0)
    both = other.place_frame().join(posted, on=NUMBER, how="inner")
    return both.select(*PLACE, pl.lit(post.at).alias("posted_at"), "quantity", pl.lit(other.name).alias("count"))


def without_corrections(since: pl.DataFrame, corrected: pl.DataFrame) -> pl.DataFrame:
    """What moved since the freeze, without what counts corrected: one movement for each correction, the first with its
    quantity from the posting on. Goods may have moved by the same quantity before.

    Args:
        since: ``PLACE``, ``quantity`` and ``posted_at``.
        corrected: :data:`CORRECTED`.
    """
    if not corrected.height or not since.height:
        return since
    places = list(PLACE)
    numbered = since.with_row_index("place in time").join(corrected, on=places, how="semi", nulls_equal=True)
    moved: dict[tuple[str | None, ...], list[tuple[str, int]]] = {}
    for index, *place, quantity, at in numbered.select("place in time", *places, "quantity", "posted_at").iter_rows():
        moved.setdefault((*place, _plain(quantity)), []).append((at or "", index))
    found: set[int] = set()
    for *place, quantity, at in corrected.sort("posted_at").select(*places, "quantity", "posted_at").iter_rows():
        left = [each for each in moved.get((*place, _plain(quantity)), []) if each[1] not in found]
        if left:
            # A server's clock may be a little behind: where nothing is later, it is the last before.
            later = [each for each in left if each[0] >= at]
            found.add(min(later)[1] if later else max(left)[1])
    return (
        since.with_row_index("place in time").filter(~pl.col("place in time").is_in(list(found))).drop("place in time")
    )


def _plain(quantity: str) -> str:
    """A quantity as one text, however many zeros it has."""
    return plain_number(Decimal(quantity))
