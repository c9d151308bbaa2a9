"""What documents post to stock, on the terminal and as JSON."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import polars as pl
from rich.text import Text

from kotrel.core.description.model import Record
from kotrel.core.loading.load_model import Preview
from kotrel.screen.amounts_shown import money_text, quantity_text
from kotrel.screen.listing import listing
from kotrel.screen.screen import Screen


def _sum(totals: pl.DataFrame, name: str) -> Decimal:
    return sum((value for value in totals[name]), Decimal(0))


def document_totals(preview: Preview) -> pl.DataFrame | None:
    """What the documents of a load post, or None where it has none."""
    return next((each.totals for each in preview.checked if each.totals is not None and each.totals.height), None)


def show_totals(screen: Screen, preview: Preview, records: dict[str, Record]) -> None:
    """Quantity and value for each kind of document, warehouse and account."""
    totals = document_totals(preview)
    if totals is None:
        return
    figures = ("documents", "lines", "quantity", "value")
    table = listing(("posts", "warehouse", "against", "on", *figures), right=figures)
    for row in totals.iter_rows(named=True):
        record = records.get(row["kind"])
        table.add_row(
            Text(record.title if record else row["kind"]),
            Text(row["warehouse"] or ""),
            Text(row["account"] or ""),
            _days(row),
            f"{row['documents']:,}",
            f"{row['lines']:,}",
            quantity_text(row["quantity"]),
            money_text(row["value"]),
        )
    if totals.height > 1:
        table.add_row(
            Text("in all", style="bold"),
            "",
            "",
            "",
            "",
            f"{totals['lines'].sum():,}",
            quantity_text(_sum(totals, "quantity")),
            money_text(_sum(totals, "value")),
        )
    screen.show("", table)


def _days(row: dict[str, Any]) -> Text:
    """The day that documents are posted on, or the first and the last of several."""
    first, last = row["first_day"] or "", row["last_day"] or ""
    return Text(first if first == last else f"{first} – {last}")


def totals_json(preview: Preview) -> dict[str, Any]:
    """Quantity and value of what is posted, in all and by kind, warehouse and account; empty where nothing is."""
    totals = document_totals(preview)
    if totals is None:
        return {}
    return {
        "quantity": quantity_text(_sum(totals, "quantity")).replace(",", ""),
        "value": money_text(_sum(totals, "value")).replace(",", ""),
        "posts": [
            {
                **row,
                "quantity": quantity_text(row["quantity"]).replace(",", ""),
                "value": money_text(row["value"]).replace(",", ""),
            }
            for row in totals.iter_rows(named=True)
        ],
    }
