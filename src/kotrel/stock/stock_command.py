"""``kotrel stock``: what is on hand, where, and what it is worth."""

from __future__ import annotations

import argparse
from datetime import date
from pathlib import Path

from kotrel.core.changes.journal import load_number
from kotrel.core.errors import WrongUse
from kotrel.loading.opening import workspace_of
from kotrel.loading.options import day
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import require_new_file
from kotrel.stock.on_hand import DEFAULT_BY, StockQuestion, stock
from kotrel.stock.stock_screen import show_stock, stock_book, stock_json

EXAMPLE = """\
kotrel stock ROP-00120 --by item,warehouse,bin,lot
    where an item is, and what it is worth there
kotrel stock --where "warehouse is 'LOFT'" --against L0007
    before, change and after of one load
kotrel stock --by category --from 2027-01-01 --to 2027-01-31
    opening + in - out = closing of a month
kotrel stock --prove
    do the balances that the system keeps equal its ledger?"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("items", nargs="*", metavar="ITEM", help="item codes (default: all)")
    parser.add_argument(
        "--where", metavar="EXPR", help="only what fits, like \"warehouse is 'SHED' and category begins with 'PAINT'\""
    )
    parser.add_argument(
        "--by",
        default=",".join(DEFAULT_BY),
        metavar="FIELDS",
        help="one row for each of these: item, warehouse, bin, lot, serial, or fields of the item (default: item,warehouse)",
    )
    parser.add_argument("--at", type=day, metavar="DATE", help="as it was at the end of that day")
    parser.add_argument(
        "--from", dest="since", type=day, metavar="DATE", help="opening, in, out and closing from that day on"
    )
    parser.add_argument("--to", dest="until", type=day, metavar="DATE", help="the last day of the period")
    parser.add_argument("--against", metavar="LOAD", help="before, change and after of one load")
    parser.add_argument(
        "--prove", action="store_true", help="compare the balances that the system keeps with the sum of its ledger"
    )
    parser.add_argument("--with-empty", action="store_true", help="include places with zero stock")
    parser.add_argument("--all", action="store_true", help="list every row")
    parser.add_argument("-o", "--output", metavar="FILE", help="write it to a file: .xlsx, .csv or .tsv")


def run(args: argparse.Namespace, screen: Screen) -> int:
    if sum(map(bool, (args.at, args.since or args.until, args.against))) > 1:
        raise WrongUse(
            "--at, --from/--to and --against ask different questions", "Use one of them.", "wrong-command-line"
        )
    if args.since and args.until and args.since > args.until:
        raise WrongUse(
            f"--from {args.since} is after --to {args.until}", "Exchange the two days.", "wrong-command-line"
        )
    if args.prove:
        return _prove(args, screen)
    if args.output:
        from kotrel.sheets.table_writing import ENDINGS

        require_new_file(Path(args.output), ENDINGS)
    asked = StockQuestion(
        tuple(args.items),
        args.where,
        tuple(dict.fromkeys(name.strip() for name in args.by.split(",") if name.strip())) or DEFAULT_BY,
        at=_date(args.at),
        since=_date(args.since),
        until=_date(args.until),
        against=load_number(args.against) if args.against else None,
        with_empty=args.with_empty,
    )
    answer = stock(asked, workspace_of(args, screen))
    if args.output:
        from kotrel.sheets.table_writing import write_book

        write_book(stock_book(answer), Path(args.output))
    if screen.as_json:
        screen.json(stock_json(answer))
        return 0
    show_stock(screen, answer, args.all)
    if args.output:
        screen.show(f"Written: {args.output}")
    return 0


def _prove(args: argparse.Namespace, screen: Screen) -> int:
    from kotrel.stock.balances import proof_json, prove_balances, show_balance_proof

    asked = (args.items, args.where, args.at, args.since, args.until, args.against, args.output)
    if any(asked) or args.by != ",".join(DEFAULT_BY):
        raise WrongUse("--prove looks at every balance", "Leave out the other choices.", "wrong-command-line")
    proof = prove_balances(workspace_of(args, screen))
    if screen.as_json:
        screen.json(proof_json(proof))
    else:
        show_balance_proof(screen, proof, args.all)
    return 1 if proof.differing.height else 0


def _date(text: str | None) -> date | None:
    return date.fromisoformat(text) if text else None
