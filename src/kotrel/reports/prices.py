"""One price and how it comes about, on the terminal and as JSON."""

from __future__ import annotations

from typing import Any

from rich.table import Table
from rich.text import Text

from kotrel.core.pricing.effective import plain
from kotrel.reports.screen import Screen
from kotrel.stages.pricing import Answer


def show_price(screen: Screen, answer: Answer) -> None:
    asked, found = answer.asked, answer.found
    parts = [f"{answer.item} {answer.description}".strip(), f"{plain(asked.quantity)} {answer.unit}", f"on {asked.day}"]
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
            said += f" · {plain(found.price * asked.quantity, 2)} {found.currency} in all"
        screen.show(Text(said, style="bold"))
    for remark in answer.remarks:
        screen.show(Text(remark, style="yellow"))
    table = Table(box=None, padding=(0, 3, 0, 0), show_header=False)
    for line in found.lines:
        table.add_row(line.price_list, line.what, Text(line.row, style="dim"))
    screen.show(Text(""), table)


def price_json(answer: Answer) -> dict[str, Any]:
    asked, found = answer.asked, answer.found
    return {
        "item": answer.item,
        "unit": answer.unit,
        "quantity": plain(asked.quantity),
        "on": asked.day.isoformat(),
        "customer": asked.customer,
        "warehouse": asked.warehouse,
        "price": None if found.price is None else f"{found.price:f}",
        "currency": found.currency,
        "from": [{"list": line.price_list, "row": line.row or None, "what": line.what} for line in found.lines],
        "remarks": list(answer.remarks),
    }
