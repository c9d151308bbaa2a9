"""``kotrel reprice``: works out new prices by rules, to be read before anybody loads them."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import named, now, workspace_of
from kotrel.core.errors import WrongUse
from kotrel.reports.price_picture import draw_changes
from kotrel.reports.repricings import repriced_json, show_repriced
from kotrel.reports.screen import Screen
from kotrel.sheets.safe_writing import require_new_file
from kotrel.stages.repricing import reprice, write_prices

EXAMPLE = """\
kotrel reprice keldrift
    works out prices by prices/keldrift.toml and shows what would change
kotrel reprice keldrift -o keldrift-prices.xlsx
    writes them as a workbook to read, change by hand, check and load, and a picture of the changes"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("rules", metavar="RULES", help="the rules: prices/RULES.toml in the workspace")
    parser.add_argument(
        "-o", "--out", metavar="FILE", help="write the prices to this workbook, and a picture beside it"
    )
    parser.add_argument("--all", action="store_true", help="list every finding and every group")


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    out = None
    if args.out is not None:
        out = require_new_file(Path(args.out))
        if out.suffix.lower() != ".xlsx":
            raise WrongUse(
                "the prices are written as an .xlsx workbook", "Use a name like prices.xlsx.", "unknown-ending"
            )
        require_new_file(out.with_suffix(".png"))
    with screen.progress(5) as step:
        repriced = reprice(args.rules, workspace, now().date(), step)
        files: list[str] = []
        if out is not None and repriced.prices.height:
            step("writing")
            write_prices(repriced, workspace.description, out)
            files.append(str(out))
            if draw_changes(repriced, out.with_suffix(".png")):
                files.append(str(out.with_suffix(".png")))
    errors = any(told.severity == "error" for told in repriced.told)
    if screen.as_json:
        screen.json(repriced_json(repriced, files))
        return 1 if errors else 0
    show_repriced(screen, repriced, args.all)
    screen.show("")
    if files:
        screen.show(f"Written: {', '.join(files)}")
        screen.show(f"Next: read it, change prices by hand where you want, then: kotrel preview {named(files[:1])}")
    elif not repriced.prices.height:
        screen.show("Nothing changes.")
    else:
        screen.show(
            f"Next: kotrel reprice {args.rules} -o {args.rules}.xlsx    writes them as a workbook to read and load"
        )
    return 1 if errors else 0
