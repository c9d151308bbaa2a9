"""What a count posts: one adjustment for each warehouse, with a line for each place whose quantity changes.

A system that takes no such documents, but a list of quantities, gets a row of it for each of these places.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import Literal

import polars as pl
from msgspec import Struct

from kotrel.core.columns import ROW
from kotrel.core.counting.variance import CountLine
from kotrel.core.description.model import Description, Record
from kotrel.core.documents.families import Family, families
from kotrel.core.rows.rows import Rows
from kotrel.core.stock.sums import PLACE
from kotrel.core.tables.table import Table

Rest = Literal["open", "leave", "zero"]
"""What happens to lines that were not counted: they stay open, are closed as they are, or count as nothing there."""


class Adjusted(Struct, frozen=True):
    """One line to close.

    Attributes:
        adjustment: what is posted, in the base unit; 0 where nothing changes.
        why: ``counted``, ``corrected``, ``not counted, left as it is`` or ``not counted, counted as zero``.
        document: the adjustment it is posted with, or None.
    """

    line: CountLine
    adjustment: Decimal
    why: str
    document: str | None = None


def to_close(lines: Sequence[CountLine], rest: Rest) -> Iterator[Adjusted]:
    """The lines that a posting closes; what is undecided stays open."""
    for line in lines:
        if line.undecided:
            continue
        if line.counted is not None:
            yield Adjusted(line, line.variance, "counted")
        elif rest == "leave":
            yield Adjusted(line, Decimal(0), "not counted, left as it is")
        elif rest == "zero":
            yield Adjusted(line, -line.expected, "not counted, counted as zero")


def numbered_documents(adjusted: Sequence[Adjusted], name: str, taken: set[str]) -> list[Adjusted]:
    """The lines with the numbers of their documents: ``COUNT-shed-SHED``, with -2 and so on for later postings."""
    numbers: dict[str, str] = {}
    done: list[Adjusted] = []
    for adjustment in adjusted:
        if not adjustment.adjustment:
            done.append(adjustment)
            continue
        warehouse = adjustment.line.place.warehouse or ""
        if warehouse not in numbers:
            base = f"COUNT-{name}-{warehouse}"[:26].rstrip("-")
            free, at = base, 1
            while free in taken:
                at += 1
                free = f"{base}-{at}"
            taken.add(free)
            numbers[warehouse] = free
        done.append(Adjusted(adjustment.line, adjustment.adjustment, adjustment.why, numbers[warehouse]))
    return done


def adjustment_family(description: Description) -> Family | None:
    """The documents that correct stock up and down: those whose lines may be below zero."""
    for family in families(description):
        quantity = family.lines.fields.get("quantity")
        if family.header.effect == "in" and quantity is not None and (quantity.least is None or quantity.least < 0):
            return family
    return None


def countable_list(description: Description) -> Record | None:
    """The list of stock of a system without a ledger, if it takes quantities for places; None otherwise."""
    stock = description.stock_list
    if stock is None or stock.fields["quantity"].is_kept or not set(stock.key) <= set(PLACE):
        return None
    return stock


def as_list(adjusted: Sequence[Adjusted], stock: Record, now: pl.DataFrame, name: str) -> list[Rows]:
    """Rows of the list of stock with what is on hand after the adjustments; each row's number is that of its place.

    Args:
        now: what the list says now: the list's places and ``quantity``.
    """
    names = [each for each in PLACE if each in stock.fields]
    fields_held = {
        key: Decimal(quantity)
        for *key_parts, quantity in now.select(*names, "quantity").iter_rows()
        for key in [tuple(key_parts)]
    }
    decimals = stock.fields["quantity"].decimals or 0
    rows = []
    for each in adjusted:
        if each.adjustment:
            key = tuple(getattr(each.line.place, part) for part in names)
            rows.append(
                [each.line.place.number, *key, f"{fields_held.get(key, Decimal(0)) + each.adjustment:.{decimals}f}"]
            )
    schema = {ROW: pl.UInt32, **dict.fromkeys((*names, "quantity"), pl.String)}
    frame = pl.DataFrame(rows, schema=schema, orient="row")
    table = Table(f"count {name}", "", 0, (), frame.select(ROW), {})
    return [Rows(table, stock, {}, frame)]


def as_documents(adjusted: Sequence[Adjusted], family: Family, name: str, day: str, account: str | None) -> list[Rows]:
    """Header, line and lot rows of the adjustments; each row's number is that of its place."""
    headers: dict[str, list[str | int | None]] = {}
    lines: list[list[str | int | None]] = []
    lots: list[list[str | int | None]] = []
    numbers: dict[str, int] = {}
    decimals = family.lines.fields["quantity"].decimals or 0
    for adjustment in adjusted:
        place, number = adjustment.line.place, adjustment.document
        if number is None:
            continue
        headers.setdefault(number, [place.number, number, place.warehouse, day, account, f"Count {name}"])
        numbers[number] = numbers.get(number, 0) + 1
        line, quantity = str(numbers[number]), f"{adjustment.adjustment:.{decimals}f}"
        lines.append([place.number, number, line, place.item, place.warehouse, place.bin, quantity, place.unit])
        if place.lot or place.serial:
            lots.append([place.number, number, line, "1", place.lot, place.serial, quantity])
    document, of_line = family.document_of(family.lines), family.line
    parts = [
        (family.header, (family.number, "warehouse", "date", "account", "remark"), list(headers.values())),
        (family.lines, (document, of_line, "item", "warehouse", "bin", "quantity", "unit"), lines),
    ]
    if family.lots is not None and lots:
        keys = (family.document_of(family.lots), family.line_of_lot, family.lots.key[-1])
        parts.append((family.lots, (*keys, "lot", "serial", "quantity"), lots))
    document_rows: list[Rows] = []
    for record, names, rows in parts:
        frame = pl.DataFrame(rows, schema={ROW: pl.UInt32, **dict.fromkeys(names, pl.String)}, orient="row")
        blank = [name for name in names if name not in record.fields or (name == "account" and account is None)]
        table = Table(f"count {name}", "", 0, (), frame.select(ROW), {})
        document_rows.append(Rows(table, record, {}, frame.drop(blank)))
    return document_rows
