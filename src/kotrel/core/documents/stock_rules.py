"""What a business allows of documents that move its stock."""

from __future__ import annotations

from datetime import date

from msgspec import Struct


class StockRules(Struct, frozen=True):
    """What a business allows (``[stock]`` in ``kotrel.toml``).

    Attributes:
        closed_until: the last day of closed periods, or None.
        below_zero: True where stock may go below zero.
    """

    closed_until: date | None = None
    below_zero: bool = False


CAREFUL = StockRules()
"""What applies if nothing is set."""

NEVER_STOCKED = ("service", "kit")
"""Kinds of items that have no stock."""
