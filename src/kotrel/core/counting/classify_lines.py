"""The lines of a count, parted: by far the most have nothing to be said of, and are looked at as whole columns."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type
from kotrel.core.counting.frames import NUMBER, as_entries, as_places
from kotrel.core.counting.variance import CountLine, Movements
from kotrel.core.stock.sums import PLACE

_LONG = r"\.[0-9]{13}|[0-9]{26}"
"""A number that does not fit :data:`decimal_type()`: such lines are looked at one by one."""
NOW = "held now"


class Parted(Struct, frozen=True):
    """Places by what there is to say of them; each as the columns of :func:`~kotrel.core.counting.frames.place_frame`.

    Attributes:
        quiet: counted once, and as expected; with ``when counted`` (String), what was expected then, and the columns of
            :data:`~kotrel.core.counting.frames.LINES`.
        left: not counted; with ``when counted``, what is expected now.
        told: all others.
        lines: what was counted at those.
    """

    quiet: pl.DataFrame
    left: pl.DataFrame
    told: pl.DataFrame
    lines: pl.DataFrame


def parted(
    places: pl.DataFrame, lines: pl.DataFrame, now: pl.DataFrame, moved: pl.DataFrame, known: bool = True
) -> Parted:
    """Parts the places of a count.

    Args:
        lines: everything counted, in the order in which it was collected.
        now: what places hold now: ``PLACE`` and ``quantity``.
        moved: places where something moved since the freeze: ``PLACE``.
        known: False where the system does not say when goods moved: then what was frozen is expected.
    """
    last = lines.join(lines.group_by(NUMBER).agg(pl.col("round").max()), on=[NUMBER, "round"], how="semi")
    once = last.filter(pl.col(NUMBER).is_unique())
    several = last.filter(~pl.col(NUMBER).is_unique()).select(NUMBER).unique()
    whole = (
        places.join(
            now.select(*PLACE, pl.col("quantity").alias(NOW)),
            on=list(PLACE),
            how="left",
            nulls_equal=True,
            maintain_order="left",
        )
        .join(once, on=NUMBER, how="left", maintain_order="left")
        .with_columns(pl.col(NOW).fill_null("0"))
    )
    # Where nothing moved, what is there now was there when it was counted.
    whole = whole.with_columns(pl.col(NOW if known else "expected").alias("when counted"))
    exact = [pl.col(name).cast(decimal_type(), strict=False) for name in ("counted", "when counted")]
    short = ~pl.col("counted").str.contains(_LONG) & ~pl.col("when counted").str.contains(_LONG)
    unlike = whole.filter(pl.col("counted").is_not_null() & ~(short & (exact[0] == exact[1])).fill_null(False))
    odd = [unlike.select(NUMBER), several]
    if moved.height:
        shifted = whole.filter(pl.col("counted").is_not_null())
        odd.append(shifted.join(moved, on=list(PLACE), how="semi", nulls_equal=True).select(NUMBER))
    told = pl.concat(each.cast({NUMBER: pl.UInt32}) for each in odd).unique()
    rest = whole.join(told, on=NUMBER, how="anti")
    return Parted(
        rest.filter(pl.col("counted").is_not_null()),
        rest.filter(pl.col("counted").is_null()),
        places.join(told, on=NUMBER, how="semi", maintain_order="left"),
        lines.join(told, on=NUMBER, how="semi", maintain_order="left"),
    )


def quiet_lines(quiet: pl.DataFrame) -> list[CountLine]:
    """Lines that were counted as expected, each as one.

    Args:
        quiet: as :attr:`Parted.quiet`.
    """
    return [
        CountLine(place, Decimal(expected), entry.counted, (entry,))
        for place, expected, entry in zip(as_places(quiet), quiet["when counted"], as_entries(quiet), strict=True)
    ]


NEAR = 3
"""Lines of a count sheet around one that is off."""


def near(off: Sequence[CountLine], quiet: pl.DataFrame) -> dict[int, Decimal]:
    """Number → quantity of the quiet lines around those that are off.

    Args:
        quiet: as :attr:`Parted.quiet`.
    """
    numbers = {line.place.number + step for line in off for step in range(-NEAR, NEAR + 1)}
    there = quiet.filter(pl.col(NUMBER).is_in(list(numbers))).select(NUMBER, "when counted")
    return {number: Decimal(quantity) for number, quantity in there.iter_rows()}


def left_lines(left: pl.DataFrame) -> list[CountLine]:
    """Lines that were not counted, each as one.

    Args:
        left: as :attr:`Parted.left`.
    """
    pairs = zip(as_places(left), left["when counted"], strict=True)
    return [CountLine(place, Decimal(expected), None) for place, expected in pairs]


def moved_of(told: pl.DataFrame, now: pl.DataFrame, since: pl.DataFrame) -> Movements:
    """What happened to these places since the freeze.

    Args:
        told: places, with the columns of :func:`~kotrel.core.counting.frames.place_frame`.
        now: what is on hand: ``PLACE`` and ``quantity`` (String).
        since: what moved: ``PLACE``, ``posted_at`` and ``quantity``.
    """
    keys = list(PLACE)
    held_now = now.join(told, on=keys, how="semi", nulls_equal=True).select(*keys, "quantity")
    found: dict[tuple[str | None, ...], list[tuple[str, Decimal]]] = {}
    moves = since.join(told, on=keys, how="semi", nulls_equal=True, maintain_order="left")
    for *key, at, quantity in moves.select(*keys, "posted_at", "quantity").iter_rows():
        found.setdefault(tuple(key), []).append((at, Decimal(quantity)))
    return Movements({tuple(key): Decimal(quantity) for *key, quantity in held_now.iter_rows()}, found)  # type: ignore[arg-type]
