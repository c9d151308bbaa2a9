"""Brannoch's price list for fastenings: prices per hundred, discounts by group on a sheet of their own,
a day in the title.
"""

from __future__ import annotations

from decimal import Decimal
from pathlib import Path

import xlsxwriter

from kotrel.practice.items import items

MATCH = """\
# Brannoch's price list: our costs are the list prices less the discount of the group.
record = "item"
skip = ["Article"]
no_price = ["on request"]              # such cells are blank, and counted
replaced_by = "Replaced by"            # a row that names another article, and has no price, is left out

[lookup.groups]                        # [groups.Discount %] below: the group's discount, from the other sheet
by = "Group"
sheet = "Discounts"

[field.code]                           # the one item of this maker with this number
found_by = { brand = "Maker", part_number = "Type" }

[field.cost]
make = "number([List price]) - number([List price]) * number([groups.Discount %]) / 100"
per = "Per"                            # the list price is for this number of pieces
rounding = 4
for = "all"                            # in rows that are there, too
"""

GROUPS = (("S", "Shackles", 35), ("C", "Cleats", 30), ("R", "Rivets", 40), ("B", "Screws", 42))
_GROUP_OF = {"SHACKLE": "S", "CLEAT": "C", "RIVET": "R", "SCREW": "B"}


def write_list(path: Path) -> None:
    """Sixty fastenings, about 3 % dearer; one on request, one replaced, one group mistyped."""
    wanted = (row for row in items().iter_rows(named=True) if row["vendor"] == "BRANNOCH" and row["brand"] == "BRANN")
    fastenings = [row for row in wanted if row["category"].startswith("FASTENING")][:60]
    discounts = {code: Decimal(discount) for code, _, discount in GROUPS}
    book = xlsxwriter.Workbook(path)
    sheet, groups = book.add_worksheet("Fastenings"), book.add_worksheet("Discounts")
    bold, money = book.add_format({"bold": True}), book.add_format({"num_format": "0.00"})
    sheet.write_string(0, 0, "Brannoch Fastenings, price list 27", bold)
    sheet.write_string(1, 0, "List prices in euro without tax, valid from 1 March 2027")
    for column, text in enumerate(("Maker", "Type", "Article", "Group", "List price", "Per", "Replaced by")):
        sheet.write_string(3, column, text, bold)
    for index, item in enumerate(fastenings):
        group = _GROUP_OF[item["category"].removeprefix("FASTENING-")]
        per = 100 if Decimal(item["cost"]) < 5 else 1
        listed = Decimal(item["cost"]) * Decimal("1.03") * per / (1 - discounts[group] / 100)
        sheet.write_row(4 + index, 0, (item["brand"], item["part_number"], item["description"]))
        sheet.write_string(4 + index, 3, "T" if index == 40 else group)
        if index == 17:
            sheet.write_string(4 + index, 4, "on request")
        elif index == 23:
            sheet.write_string(4 + index, 6, fastenings[24]["part_number"])
        else:
            sheet.write_number(4 + index, 4, float(round(listed, 2)), money)
        sheet.write_number(4 + index, 5, per)
    groups.write_row(0, 0, ("Group", "Articles", "Discount %"), bold)
    for row, line in enumerate(GROUPS, start=1):
        groups.write_row(row, 0, line)
    sheet.set_column(0, 6, 16)
    sheet.set_column(2, 2, 34)
    groups.set_column(0, 2, 14)
    book.close()


def write_match(folder: Path) -> None:
    """The saved mapping, as somebody finished it."""
    path = folder / "maps" / "brannoch.toml"
    path.parent.mkdir(exist_ok=True)
    path.write_text(MATCH, "utf-8", newline="\n")
