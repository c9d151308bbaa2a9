"""Fills a copy of another program's own workbook: its other sheets, names, drop-downs and formats stay as they are."""

from __future__ import annotations

import copy
import re
from collections.abc import Sequence
from datetime import datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

import polars as pl

from kotrel.core.errors import OutOfReach, WrongData, WrongUse
from kotrel.core.layouts.layout import Layout, LayoutColumn
from kotrel.core.layouts.wording import strftime_of
from kotrel.sheets.lost_in_copies import lost_in_copy
from kotrel.sheets.table_writing import is_exact_number
from kotrel.sheets.users_workbook import save_workbook, users_workbook


def fill_template(sheets: Sequence[tuple[Layout, pl.DataFrame]], path: Path) -> None:
    """Writes a copy of the template with the rows in place of those that it has.

    Raises:
        WrongUse: the template has no such sheet, or something that a copy would lose.
        OutOfReach: it cannot be read.
    """
    template = Path(sheets[0][0].template)
    try:
        book = users_workbook(template)
    except (OSError, ValueError) as error:
        raise OutOfReach(f"{template} cannot be read: {error}", "", "file-not-readable") from None
    if lost := lost_in_copy(template):
        raise WrongUse(
            f"{template} has {' and '.join(sorted(lost))}, which a filled copy would lose",
            f"Leave template out of layouts/{sheets[0][0].name}.toml, or remove that from the template.",
            "template-not-kept",
        )
    for layout, texts in sheets:
        if layout.sheet not in book.sheetnames:
            raise WrongUse(
                f"{template} has no sheet “{layout.sheet}”",
                f"Its sheets: {', '.join(book.sheetnames)}.",
                "no-such-sheet",
            )
        _fill(book[layout.sheet], layout, texts)
    try:
        save_workbook(book, path)
    except ValueError as error:
        raise WrongUse(
            f"{template} can be read, but not written again: {error}",
            f"Leave template out of layouts/{sheets[0][0].name}.toml, or save the template anew in a spreadsheet program.",
            "template-not-kept",
        ) from None


def _fill(sheet: Any, layout: Layout, texts: pl.DataFrame) -> None:
    # Only here: an upload of another kind would wait for it.
    from openpyxl.utils.exceptions import IllegalCharacterError

    first = len(layout.above) + layout.headings + len(layout.below) + 1
    looks = [_look(sheet.cell(first, place)) for place in range(1, len(layout.columns) + 1)]
    for row in range(first, sheet.max_row + 1):
        for column_number in range(1, len(layout.columns) + 1):
            sheet.cell(row, column_number).value = None
    _stretch_tables(sheet, first, first + texts.height - 1)
    for row, values in enumerate(texts.iter_rows(), start=first):
        for column_number, (column, text) in enumerate(zip(layout.columns, values, strict=True), start=1):
            cell = sheet.cell(row, column_number)
            if row > first:
                for name, look in looks[column_number - 1].items():
                    setattr(cell, name, copy.copy(look))
            if text not in (None, ""):
                try:
                    cell.value = _value(column, layout, str(text))
                except IllegalCharacterError:
                    raise WrongData(
                        f"the column {column.called} of {Path(layout.template).name}: “{text}” has signs that no workbook can have",
                        "Take them out of that value.",
                        "strange-letters",
                    ) from None
                if isinstance(cell.value, str):
                    cell.data_type = "s"  # a text is a text, whatever it begins with


def _stretch_tables(sheet: Any, first: int, last: int) -> None:
    """A table of the spreadsheet program that begins above the rows ends with the last of them."""
    for table in sheet.tables.values():
        start, _, end = table.ref.partition(":")
        top, bottom = (int(re.sub(r"[^0-9]", "", each)) for each in (start, end))
        if top < first <= bottom:
            table.ref = f"{start}:{re.sub('[0-9]', '', end)}{max(last, first)}"
            if table.autoFilter is not None:
                table.autoFilter.ref = table.ref


def _look(cell: Any) -> dict[str, Any]:
    """How a cell looks: new rows look as the first one."""
    return {name: copy.copy(getattr(cell, name)) for name in ("font", "fill", "border", "alignment", "protection")} | {
        "number_format": cell.number_format
    }


def _value(column: LayoutColumn, layout: Layout, text: str) -> object:
    """A number or a day as such; a text as it is."""
    if column.cell == "number":
        plain = text.replace(",", ".") if layout.decimal_mark == "," else text
        return Decimal(plain) if is_exact_number(plain) else text
    if column.cell == "date":
        try:
            return datetime.strptime(text, strftime_of(layout.date))
        except ValueError:
            return text
    return text
