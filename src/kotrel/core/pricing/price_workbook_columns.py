"""A workbook of new prices that comes back: what marks it, and its columns that are there only to be read."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date

from msgspec.structs import replace

from kotrel.core.tables.table import Table

BOOK_STAMP = "Kotrel prices"
"""Name of the workbook property that says by which rules the prices were calculated."""
FIRST_LOOK = "Kotrel first look"
OWN = (
    "Description", "Old price", "Change", "Change %", "Cost", "Markup %", "Margin %", "At stake", "Step", "Remarks",
)  # fmt: skip
"""Headings of columns for the reader, which are never loaded."""


def calculated_by(rules: str, from_date: date | None) -> str:
    """What a load of such a workbook says of it, by which the rules find it again: ``prices by the rules keldrift, from
    2027-02-01``.
    """
    when = f"from {from_date.isoformat()}" if from_date is not None else "without a first day"
    return f"prices by the rules {rules}, {when}"


def without_readers_columns(table: Table, own_columns: Mapping[str, str]) -> tuple[Table, dict[str, str]]:
    """A table of such a workbook without the columns that are there only to be read.

    Args:
        own_columns: the item's own prices: field → title.

    Returns:
        The table, and field → the column of the price that its new one was calculated from. Its cells stay in the
        table.
    """
    headings = {column.heading.casefold(): column.letter for column in table.columns}
    if "price list" in headings:
        left = {each.casefold() for each in OWN}
        old = {"amount": headings["old price"]} if "old price" in headings else {}
    else:
        olds = {f"old {title.casefold()}": name for name, title in own_columns.items()}
        changes = {f"change % {title.casefold()}" for title in own_columns.values()}
        left = {"description", "step", "remarks", *olds, *changes}
        old = {name: headings[heading] for heading, name in olds.items() if heading in headings}
    kept = tuple(column for column in table.columns if column.heading.casefold() not in left)
    aside = tuple(column for column in table.columns if column not in kept)
    return replace(table, columns=kept, aside=aside), old
