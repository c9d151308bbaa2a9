"""``kotrel export``: exports what the system holds."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import now, workspace_of
from kotrel.reports.phrases import count
from kotrel.reports.screen import Screen
from kotrel.stages.exporting import Chosen, export_records

EXAMPLE = """\
kotrel export item -o ropes.xlsx --fields code,description,price --where "category begins with 'ROPE' and cost > 1"
    chosen fields of chosen items
kotrel export item -o dear-first.csv --sort "price down,code"
    all fields, highest price first"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("records", nargs="+", metavar="RECORD", help="the records to export")
    parser.add_argument(
        "-o", "--output", required=True, metavar="FILE", help="the file to write: .xlsx, .ods, .csv or .tsv"
    )
    parser.add_argument("--fields", metavar="A,B", default="", help="only these fields (the key is always included)")
    parser.add_argument("--where", metavar="EXPRESSION", help="only rows for which this is true (docs/expressions.md)")
    parser.add_argument("--sort", metavar="A,B", default="", help='sort by these fields; "price down" sorts downwards')
    parser.add_argument("--with-names", action="store_true", help="add the name beside each code")
    parser.add_argument("--into", metavar="BOOK", help="add the sheets to a copy of this workbook")


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    chosen = Chosen(_names(args.fields), args.where, _names(args.sort), args.with_names)
    into = Path(args.into) if args.into else None
    with screen.progress(len(args.records) + 1) as step:
        exported = export_records(args.records, Path(args.output), workspace, chosen, into, now(), step)
    if screen.as_json:
        screen.json({"file": str(exported.path), "rows": exported.rows, "export": exported.stamp})
        return 0
    for record, rows in exported.rows.items():
        screen.show(f"{record}: {count(rows, 'row')}")
    screen.show(f"Written: {exported.path}")
    if exported.path.suffix.lower() in (".csv", ".tsv", ".tab", ".txt"):
        screen.show("A spreadsheet program drops leading zeros when it opens a text file; .xlsx keeps them.")
    return 0


def _names(text: str) -> tuple[str, ...]:
    return tuple(name.strip() for name in text.split(",") if name.strip())
