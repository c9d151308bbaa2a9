"""``kotrel price``: the price in force, and how it comes about."""

from __future__ import annotations

import argparse
from datetime import date
from decimal import Decimal
from typing import Any

from rich.table import Table
from rich.text import Text

from kotrel.core.errors import WrongUse
from kotrel.core.phrases import plain_number
from kotrel.loading.opening import now, workspace_of
from kotrel.loading.options import amount_of, day
from kotrel.pricing.price_lookup import PriceFound, PriceLookup, price_of
from kotrel.screen.screen import Screen


def show_price(screen: Screen, answer: PriceFound) -> None:
    asked, found = answer.asked, answer.found
    parts = [
        f"{answer.item} {answer.description}".strip(),
        f"{plain_number(asked.quantity)} {answer.unit}",
        f"on {asked.day}",
    ]
    if asked.customer:
        parts.append(f"{asked.customer} {answer.customer_name}".strip())
    if asked.warehouse:
        parts.append(f"warehouse {asked.warehouse}")
    screen.show(Text(" · ".join(parts)))
    if found.price is None:
        screen.show(Text("no price", style="bold yellow"))
    else:
        said = f"{found.price} {found.currency} for 1 {answer.unit}"
        if found.price == 0:
            said += " (0 means: ask for the price)"
        elif asked.quantity != 1:
            said += f" · {plain_number(found.price * asked.quantity, 2)} {found.currency} in all"
        screen.show(Text(said, style="bold"))
    for remark in answer.remarks:
        screen.show(Text(remark, style="yellow"))
    table = Table(box=None, padding=(0, 3, 0, 0), show_header=False)
    for line in found.lines:
        table.add_row(line.price_list, line.what, Text(line.row, style="dim"))
    screen.show(Text(""), table)


def price_json(answer: PriceFound) -> dict[str, Any]:
    asked, found = answer.asked, answer.found
    return {
        "item": answer.item,
        "unit": answer.unit,
        "quantity": plain_number(asked.quantity),
        "on": asked.day.isoformat(),
        "customer": asked.customer,
        "warehouse": asked.warehouse,
        "price": None if found.price is None else f"{found.price:f}",
        "currency": found.currency,
        "from": [{"list": line.price_list, "row": line.row or None, "what": line.what} for line in found.lines],
        "remarks": list(answer.remarks),
    }


EXAMPLE = """\
kotrel price ROP-00120 --customer C-1002 --quantity 12
    what that customer pays for one, and the lists and discounts it comes from
kotrel price ROP-00120 --unit COIL --on 2027-02-01
    the standard price of a coil on that day"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("item", metavar="ITEM", help="an item's code, or another code that leads to it")
    parser.add_argument("--customer", metavar="C", help="the customer; without one: the standard price")
    parser.add_argument("--quantity", metavar="N", default="1", help="how many (default: 1)")
    parser.add_argument("--unit", metavar="U", help="in which unit (default: the item's base unit)")
    parser.add_argument("--on", metavar="DATE", type=day, help="on which day, like 2027-02-01 (default: today)")
    parser.add_argument("--warehouse", metavar="W", help="the warehouse, for its standard price if it has one")


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    quantity = amount_of(args.quantity, "--quantity", workspace)
    if not 0 < quantity < Decimal(10) ** 12:
        raise WrongUse(f"--quantity: “{args.quantity}” is not a quantity above zero", "", "wrong-command-line")
    on = date.fromisoformat(args.on) if args.on else now().date()
    answer = price_of(PriceLookup(args.item, args.customer, args.unit, quantity, on, args.warehouse), workspace)
    screen.json(price_json(answer)) if screen.as_json else show_price(screen, answer)
    return 0 if answer.found.price is not None else 1
