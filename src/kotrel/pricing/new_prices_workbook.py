"""New prices as a workbook to read, change by hand and load:
one sheet for each list, and one with what to look at first.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path
from typing import Any

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type
from kotrel.core.pricing.guards import percent
from kotrel.core.pricing.price_workbook_columns import BOOK_STAMP, FIRST_LOOK, OWN
from kotrel.sheets.cell_texts import writable
from kotrel.sheets.new_workbook import new_workbook
from kotrel.sheets.print_layout import for_print
from kotrel.sheets.safe_writing import require_new_file, written_whole
from kotrel.sheets.table_writing import DAY_ZERO
from kotrel.sheets.tall_rows import TallColumn, TallRows, put_rows, require_room

ITEMS_SHEET = "Items"
CELL_DECIMALS = 6
FIRST_LOOKS = 20_000
"""So many rows are on the sheet with what to look at first; it says how many more there are."""
_WIDTHS = {"Description": 38, "Remarks": 46, "Step": 22, "Item": 14, "Item code": 14, "Price list": 10}


class PriceSheet(Struct, frozen=True):
    """One sheet: its name, the decimals of its prices, and its rows, with the columns of :func:`write_price_book`."""

    name: str
    decimals: int
    rows: pl.DataFrame
    title: str = "Price"


def write_price_book(
    sheets: Sequence[PriceSheet], item_prices: PriceSheet | None, first: date, rules: str, path: Path
) -> None:
    """Writes the workbook.

    Args:
        sheets: the price lists. Rows have ``target``, ``item``, ``description``, ``unit``, ``from_quantity``, ``cost``,
            ``old``, ``new``, ``at stake``, ``step`` and ``remark`` (with what the guards say); prices are Decimals.
        item_prices: the items' own prices, or None.
        first: the first day of the new prices.
        rules: the name of the rules, for the stamp.

    Raises:
        WrongUse: there is a file of that name already.
        OutOfReach: it cannot be written.
    """
    require_new_file(path, [".xlsx"])
    heights = {each.name: each.rows.height for each in sheets}
    if item_prices is not None:
        heights[ITEMS_SHEET] = item_prices.rows["item"].n_unique()
    for name, height in heights.items():
        require_room(height, f"{path}: the sheet “{name}”", "Calculate the prices of fewer items at a time.")
    with written_whole(path) as temporary:
        out = new_workbook(temporary)
        out.set_custom_property(BOOK_STAMP, rules)
        formats = _Formats(out)
        _first_look(out.add_worksheet(FIRST_LOOK), [*sheets, *([item_prices] if item_prices else [])], formats)
        rows = {
            place: _list_sheet(out.add_worksheet(each.name), each, first, formats)
            for place, each in enumerate(sheets, start=1)
        }
        if item_prices is not None:
            rows[len(sheets) + 1] = _items_sheet(out.add_worksheet(ITEMS_SHEET), item_prices, formats)
        out.close()
        put_rows(temporary, rows)


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


def _list_sheet(sheet: Any, price_sheet: PriceSheet, first: date, formats: _Formats) -> TallRows:
    headings = (
        "Price list",
        "Item",
        "Description",
        "Old price",
        "Price",
        "Change",
        "Change %",
        "Unit",
        "From quantity",
        "From date",
        "Cost",
        "Markup %",
        "Margin %",
        "At stake",
        "Step",
        "Remarks",
    )
    _head(sheet, headings, formats)
    money = formats.money(price_sheet.decimals)
    looks = [
        *[formats.text] * 3,
        money,
        formats.money(price_sheet.decimals, True),
        money,
        formats.share,
        formats.text,
        formats.quantity,
        formats.day,
        formats.money(4),
        *[formats.share] * 2,
        formats.money(2),
        formats.text,
    ]
    _samples(sheet, looks, formats)
    rows = _with_shares(price_sheet.rows)
    day = pl.Series([str((first - DAY_ZERO).days)]).new_from_index(0, rows.height)
    texts = [rows[name].fill_null("") for name in ("target", "item", "description")]
    prices = [rows[name] for name in ("old", "new", "change", "change %")]
    figures = [rows[name] for name in ("cost", "markup %", "margin %", "at stake")]
    _finish(sheet, headings, rows.height)
    return TallRows(
        (
            *map(TallColumn, texts),
            *map(_figure, prices),
            TallColumn(rows["unit"].fill_null("")),
            _figure(rows["from_quantity"]),
            TallColumn(day, True),
            *map(_figure, figures),
            TallColumn(rows["step"].fill_null("")),
            TallColumn(rows["remark"].replace("", None)),
        ),
        looks=_look(rows["severity"]),
    )


def _samples(sheet: Any, looks: Sequence[Any], formats: _Formats) -> None:
    """A sample row for each severity that a row's remarks can have, worst first."""
    for line, remark in enumerate((formats.wrong, formats.doubtful, formats.text), start=1):
        for index, look in enumerate((*looks, remark)):
            sheet.write_blank(line, index, None, look)


def _look(severities: pl.Series) -> pl.Series:
    """The sample row for each row."""
    return severities.replace_strict({"error": 0, "warning": 1}, default=2, return_dtype=pl.UInt8)


def _figure(numbers: pl.Series) -> TallColumn:
    return TallColumn(numbers.cast(pl.String), True)


def _with_shares(rows: pl.DataFrame) -> pl.DataFrame:
    """The prices with the decimals that cells hold, and with change, change %,
    markup and margin where they can be calculated.
    """
    old, new, cost = pl.col("old"), pl.col("new"), pl.col("cost")
    shares = {"change %": (new - old, old), "markup %": (new - cost, cost), "margin %": (new - cost, new)}
    worked = rows.with_columns(
        (new - old).alias("change"),
        *(
            percent(part, whole).round(1, mode="half_away_from_zero").alias(name)
            for name, (part, whole) in shares.items()
        ),
    )
    figures = [pl.col(name) for name in ("from_quantity", "cost", "old", "new", "change", *shares, "at stake")]
    return worked.with_columns(each.cast(decimal_type(CELL_DECIMALS)) for each in figures)


def _items_sheet(sheet: Any, price_sheet: PriceSheet, formats: _Formats) -> TallRows:
    """The items' own prices: one row for each item, with a column for each price that is set."""
    names = list(dict.fromkeys(price_sheet.rows["target"]))
    about = {
        name: (title, places)
        for name, title, places in price_sheet.rows.select("target", "title", "decimals").unique().iter_rows()
    }
    titles = [about[name][0] for name in names]
    loaded = {"Item code", *titles}
    priced = (heading for title in titles for heading in (f"Old {title.lower()}", title, f"Change % {title.lower()}"))
    headings = ["Item code", "Description", *priced, "Step", "Remarks"]
    for index, heading in enumerate(headings):
        sheet.write_string(0, index, heading, formats.heading if heading in loaded else formats.reader)
    looks = [
        look
        for name in names
        for look in (formats.money(about[name][1]), formats.money(about[name][1], True), formats.share)
    ]
    _samples(sheet, [formats.text, formats.text, *looks, formats.text], formats)

    def of(target: str, what: str) -> pl.Expr:
        return pl.col(what).filter(pl.col("target") == target).first().alias(f"{what} {target}")

    rows = (
        _with_shares(price_sheet.rows)
        .group_by("item", maintain_order=True)
        .agg(
            pl.col("description", "step").first(),
            # “error” comes before “warning”.
            pl.col("severity").min(),
            pl.col("remark").drop_nulls().str.join("; "),
            *(of(name, what) for name in names for what in ("old", "new", "change %")),
        )
        .sort("item")
    )
    _finish(sheet, headings, rows.height)
    return TallRows(
        (
            TallColumn(rows["item"]),
            TallColumn(rows["description"].fill_null("")),
            *(_figure(rows[f"{what} {name}"]) for name in names for what in ("old", "new", "change %")),
            TallColumn(rows["step"].fill_null("")),
            TallColumn(rows["remark"].replace("", None)),
        ),
        looks=_look(rows["severity"]),
    )


def _head(sheet: Any, headings: Sequence[str], formats: _Formats) -> None:
    for index, heading in enumerate(headings):
        sheet.write_string(0, index, heading, formats.reader if heading in OWN else formats.heading)


def _finish(sheet: Any, headings: Sequence[str], rows: int) -> None:
    for index, heading in enumerate(headings):
        sheet.set_column(index, index, _WIDTHS.get(heading, 11))
    sheet.freeze_panes(1, 2)
    for_print(sheet)
    if rows:
        sheet.autofilter(0, 0, rows, len(headings) - 1)


def _first_look(sheet: Any, sheets: Sequence[PriceSheet], formats: _Formats) -> None:
    """The rows of all sheets with something to look at, errors first, then the largest changes."""
    headings = ("Severity", "Sheet", "Item", "Unit", "Old price", "Price", "Change %", "What to look at", "Description")
    for index, heading in enumerate(headings):
        sheet.write_string(0, index, heading, formats.heading)
    for_print(sheet)
    looks = [
        (each, row) for each in sheets for row in each.rows.filter(pl.col("remark").is_not_null()).iter_rows(named=True)
    ]
    looks.sort(key=lambda one: (one[1]["severity"] != "error", -abs(_change(one[1])), one[1]["item"]))
    for line, (price_sheet, row) in enumerate(looks[:FIRST_LOOKS], start=1):
        look = formats.wrong if row["severity"] == "error" else formats.doubtful
        sheet.write_string(line, 0, row["severity"], look)
        sheet.write_string(line, 1, price_sheet.name, formats.text)
        sheet.write_string(line, 2, writable(row["item"]), formats.text)
        sheet.write_string(line, 3, row["unit"] or "", formats.text)
        if row["old"] is not None:
            sheet.write_number(line, 4, float(row["old"]), formats.money(price_sheet.decimals))
            sheet.write_number(line, 6, float(_change(row)), formats.share)
        sheet.write_number(line, 5, float(row["new"]), formats.money(price_sheet.decimals, True))
        sheet.write_string(line, 7, writable(row["remark"]), look)
        sheet.write_string(line, 8, writable(row["description"] or ""), formats.text)
    if len(looks) > FIRST_LOOKS:
        more = f"and {len(looks) - FIRST_LOOKS:,} more: the sheets have them in the column Remarks"
        sheet.write_string(FIRST_LOOKS + 1, 0, more, formats.text)
    if not looks:
        sheet.write_string(1, 0, "Nothing: every price is within the guards.", formats.text)
    for index, width in enumerate((9, 12, 14, 8, 11, 11, 10, 84, 38)):
        sheet.set_column(index, index, width)
    sheet.freeze_panes(1, 3)


def _change(row: Mapping[str, Any]) -> Decimal:
    return (
        ((row["new"] - row["old"]) / row["old"] * 100).quantize(Decimal("0.1"), ROUND_HALF_UP)
        if row["old"]
        else Decimal(0)
    )
