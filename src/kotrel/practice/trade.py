"""A busy shop floor: sells and receives goods in the practice system, as another program would,
without Kotrel's journal.
"""

from __future__ import annotations

import random
from collections.abc import Sequence
from datetime import datetime
from decimal import Decimal

import polars as pl
from msgspec import Struct

from kotrel.core.description.model import Description
from kotrel.core.errors import WrongUse
from kotrel.core.stock.sums import PLACE, LedgerQuery, average, half_away
from kotrel.core.values.dates import moment_text
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.ledger import ledger_sums
from kotrel.systems.sql.store import store_of

ISSUE, RECEIPT = "goods_issue", "goods_receipt"


class TradeMovement(Struct, frozen=True):
    """One sale or receipt; the quantity is in the base unit, what goes out is negative."""

    number: str
    item: str
    warehouse: str
    bin: str | None
    quantity: Decimal
    at: str


def require_practice(description: Description) -> None:
    """Makes sure that a system is a practice system.

    Raises:
        WrongUse: it is not: nothing trades in somebody's own system.
    """
    needed = (ISSUE, RECEIPT, "stock_movement")
    if not description.scaled or any(name not in description.records for name in needed):
        raise WrongUse(
            "this is no practice system, and nobody plays shop in a real one",
            "kotrel init shop makes one.",
            "no-practice-system",
        )


def trade_once(
    database: Database, description: Description, chance: random.Random, warehouses: Sequence[str], now: datetime
) -> TradeMovement | None:
    """Sells or receives something at one place, in a transaction of its own; None where nothing is on hand."""
    with database.changing():
        among = [("warehouse", pl.Series("warehouse", warehouses, dtype=pl.String))] if warehouses else []
        places = ledger_sums(database, description, LedgerQuery(PLACE, among))
        held_places = [
            (row, Decimal(row["quantity"]))
            for row in places.iter_rows(named=True)
            if Decimal(row["quantity"]) > 0 and row["serial"] is None
        ]
        if not held_places:
            return None
        row, on_hand = chance.choice(sorted(held_places, key=lambda each: tuple(map(str, each[0].values()))))
        out = chance.random() < 0.7
        quantity = Decimal(chance.randint(1, max(1, min(5, int(on_hand))))) * (-1 if out else 1)
        if out and -quantity > on_hand:
            quantity = -on_hand
        one = pl.Series("item", [row["item"]], dtype=pl.String)
        whole = ledger_sums(database, description, LedgerQuery(["item"], [("item", one)]))
        has, value = (Decimal(whole[name][0]) for name in ("quantity", "value"))
        cost = average(has, value) or Decimal(0)
        worth = -value if -quantity == has else half_away(quantity * cost, 4)
        return _post(database, description, row, quantity, worth, cost, now)


def _post(
    database: Database,
    description: Description,
    place: dict[str, str | None],
    quantity: Decimal,
    worth: Decimal,
    cost: Decimal,
    now: datetime,
) -> TradeMovement:
    """Writes the document, its line and lot, and its movement."""
    kind = ISSUE if quantity < 0 else RECEIPT
    header = store_of(description, description.records[kind], database.dialect)
    there = database.run(f"SELECT count(*) FROM {header.name}")[0][0]
    number, day = f"TILL-{int(there) + 1:05d}", now.date().isoformat()
    unit = database.run(
        f"SELECT unit FROM {store_of(description, description.records['item'], database.dialect).name} WHERE code = ?",
        [place["item"]],
    )[0][0]
    key = {"document": number, "line": "1"}
    amount = f"{abs(quantity):.3f}"
    at = moment_text(now)
    about = {"item": place["item"], "warehouse": place["warehouse"], "bin": place["bin"]}
    rows: list[tuple[str, dict[str, str | None]]] = [
        (kind, {"number": number, "warehouse": place["warehouse"], "date": day}),
        (
            f"{kind}_line",
            {**key, **about, "quantity": amount, "unit": unit, **({"cost": f"{cost:.4f}"} if kind == RECEIPT else {})},
        ),
        (
            "stock_movement",
            {
                "kind": kind,
                **key,
                "part": "1",
                "counts_as": "on hand",
                "date": day,
                "posted_at": at,
                **about,
                "lot": place["lot"],
                "quantity": f"{quantity:.6f}",
                "value": f"{worth:.4f}",
            },
        ),
    ]
    if place["lot"]:
        rows.insert(2, (f"{kind}_lot", {**key, "part": "1", "lot": place["lot"], "quantity": amount}))
    for name, values in rows:
        store = store_of(description, description.records[name], database.dialect)
        forms = [database.as_stored("?", store.record.fields[field]) for field in values]
        database.insert(
            store.name,
            list(values),
            pl.DataFrame([list(values.values())], schema=dict.fromkeys(values, pl.String), orient="row"),
            forms,
        )
    return TradeMovement(number, str(place["item"]), str(place["warehouse"]), place["bin"], quantity, at)
