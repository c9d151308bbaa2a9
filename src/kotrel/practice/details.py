"""The made-up business: what refers to its items: reorder levels, units, codes, lots, prices, kits,
routings, assets.
"""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

import polars as pl

from kotrel.practice.items import barcode

KITS = [
    # code, description, kind, unit, category, cost, price
    ("KIT-00010", "Mooring kit, rope 10 mm", "kit", "SET", "ROPE-BRAID", "46.2000", "79.00"),
    ("KIT-00020", "Grab bag, coastal", "kit", "SET", "SAFETY-AID", "118.5000", "189.00"),
    ("SPL-00010", "Mooring line 12 m, eye spliced", "product", "EA", "ROPE-BRAID", "21.4000", "39.00"),
]

WORK_PLACES = [
    ("BENCH", "Splicing bench", "LOFT"),
    ("PRESS", "Swage press", "LOFT"),
    ("YARD-CRANE", "Yard crane", "QUAY"),
]

OPERATIONS = [
    ("EYE-SPLICE", "Eye splice", "BENCH", "18.00"),
    ("WHIPPING", "Whipping the end", "BENCH", "4.00"),
    ("SWAGE", "Hydraulic swage", "PRESS", "6.50"),
    ("TEST-PULL", "Test pull", "PRESS", "3.00"),
]

ASSETS = [
    # number, description, kind, place, serial number, installed on, purchase price
    ("A-0001", "Splicing bench", "tool", "Rigging loft", "SB-1187", "2019-04-02", "1850.00"),
    ("A-0002", "Swage press 60 t", "machine", "Rigging loft", "PX60-00412", "2021-09-14", "14200.00"),
    ("A-0003", "Forklift 1.6 t", "vehicle", "Quay-side shop", "FL16-88031", "2018-06-20", "19750.00"),
    ("A-0004", "Hire life raft, 6 persons", "hire", "Quay-side shop", "LR6-0091", "2024-03-01", "1180.00"),
]

REPAIR_SERVICES = [
    # code, name, what it is for, price, minutes
    ("RAFT-SERVICE", "Life-raft service", "Life rafts, every three years", "240.00", "180"),
    ("OUTBOARD-WINTER", "Outboard winter service", "Outboard engines up to 30 kW", "165.00", "120"),
    ("RADIO-CHECK", "Handheld radio check", "Handheld radios", "0.00", "20"),
]


def kit_items() -> pl.DataFrame:
    """The items that are put together from others."""
    columns = ("code", "description", "kind", "unit", "category", "cost", "price")
    rows = _table(KITS, *columns)
    return rows.with_columns(
        pl.lit("new").alias("condition"),
        pl.lit("STD").alias("tax_class"),
        *(pl.lit("no").alias(name) for name in ("lot_tracked", "serial_tracked", "archived")),
    )


def details(items: pl.DataFrame) -> dict[str, pl.DataFrame]:
    """Record → its rows in canonical text, for the records that refer to items."""
    ropes = items.filter(pl.col("unit") == "M", pl.col("category").str.starts_with("ROPE-"))
    shackles = items.filter(pl.col("category") == "FASTENING-SHACKLE")
    paints = items.filter((pl.col("lot_tracked") == "yes") & pl.col("code").str.starts_with("PNT-"))
    rope, shackle, aid, flare = (
        _first_code(items, category) for category in ("ROPE-BRAID", "FASTENING-SHACKLE", "SAFETY-AID", "SAFETY-FLARE")
    )
    return {
        "item_warehouse": _levels(items.filter(pl.col("code").str.starts_with("CHN-"))),
        "work_place": _table(WORK_PLACES, "code", "name", "warehouse"),
        "operation": _table(OPERATIONS, "code", "name", "work_place", "minutes"),
        "asset": _assets(),
        "repair_service": _table(REPAIR_SERVICES, "code", "name", "used_for", "price", "minutes").with_columns(
            pl.lit("no").alias("archived")
        ),
        "unit_conversion": pl.concat(
            [_conversions(ropes, "COIL", "200.000000"), _conversions(shackles, "BOX", "100.000000")]
        ),
        "item_barcode": shackles.head(12).select(
            pl.Series("barcode", [barcode(900_001 + place) for place in range(min(12, shackles.height))]),
            pl.col("code").alias("item"),
            pl.lit("BOX").alias("unit"),
        ),
        "item_code": ropes.head(6).select(
            pl.concat_str(pl.lit("OLD/"), pl.col("vendor_code")).alias("code"),
            pl.col("code").alias("item"),
            pl.lit("Number of the catalogue before last").alias("note"),
        ),
        "lot": paints.head(20).select(
            pl.col("code").alias("item"),
            pl.lit("VM-2611").alias("number"),
            pl.lit("2026-02-10").alias("made_on"),
            pl.lit("2028-02-10").alias("expires_on"),
        ),
        "price": _prices(items.head(400)),
        "customer_price_list": _table(
            [("C-1001", "YARD", "1"), ("C-1002", "FLEET", "1"), ("C-1003", "YARD", "1"), ("C-1004", "SHOP", "1")],
            "customer",
            "price_list",
            "place",
        ),
        "kit_line": _table(
            [
                ("KIT-00010", rope, "12.0000", "M", "2.00"),
                ("KIT-00010", shackle, "2.0000", "EA", "0.00"),
                ("KIT-00010", "SPL-00010", "1.0000", "EA", "0.00"),
                ("KIT-00020", aid, "1.0000", "SET", "0.00"),
                ("KIT-00020", flare, "3.0000", "EA", "0.00"),
                ("SPL-00010", rope, "12.5000", "M", "1.00"),
            ],
            "parent",
            "component",
            "quantity",
            "unit",
            "scrap",
        ),
        "routing_line": _table(
            [
                ("SPL-00010", "10", "EYE-SPLICE", "BENCH", "18.00"),
                ("SPL-00010", "20", "WHIPPING", "BENCH", "4.00"),
                ("SPL-00010", "30", "TEST-PULL", "PRESS", "3.00"),
            ],
            "item",
            "step",
            "operation",
            "work_place",
            "minutes",
        ),
    }


def _table(rows: Sequence[Sequence[str | None]], *columns: str) -> pl.DataFrame:
    return pl.DataFrame(rows, schema=dict.fromkeys(columns, pl.String), orient="row")


def _first_code(items: pl.DataFrame, category: str) -> str:
    return str(items.filter(pl.col("category") == category)["code"][0])


def _conversions(items: pl.DataFrame, unit: str, factor: str) -> pl.DataFrame:
    return items.select(
        pl.col("code").alias("item"),
        pl.lit(unit).alias("unit"),
        pl.lit(factor).alias("factor"),
        pl.col("unit").alias("base_unit"),
    )


def _prices(items: pl.DataFrame) -> pl.DataFrame:
    """A fixed price in the shop and for boatyards; for the fleet a percentage off, from a date."""
    prices: list[tuple[str | None, ...]] = []
    for code, unit, price in items.select("code", "unit", "price").iter_rows():
        yard = (Decimal(price) * Decimal("0.92")).quantize(Decimal("0.01"))
        prices += [
            ("SHOP", code, unit, "0.000", "2026-01-01", f"{price}00", None),
            ("YARD", code, unit, "0.000", "2026-01-01", f"{yard}00", None),
            ("FLEET", code, unit, "0.000", "2026-07-01", None, "12.500"),
        ]
    return _table(prices, "price_list", "item", "unit", "from_quantity", "from_date", "amount", "discount_percent")


def _levels(items: pl.DataFrame) -> pl.DataFrame:
    """When chain is ordered again in the shop: at 20 m, up to 120 m; joining links at 10, up to 60."""
    count = items.height
    metres = pl.col("unit") == "M"
    return items.select(
        pl.col("code").alias("item"),
        pl.lit("QUAY").alias("warehouse"),
        pl.when(metres).then(pl.lit("20.000")).otherwise(pl.lit("10.000")).alias("reorder_point"),
        pl.when(metres).then(pl.lit("120.000")).otherwise(pl.lit("60.000")).alias("order_up_to"),
        pl.Series(
            "default_bin", [f"Q-{1 + place % 6:02d}-{'ABCD'[place % 4]}" for place in range(count)], dtype=pl.String
        ),
    )


def _assets() -> pl.DataFrame:
    columns = ("number", "description", "kind", "place", "serial_number", "installed_on", "purchase_price")
    return _table(ASSETS, *columns).with_columns(pl.lit("in use").alias("status"))
