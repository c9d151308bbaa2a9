"""What the made-up business has on hand at the start, as opening documents with their movements;
the LOFT opens later.
"""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

import polars as pl
from msgspec import Struct

from kotrel.practice.base_lists import BINS_EACH

DAY = "2026-01-05"
WAREHOUSES = ("QUAY", "SHED", "TENDER")
SHED_CATEGORIES = ("PAINT", "RESIN")


class _Piece(Struct, frozen=True):
    """One movement: an item in a bin, with its lot or serial number if it has one."""

    item: str
    unit: str
    cost: Decimal
    bin: str
    quantity: Decimal
    lot: str | None = None
    serial: str | None = None
    expires_on: str | None = None


def starting_stock(items: pl.DataFrame) -> dict[str, pl.DataFrame]:
    """Record → its rows in canonical text: the opening documents, their lines and lots, and the ledger."""
    headers: list[dict[str, str | None]] = []
    lines: list[dict[str, str | None]] = []
    lots: list[dict[str, str | None]] = []
    movements: list[dict[str, str | None]] = []
    for warehouse in WAREHOUSES:
        number = f"START-{warehouse}"
        headers.append({"number": number, "warehouse": warehouse, "date": DAY, "account": "OPENING"})
        for line, group in enumerate(_lines(warehouse, items), start=1):
            first, quantity = group[0], sum((piece.quantity for piece in group), Decimal(0))
            lines.append(
                {
                    "document": number,
                    "line": str(line),
                    "item": first.item,
                    "warehouse": warehouse,
                    "bin": first.bin,
                    "quantity": f"{quantity:.3f}",
                    "unit": first.unit,
                    "cost": f"{first.cost:.4f}",
                }
            )
            for part, piece in enumerate(group, start=1):
                about = {"lot": piece.lot, "serial": piece.serial, "expires_on": piece.expires_on}
                key = {"document": number, "line": str(line), "part": str(part)}
                if piece.lot or piece.serial:
                    lots.append({**key, **about, "quantity": f"{piece.quantity:.3f}"})
                movements.append(
                    {
                        "kind": "opening_stock",
                        **key,
                        "counts_as": "on hand",
                        "date": DAY,
                        "posted_at": f"{DAY} 08:00:00",
                        "item": piece.item,
                        "warehouse": warehouse,
                        "bin": piece.bin,
                        **about,
                        "quantity": f"{piece.quantity:.6f}",
                        "value": f"{piece.quantity * piece.cost:.4f}",
                    }
                )
    tables = {
        "opening_stock": headers,
        "opening_stock_line": lines,
        "opening_stock_lot": lots,
        "stock_movement": movements,
    }
    return {name: pl.DataFrame(rows, infer_schema_length=None).cast(pl.String) for name, rows in tables.items()}


def _lines(warehouse: str, items: pl.DataFrame) -> Iterator[list[_Piece]]:
    """The lines of one warehouse: an item in a bin, or its lots or serial numbers there."""
    shelves, places = BINS_EACH[warehouse]
    bins = [f"{warehouse[0]}-{shelf:02d}-{place}" for shelf in range(1, shelves + 1) for place in places]
    chosen = [row for at, row in enumerate(_stocked(items).iter_rows(named=True)) if _belongs(warehouse, row, at)]
    for at, row in enumerate(chosen):
        code, unit, cost = row["code"], row["unit"], Decimal(row["cost"])
        bin_ = bins[at % len(bins)]
        size = Decimal(6 + at * 7 % 40)
        if row["serial_tracked"] == "yes":
            yield [_Piece(code, unit, cost, bin_, Decimal(1), serial=f"{code[:3]}{code[4:]}-{n:03d}") for n in (1, 2)]
        elif row["lot_tracked"] == "yes":
            yield [_Piece(code, unit, cost, bin_, size, f"VM-26{10 + n}", None, f"2028-{2 + n:02d}-10") for n in (1, 2)]
        else:
            yield [_Piece(code, unit, cost, bin_, size * 10 if unit == "M" else size)]


def _stocked(items: pl.DataFrame) -> pl.DataFrame:
    active = (pl.col("archived").fill_null("no") != "yes") & pl.col("cost").is_not_null()
    return items.filter(active & ~pl.col("kind").fill_null("stocked").is_in(["service", "kit"]))


def _belongs(warehouse: str, row: dict[str, str], at: int) -> bool:
    in_shed = row["category"].startswith(SHED_CATEGORIES)
    if warehouse == "SHED":
        return in_shed and at % 2 == 0
    if warehouse == "TENDER":
        return not in_shed and at % 41 == 0
    # Chains are sold out and rope is elsewhere: there is something to order, and something to open the LOFT with.
    return not in_shed and at % 4 == 1 and not row["code"].startswith("CHN-")
