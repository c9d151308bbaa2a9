"""What a workspace says of the prices in any sheet. Every command reads it, so it needs nothing else."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from kotrel.core.pricing.rates import NO_RATES, Rates


class SheetGuard(Struct, frozen=True):
    """What a workspace says of the prices in any sheet that no rules made.

    Attributes:
        below_cost: what a price below cost is.
        rates: for lists in another currency than the items' costs.
    """

    below_cost: Literal["error", "warning", "allowed"] = "warning"
    rates: Rates = NO_RATES


UNGUARDED = SheetGuard("allowed")
