"""Changes unlike those of their group, and prices that look as if the decimal point had moved.

The measure is robust: the median of a group's changes, and the median absolute deviation from it (MAD), times 1.4826,
which estimates the standard deviation of normal data (Rousseeuw and Croux, 1993). One absurd price moves neither.
"""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import worded
from kotrel.core.pricing.price_rules import Outliers

NORMAL = 1.4826
SMALLEST_GROUP = 4
"""A group needs so many changes before one of them can be unlike the others."""
MOVED = "a decimal point moved?"
_MOVED = (10, 100, 1000)
_NEAR = 0.05
"""A factor within 5 % of 10, 100 or 1000, or of a tenth, hundredth or thousandth, is a decimal point moved."""


def unlike(frame: pl.DataFrame, settings: Outliers) -> pl.Series:
    """What is odd about each change, in words, or blank.

    Args:
        frame: ``old`` and ``new``, ``change`` in per cent (blank without an old price), and ``group``. Medians need
            floats: no price passes through here, only the comparison of one change with the others.
    """
    change, ratio = pl.col("change").cast(pl.Float64), pl.col("new").cast(pl.Float64) / pl.col("old").cast(pl.Float64)
    median = change.median().over("group")
    away = (change - median).abs()
    deviation = away.median().over("group") * NORMAL
    limit = pl.max_horizontal(deviation * float(settings.deviations), pl.lit(float(settings.least)))
    enough = change.count().over("group") >= SMALLEST_GROUP
    moved = pl.any_horizontal(
        pl.lit(False),
        *((factor / factor_of - 1).abs() <= _NEAR for factor_of in _MOVED for factor in (ratio, 1 / ratio)),
    )
    words = worded(
        "a change of {} %, where its group has about {} %",
        change.round(1).cast(pl.String),
        median.round(1).cast(pl.String),
    )
    return frame.select(
        pl.when(moved.fill_null(False))
        .then(pl.lit(MOVED))
        .when((enough & (away > limit)).fill_null(False))
        .then(words)
        .alias("odd")
    )["odd"]
