"""New prices as a workbook to read, change by hand and load: one sheet for each list, and one with what to look at first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import ROUND_HALF_UP, Decimal
from itertools import groupby
from pathlib import Path
from typing import Any

import polars as pl

from kotrel.core.pricing.guards import percent
from kotrel.core.tables.table import Table
from kotrel.sheets.cell_texts import writable
from kotrel.sheets.safe_writing import require_new_file, written_whole

STAMP = "Kotrel prices"
"""Name of the workbook property that says by which rules the prices were worked out."""
ITEMS_SHEET = "Items"
FIRST_LOOK = "Kotrel first look"
OWN = (
    "Description", "Cost", "Old price", "Change", "Change %", "Markup %", "Margin %", "Step", "Remarks",
)  # fmt: skip
"""Headings of columns for the reader, which are never loaded."""
CELL_DECIMALS = 6
_WIDTHS = {"Description": 38, "Remarks": 46, "Step": 22, "Item": 14, "Item code": 14, "Price list": 10}


@dataclass(frozen=True)
class PriceSheet:
    """One sheet: its name, the decimals of its prices, and its rows, with the columns of :func:`write_price_book`."""

    name: str
    decimals: int
    rows: pl.DataFrame
    title: str = "Price"


def write_price_book(sheets: Sequence[PriceSheet], own: PriceSheet | None, first: date, rules: str, path: Path) -> None:
    """Writes the workbook.

    Args:
        sheets: the price lists. Rows have ``target``, ``item``, ``description``, ``unit``, ``from_quantity``, ``cost``, ``old``, ``new``,
            ``step`` and ``remark`` (with what the guards say); prices are Decimals.
        own: the items' own prices, or None.
        first: the first day of the new prices.
        rules: the name of the rules, for the stamp.

    Raises:
        WrongUse: there is a file of that name already.
        OutOfReach: it cannot be written.
    """
    import xlsxwriter

    require_new_file(path, [".xlsx"])
    with written_whole(path) as temporary:
        out = xlsxwriter.Workbook(
            temporary, {"strings_to_formulas": False, "strings_to_urls": False, "constant_memory": True}
        )
        out.set_custom_property(STAMP, rules)
        formats = _Formats(out)
        for each in sheets:
            _list_sheet(out.add_worksheet(each.name), each, first, formats)
        if own is not None:
            _items_sheet(out.add_worksheet(ITEMS_SHEET), own, formats)
        _first_look(out.add_worksheet(FIRST_LOOK), [*sheets, *([own] if own else [])], formats)
        out.close()


def without_readers_columns(table: Table, own: Mapping[str, str]) -> tuple[Table, dict[str, str]]:
    """A table of such a workbook without the columns that are there only to be read.

    Args:
        own: the item's own prices: field → title.

    Returns:
        The table, and field → the column of the price that its new one was worked out from. Its cells stay in the table.
    """
    headings = {column.heading.casefold(): column.letter for column in table.columns}
    if "price list" in headings:
        left = {each.casefold() for each in OWN}
        old = {"amount": headings["old price"]} if "old price" in headings else {}
    else:
        olds = {f"old {title.casefold()}": name for name, title in own.items()}
        left = {"description", "step", "remarks", *olds}
        old = {name: headings[heading] for heading, name in olds.items() if heading in headings}
    kept = tuple(column for column in table.columns if column.heading.casefold() not in left)
    return replace(table, columns=kept), old


class _Formats:
    def __init__(self, out: Any) -> None:
        self._out = out
        self._money: dict[tuple[int, bool], Any] = {}
        self.heading = out.add_format({"bold": True, "bottom": 1, "text_wrap": True, "valign": "top"})
        self.reader = out.add_format(
            {"bold": True, "bottom": 1, "text_wrap": True, "valign": "top", "font_color": "#666666"}
        )
        self.text = out.add_format({"num_format": "@"})
        self.day = out.add_format({"num_format": "yyyy-mm-dd"})
        self.share = out.add_format({"num_format": "0.0", "font_color": "#444444"})
        self.quantity = out.add_format({"num_format": "0.###"})
        self.wrong = out.add_format({"font_color": "#9C0006", "num_format": "@"})
        self.doubtful = out.add_format({"font_color": "#7F6000", "num_format": "@"})

    def money(self, decimals: int, strong: bool = False) -> Any:
        key = (decimals, strong)
        if key not in self._money:
            shown = {"num_format": "0." + "0" * decimals if decimals else "0", "bold": strong}
            self._money[key] = self._out.add_format({**shown, **({"bg_color": "#EAF3FF"} if strong else {})})
        return self._money[key]


def _list_sheet(sheet: Any, each: PriceSheet, first: date, formats: _Formats) -> None:
    headings = ("Price list", "Item", "Description", "Unit", "From quantity", "From date", "Cost", "Old price", "Price", "Change",
                "Change %", "Markup %", "Margin %", "Step", "Remarks")  # fmt: skip
    _head(sheet, headings, formats)
    money = formats.money(each.decimals)
    looks = (formats.money(4), money, formats.money(each.decimals, True), money, *[formats.share] * 3)
    names = (
        "from_quantity",
        "cost",
        "old",
        "new",
        "change",
        "change %",
        "markup %",
        "margin %",
        "step",
        "remark",
        "severity",
    )
    rows = _with_shares(each.rows).select("target", "item", "description", "unit", *names)
    for line, row in enumerate(rows.iter_rows(), start=1):
        for place in range(4):
            sheet.write_string(line, place, writable(row[place] or ""), formats.text)
        sheet.write_number(line, 4, row[4], formats.quantity)
        sheet.write_datetime(line, 5, first, formats.day)
        for place, look in enumerate(looks, start=6):
            if row[place - 1] is not None:
                sheet.write_number(line, place, row[place - 1], look)
        _words(sheet, line, 13, row[12], row[13], row[14], formats)
    _finish(sheet, headings, each.rows.height)


def _with_shares(rows: pl.DataFrame) -> pl.DataFrame:
    """The prices as the floats that cells hold, with change, change %, markup and margin where they can be worked out."""
    old, new, cost = pl.col("old"), pl.col("new"), pl.col("cost")
    shares = {"change %": (new - old, old), "markup %": (new - cost, cost), "margin %": (new - cost, new)}
    worked = rows.with_columns(
        (new - old).alias("change"),
        *(
            percent(part, whole).round(1, mode="half_away_from_zero").alias(name)
            for name, (part, whole) in shares.items()
        ),
    )
    figures = [pl.col(name) for name in ("from_quantity", "cost", "old", "new", "change", *shares)]
    # With so many decimals, all digits of a price still fit a float.
    return worked.with_columns(each.cast(pl.Decimal(38, CELL_DECIMALS)).cast(pl.Float64) for each in figures)


def _items_sheet(sheet: Any, each: PriceSheet, formats: _Formats) -> None:
    """The items' own prices: one row for each item, with a column for each price that is set."""
    names = list(dict.fromkeys(each.rows["target"]))
    about = {
        name: (title, places)
        for name, title, places in each.rows.select("target", "title", "decimals").unique().iter_rows()
    }
    loaded = ["Item code", *(about[name][0] for name in names)]
    headings = [
        loaded[0],
        "Description",
        *loaded[1:],
        *(f"Old {title.lower()}" for title in loaded[1:]),
        "Step",
        "Remarks",
    ]
    for place, heading in enumerate(headings):
        sheet.write_string(0, place, heading, formats.heading if heading in loaded else formats.reader)
    rows = _with_shares(each.rows).sort("item", maintain_order=True).iter_rows(named=True)
    line = 0
    for line, (item, mine) in enumerate(groupby(rows, key=lambda row: row["item"]), start=1):
        by_name = {row["target"]: row for row in mine}
        first = next(iter(by_name.values()))
        sheet.write_string(line, 0, writable(item), formats.text)
        sheet.write_string(line, 1, writable(first["description"] or ""), formats.text)
        for place, name in enumerate(names, start=2):
            if name in by_name:
                sheet.write_number(line, place, by_name[name]["new"], formats.money(about[name][1], True))
        for place, name in enumerate(names, start=2 + len(names)):
            if name in by_name and by_name[name]["old"] is not None:
                sheet.write_number(line, place, by_name[name]["old"], formats.money(about[name][1]))
        remark = "; ".join(row["remark"] for row in by_name.values() if row["remark"])
        severity = min((row["severity"] for row in by_name.values() if row["severity"]), default=None)
        _words(sheet, line, 2 + 2 * len(names), first["step"], remark, severity, formats)
    _finish(sheet, headings, line)


def _head(sheet: Any, headings: Sequence[str], formats: _Formats) -> None:
    for place, heading in enumerate(headings):
        sheet.write_string(0, place, heading, formats.reader if heading in OWN else formats.heading)


def _words(
    sheet: Any, line: int, place: int, step: str | None, remark: str | None, severity: str | None, formats: _Formats
) -> None:
    sheet.write_string(line, place, step or "", formats.text)
    if remark:
        look = {"error": formats.wrong, "warning": formats.doubtful}.get(severity or "", formats.text)
        sheet.write_string(line, place + 1, writable(remark), look)


def _finish(sheet: Any, headings: Sequence[str], rows: int) -> None:
    for place, heading in enumerate(headings):
        sheet.set_column(place, place, _WIDTHS.get(heading, 11))
    sheet.freeze_panes(1, 2)
    if rows:
        sheet.autofilter(0, 0, rows, len(headings) - 1)


def _first_look(sheet: Any, sheets: Sequence[PriceSheet], formats: _Formats) -> None:
    """The rows of all sheets with something to look at, errors first, then the largest changes."""
    headings = ("Sheet", "Item", "Description", "Unit", "Old price", "Price", "Change %", "What to look at")
    for place, heading in enumerate(headings):
        sheet.write_string(0, place, heading, formats.heading)
    found = [
        (each, row) for each in sheets for row in each.rows.filter(pl.col("remark").is_not_null()).iter_rows(named=True)
    ]
    found.sort(key=lambda one: (one[1]["severity"] != "error", -abs(_change(one[1])), one[1]["item"]))
    for line, (each, row) in enumerate(found, start=1):
        sheet.write_string(line, 0, each.name, formats.text)
        sheet.write_string(line, 1, writable(row["item"]), formats.text)
        sheet.write_string(line, 2, writable(row["description"] or ""), formats.text)
        sheet.write_string(line, 3, row["unit"] or "", formats.text)
        if row["old"] is not None:
            sheet.write_number(line, 4, float(row["old"]), formats.money(each.decimals))
            sheet.write_number(line, 6, float(_change(row)), formats.share)
        sheet.write_number(line, 5, float(row["new"]), formats.money(each.decimals, True))
        sheet.write_string(
            line, 7, writable(row["remark"]), formats.wrong if row["severity"] == "error" else formats.doubtful
        )
    if not found:
        sheet.write_string(1, 0, "Nothing: every price is within the guards.", formats.text)
    for place, width in enumerate((14, 14, 38, 8, 11, 11, 10, 70)):
        sheet.set_column(place, place, width)
    sheet.freeze_panes(1, 2)


def _change(row: Mapping[str, Any]) -> Decimal:
    return (
        ((row["new"] - row["old"]) / row["old"] * 100).quantize(Decimal("0.1"), ROUND_HALF_UP)
        if row["old"]
        else Decimal(0)
    )
