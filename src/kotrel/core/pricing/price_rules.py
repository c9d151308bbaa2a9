"""Price rules: how new prices are worked out, and what guards them. Read from ``prices/NAME.toml``."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from typing import Literal

from msgspec import Struct, field

from kotrel.core.pricing.rates import NO_RATES, Rates
from kotrel.core.pricing.rounding import Rounding
from kotrel.core.rows.findings import Severity

Allowed = Severity | Literal["allowed"]
COST = "cost"
OWN_PRICES = ("price", COST, "recommended_price", "online_price")
"""The item's own money fields that rules may set."""


class Step(Struct, frozen=True):
    """One step.

    Attributes:
        where: an expression that picks the items, or None for all.
        targets: price list, or one of :data:`OWN_PRICES` → the expression of its new price, in their order.
        roundings: target → the rule that rounds its price.
        from_quantity: only the break that begins with it, or None for every break.
    """

    name: str
    where: str | None
    targets: Mapping[str, str]
    roundings: Mapping[str, Rounding] = field(default_factory=dict)
    from_quantity: Decimal | None = None


class Guards(Struct, frozen=True):
    """What is told of a new price. Shares are in per cent.

    Attributes:
        least_margin: of each list, or of all under an empty name.
        most_up, most_down: the largest change.
        below_cost, zero: what a price below cost, or of zero, is.
        not_above: pairs of lists: the first never above the second for the same item, unit and quantity.
        others: what all other guards are.
    """

    least_margin: Mapping[str, Decimal] = field(default_factory=dict)
    most_up: Decimal | None = None
    most_down: Decimal | None = None
    below_cost: Allowed = "error"
    zero: Allowed = "error"
    not_above: tuple[tuple[str, str], ...] = ()
    others: Severity = "error"


class Outliers(Struct, frozen=True):
    """When a change is unlike the changes of its group (see :mod:`kotrel.core.pricing.outliers`).

    Attributes:
        by: the item field that makes the groups.
        deviations: robust standard deviations from the group's median.
        least: percentage points from the median below which nothing is unlike.
    """

    by: str = "category"
    deviations: Decimal = Decimal(6)
    least: Decimal = Decimal(5)


class FigureSheet(Struct, frozen=True):
    """A sheet to take figures from, through a saved mapping or its headings.

    Attributes:
        match_on: as the load option.
        currency: of its amounts of money, or None for the workspace's.
    """

    file: str
    match: str | None = None
    sheet: str | None = None
    match_on: str | None = None
    currency: str | None = None


class PriceRules(Struct, frozen=True):
    """All of a rules file.

    Attributes:
        from_date: the first day of the new prices, or None where they hold at once.
        every_step: each step on what the one before made; else only the first that fits an item.
        rates: its own, before those of the workspace.
    """

    name: str
    title: str
    from_date: date | None
    every_step: bool
    steps: tuple[Step, ...]
    guards: Guards = Guards()
    outliers: Outliers = Outliers()
    sheets: Mapping[str, FigureSheet] = field(default_factory=dict)
    rates: Rates = NO_RATES
