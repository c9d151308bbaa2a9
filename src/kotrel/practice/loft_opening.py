"""The rigging loft opens: its opening stock as somebody counted and typed it, with bins, lots and serial numbers."""

from __future__ import annotations

from pathlib import Path

import xlsxwriter

_HEADINGS = ("Item", "Description", "Quantity", "Unit", "Cost", "Bin", "Lot", "Expiry", "Serial")
_MONEY = ("Cost",)


def _lines() -> list[list[object]]:
    """What is in the loft: rope by the coil and the metre, shackles by the box, resin in lots,
    radios by their numbers.
    """
    return [
        ["ROP-00120", "Braided rope 5 mm navy", 2, "COIL", 125.20, "L-01-A", None, None, None],
        ["ROP-00120", "Braided rope 5 mm navy", 37.5, "M", 0.626, "L-01-B", None, None, None],
        ["ROP-00010", "Braided rope 3 mm white", 4, "COIL", 76.30, "L-01-A", None, None, None],
        ["ROP-00020", "Braided rope 3 mm navy", 3, "COIL", 95.20, "L-01-B", None, None, None],
        ["CHN-00010", "Anchor chain 6 mm galvanised", 60, "M", 5.29, "L-02-A", None, None, None],
        ["CHN-00350", "Joining link 6 mm galvanised", 24, "EA", 1.133, "L-02-B", None, None, None],
        ["FST-00010", "Bow shackle 5 mm galvanised", 3, "BOX", 100.80, "L-02-C", None, None, None],
        ["RES-00010", "Epoxy resin slow clear", 6, "KG", 15.29, "L-03-A", "VM-2704", "2029-04-30", None],
        ["RES-00010", "Epoxy resin slow clear", 4, "KG", 15.29, "L-03-A", "VM-2709", "2029-09-30", None],
        ["ELC-00010", "Handheld radio 3 W black", 1, "EA", 102.86, "L-04-A", None, None, "HR-20417"],
        ["ELC-00010", "Handheld radio 3 W black", 1, "EA", 102.86, "L-04-A", None, None, "HR-20418"],
    ]


def write_loft(path: Path, slips: bool) -> None:
    """The sheet; with ``slips`` as it was typed first."""
    lines = _lines()
    if slips:
        lines[1][2] = 37.555
        lines[3][5] = "Q-01-B"
        lines[6][3] = "EA"
        lines[8][6] = None
        lines[10][8] = "HR-20417"
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet("Opening stock")
    heading = book.add_format({"bold": True, "bottom": 1})
    money = book.add_format({"num_format": "0.00##"})
    for column, text in enumerate(_HEADINGS):
        sheet.write_string(0, column, text, heading)
    for row, values in enumerate(lines, start=1):
        for column, value in enumerate(values):
            if isinstance(value, str):
                sheet.write_string(row, column, value)
            elif isinstance(value, int | float):
                sheet.write_number(row, column, value, money if _HEADINGS[column] in _MONEY else None)
    sheet.set_column(0, 0, 12)
    sheet.set_column(1, 1, 30)
    sheet.set_column(2, len(_HEADINGS) - 1, 12)
    book.close()
