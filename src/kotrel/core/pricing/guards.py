"""Guards: what is told of each new price before anybody loads it."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

import polars as pl

from kotrel.core.expressions.kinds import NUMBER
from kotrel.core.pricing.outliers import unlike
from kotrel.core.pricing.rules import Allowed, Guards, Outliers
from kotrel.core.rows.findings import Severity


@dataclass(frozen=True)
class Told:
    """What a guard says: ``place`` is the row of the frame it was given, ``message`` what is wrong, in words."""

    severity: Severity
    kind: str
    title: str
    rows: pl.DataFrame


FRAME = ("target", "item", "unit", "from_quantity", "old", "new", "cost", "group")
"""Columns of the frame that guards judge: prices as Decimals, the cost for the same unit, and the item's group."""


def guarded(frame: pl.DataFrame, guards: Guards, outliers: Outliers) -> list[Told]:
    """What the guards say of each price.

    Args:
        frame: :data:`FRAME`, one row for each new price.

    Returns:
        Tables with ``place`` (the row's index) and ``message``.
    """
    frame = frame.with_row_index("place").with_columns(
        _percent(pl.col("new") - pl.col("old"), pl.col("old")).alias("change"),
        _percent(pl.col("new") - pl.col("cost"), pl.col("new")).alias("margin"),
    )
    zero, new, cost, change = _number(Decimal(0)), pl.col("new"), pl.col("cost"), pl.col("change")
    found: list[Told] = []

    def tell(severity: Allowed, kind: str, title: str, wrong: pl.Expr, message: pl.Expr) -> None:
        rows = frame.filter(wrong.fill_null(False)).select("place", message.alias("message"))
        if severity != "allowed" and rows.height:
            found.append(Told(severity, kind, title, rows))

    tell(guards.zero, "price-zero", "a price of zero", new == zero, pl.lit("the price is zero"))
    below = (new < cost) & (new != zero)
    tell(
        guards.below_cost,
        "below-cost",
        "below cost",
        below,
        pl.format("{} is below the cost of {}", _text(new), _text(cost)),
    )
    for code, least in guards.least_margin.items():
        mine = (pl.col("margin") < _number(least)) & (new > zero) & ~below.fill_null(False)
        mine = mine & (
            (pl.col("target") == code)
            if code
            else ~pl.col("target").is_in([each for each in guards.least_margin if each])
        )
        words = pl.format(
            "its margin is {} %, and the least is {} %", _text(pl.col("margin"), 1), pl.lit(f"{least.normalize():f}")
        )
        tell(guards.others, "margin-too-low", "margin too low", mine, words)
    for most, way, kind in ((guards.most_up, 1, "up-too-far"), (guards.most_down, -1, "down-too-far")):
        if most is not None:
            beyond = change > _number(most) if way > 0 else change < _number(-most)
            words = pl.format("a change of {} %, and the most is {} %", _text(change, 1), pl.lit(f"{way * most:f}"))
            tell(guards.others, kind, "up too far" if way > 0 else "down too far", beyond, words)
    for low, high in guards.not_above:
        other = frame.filter(pl.col("target") == high).select("item", "unit", "from_quantity", new.alias("other new"))
        above = (
            frame.filter(pl.col("target") == low)
            .join(other, on=["item", "unit", "from_quantity"])
            .filter(new > pl.col("other new"))
        )
        if above.height:
            message = pl.format(f"{low} at {{}} is above {high} at {{}}", _text(new), _text(pl.col("other new")))
            rows = above.select("place", message.alias("message"))
            found.append(Told(guards.others, "above-other-list", "above another list", rows))
    odd = unlike(
        frame.select(
            change.cast(pl.Float64), (new.cast(pl.Float64) / pl.col("old").cast(pl.Float64)).alias("ratio"),
            pl.concat_str("target", pl.col("group").fill_null(""), separator="\x1f").alias("group"),
        ),
        outliers,
    )  # fmt: skip
    strange = frame.select("place").with_columns(odd.alias("message")).drop_nulls("message")
    if strange.height:
        found.append(Told("warning", "unlike-others", "a change unlike the others", strange))
    return found


def _number(value: Decimal) -> pl.Expr:
    return pl.lit(f"{value:f}").cast(NUMBER)


def _percent(part: pl.Expr, whole: pl.Expr) -> pl.Expr:
    """A share in per cent, one decimal more than is shown; blank without a whole."""
    nothing = whole == _number(Decimal(0))
    return (part / pl.when(~nothing).then(whole) * _number(Decimal(100))).round(2, mode="half_away_from_zero")


def _text(value: pl.Expr, decimals: int = 2) -> pl.Expr:
    """A number as people read it."""
    if decimals == 1:
        return (
            value.round(1, mode="half_away_from_zero").cast(pl.Decimal(38, 1)).cast(pl.String).str.replace(r"\.0$", "")
        )
    exact = value.round(4, mode="half_away_from_zero").cast(pl.Decimal(38, 4)).cast(pl.String)
    return exact.str.replace(r"(\.[0-9]{2}[0-9]*?)0+$", "${1}")
