"""New prices as a workbook to read, change by hand and load: one sheet for each list, and one with what to look at first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import polars as pl

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

    require_new_file(path)
    with written_whole(path) as temporary:
        out = xlsxwriter.Workbook(temporary, {"strings_to_formulas": False, "strings_to_urls": False})
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
        self.up = out.add_format({"font_color": "#006100"})
        self.down = out.add_format({"font_color": "#9C0006"})

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
    money, new = formats.money(each.decimals), formats.money(each.decimals, True)
    cost_format = formats.money(4)
    for line, row in enumerate(each.rows.iter_rows(named=True), start=1):
        sheet.write_string(line, 0, row["target"], formats.text)
        sheet.write_string(line, 1, writable(row["item"]), formats.text)
        sheet.write_string(line, 2, writable(row["description"] or ""), formats.text)
        sheet.write_string(line, 3, row["unit"] or "", formats.text)
        sheet.write_number(line, 4, float(row["from_quantity"]), formats.quantity)
        sheet.write_datetime(line, 5, first, formats.day)
        for place, name, look in ((6, "cost", cost_format), (7, "old", money), (8, "new", new)):
            if row[name] is not None:
                sheet.write_number(line, place, float(row[name]), look)
        _shares(sheet, line, 9, row, money, formats)
        _words(sheet, line, 13, row, formats)
    _finish(sheet, headings, each.rows.height, 9)


def _items_sheet(sheet: Any, each: PriceSheet, formats: _Formats) -> None:
    """The items' own prices: one row for each item, with a column for each price that is set."""
    names = list(dict.fromkeys(each.rows["target"]))
    titles = dict(each.rows.select("target", "title").unique("target").iter_rows())
    headings = (
        "Item code",
        "Description",
        *(titles[name] for name in names),
        *(f"Old {titles[name].lower()}" for name in names),
        "Step",
        "Remarks",
    )
    for place, heading in enumerate(headings):
        is_loaded = heading == "Item code" or heading in titles.values()
        sheet.write_string(0, place, heading, formats.heading if is_loaded else formats.reader)
    line = 0
    for (item,), rows in each.rows.group_by("item", maintain_order=True):
        line += 1
        by_name = {row["target"]: row for row in rows.iter_rows(named=True)}
        one = next(iter(by_name.values()))
        sheet.write_string(line, 0, writable(str(item)), formats.text)
        sheet.write_string(line, 1, writable(one["description"] or ""), formats.text)
        for place, name in enumerate(names):
            if name in by_name:
                decimals = by_name[name]["decimals"]
                sheet.write_number(line, 2 + place, float(by_name[name]["new"]), formats.money(decimals, True))
                if by_name[name]["old"] is not None:
                    sheet.write_number(
                        line, 2 + len(names) + place, float(by_name[name]["old"]), formats.money(decimals)
                    )
        said = {"step": one["step"], "severity": next((row["severity"] for row in by_name.values() if row["severity"]), ""),
                "remark": "; ".join(row["remark"] for row in by_name.values() if row["remark"])}  # fmt: skip
        _words(sheet, line, 2 + 2 * len(names), said, formats)
    _finish(sheet, headings, line, None)


def _head(sheet: Any, headings: Sequence[str], formats: _Formats) -> None:
    for place, heading in enumerate(headings):
        sheet.write_string(0, place, heading, formats.reader if heading in OWN else formats.heading)


def _shares(sheet: Any, line: int, place: int, row: Mapping[str, Any], money: Any, formats: _Formats) -> None:
    """Change, change %, markup % and margin %: where they can be worked out."""
    old, new, cost = row["old"], row["new"], row["cost"]
    if old is not None:
        sheet.write_number(line, place, float(new - old), money)
        if old:
            sheet.write_number(line, place + 1, float(_share(new - old, old)), formats.share)
    if cost is not None and cost:
        sheet.write_number(line, place + 2, float(_share(new - cost, cost)), formats.share)
    if cost is not None and new:
        sheet.write_number(line, place + 3, float(_share(new - cost, new)), formats.share)


def _share(part: Decimal, whole: Decimal) -> Decimal:
    return (part / whole * 100).quantize(Decimal("0.1"))


def _words(sheet: Any, line: int, place: int, row: Mapping[str, Any], formats: _Formats) -> None:
    sheet.write_string(line, place, row["step"] or "", formats.text)
    look = {"error": formats.wrong, "warning": formats.doubtful}.get(row["severity"] or "", formats.text)
    if row["remark"]:
        sheet.write_string(line, place + 1, writable(row["remark"]), look)


def _finish(sheet: Any, headings: Sequence[str], rows: int, change: int | None) -> None:
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
    found = [(each, row) for each in sheets for row in each.rows.iter_rows(named=True) if row["remark"]]
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
    return _share(row["new"] - row["old"], row["old"]) if row["old"] else Decimal(0)
