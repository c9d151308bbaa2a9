"""The spreadsheets of the worked example, as the people of the made-up business and its suppliers would make them."""

from __future__ import annotations

import re
from pathlib import Path

import xlsxwriter

from kotrel.practice.items import barcode

_HEADINGS = (
    "Article\nnumber", "Description ", "Unit of measure", "Product group", "Supplier", "Order code", "EAN code",
    "Cost price", "Price", "VAT", "Lots",
)  # fmt: skip
_COLOURS = ("white", "navy", "red", "black", "orange")
_SIZES = ("7 mm", "9 mm", "11 mm", "13 mm", "22 mm", "26 mm", "28 mm", "32 mm")


def _range_27() -> list[list[object]]:
    """Forty ropes as they should be."""
    rows: list[list[object]] = []
    for index, (size, colour) in enumerate((size, colour) for size in _SIZES for colour in _COLOURS):
        number = 40_010 + index * 10
        cost = round(0.62 + index * 0.145, 3)
        price = round(cost * 1.75 * 20) / 20
        rows.append(
            [
                f"ROP-{number}",
                f"Braided rope {size} {colour}, range 27",
                "M",
                "ROPE-BRAID",
                "KELDRIFT",
                f"K27-{index + 1:03d}",
                barcode(270_001 + index),
                cost,
                price,
                "STD",
                "no",
            ]
        )
    return rows


def write_new_range(path: Path) -> None:
    """Keldrift's new range as it comes: with what goes wrong in a real sheet."""
    rows = _range_27()
    rows[2][2] = "Mtr"
    rows[5][3] = "Braided"
    rows[7][6] = str(rows[7][6])[:-1] + str((int(str(rows[7][6])[-1]) + 3) % 10)
    rows[11][8] = "POA"
    rows[12][1] = f" {rows[12][1]} "
    rows[17][0] = rows[16][0]
    rows[20][7] = "=VLOOKUP(A25,Costs!A:B,2,FALSE)"
    rows[24][4] = "Keldrift Cordage"
    rows[28][1] = None
    rows[30][8] = "€ 9,10"
    rows[33][10] = "perhaps"
    _write(path, rows)


def write_new_range_fixed(path: Path, slip: bool) -> None:
    """The same sheet after somebody fixed it; with ``slip``, one price has its point in the wrong place."""
    rows = _range_27()
    if slip:
        rows[14][8] = float(str(rows[14][8])) * 100
    _write(path, rows)


def _write(path: Path, rows: list[list[object]]) -> None:
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet("Range 27")
    title = book.add_format({"bold": True, "font_size": 14})
    heading = book.add_format({"bold": True, "bottom": 1, "text_wrap": True})
    money = book.add_format({"num_format": "0.00"})
    sheet.write(0, 0, "Keldrift Cordage · new range 27 · valid from 1 March", title)
    sheet.write(1, 0, "All prices in euro, without tax. Please order in full coils.")
    for column, text in enumerate(_HEADINGS):
        sheet.write(3, column, text, heading)
    for row, values in enumerate(rows, start=4):
        for column, value in enumerate(values):
            if isinstance(value, float):
                sheet.write_number(row, column, value, money)
            elif isinstance(value, str) and value.startswith("="):
                sheet.write_formula(row, column, value, None, "#N/A")
            elif value is not None:
                sheet.write_string(row, column, str(value))
    sheet.set_column(0, 0, 12)
    sheet.set_column(1, 1, 34)
    sheet.set_column(2, 10, 13)
    book.close()


def edit_levels(exported: Path, edited: Path) -> None:
    """The mass update: somebody raises the reorder points of six chains in the workbook that was exported."""
    import openpyxl

    book = openpyxl.load_workbook(exported)
    sheet = book.worksheets[0]
    for row in range(2, 8):
        sheet.cell(row, 3).value = 35
    book.save(edited)


def write_colleague(path: Path) -> None:
    """Meanwhile a colleague, who knows nothing of it, changes one of the same reorder points, and another level."""
    lines = ["Item,Warehouse,Reorder point,Order up to", "CHN-00020,QUAY,50,", "CHN-00100,QUAY,,90"]
    path.write_text("\n".join([*lines, ""]), "utf-8")


def write_changes(path: Path) -> None:
    """A mass update as a text file: a few fields of a few items, and nothing else."""
    lines = [
        "Item code;Description;Standard price;Cost;Tags",
        "ROP-00010;;0,65;;",
        "ROP-00020;Braided rope 3 mm navy, floating;0,75;;floating",
        "ROP-00030;;0,70;0,46;",
        "CHN-00010;;;4,35;galvanised; anchor".replace("; ", ", "),
        "ROP-00040;;;;",
    ]
    path.write_text("\n".join([*lines, ""]), "utf-8")


def write_new_colours(path: Path) -> None:
    """Vellamar's new colours: a sheet in the supplier's own words and shape."""
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet("Colours")
    sheet.write(0, 0, "Vellamar Coatings: new colours of hull paint")
    headings = ("Name", "Shade", "Sold by", "Range", "Code on the tin", "Net cost EUR", "RRP", "Our number", "Ships in")
    for column, text in enumerate(headings):
        sheet.write_string(2, column, text)
    shades = ("teal", "plum", "sand", "slate", "coral", "ivory")
    for row, (finish, shade) in enumerate(((f, s) for f in ("gloss", "satin") for s in shades), start=3):
        number = row - 2
        values = (
            f"Hull paint {finish}",
            shade,
            "tin of 2.5 l",
            "Hull paint",
            None,
            f"{18 + number},{40 + number}",
            f"{39 + number + number % 3},90",
            f"V-{number:03d}",
            "12 cm x 8 cm x 20 cm",
        )
        for column, value in enumerate(values):
            if value is not None:
                sheet.write_string(row, column, value)
        # The barcodes are numbers here, as so often: their leading zeros are at risk.
        sheet.write_number(row, 4, int(barcode(280_000 + number)))
    sheet.set_column(0, len(headings) - 1, 15)
    book.close()


def edit_match(path: Path) -> None:
    """What somebody corrects and adds in Vellamar's match:
    their number is no code of ours, and what the sheet does not say.
    """
    text = path.read_text("utf-8")
    text = re.sub(r'\[field.code\]\ncolumn = "Our number".*\n', "", text)
    text = text.replace("skip = []", 'skip = ["Ships in"]')
    text = text.replace('[field.description]\ncolumn = "Name"', '[field.description]\njoin = ["Name", "Shade"]')
    path.write_text(text + _ADDED, "utf-8", newline="\n")


_ADDED = """
[field.code]
make = "'PNT-' + next(5)"              # the next free numbers

[field.vendor]
fixed = "VELLAMAR"

[field.vendor_code]
column = "Our number"

[field.price]
make = "round(cost at margin 40%, 1)"

[field.lot_tracked]
default_by = "category"
defaults = { PAINT-HULL = "yes" }
"""
