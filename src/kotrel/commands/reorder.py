"""``kotrel reorder``: what to order up to level."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import now, workspace_of
from kotrel.reports.screen import Screen
from kotrel.reports.stock import reorder_json, show_reorder
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.table_writing import ENDINGS, write_book
from kotrel.stages.reordering import order_book, reorder

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
    workspace = workspace_of(args)
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
        screen.show(f"Next: read it, then: kotrel check {args.output} --as purchase_order")
    return 0
