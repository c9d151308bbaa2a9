"""What a load does to prices, in sum, on the terminal and as JSON."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import polars as pl
from rich.table import Table
from rich.text import Text

from kotrel.reports.documents import money_text
from kotrel.reports.screen import Screen

SHOWN = 12


def show_stakes(screen: Screen, stakes: pl.DataFrame | None, every: bool) -> None:
    """A line for each list and, below it, for each of its categories."""
    if stakes is None:
        return
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for title, right in (("prices of", False), ("category", False), ("prices", True), ("new", True), ("mean change", True),
                         ("largest", True), ("at", False), ("value at stake", True)):  # fmt: skip
        table.add_column(title, justify="right" if right else "left")
    shown = stakes if every or stakes.height <= SHOWN else stakes.filter(pl.col("category").is_null())
    for row in shown.iter_rows(named=True):
        style = "bold" if row["category"] is None else ""
        table.add_row(
            Text(row["list"] if row["category"] is None else "", style=style), Text(row["category"] or "all"), f"{row['prices']:,}",
            f"{row['new']:,}" if row["new"] else "", _percent(row["mean"]), _percent(row["largest"]),
            Text(row["item"] if row["largest"] is not None else "", style="dim"), money_text(row["stake"]) if row["stake"] else "",
        )  # fmt: skip
    screen.show("", table)
    if shown.height < stakes.height:
        screen.show(Text(f"  … {stakes.height - shown.height:,} lines by category (--all lists them)", style="dim"))


def _percent(value: Decimal | None) -> str:
    return "" if value is None else f"{value:+.1f} %"


def stakes_json(stakes: pl.DataFrame | None) -> list[dict[str, Any]]:
    """The same for programs; per cent with two decimals, money with two."""
    if stakes is None:
        return []
    return [
        {
            "list": row["list"],
            "category": row["category"],
            "prices": row["prices"],
            "new": row["new"],
            "mean": None if row["mean"] is None else f"{row['mean']:.2f}",
            "largest": None if row["largest"] is None else f"{row['largest']:.2f}",
            "item": row["item"],
            "at_stake": money_text(row["stake"]).replace(",", ""),
        }
        for row in stakes.iter_rows(named=True)
    ]
