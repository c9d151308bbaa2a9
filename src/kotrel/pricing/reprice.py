"""``kotrel reprice``: works out new prices by rules, to be read before anybody loads them."""

from __future__ import annotations

import argparse
from decimal import Decimal
from pathlib import Path
from typing import Any

import polars as pl
from rich.text import Text

from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.phrases import count
from kotrel.core.pricing.price_rules import OWN_PRICES
from kotrel.loading.loads.history import when
from kotrel.loading.opening import now, workspace_of
from kotrel.loading.options import add_report, report_path
from kotrel.pricing.price_picture import draw_changes
from kotrel.pricing.repricing import Repriced, reprice, summary, targets_of, with_remarks, write_prices
from kotrel.screen.amounts_shown import money_text
from kotrel.screen.command_lines import quoted
from kotrel.screen.listing import listing, show_more
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import free_name, require_new_file

EXAMPLES = 3
GROUPS_SHOWN = 12
STYLES = {"error": "bold red", "warning": "yellow", "note": "cyan"}


def show_repriced(screen: Screen, repriced: Repriced, every: bool) -> None:
    """The counts, what the guards say, and the changes by list and group."""
    rules, prices = repriced.rules, repriced.prices
    screen.show(Text(rules.title, style="bold").append(f" · from {repriced.from_date} · rules {rules.name}", style=""))
    made = int(prices["old"].is_null().sum())
    parts = [f"{count(prices.height - made, 'price')} changed"]
    parts += [f"{made:,} new"] if made else []
    parts += [f"{repriced.same:,} unchanged by the rules"] if repriced.same else []
    parts += [f"{repriced.worked.untouched:,} that no step applies to"] if repriced.worked.untouched else []
    screen.show(" · ".join(parts))
    _show_remarks(screen, repriced)
    for name, why in repriced.worked.idle.items():
        screen.show(Text(f"  step “{name}” had no effect: {why}", style="yellow"))
    for target, number in repriced.worked.blank.items():
        screen.show(
            Text(
                f"  {target}: {count(number, 'item')} without a new price, because an input of the formula is blank",
                style="yellow",
            )
        )
    rounded = int(repriced.prices["remark"].is_not_null().sum())
    if rounded:
        words = f"  {count(rounded, 'price')} moved far by rounding: the column Remarks of the workbook says how far"
        screen.show(Text(words, style="yellow"))
    own = [target for target in targets_of(repriced) if target in OWN_PRICES]
    if own and repriced.rules.from_date is not None:
        words = f"  {' and '.join(own)} of the item: no dates there, so the new {'one holds' if len(own) == 1 else 'ones hold'} as soon as loaded"
        screen.show(Text(words, style="yellow"))
    _show_told(screen, repriced, every)
    _show_groups(screen, repriced, every)


def _show_remarks(screen: Screen, repriced: Repriced) -> None:
    """What was loaded before, and what of the sheets was not used."""
    for load in repriced.loaded[-1:]:
        words = f"  these rules are loaded already, as {load.name} ({when(load.at)}): these prices come on top of that"
        screen.show(Text(words, style="bold yellow"))
    if repriced.begun:
        words = f"  {count(repriced.begun, 'old price')} already set for {repriced.from_date}: calculated from that, not from the price before"
        screen.show(Text(words, style="yellow"))
    for name, number in repriced.unknown.items():
        screen.show(Text(f"  {name}: {count(number, 'row')} left out, no item of the system", style="yellow"))
    for said in (*repriced.not_read, *repriced.not_compared):
        screen.show(Text(f"  {said}", style="yellow"))


def _show_told(screen: Screen, repriced: Repriced, every: bool) -> None:
    for severity in ("error", "warning"):
        told = [each for each in repriced.told if each.severity == severity]
        if not told:
            continue
        number = sum(each.rows.height for each in told)
        screen.show(Text(""), Text(f"{severity.upper()}S   {count(number, 'price')}", style=STYLES[severity]))
        for told_group in sorted(told, key=lambda one: -one.rows.height):
            screen.show(Text(f"  {told_group.title}   {told_group.rows.height:,}", style=STYLES[severity]))
            shown = told_group.rows if every else told_group.rows.head(EXAMPLES)
            for place, message in shown.iter_rows():
                row = repriced.prices.row(place, named=True)
                screen.show(Text(f"    {row['target']} {row['item']} {row['unit']}: {message}"))
            show_more(screen, told_group.rows.height - shown.height, indent=4)


def _show_groups(screen: Screen, repriced: Repriced, every: bool) -> None:
    groups = summary(repriced)
    if not groups.height:
        return
    figures = ("prices", "mean change", "largest", "old", "new", "value at stake")
    table = listing(("list", repriced.rules.outliers.by, *figures[:3], "of", *figures[3:]), right=figures)
    shown = groups if every else groups.head(GROUPS_SHOWN)
    for row in shown.iter_rows(named=True):
        currency = repriced.currencies.get(row["target"]) or repriced.rules.rates.home
        old, new = (_plain_price(None if row[name] is None else str(row[name])) for name in ("old", "new"))
        table.add_row(
            row["target"],
            row["group"] or "",
            f"{row['prices']:,}",
            _percent(row["mean"]),
            _percent(row["largest"]),
            Text(row["item"], style="dim"),
            old or "",
            new or "",
            f"{money_text(row['stake'])} {currency}".rstrip() if row["stake"] else "",
        )
    screen.show(Text(""), table)
    show_more(screen, groups.height - shown.height, indent=0)


def _percent(value: Decimal | None) -> str:
    return "new" if value is None else f"{value:+.1f} %"


def repriced_json(repriced: Repriced, files: list[str]) -> dict[str, Any]:
    """The same for programs: every new price."""
    rows = with_remarks(repriced).with_columns(pl.col(pl.Decimal).cast(pl.String))
    return {
        "rules": repriced.rules.name,
        "from_date": repriced.from_date.isoformat(),
        "lists": list(targets_of(repriced)),
        "prices": [
            {
                "list": row["target"],
                "item": row["item"],
                "unit": row["unit"],
                "from_quantity": _plain_price(row["from_quantity"], 0),
                "old": _plain_price(row["old"]),
                "new": _plain_price(row["new"]),
                "step": row["step"],
                "remark": row["remark"],
                "severity": row["severity"],
            }
            for row in rows.iter_rows(named=True)
        ],
        "same": repriced.same,
        "untouched": repriced.worked.untouched,
        "blank": dict(repriced.worked.blank),
        "idle": dict(repriced.worked.idle),
        "unknown": dict(repriced.unknown),
        "not_read": list(repriced.not_read),
        "not_compared": list(repriced.not_compared),
        "loaded": [each.name for each in repriced.loaded],
        "begun": repriced.begun,
        "counts": {
            severity: sum(each.rows.height for each in repriced.told if each.severity == severity)
            for severity in ("error", "warning")
        },
        "files": files,
    }


def _plain_price(value: str | None, decimals: int = 2) -> str | None:
    """A price with at least so many decimals, without the zeros of the calculation."""
    if value is None or "." not in value:
        return value
    whole, _, part = value.partition(".")
    return f"{whole}.{part.rstrip('0').ljust(decimals, '0')}".rstrip(".")


EXAMPLE = """\
kotrel reprice keldrift
    calculates prices by prices/keldrift.toml and shows what would change
kotrel reprice keldrift -o keldrift-prices.xlsx
    writes them as a workbook to read, change by hand, check and load, and a picture of the changes"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("rules", metavar="RULES", help="the rules: prices/RULES.toml in the workspace")
    parser.add_argument(
        "-o", "--output", metavar="FILE", help="write the prices to this workbook, and a picture beside it"
    )
    parser.add_argument("--all", action="store_true", help="list every finding and every group")
    parser.add_argument(
        "--again", action="store_true", help="calculate them although they are loaded already: on top of that load"
    )
    add_report(parser)


def _require_not_loaded(repriced: Repriced, again: bool) -> None:
    """Refuses rules whose prices are in force already: what they say per cent would come on top of itself.

    Without a first day, rules may be meant for every month: then it is only reported.
    """
    if again or not repriced.loaded or repriced.rules.from_date is None:
        return
    last, name = repriced.loaded[-1], repriced.rules.name
    raise WrongData(
        f"these rules are loaded already, as {last.name} ({when(last.at)}), from {repriced.from_date}: "
        "calculated again, they come on top of that",
        f"To take that load back: kotrel undo {last.name}. To calculate them once more, on top: "
        f"kotrel reprice {quoted([name])} --again. For another day: change from_date in prices/{name}.toml.",
        "rules-loaded",
    )


def _new_workbook(path: Path) -> Path:
    require_new_file(path)
    if path.suffix.lower() != ".xlsx":
        raise WrongUse("the prices are written as an .xlsx workbook", "Use a name like prices.xlsx.", "unknown-ending")
    return path


def run(args: argparse.Namespace, screen: Screen) -> int:
    report = report_path(args)
    workspace = workspace_of(args, screen)
    out = None if args.output is None else _new_workbook(Path(args.output))
    with screen.progress(5) as step:
        repriced = reprice(args.rules, workspace, now().date(), step)
        _require_not_loaded(repriced, args.again)
        files: list[str] = []
        if out is not None and repriced.prices.height:
            step("writing")
            write_prices(repriced, workspace.description, out)
            files.append(str(out))
            picture = free_name(out.with_suffix(".png"))
            if draw_changes(repriced, picture):
                files.append(str(picture))
    errors = any(told.severity == "error" for told in repriced.told)
    if report is not None and repriced.prices.height:
        args.reports().of_prices(report, repriced)
        files.append(str(report))
    if screen.as_json:
        screen.json(repriced_json(repriced, files))
        return 1 if errors else 0
    show_repriced(screen, repriced, args.all)
    screen.show("")
    if files:
        screen.show(f"Written: {', '.join(files)}")
    if out is not None and files:
        screen.show(
            f"Next: read it, change prices by hand where you want, then: {screen.program} preview {quoted(files[:1])}"
        )
    elif not repriced.prices.height:
        screen.show("Nothing changes.")
    else:
        screen.show(
            f"Next: {screen.program} reprice {quoted([args.rules])} -o {quoted([args.rules + '.xlsx'])}    writes them as a workbook to read and load"
        )
    return 1 if errors else 0
