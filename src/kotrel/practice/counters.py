"""The two who count the paint shed in the worked example: what they write into their sheets, and when."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Mapping
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path
from time import sleep

Key = tuple[str | None, str | None, str | None]


def there(folder: Path) -> dict[Key, float]:
    """What is really there, as far as the practice system knows: item, bin and lot → quantity."""
    with closing(sqlite3.connect(folder / "practice.db")) as database:
        rows = database.execute(
            "SELECT item, bin, lot, sum(quantity) / 1000000.0 FROM stock_movement "
            "WHERE warehouse = 'SHED' AND counts_as = 'on hand' GROUP BY item, bin, lot"
        )
        return {(item, bin_, lot): quantity for item, bin_, lot, quantity in rows}


def fill(
    folder: Path,
    sheet: str,
    counter: str,
    odd: Mapping[int, Callable[[float], float | None]],
    find: tuple[object, ...] = (),
) -> None:
    """Fills in a count sheet with what is there now, and the time.

    Args:
        odd: the line's place in the sheet, from 0 → what is counted instead; None for not counted.
        find: item, bin, lot and quantity of something that is on no sheet.
    """
    import openpyxl

    path = folder / "sheets" / sheet
    book = openpyxl.load_workbook(path)
    page = book.worksheets[0]
    heads = {cell.value: cell.column for cell in page[4]}
    held_figures = there(folder)
    # What moved in the second that a time says could have been before or after: people wait a moment, too.
    sleep(1.1)
    now = f"{datetime.now() - timedelta(seconds=0.1):%Y-%m-%d %H:%M:%S}"
    for index, row in enumerate(range(5, page.max_row + 1)):
        item = page.cell(row, heads["Item"]).value
        if item is None:
            if find:
                for head, value in zip(("Item", "Bin", "Lot", "Counted"), find, strict=True):
                    page.cell(row, heads[head]).value = value
                page.cell(row, heads["Counter"]).value, page.cell(row, heads["Time"]).value = counter, now
            break
        key = (item, page.cell(row, heads["Bin"]).value, page.cell(row, heads["Lot"]).value)
        quantity = held_figures.get(key, 0.0)
        counted = odd[index](quantity) if index in odd else quantity
        if counted is not None:
            page.cell(row, heads["Counted"]).value = counted
            page.cell(row, heads["Counter"]).value, page.cell(row, heads["Time"]).value = counter, now
    book.save(path)
    sleep(1.1)
