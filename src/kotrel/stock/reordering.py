"""What to order: levels of items in warehouses against what is on hand, and a purchase order sheet made of it."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from datetime import date
from decimal import Decimal

import polars as pl
from msgspec import Struct, field

from kotrel.core.description.model import Description, Record
from kotrel.core.documents.families import families, flat_record
from kotrel.core.errors import WrongUse
from kotrel.core.expressions.compiling import compile_expression
from kotrel.core.expressions.scope import Scope
from kotrel.core.phrases import count
from kotrel.core.stock.reorder import Level, levels
from kotrel.core.stock.sums import LedgerQuery, half_away
from kotrel.loading.list_reading import called_in, found_in, names_of
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.stock.on_hand import require_stock
from kotrel.workspace.settings import Workspace

_SHORT = 30
"""Characters of an order's number where the system says nothing of its length."""
RECORD = "item_warehouse"
NEEDED = ("reorder_point", "order_up_to")


class ReorderLine(Struct, frozen=True):
    """One item to order for one warehouse.

    Attributes:
        cost: of one base unit, or None; ``value`` is the order at that cost, two decimals.
    """

    level: Level
    description: str
    unit: str
    vendor: str | None
    cost: Decimal | None

    @property
    def value(self) -> Decimal | None:
        return None if self.cost is None else half_away(self.level.order * self.cost, 2)


class Reorder(Struct, frozen=True):
    """What to order, the remarks on what was left out, the value by vendor,
    and how many reorder points were looked at.
    """

    lines: tuple[ReorderLine, ...]
    remarks: tuple[str, ...] = ()
    by_vendor: dict[str | None, Decimal] = field(default_factory=dict)
    points: int = 0


def _reorder_points(description: Description) -> Record:
    points = description.records.get(RECORD)
    if points is None or any(name not in points.fields for name in NEEDED):
        raise WrongUse(
            f"the system has no record {RECORD} with {' and '.join(NEEDED)}",
            "Describe it in system.toml.",
            "no-such-record",
        )
    return points


def _ordered_already(lines: Sequence[ReorderLine], with_orders: bool) -> Iterator[str]:
    ordered = 0 if with_orders else sum(line.level.on_order > 0 for line in lines)
    if ordered:
        yield f"{count(ordered, 'line')} with goods on order already, which these quantities order again: --with-orders takes them off"


def _remarks(rows: pl.DataFrame, lines: Sequence[ReorderLine], never: Collection[str]) -> Iterator[str]:
    if half := rows["order_up_to"].null_count():
        yield f"{count(half, 'reorder point')} without a level to order up to: no quantity can be calculated for them"
    if never:
        yield f"left out, archived or not to be bought: {count(len(never), 'item')} such as {min(never)}"
    if no_cost := sum(line.cost is None for line in lines):
        yield f"{count(no_cost, 'line')} without a cost have no value"


def reorder(workspace: Workspace, with_orders: bool, where: str | None) -> Reorder:
    """Works out what to order.

    Raises:
        WrongUse: the system says nothing of its stock, or has no reorder points.
    """
    description = workspace.description
    ledger = require_stock(description)
    points = _reorder_points(description)
    item = description.records[str(ledger.fields["item"].to)]
    with workspace.system().reading() as reading:
        names = names_of(workspace, reading)
        fields = {name: field for name, field in item.fields.items() if not field.from_ledger}
        fields |= {name: points.fields[name] for name in ("item", "warehouse")}
        scope = Scope(fields, names=called_in(names), found=found_in(workspace, reading, item))
        condition = compile_expression(where, scope, "yes_no") if where is not None else None
        rows = reading.read(
            RECORD,
            ["item", "warehouse", *NEEDED, *(["cost"] if "cost" in points.fields else [])],
            None,
            "reorder_point",
        )
        codes = rows["item"].unique()
        wanted = [name for name in item.fields if not item.fields[name].from_ledger]
        items = reading.read(item.name, wanted, (item.key[0], codes))
        among = [("item", codes)]
        sums = {
            what: reading.ledger_sums(LedgerQuery(["item", "warehouse"], among, what))
            for what in ("on hand", "on order", "reserved")
        }
    remarks: list[str] = []
    if condition is not None:
        key = item.key[0]
        known = items.rename({key: "item"}).with_columns(pl.col("item").alias(key))
        both = rows.select("item", "warehouse").join(known, on="item", how="left", maintain_order="left")
        rows = rows.filter(condition.column(both).fill_null(False))
    lines, never = _lines(rows, items, item, sums, with_orders)
    remarks += _ordered_already(lines, with_orders)
    remarks += _remarks(rows, lines, never)
    lines.sort(key=lambda line: (line.vendor or "~", line.level.item, line.level.warehouse))
    by_vendor: dict[str | None, Decimal] = {}
    for line in lines:
        by_vendor[line.vendor] = by_vendor.get(line.vendor, Decimal(0)) + (line.value or Decimal(0))
    return Reorder(tuple(lines), tuple(remarks), by_vendor, rows.height)


def _lines(
    rows: pl.DataFrame, items: pl.DataFrame, item: Record, sums: dict[str, pl.DataFrame], with_orders: bool
) -> tuple[list[ReorderLine], set[str]]:
    """What to order, and the items that would be ordered but are archived or never bought.

    Args:
        rows: reorder points: ``item``, ``warehouse``, the levels, and perhaps ``cost``.
        items: these items with all their fields.
        sums: by ``on hand``, ``on order`` and ``reserved``: item, warehouse, quantity.
    """
    about = {row[item.key[0]]: row for row in items.iter_rows(named=True)}
    costs = (
        dict(zip(rows.select("item", "warehouse").iter_rows(), rows["cost"], strict=True))
        if "cost" in rows.columns
        else {}
    )
    multiples = {code: Decimal(row["order_multiple"]) for code, row in about.items() if row.get("order_multiple")}
    lines: list[ReorderLine] = []
    never: set[str] = set()
    for level in levels(rows, sums, multiples, with_orders):
        row = about.get(level.item, {})
        if level.order <= 0:
            continue
        if row.get("archived") == "yes" or row.get("may_be_bought") == "no":
            never.add(level.item)
            continue
        cost = costs.get((level.item, level.warehouse)) or row.get("cost")
        description, unit = row.get(item.called or "") or "", row.get("unit") or ""
        lines.append(ReorderLine(level, description, unit, row.get("vendor"), None if cost is None else Decimal(cost)))
    return lines, never


def order_book(done: Reorder, description: Description, today: date) -> OutBook:
    """What to order in the shape of purchase orders, one for each vendor and warehouse, ready to be checked and loaded.

    Raises:
        WrongUse: the system has no purchase orders.
    """
    family = next((each for each in families(description) if each.header.counts_as == "on order"), None)
    if family is None:
        raise WrongUse("the system accepts no purchase orders", "Leave out -o to see what to order.", "no-such-record")
    record = flat_record(family)
    numbers = _numbers(done, today, record.fields[family.number].length or _SHORT)
    names = [
        name
        for name in (family.number, "vendor", "warehouse", "date", "item", "quantity", "unit", "price", "amount")
        if name in record.fields
    ]
    rows = [[_cell(line, name, family.number, numbers, today) for name in names] for line in done.lines]
    frame = pl.DataFrame(rows, schema=dict.fromkeys(names, pl.String), orient="row")
    columns = tuple(OutColumn(record.fields[name].title, record.fields[name]) for name in names)
    return OutBook((OutSheet(family.header.title, columns, frame),))


def _numbers(done: Reorder, today: date, longest: int) -> dict[tuple[str | None, str], str]:
    """Vendor and warehouse → the number of their order: made of both, or counted where that is too long."""
    numbers: dict[tuple[str | None, str], str] = {}
    for index, key in enumerate(dict.fromkeys((line.vendor, line.level.warehouse) for line in done.lines), start=1):
        whole = f"PO-{key[0] or 'NONE'}-{key[1]}-{today:%Y%m%d}"
        fits = len(whole) <= longest and whole not in numbers.values()
        numbers[key] = whole if fits else f"PO-{today:%Y%m%d}-{index}"
    return numbers


def _cell(
    line: ReorderLine, name: str, number: str, numbers: dict[tuple[str | None, str], str], today: date
) -> str | None:
    level = line.level
    if name == number:
        return numbers[line.vendor, level.warehouse]
    values: dict[str, str | None] = {
        "vendor": line.vendor,
        "warehouse": level.warehouse,
        "date": today.isoformat(),
        "item": level.item,
        "quantity": f"{level.order:f}",
        "unit": line.unit,
        "price": None if line.cost is None else f"{line.cost:f}",
        "amount": None if line.value is None else f"{line.value:f}",
    }
    return values[name]
