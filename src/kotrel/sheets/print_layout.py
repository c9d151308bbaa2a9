"""How a sheet of ours prints: every workbook that Kotrel writes can be printed as it is."""

from __future__ import annotations

from typing import Any


def for_print(sheet: Any, headings: int | None = 0) -> None:
    """A4 across, all columns on the page, the headings on each page, and a footer with file, sheet, day and page.

    Args:
        sheet: a worksheet of xlsxwriter.
        headings: the row of the headings, counted from 0; None where there are none.
    """
    sheet.set_landscape()
    sheet.set_paper(9)
    sheet.fit_to_pages(1, 0)
    if headings is not None:
        sheet.repeat_rows(headings)
    sheet.set_margins(left=0.4, right=0.4, top=0.6, bottom=0.7)
    sheet.set_footer("&L&9&F · &A&C&9&D&R&9page &P of &N")
