"""Amounts and quantities as people read them."""

from __future__ import annotations

from decimal import Decimal

from kotrel.core.stock.sums import SHOWN_DECIMALS, half_away


def quantity_text(value: Decimal) -> str:
    """A quantity without the zeros at its end: ``1,204.5``."""
    text = f"{value:,f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def money_text(value: Decimal) -> str:
    """Money with two decimals: ``1,204.50``."""
    return f"{half_away(value, SHOWN_DECIMALS):,f}"
