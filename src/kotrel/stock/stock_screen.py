"""Stock and what to order, on the terminal, as JSON and as a table for a file."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import polars as pl
from rich.table import Table
from rich.text import Text

from kotrel.core.description.model import Field
from kotrel.screen.amounts_shown import money_text, quantity_text
from kotrel.screen.listing import show_more
from kotrel.screen.narrow import give_way
from kotrel.screen.screen import Screen
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.stock.on_hand import Stock

SHOWN = 40
AMOUNTS_BESIDE_NAMES = 4
TITLES = {"on_hand": "on hand", "value_change": "value"}
MONEY = ("value", "value_change", "opening value", "in value", "out value", "revalued", "closing value")


def show_stock(screen: Screen, answer: Stock, every: bool) -> None:
    """A row for each place, and the totals."""
    if not answer.rows.height:
        screen.show("Nothing is on hand there." if "on_hand" in answer.amounts else "Nothing moved there.")
    else:
        _show_table(screen, answer, every)
    show_remarks(screen, answer.remarks)


def _show_table(screen: Screen, answer: Stock, every: bool) -> None:
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim")
    # Of a period there are so many amounts that codes would be cut.
    named = "item" in answer.by and "description" not in answer.by and len(answer.amounts) <= AMOUNTS_BESIDE_NAMES
    places = list(answer.by)
    if named:
        places.insert(places.index("item") + 1, "description")
    for name in places:
        most = 34 if named and name == "description" else None
        table.add_column(name.replace("_", " "), overflow="ellipsis", max_width=most, no_wrap=True)
    for name in answer.amounts:
        table.add_column(TITLES.get(name, name), justify="right")
        if name == _last_quantity(answer):
            table.add_column("unit")
    rows = answer.rows if every else answer.rows.head(SHOWN)
    for row in rows.iter_rows(named=True):
        table.add_row(*(Text(row[name] or "") for name in places), *_amounts(answer, row))
    table.add_row(Text("in all", style="bold"), *([""] * (len(places) - 1)), *_totals(answer))
    screen.show(give_way(table, screen.console.width, "description"))
    show_more(screen, answer.rows.height - rows.height, "--all lists them, -o FILE writes them")


def _last_quantity(found: Stock) -> str:
    return [name for name in found.amounts if name not in MONEY][-1]


def _amounts(answer: Stock, row: dict[str, Any]) -> list[Any]:
    cells: list[Any] = []
    for name in answer.amounts:
        # Metres and pieces cannot be added up.
        quantity = quantity_text(row[name]) if row["unit"] else ""
        cells.append(money_text(row[name]) if name in MONEY else quantity)
        if name == _last_quantity(answer):
            cells.append(Text(row["unit"] or "several", style="dim"))
    return cells


def _totals(answer: Stock) -> list[Any]:
    """Values are added up; quantities only where all have one unit."""
    unit = answer.rows["unit"].unique()
    one = unit[0] if len(unit) == 1 else None
    cells: list[Any] = []
    for name in answer.amounts:
        whole = sum(answer.rows[name], Decimal(0))
        cells.append(Text(money_text(whole) if name in MONEY else (quantity_text(whole) if one else ""), style="bold"))
        if name == _last_quantity(answer):
            cells.append(Text(one or "", style="dim"))
    return cells


def show_remarks(screen: Screen, remarks: tuple[str, ...]) -> None:
    for remark in remarks:
        screen.show(Text(remark, style="dim"))


def stock_json(answer: Stock) -> dict[str, Any]:
    """Stock as ``--json`` gives it; numbers are texts, so that no digit is lost."""
    rows = [
        {
            **{name: row[name] for name in answer.by},
            **{name.replace(" ", "_"): _plain_amount(row[name], name) for name in answer.amounts},
            "unit": row["unit"],
        }
        for row in answer.rows.iter_rows(named=True)
    ]
    # Metres and pieces cannot be added up.
    one_unit = answer.rows["unit"].n_unique() <= 1
    totals = {
        name.replace(" ", "_"): _plain_amount(sum(answer.rows[name], Decimal(0)), name)
        if name in MONEY or one_unit
        else None
        for name in answer.amounts
    }
    return {"rows": rows, "totals": totals, "remarks": list(answer.remarks)}


def _plain_amount(value: Decimal, name: str) -> str:
    return (money_text(value) if name in MONEY else quantity_text(value)).replace(",", "")


def stock_book(answer: Stock) -> OutBook:
    """Stock as a sheet to read."""
    columns: list[OutColumn] = []
    series: list[pl.Series] = []
    for name in dict.fromkeys((*answer.by, *(("description",) if "item" in answer.by else ()))):
        columns.append(OutColumn(name.replace("_", " ").capitalize()))
        series.append(answer.rows[name].cast(pl.String))
    for name in answer.amounts:
        title = f"{name.capitalize()}" if name not in TITLES or " " in name else TITLES[name].capitalize()
        about = Field(name, title, "money" if name in MONEY else "quantity", decimals=2 if name in MONEY else 3)
        columns.append(OutColumn(title, about))
        series.append(pl.Series(name, [_plain_amount(value, name) for value in answer.rows[name]], dtype=pl.String))
    if "unit" not in answer.by:
        columns.append(OutColumn("Unit"))
        series.append(answer.rows["unit"])
    return OutBook((OutSheet("Stock", tuple(columns), pl.DataFrame(series)),))
