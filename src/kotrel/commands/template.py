"""``kotrel template``: makes an empty sheet to fill in."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import now, workspace_of
from kotrel.reports.screen import Screen
from kotrel.stages.templates import Wish, make_template

EXAMPLE = """\
kotrel template item -o new-items.xlsx
    headings that show what must be filled, a guide sheet, and drop-downs from the real lists
kotrel template unit category item -o going-live.xlsx
    one sheet for each record, in load order
kotrel template opening_stock --flat --with-rows --warehouse LOFT -o loft.xlsx
    a sheet with every stocked item, its unit, cost and usual bin; fill in the quantities"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("records", nargs="+", metavar="RECORD", help="the records to fill in")
    parser.add_argument("-o", "--output", required=True, metavar="FILE", help="the file to write: .xlsx, .csv or .tsv")
    parser.add_argument(
        "--with-rows",
        action="store_true",
        help="start with the rows that the system holds; of a document, with a line for every active stocked item",
    )
    parser.add_argument("--flat", action="store_true", help="a document in one sheet, with a line in each row")
    parser.add_argument(
        "--warehouse", default="", metavar="CODES", help="the warehouses for the lines of a document, like LOFT,QUAY"
    )


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    with screen.progress(len(args.records) + 1) as step:
        warehouses = tuple(code.strip() for code in args.warehouse.split(",") if code.strip())
        wish = Wish(args.with_rows, args.flat, warehouses)
        files = make_template(args.records, Path(args.output), workspace, wish, now(), step)
    if screen.as_json:
        screen.json({"files": [str(path) for path in files]})
        return 0
    for path in files:
        screen.show(f"Written: {path}")
    screen.show(f"Next: fill it in, save it, then: kotrel check {files[0]}")
    return 0
