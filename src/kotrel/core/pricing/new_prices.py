"""New prices by rules: every step on whole columns of exact decimals.

The order of the work: exact to 12 decimals → unit conversion → the step's rounding rule → the list's decimals.
Expressions are calculated for one base unit of the item; a price of another unit is its factor times as much. They are
calculated in the currency of what they set: every list, own price and figure of another currency is exchanged before.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Literal

import polars as pl
from msgspec import Struct, field

from kotrel.core.columns import decimal_type, worded
from kotrel.core.description.model import Field
from kotrel.core.expressions.compiled import Compiled
from kotrel.core.expressions.compiling import compile_at
from kotrel.core.expressions.exact import to_decimals
from kotrel.core.expressions.kinds import exact
from kotrel.core.expressions.scope import Scope
from kotrel.core.pricing.guards import percent, price_text
from kotrel.core.pricing.price_rules import OWN_PRICES, Guards, PriceRules, Step
from kotrel.core.pricing.prices_in_force import BREAK, base_units
from kotrel.core.pricing.rates import exchanged
from kotrel.core.pricing.rounding import has_none, rounded

SNAPPED = 7
"""Decimals to which a price of another unit is rounded: what a division left beyond them is no part of it."""


class Goods(Struct, frozen=True):
    """What prices are calculated from. All frames have String columns in canonical text.

    Attributes:
        items: the items with the fields that expressions use, among them ``code``, ``unit`` and the own prices;
            ``currency`` is that of an item's amounts, blank for the workspace's.
        fields: of the item, for the expressions.
        prices: fixed prices in force (see :func:`kotrel.core.pricing.prices_in_force.in_force`).
        factors: ``item``, ``unit``, ``factor``: base units in one of the unit.
        lists: ``code``, ``currency``, ``decimals`` of each price list.
        figures: ``item`` and columns such as ``supplier.cost``.
    """

    items: pl.DataFrame
    fields: Mapping[str, Field]
    prices: pl.DataFrame
    factors: pl.DataFrame
    lists: pl.DataFrame
    figures: pl.DataFrame

    @property
    def currencies(self) -> dict[str, str]:
        """Price list → its currency, or an empty text for the workspace's."""
        return {code: currency or "" for code, currency in self.lists.select("code", "currency").iter_rows()}


class Worked(Struct, frozen=True):
    """What came out.

    Attributes:
        prices: :data:`~kotrel.core.pricing.prices_in_force.BREAK`, ``old`` and ``new`` (Decimal with 12 places; ``old``
            blank for a new price), ``step``, ``remark``, ``factor``: of every price that a step calculated.
        untouched: prices of the lists that are set which no step touched.
        blank: prices for which a step had nothing to work with, by target.
        idle: steps that had no price to work on, each with the reason.
    """

    prices: pl.DataFrame
    untouched: int
    blank: Mapping[str, int] = field(default_factory=dict)
    idle: Mapping[str, str] = field(default_factory=dict)


def work_out(
    rules: PriceRules,
    goods: Goods,
    names: Callable[[str], Mapping[str, str]],
    found: Callable[[Field, str], str | None] | None = None,
) -> Worked:
    """Works out new prices.

    Args:
        names, found: as :class:`~kotrel.core.expressions.scope.Scope` has them.

    Raises:
        ExpressionError, WrongUse: an expression is wrong, or a result too large.
        NoRate: an expression brings together two currencies, and there is no rate.
    """
    codes = frozenset(goods.lists["code"])
    figures = frozenset(name for name in goods.figures.columns if name != "item")
    scope = Scope(goods.fields, {}, names, codes, figures, found)
    targets = list(dict.fromkeys(target for step in rules.steps for target in step.targets))
    slots = _slots(goods, targets)
    items = goods.items.join(goods.figures, left_on="code", right_on="item", how="left", maintain_order="left")
    done = slots.with_columns(
        pl.lit(None, pl.String).alias("step"), pl.lit(None, pl.String).alias("remark"), pl.col("old").alias("now")
    )
    settled = pl.Series([], dtype=pl.String)
    blank: dict[str, int] = {}
    idle: dict[str, str] = {}
    for step in rules.steps:
        fits = items["code"]
        if step.where is not None:
            fits = items.filter(_compiled(step, step.where, scope, "yes_no").column(items).fill_null(False))["code"]
        why = "its condition fits no item" if not len(fits) else "there is no such price"
        if not rules.every_step:
            why = (
                why
                if fits.is_empty() or not fits.is_in(settled.implode()).all()
                else "earlier steps already set all of its items"
            )
            fits = fits.filter(~fits.is_in(settled.implode()))
            settled = pl.concat([settled, fits])
        seen = 0
        for target, text in step.targets.items():
            compiled = _compiled(step, text, scope, "number")
            done, lacking, looked_at = _priced_target(done, items, fits, step, target, compiled, rules, goods)
            seen += looked_at
            if lacking:
                blank[target] = blank.get(target, 0) + lacking
        if not seen:
            idle[step.name] = why
    touched = done.filter(pl.col("step").is_not_null() & pl.col("now").is_not_null())
    left = done.filter(pl.col("step").is_null() & pl.col("old").is_not_null() & pl.col("target").is_in(targets)).height
    return Worked(
        touched.rename({"now": "new"}).select(*BREAK, "old", "new", "step", "remark", "factor"), left, blank, idle
    )


def fields_of(
    rules: PriceRules, fields: Mapping[str, Field], codes: frozenset[str], figures: frozenset[str]
) -> list[str]:
    """The item's fields that the rules need, besides its code, unit and own prices.

    Raises:
        ExpressionError: an expression is wrong.
    """
    scope = Scope(fields, {}, lambda record: {}, codes, figures)
    names: dict[str, None] = {}
    for step in rules.steps:
        texts: list[tuple[str, Literal["number", "yes_no"]]] = [(step.where, "yes_no")] if step.where else []
        for text, kind in [*texts, *((each, "number") for each in step.targets.values())]:
            compiled = _compiled(step, text, scope, kind)
            names |= dict.fromkeys(name for name in compiled.fields if name in fields)
    return list(names)


def _compiled(step: Step, text: str, scope: Scope, kind: Literal["number", "yes_no"]) -> Compiled:
    """An expression of a step; what is wrong with it names the step."""
    return compile_at(step.name, text, scope, kind)


def _slots(goods: Goods, targets: list[str]) -> pl.DataFrame:
    """Every price there is, and a place for one where an item has none yet in a list that is set."""
    listed = goods.prices.select(*BREAK, pl.col("amount").alias("old"))
    frames = [listed]
    base = goods.items.select(pl.col("code").alias("item"), pl.col("unit"))
    for target in targets:
        bare = base.with_columns(pl.lit(target).alias("target"), exact(0).alias("from_quantity"))
        if target in OWN_PRICES:
            old = goods.items[target].cast(decimal_type(), strict=False).alias("old")
            frames.append(bare.with_columns(old).select(listed.columns))
        else:
            lacking = bare.join(listed.filter(pl.col("target") == target), on="item", how="anti")
            frames.append(lacking.with_columns(pl.lit(None, decimal_type()).alias("old")).select(listed.columns))
    return base_units(pl.concat(frames), goods.items, goods.factors)


def _in_its_unit(price: pl.Expr, frame: pl.DataFrame) -> pl.Expr:
    """A price for the base unit as one for the row's unit."""
    if not (frame["the factor"] != 1).any():
        return price
    in_unit = to_decimals(price * pl.col("the factor"), SNAPPED)
    return pl.when(pl.col("the factor") == exact(1)).then(price).otherwise(in_unit)


def _with_own_prices(frame: pl.DataFrame, done: pl.DataFrame, named: Sequence[str]) -> pl.DataFrame:
    """The frame with the items' own prices as the steps before this one have made them."""
    made = set(done["target"].unique())
    for name in (each for each in named if each in OWN_PRICES and each in made):
        current = done.filter(pl.col("target") == name).select(
            pl.col("item").alias("the item"), pl.col("now").cast(pl.String).alias(name)
        )
        frame = frame.drop(name).join(current, on="the item", how="left", maintain_order="left")
    return frame


def _priced_target(
    done: pl.DataFrame,
    items: pl.DataFrame,
    fits: pl.Series,
    step: Step,
    target: str,
    compiled: Compiled,
    rules: PriceRules,
    goods: Goods,
) -> tuple[pl.DataFrame, int, int]:
    """All prices of one target after a step, for how many of them there was nothing to work with,
    and how many it looked at.
    """
    mine = (pl.col("target") == target) & pl.col("item").is_in(fits.implode())
    if step.from_quantity is not None:
        mine = mine & (pl.col("from_quantity") == exact(step.from_quantity))
    # Names with a space: an item may have a field of any other name.
    part = done.filter(mine).select(pl.col(name).alias(f"the {name}") for name in (*BREAK[1:], "factor"))
    if not part.height:
        return done, 0, 0
    named = [name for name in compiled.fields if name in goods.fields or name in goods.figures.columns]
    lists = dict.fromkeys(name.removeprefix("old ") for name in compiled.fields if name not in named)
    currency = pl.col("currency") if "currency" in items.columns else pl.lit(None, pl.String)
    fields = items.select(pl.col("code").alias("the item"), currency.alias("the currency"), *named)
    frame = part.join(fields, on="the item", how="left", maintain_order="left")
    frame = _with_own_prices(frame, done, named)
    frame = _in_target_currency(frame, named, step, target, rules, goods)
    for code in lists:
        frame = _with_list(frame, done, code, step, target, rules, goods)
    price = _in_its_unit(compiled.expr, frame)
    rule, decimals = step.roundings.get(target), _decimals(target, goods)
    priced = frame.select(
        *(pl.col(f"the {name}").alias(name) for name in BREAK[1:]),
        compiled.column(frame, rounded(price, rule, decimals)).alias("new price"),
        compiled.column(frame, has_none(price, rule)).alias("has none"),
        compiled.column(frame, rounded(price, None, decimals)).alias("before rounding"),
    )
    lacking = int(priced["new price"].null_count())
    priced = priced.with_columns(
        # Where the rule knows no price, the one that stands stays.
        pl.when("has none").then(None).otherwise("new price").alias("new price"),
        pl.when("has none")
        .then(pl.lit("rounding down gives no price: it stays as it is"))
        .when(_moved_far(rules.guards))
        .then(_rounding_words())
        .alias("said"),
    ).with_columns(pl.lit(target).alias("target"))
    joined = done.join(priced, on=BREAK, how="left", maintain_order="left", nulls_equal=True)
    changed = pl.col("new price").is_not_null()
    joined = joined.drop("before rounding")
    return (
        joined.with_columns(
            pl.coalesce("new price", "now").alias("now"),
            pl.when(changed | pl.col("said").is_not_null()).then(pl.lit(step.name)).otherwise("step").alias("step"),
            # What an earlier step said of a price that this one has made anew is over.
            pl.when(changed).then("said").otherwise(pl.coalesce("said", "remark")).alias("remark"),
        ).select(done.columns),
        lacking,
        part.height,
    )


def _moved_far(guards: Guards) -> pl.Expr:
    """Rounding alone moves the price by more than a price may change."""
    exact_price, new = pl.col("before rounding"), pl.col("new price")
    moved = percent(new - exact_price, exact_price)
    up = moved > exact(guards.most_up) if guards.most_up is not None else pl.lit(False)
    down = moved < exact(-guards.most_down) if guards.most_down is not None else pl.lit(False)
    return (up | down).fill_null(False)


def _rounding_words() -> pl.Expr:
    return worded(
        "rounding changes it from {} to {}", price_text(pl.col("before rounding")), price_text(pl.col("new price"))
    )


def _decimals(target: str, goods: Goods) -> int:
    if target in OWN_PRICES:
        return goods.fields[target].decimals or 0
    return int(goods.lists.filter(pl.col("code") == target)["decimals"][0] or 2)


def _with_list(
    frame: pl.DataFrame, done: pl.DataFrame, code: str, step: Step, target: str, rules: PriceRules, goods: Goods
) -> pl.DataFrame:
    """The frame with a list's price for one base unit of each row's item, as the steps made it and as it was before.

    The price of the same unit comes first, from the greatest quantity that is not above the row's; then that of the
    base unit.
    """
    list_rows = done.filter(pl.col("target") == code).select("item", "unit", "from_quantity", "now", "old", "factor")
    list_rows = list_rows.filter(pl.col("now").is_not_null() | pl.col("old").is_not_null())
    for name, column in ((code, "now"), (f"old {code}", "old")):
        if name in frame.columns:
            continue
        per_unit = list_rows.select(
            "item",
            "unit",
            pl.col("from_quantity").alias("their quantity"),
            (pl.col(column) / pl.col("factor")).alias(name),
        ).drop_nulls(name)
        asked = frame.select(pl.col(f"the {name}").alias(name) for name in BREAK[1:]).with_row_index("place")
        pairs = asked.join(per_unit, on=["item", "unit"]).filter(pl.col("their quantity") <= pl.col("from_quantity"))
        best = pairs.sort("their quantity").group_by("place").agg(pl.col(name).last())
        plain = list_rows.filter(pl.col("factor") == exact(1)).sort("from_quantity")
        plain = plain.group_by("item", maintain_order=True).agg(pl.col(column).first().alias("of base unit"))
        prices = (
            asked.join(best, on="place", how="left", maintain_order="left")
            .join(plain, on="item", how="left", maintain_order="left")
            .select(pl.coalesce(name, "of base unit").alias(name))
        )
        frame = frame.with_columns(prices[name])
        own = pl.lit(goods.currencies[code])
        frame = _exchanged(frame, name, pl.col(name), own, f"{step.name}: {target} from {name}", target, rules, goods)
    return frame


def _in_target_currency(
    frame: pl.DataFrame, named: list[str], step: Step, target: str, rules: PriceRules, goods: Goods
) -> pl.DataFrame:
    """The frame with the amounts of money that the expression names, of items and sheets,
    in the currency of the target.
    """
    for name in named:
        sheet, _, field_name = name.rpartition(".")
        about = goods.fields.get(name) or goods.fields.get(field_name)
        if about is None or about.kind != "money":
            continue
        of_sheet = rules.sheets[sheet].currency if sheet in rules.sheets else None
        one = pl.col("the currency") if not sheet else pl.lit(of_sheet or "")
        amount = pl.col(name).cast(decimal_type(), strict=False)
        what = f"{step.name}: {target} from {name}"
        frame = _exchanged(frame, name, amount, one, what, target, rules, goods)
        if frame.schema[name] != pl.String:
            frame = frame.with_columns(pl.col(name).cast(pl.String))
    return frame


def _exchanged(
    frame: pl.DataFrame,
    name: str,
    amount: pl.Expr,
    one: pl.Expr,
    what: str,
    target: str,
    rules: PriceRules,
    goods: Goods,
) -> pl.DataFrame:
    """The frame with one column in the currency of the target; as it is where that is its own."""
    other = pl.col("the currency") if target in OWN_PRICES else pl.lit(goods.currencies[target])
    home = pl.lit(rules.rates.home)
    one, other = (pl.coalesce(pl.when(each != "").then(each), home) for each in (one, other))
    if not frame.select((one != other).any()).item():
        return frame
    return frame.with_columns(exchanged(frame, amount, one, other, rules.rates, what).alias(name))
