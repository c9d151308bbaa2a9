"""Cells of a user's sheet, written into a workbook of ours so that they are read as they were."""

from __future__ import annotations

import re
from math import isfinite
from typing import Any

from kotrel.core.tables.cell_formats import parted_kind
from kotrel.core.values.formula_guard import GUARDED
from kotrel.sheets.cell_texts import writable
from kotrel.sheets.table_writing import day_in_sheets

NOT_CALCULATED = "#N/A"


class CellsAgain:
    """Writes cells by their kinds (see :func:`kotrel.core.tables.cell_formats.kinds_as_shown`);
    each look is made once.
    """

    def __init__(self, book: Any) -> None:
        self._book = book
        self._guarded = re.compile(GUARDED)
        self._looks: dict[tuple[str, str], Any] = {}

    def write(
        self, sheet: Any, row: int, index: int, value: str | None, kind: str, colour: str = "", from_text: bool = False
    ) -> None:
        """Writes one cell; a number stays one, as it is shown, also where it has lost digits: as a text it would pass
        for right.

        A formula that no program has calculated becomes an error, for the same reason.

        Args:
            row, index: counted from 0.
            colour: of its ground, such as ``#FFC7CE``.
            from_text: it comes from a text file, where a sign before it may keep it from becoming a formula; in a
                workbook, none does.
        """
        plain, code = parted_kind(kind)
        if plain == "uncalculated" or value is None:
            value, plain = (NOT_CALCULATED if plain == "uncalculated" else ""), "text"
        if plain == "number" and (number := _number(value)) is not None:
            sheet.write_number(row, index, number, self.look(code, colour))
        elif plain == "date" and (known := day_in_sheets(value)) is not None:
            sheet.write_datetime(row, index, known, self.look("yyyy-mm-dd", colour))
        elif plain == "yes_no":
            sheet.write_boolean(row, index, value.casefold() in ("true", "yes", "1"), self.look("", colour))
        else:
            if from_text and self._guarded.match(value):
                value = value[1:]
            sheet.write_string(row, index, writable(value), self.look("@", colour))

    def look(self, code: str, colour: str = "") -> Any:
        """A format of the workbook with this number format and ground, or None where it is neither."""
        if not code and not colour:
            return None
        if (code, colour) not in self._looks:
            given = {"num_format": code} if code else {}
            self._looks[code, colour] = self._book.add_format(given | ({"bg_color": colour} if colour else {}))
        return self._looks[code, colour]


def _number(value: str) -> float | None:
    """The number that a cell held, or None where it held none."""
    try:
        number = float(value)
    except ValueError:
        return None
    return number if isfinite(number) else None
