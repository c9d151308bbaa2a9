"""``kotrel price``: the price in force, and how it comes about."""

from __future__ import annotations

import argparse
from datetime import date
from decimal import Decimal, InvalidOperation

from kotrel.commands._shared import now, workspace_of
from kotrel.reports.prices import price_json, show_price
from kotrel.reports.screen import Screen
from kotrel.stages.pricing import Asked, price_of

EXAMPLE = """\
kotrel price ROP-00120 --customer C-1002 --quantity 12
    what that customer pays for one, and the lists and discounts it comes from
kotrel price ROP-00120 --unit COIL --on 2027-02-01
    the standard price of a coil on that day"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("item", metavar="ITEM", help="an item's code, or another code that leads to it")
    parser.add_argument("--customer", metavar="C", help="the customer; without one: the standard price")
    parser.add_argument("--quantity", metavar="N", type=_number, default=Decimal(1), help="how many (default: 1)")
    parser.add_argument("--unit", metavar="U", help="in which unit (default: the item's base unit)")
    parser.add_argument("--on", metavar="DATE", type=_day, help="on which day, like 2027-02-01 (default: today)")
    parser.add_argument("--warehouse", metavar="W", help="a warehouse, which may have a standard price of its own")


def run(args: argparse.Namespace, screen: Screen) -> int:
    asked = Asked(args.item, args.customer, args.unit, args.quantity, args.on or now().date(), args.warehouse)
    answer = price_of(asked, workspace_of(args))
    screen.json(price_json(answer)) if screen.as_json else show_price(screen, answer)
    return 0 if answer.found.price is not None else 1


def _number(text: str) -> Decimal:
    try:
        number = Decimal(text)
    except InvalidOperation:
        number = Decimal(-1)
    if not number.is_finite() or not 0 < number < Decimal(10) ** 12:
        raise argparse.ArgumentTypeError(f"“{text}” is not a quantity above zero")
    return number


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"“{text}” is not a date like 2027-02-01") from None
