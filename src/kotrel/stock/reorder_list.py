"""``kotrel reorder``: what to order up to level."""

from __future__ import annotations

import argparse
from decimal import Decimal
from pathlib import Path
from typing import Any, Literal

from rich.table import Table
from rich.text import Text

from kotrel.core.phrases import count
from kotrel.loading.opening import now, workspace_of
from kotrel.screen.amounts_shown import money_text, quantity_text
from kotrel.screen.command_lines import quoted
from kotrel.screen.listing import show_more
from kotrel.screen.narrow import give_way
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.table_writing import ENDINGS, write_book
from kotrel.stock.reordering import Reorder, ReorderLine, order_book, reorder
from kotrel.stock.stock_screen import SHOWN, show_remarks


def _cells(line: ReorderLine, with_orders: bool) -> list[str]:
    level = line.level
    amounts = [level.on_hand, *([level.on_order, level.reserved] if with_orders else []), level.point, level.level]
    return [
        line.vendor or "(no vendor)",
        level.item,
        line.description,
        level.warehouse,
        *map(quantity_text, amounts),
        quantity_text(level.order),
        line.unit,
        money_text(line.value) if line.value is not None else "",
    ]


def show_reorder(screen: Screen, done: Reorder, with_orders: bool, every: bool) -> None:
    """What to order, by vendor, with its value."""
    if not done.lines:
        none = (
            "everything is above its reorder point"
            if done.points
            else "there is no reorder point among what was asked for"
        )
        screen.show(f"Nothing to order: {none}.")
        show_remarks(screen, done.remarks)
        return
    numbers = ["on hand", *(["on order", "reserved"] if with_orders else []), "point", "level", "order"]
    titles = ("vendor", "item", "description", "warehouse", *numbers, "unit", "value")
    lines = done.lines if every else done.lines[:SHOWN]
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for title in titles:
        right: Literal["left", "right"] = "right" if title in (*numbers, "value") else "left"
        style = "bold" if title == "order" else ""
        most = 30 if title == "description" else None
        table.add_column(title, justify=right, no_wrap=True, overflow="ellipsis", max_width=most, style=style)
    for line in lines:
        table.add_row(*map(Text, _cells(line, with_orders)))
    screen.show(give_way(table, screen.console.width, "description"))
    show_more(screen, len(done.lines) - len(lines), "--all lists them, -o FILE writes them")
    whole = sum(done.by_vendor.values(), Decimal(0))
    parts = [f"{vendor or 'no vendor'} {money_text(value)}" for vendor, value in done.by_vendor.items()]
    screen.show(f"{count(len(done.lines), 'line')} to order, value {money_text(whole)}: {' · '.join(parts)}")
    show_remarks(screen, done.remarks)


def reorder_json(done: Reorder) -> dict[str, Any]:
    """What to order as ``--json`` gives it."""

    def plain(value: Decimal) -> str:
        return quantity_text(value).replace(",", "")

    return {
        "rows": [
            {
                "item": line.level.item,
                "warehouse": line.level.warehouse,
                "on_hand": plain(line.level.on_hand),
                "on_order": plain(line.level.on_order),
                "reserved": plain(line.level.reserved),
                "point": plain(line.level.point),
                "level": plain(line.level.level),
                "order": plain(line.level.order),
                "unit": line.unit,
                "vendor": line.vendor,
                "value": None if line.value is None else f"{line.value:f}",
            }
            for line in done.lines
        ],
        "by_vendor": {vendor or "": f"{value:f}" for vendor, value in done.by_vendor.items()},
        "remarks": list(done.remarks),
    }


EXAMPLE = """\
kotrel reorder
    what is at or below its reorder point, and how much to order, by vendor
kotrel reorder --with-orders -o orders.xlsx
    counts what is on order and reserved, and writes purchase orders to check and load"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--with-orders", action="store_true", help="add what is on order, and take off what is reserved"
    )
    parser.add_argument("--where", metavar="EXPR", help="only what fits, like \"vendor is 'KELDRIFT'\"")
    parser.add_argument("--all", action="store_true", help="list every row")
    parser.add_argument("-o", "--output", metavar="FILE", help="write purchase orders to a workbook or text file")


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    if args.output:
        require_new_file(Path(args.output), ENDINGS)
    done = reorder(workspace, args.with_orders, args.where)
    if args.output:
        write_book(order_book(done, workspace.description, now().date()), Path(args.output))
    if screen.as_json:
        screen.json(reorder_json(done))
        return 0
    show_reorder(screen, done, args.with_orders, args.all)
    if args.output and done.lines:
        screen.show(f"Written: {args.output}")
        screen.show(f"Next: read it, then: {screen.program} check {quoted([args.output])} --as purchase_order")
    return 0
