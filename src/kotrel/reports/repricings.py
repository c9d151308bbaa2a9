"""What repricing came to, on the terminal and as JSON."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import polars as pl
from rich.table import Table
from rich.text import Text

from kotrel.core.phrases import count
from kotrel.core.pricing.rules import OWN_PRICES
from kotrel.reports.screen import Screen
from kotrel.stages.repricing import Repriced, summary, targets_of, with_remarks

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
    parts += [f"{repriced.same:,} come out as they are"] if repriced.same else []
    parts += [f"{repriced.worked.untouched:,} touched by no step"] if repriced.worked.untouched else []
    screen.show(" · ".join(parts))
    for name, number in repriced.unknown.items():
        screen.show(Text(f"  {name}: {count(number, 'row')} left out, no item of the system", style="yellow"))
    for said in repriced.not_read:
        screen.show(Text(f"  {said}", style="yellow"))
    for name, why in repriced.worked.idle.items():
        screen.show(Text(f"  step “{name}” works out nothing: {why}", style="yellow"))
    for target, number in repriced.worked.blank.items():
        screen.show(
            Text(
                f"  {target}: {count(number, 'item')} left without a new price, because what it is worked out of is blank",
                style="yellow",
            )
        )
    own = [target for target in targets_of(repriced) if target in OWN_PRICES]
    if own and repriced.rules.from_date is not None:
        words = f"  {' and '.join(own)} of the item: no dates there, so the new {'one holds' if len(own) == 1 else 'ones hold'} as soon as loaded"
        screen.show(Text(words, style="yellow"))
    _show_told(screen, repriced, every)
    _show_groups(screen, repriced, every)


def _show_told(screen: Screen, repriced: Repriced, every: bool) -> None:
    for severity in ("error", "warning"):
        told = [each for each in repriced.told if each.severity == severity]
        if not told:
            continue
        number = sum(each.rows.height for each in told)
        screen.show(Text(""), Text(f"{severity.upper()}S   {count(number, 'price')}", style=STYLES[severity]))
        for each in sorted(told, key=lambda one: -one.rows.height):
            screen.show(Text(f"  {each.title}   {each.rows.height:,}", style=STYLES[severity]))
            shown = each.rows if every else each.rows.head(EXAMPLES)
            for place, message in shown.iter_rows():
                row = repriced.prices.row(place, named=True)
                screen.show(Text(f"    {row['target']} {row['item']} {row['unit']}: {message}"))
            if shown.height < each.rows.height:
                screen.show(Text(f"    … {each.rows.height - shown.height:,} more (--all lists them)", style="dim"))


def _show_groups(screen: Screen, repriced: Repriced, every: bool) -> None:
    groups = summary(repriced)
    if not groups.height:
        return
    table = Table(box=None, padding=(0, 3, 0, 0), header_style="dim")
    for heading in ("list", repriced.rules.outliers.by, "prices", "mean change", "largest"):
        table.add_column(
            heading, justify="left" if heading in ("list", repriced.rules.outliers.by) else "right", overflow="fold"
        )
    shown = groups if every else groups.head(GROUPS_SHOWN)
    for row in shown.iter_rows(named=True):
        table.add_row(
            row["target"], row["group"] or "", f"{row['prices']:,}", _percent(row["mean"]), _percent(row["largest"])
        )
    screen.show(Text(""), table)
    if shown.height < groups.height:
        screen.show(Text(f"… {groups.height - shown.height:,} more groups (--all lists them)", style="dim"))


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
                "list": row["target"], "item": row["item"], "unit": row["unit"], "from_quantity": _plain(row["from_quantity"], 0),
                "old": _plain(row["old"]), "new": _plain(row["new"]), "step": row["step"], "remark": row["remark"], "severity": row["severity"],
            }
            for row in rows.iter_rows(named=True)
        ],
        "same": repriced.same,
        "untouched": repriced.worked.untouched,
        "blank": dict(repriced.worked.blank),
        "idle": dict(repriced.worked.idle),
        "unknown": dict(repriced.unknown),
        "not_read": list(repriced.not_read),
        "counts": {
            severity: sum(each.rows.height for each in repriced.told if each.severity == severity) for severity in ("error", "warning")
        },
        "files": files,
    }  # fmt: skip


def _plain(value: str | None, decimals: int = 2) -> str | None:
    """A price with at least so many decimals, without the zeros of the calculation."""
    if value is None or "." not in value:
        return value
    whole, _, part = value.partition(".")
    return f"{whole}.{part.rstrip('0').ljust(decimals, '0')}".rstrip(".")
