"""A workbook with the rows that were not loaded, as they are in their sheet,
and the reasons in a column that is not read again.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from msgspec import Struct

from kotrel.core.changes.change_set import RefusedRows
from kotrel.core.columns import ROW
from kotrel.sheets.cell_texts import writable
from kotrel.sheets.copied_cells import CellsAgain
from kotrel.sheets.marks import COLUMN
from kotrel.sheets.new_workbook import new_workbook
from kotrel.sheets.print_layout import for_print
from kotrel.sheets.safe_writing import require_new_file, written_whole
from kotrel.sheets.tall_rows import require_room

MOST_COMMENTS = 2_000
"""At most this many rows get a comment; the last column has every reason."""

_NAME_LENGTH = 31
"""Most characters of a sheet's name (ECMA-376)."""


class RestSheet(Struct, frozen=True):
    """One sheet: its name, its rows, row → its reasons, and whether it was a text file."""

    name: str
    rest: RefusedRows
    reasons: Mapping[int, str]
    from_text: bool = False


def write_rest(sheets: Sequence[RestSheet], path: Path, stamp: Mapping[str, str]) -> None:
    """Writes the workbook.

    Args:
        stamp: properties that say from which export the rows come.

    Raises:
        WrongUse: there is a file of that name already.
        OutOfReach: it cannot be written.
    """
    require_new_file(path, [".xlsx"])
    for rest in sheets:
        require_room(
            rest.rest.cells.height, f"{path}: the sheet “{rest.name}”", "Load it in parts, each of them smaller."
        )
    with written_whole(path) as temporary:
        out = new_workbook(temporary, sum(rest.rest.cells.height for rest in sheets))
        for name, value in stamp.items():
            out.set_custom_property(name, value)
        names: set[str] = set()
        for rest in sheets:
            _write(out, out.add_worksheet(_name(rest.name, names)), rest)
        out.close()


def _name(name: str, taken: set[str]) -> str:
    plain = "".join("-" if letter in "[]:*?/\\" else letter for letter in name)[:_NAME_LENGTH].strip("'") or "Rest"
    tried, number = plain, 2
    while tried.casefold() in taken:
        tried, number = f"{plain[: _NAME_LENGTH - 4]} {number}", number + 1
    taken.add(tried.casefold())
    return tried


def _write(out: Any, sheet: Any, rest_sheet: RestSheet) -> None:
    heading = out.add_format({"bold": True, "bottom": 1, "text_wrap": True, "valign": "top"})
    again = CellsAgain(out)
    why = out.add_format({"text_wrap": True, "font_color": "#9C0006", "valign": "top"})
    for_print(sheet)
    rest = rest_sheet.rest
    letters = [name for name in rest.cells.columns if name != ROW]
    for index, words in enumerate(rest.headings):
        sheet.write_string(0, index, writable(words), heading)
    last = len(letters)
    sheet.write_string(0, last, COLUMN, heading)
    for index, letter in enumerate(letters):
        values, kinds = rest.cells[letter], rest.kinds[letter]
        longest = values.str.len_chars().max()
        sheet.set_column(index, index, min(max(longest if isinstance(longest, int) else 0, 9) + 2, 44))
        for row, (value, kind) in enumerate(zip(values, kinds, strict=True), start=1):
            if value is not None:
                again.write(sheet, row, index, value, kind, from_text=rest_sheet.from_text)
    sheet.set_column(last, last, 60)
    for row, number in enumerate(rest.cells[ROW], start=1):
        reason = rest_sheet.reasons.get(number, "")
        sheet.write_string(row, last, writable(reason), why)
        if reason and row <= MOST_COMMENTS:
            # The last column of a wide sheet is out of sight, so the reason is also a comment where the row begins.
            sheet.write_comment(row, 0, writable(reason), {"x_scale": 2.5, "author": "Kotrel"})
    wrong = out.add_format({"bg_color": "#FFC7CE"})
    if rest.cells.height:
        sheet.conditional_format(1, 0, rest.cells.height, 0, {"type": "no_errors", "format": wrong})
    sheet.freeze_panes(1, 1)
