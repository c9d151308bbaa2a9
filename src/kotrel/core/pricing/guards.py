"""Guards: what is told of each new price before anybody loads it."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type, worded
from kotrel.core.expressions.kinds import exact
from kotrel.core.phrases import plain_number
from kotrel.core.pricing.outliers import MOVED, unlike
from kotrel.core.pricing.price_rules import Allowed, Guards, Outliers
from kotrel.core.pricing.rates import Rates, exchanged
from kotrel.core.rows.findings import Severity


class GuardFinding(Struct, frozen=True):
    """What a guard says: ``place`` is the row of the frame it was given, ``message`` what is wrong, in words."""

    severity: Severity
    kind: str
    title: str
    rows: pl.DataFrame


FRAME = ("target", "item", "unit", "from_quantity", "old", "new", "cost", "group")
"""Columns of the frame that guards judge: prices as Decimals, the cost for the same unit in the list's currency (blank
where that is not known), and the item's group.
"""


def _is_guarded(code: str, guards: Guards) -> pl.Expr:
    """The prices that a least margin is for: those of its list, or of all lists that have none of their own."""
    if code:
        return pl.col("target") == code
    return ~pl.col("target").is_in([each for each in guards.least_margin if each])


def guarded(
    frame: pl.DataFrame,
    standing: pl.DataFrame,
    guards: Guards,
    outliers: Outliers,
    currencies: Mapping[str, str],
    rates: Rates,
) -> list[GuardFinding]:
    """What the guards say of each price.

    Args:
        frame: :data:`FRAME`, one row for each new price.
        standing: ``target``, ``item``, ``unit``, ``from_quantity`` and ``amount`` of the prices in force: where a list
            has no new price, the one in force is compared.
        currencies: price list → its currency, or an empty text for the workspace's.

    Returns:
        Tables with ``place`` (the row's index) and ``message``.

    Raises:
        NoRate: two lists of which one is never to be above the other are in two currencies, and there is no rate.
    """
    foreign = {code: f" {currency}" for code, currency in currencies.items() if currency not in ("", rates.home)}
    sign = pl.col("target").replace_strict(foreign, default="", return_dtype=pl.String) if foreign else pl.lit("")
    frame = frame.with_row_index("place").with_columns(
        percent(pl.col("new") - pl.col("old"), pl.col("old")).alias("change"),
        percent(pl.col("new") - pl.col("cost"), pl.col("new")).alias("margin"),
    )
    zero, new, cost, change = exact(0), pl.col("new"), pl.col("cost"), pl.col("change")
    guarded: list[GuardFinding] = []

    def tell(severity: Allowed, kind: str, title: str, wrong: pl.Expr, message: pl.Expr) -> None:
        rows = frame.filter(wrong.fill_null(False)).select("place", message.alias("message"))
        if severity != "allowed" and rows.height:
            guarded.append(GuardFinding(severity, kind, title, rows))

    tell(guards.zero, "price-zero", "a price of zero", new == zero, pl.lit("the price is zero"))
    below = (new < cost) & (new != zero)
    tell(
        guards.below_cost,
        "below-cost",
        "below cost",
        below,
        worded("{}{} is below the cost of {}{}", price_text(new), sign, price_text(cost), sign),
    )
    for code, least in guards.least_margin.items():
        mine = (pl.col("margin") < exact(least)) & (new > zero) & ~below.fill_null(False) & _is_guarded(code, guards)
        words = worded(
            "its margin is {} %, and the least is {} %",
            _show_percent(pl.col("margin")),
            pl.lit(plain_number(least)),
        )
        tell(guards.others, "margin-too-low", "margin too low", mine, words)
    far = (new == zero).fill_null(False)
    for most, way, kind, title in (
        (guards.most_up, 1, "up-too-far", "up too far"),
        (guards.most_down, -1, "down-too-far", "down too far"),
    ):
        if most is not None:
            beyond = (change * way > exact(most)) & (new != zero)
            words = worded("a change of {} %, and the most is {} %", _show_percent(change), pl.lit(f"{way * most:f}"))
            far = far | beyond.fill_null(False)
            tell(guards.others, kind, title, beyond, words)
    for low, high in guards.not_above:
        rows = _above(frame, standing, low, high, currencies, rates)
        if rows.height:
            guarded.append(GuardFinding(guards.others, "above-other-list", "above another list", rows))
    odd = unlike(
        frame.select(
            "old", new, change, pl.concat_str("target", pl.col("group").fill_null(""), separator="\x1f").alias("group")
        ),
        outliers,
    )
    # What is too far anyway is told once; a decimal point that may have moved also says why.
    strange = frame.select("place", far.alias("far")).with_columns(odd.alias("message")).drop_nulls("message")
    strange = strange.filter(~pl.col("far") | (pl.col("message") == MOVED)).drop("far")
    if strange.height:
        guarded.append(GuardFinding("warning", "unlike-others", "a change unlike the others", strange))
    return guarded


def _above(
    frame: pl.DataFrame, standing: pl.DataFrame, low: str, high: str, currencies: Mapping[str, str], rates: Rates
) -> pl.DataFrame:
    """The places where a price of the lower list is above that of the higher one;
    at the lower list's row if it is a new one.
    """
    one, other = (currencies.get(code) or rates.home for code in (low, high))
    key = ["target", "item", "unit", "from_quantity"]
    stays = standing.join(frame, on=key, how="anti").select(
        pl.lit(None, pl.UInt32).alias("place"), *key, pl.col("amount").alias("new")
    )
    whole = pl.concat([frame.select("place", *key, "new"), stays])
    lower, higher = (whole.filter(pl.col("target") == code).drop("target") for code in (low, high))
    paired = lower.join(higher, on=key[1:], suffix=" above")
    what = f"not_above, {low} and {high}"
    held = exchanged(paired, pl.col("new above"), pl.lit(other), pl.lit(one), rates, what).alias("held against")
    both = paired.with_columns(held).filter(
        (pl.col("new") > pl.col("held against"))
        & (pl.col("new above") != exact(0))
        & pl.coalesce("place", "place above").is_not_null()
    )
    price, above, limit = (price_text(pl.col(name)) for name in ("new", "new above", "held against"))
    message = worded(f"{low} at {{}} is above {high} at {{}}", price, above)
    if one != other:
        message = worded(
            f"{low} at {{}} {one} is above {high} at {{}} {other}, which is {{}} {one}", price, above, limit
        )
    return both.select(pl.coalesce("place", "place above").alias("place"), message.alias("message"))


def percent(part: pl.Expr, whole: pl.Expr) -> pl.Expr:
    """A share in per cent; blank without a whole."""
    nothing = whole == exact(0)
    return part * exact(100) / pl.when(~nothing).then(whole)


def _show_percent(value: pl.Expr) -> pl.Expr:
    """A percentage as people read it, with up to two decimals."""
    near = value.round(2, mode="half_away_from_zero").cast(decimal_type(2)).cast(pl.String)
    return near.str.replace(r"\.?0+$", "")


def price_text(value: pl.Expr) -> pl.Expr:
    """A price as people read it."""
    exact = value.round(4, mode="half_away_from_zero").cast(decimal_type(4)).cast(pl.String)
    return exact.str.replace(r"(\.[0-9]{2}[0-9]*?)0+$", "${1}")
