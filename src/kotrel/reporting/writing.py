"""Writes the pages: on their own by ``kotrel report``, and in passing by the commands with ``--report``."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from kotrel.core.loading.load_model import Checked, Preview
from kotrel.loading.opening import now
from kotrel.pricing.repricing import Repriced
from kotrel.reporting.page import Page, write_page
from kotrel.sheets.safe_writing import free_name
from kotrel.workspace.settings import Workspace


def rest_beside(page: Path) -> Path:
    """A name for the workbook with what has no room on a page."""
    return free_name(page.with_suffix(".xlsx"))


def _write_page(page: Page, path: Path) -> Page:
    write_page(page, path, now())
    return page


def of_load(path: Path, workspace: Workspace, number: int, preview: Preview | None = None) -> Page:
    """Writes the page of a load or an undo.

    Raises:
        WrongUse: there is no such load.
        OutOfReach: the page cannot be written.
    """
    from kotrel.reporting.load_page import load_page

    return _write_page(load_page(workspace, number, rest_beside(path), preview), path)


def of_sheets(path: Path, checked: Sequence[Checked], supplier: bool = False) -> Page:
    """Writes the page of checked sheets, and for a supplier a workbook with the rows to correct."""
    from kotrel.reporting.sheet_page import sheet_page

    return _write_page(sheet_page(checked, supplier, rest_beside(path)), path)


def of_count(path: Path, workspace: Workspace, name: str) -> Page:
    """Writes the page of a count."""
    from kotrel.reporting.count_page import count_page

    return _write_page(count_page(name, workspace), path)


def of_prices(path: Path, repriced: Repriced) -> Page:
    """Writes the page of new prices."""
    from kotrel.reporting.prices_page import prices_page

    return _write_page(prices_page(repriced), path)
