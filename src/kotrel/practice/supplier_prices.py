"""Keldrift raises its prices: the list, the mapping for it, and the rules for our own prices."""

from __future__ import annotations

from pathlib import Path

import xlsxwriter

from kotrel.practice.items import items

MATCH = """\
# Which column of Keldrift's price lists feeds which field of item.
record = "item"
skip = ["Article", "Price until now"]

[field.vendor]
fixed = "KELDRIFT"

[field.vendor_code]
column = "Keldrift no."

[field.cost]
column = "Price per metre"
"""

RULES = """\
title = "Keldrift, spring"
from_date = 2027-02-01              # the first day of the new prices
steps = "all"                       # each step on what the one before made

[sheets.supplier]                     # [supplier.cost] below is the cost in this sheet
file = "keldrift-spring.xlsx"
map = "keldrift"
match_on = "vendor_code"

[[step]]
name = "costs of the supplier's list"
where = "[supplier.cost] is not blank"
set = { cost = "[supplier.cost]" }

[[step]]
name = "braided rope"
where = "[supplier.cost] is not blank and category begins with 'ROPE-BRAID'"
set = { SHOP = "SHOP + 4%", YARD = "SHOP - 12.5%" }
round = "up to 0.05"

[guards]
least_margin = "15%"
most_up = "12%"
most_down = "8%"
not_above = ["YARD", "SHOP"]        # a YARD price is never above the SHOP price
"""


def write_price_list(path: Path, slip: bool) -> None:
    """The list: 40 braided ropes, about 4 % dearer. With the slip, a decimal point has moved in one of them."""
    ropes = [row for row in items().iter_rows(named=True) if row["category"] == "ROPE-BRAID"]
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet("Prices")
    bold, money = book.add_format({"bold": True}), book.add_format({"num_format": "0.0000"})
    sheet.write_string(0, 0, "Keldrift Cordage: prices from 1 February, in euro, without tax", bold)
    for column, text in enumerate(("Keldrift no.", "Article", "Price until now", "Price per metre")):
        sheet.write_string(2, column, text, bold)
    for row, item in enumerate(ropes[:40], start=3):
        now = round(float(item["cost"]) * 1.04, 4)
        sheet.write_string(row, 0, item["vendor_code"])
        sheet.write_string(row, 1, item["description"])
        sheet.write_number(row, 2, float(item["cost"]), money)
        sheet.write_number(row, 3, now * 10 if slip and row == 19 else now, money)
    sheet.set_column(0, 3, 26)
    book.close()


def write_rules(folder: Path) -> None:
    """The saved mapping and the rules."""
    for place, text in (("maps/keldrift.toml", MATCH), ("prices/keldrift.toml", RULES)):
        path = folder / place
        path.parent.mkdir(exist_ok=True)
        path.write_text(text, "utf-8", newline="\n")
