"""What was noticed on reading a worksheet, in words."""

from __future__ import annotations

from collections.abc import Sequence

from kotrel.core.phrases import count, listed, listed_and
from kotrel.core.tables.hidden import Hidden
from kotrel.core.tables.table import letter_of
from kotrel.sheets.sheet_xml import Found


def remarks_on(found: Found, merged: Sequence[tuple[int, int]]) -> list[str]:
    """What was noticed in a sheet, in words.

    Args:
        merged: the first cell of each area that is merged downwards.
    """
    remarks: list[str] = []
    if merged:
        what, where = count(len(merged), "cell"), _places(merged)
        remarks.append(
            f"{what} merged over several rows: a text counts for each of them, a number only for the first ({where})"
        )
    if found.empty:
        who = "a formula" if len(found.empty) == 1 else f"{len(found.empty):,} formulas"
        remarks.append(
            f"{who} gave an empty text ({_places(found.empty)}): if there should be more, open the workbook in a spreadsheet program and save it"
        )
    if found.unread:
        remarks.append(
            f"{listed_and(found.unread)} cannot be read, because the styles of the workbook are missing or damaged: codes, "
            "percentages and currencies are read as bare numbers; open it in a spreadsheet program and save it again"
        )
    return remarks


def hidden_in(found: Found, sheet: bool, height: int, width: int) -> Hidden:
    """What is hidden of a sheet.

    Args:
        sheet: whether it is, as a whole.
        height: rows down to the last filled one, as ``width`` for columns: that those beyond are hidden means nothing.
    """
    rows = tuple(row for row in found.hidden if row <= height)
    places = [place for place in range(width) if any(first <= place <= last for first, last in found.columns)]
    return Hidden(sheet, rows, tuple(map(letter_of, places)))


def _places(cells: Sequence[tuple[int, int]]) -> str:
    return listed([f"{letter_of(column)}{row + 1}" for row, column in cells], 4)
