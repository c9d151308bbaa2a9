from __future__ import annotations

import unittest
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION, MESSAGE, ROW, before
from kotrel.core.description.description_reading import read_description
from kotrel.core.pricing.price_impact import price_stakes
from kotrel.core.stock.sums import LedgerQuery
from kotrel.practice.installing import description_text
from tests.builders import columns_of, reader_of

HELD: dict[str, list[dict[str, str | None]]] = {
    "item": [
        {"code": "A", "unit": "EA", "category": "ROPE"},
        {"code": "B", "unit": "EA", "category": "ROPE"},
        {"code": "C", "unit": "EA", "category": "CHAIN"},
    ],
    "price_list": [{"code": "SHOP", "currency": "XTS"}],
    "price": [
        {"price_list": "SHOP", "item": "A", "unit": "EA", "from_quantity": "0.000", "from_date": "2026-01-01", "amount": "10.00"},
        {"price_list": "SHOP", "item": "A", "unit": "EA", "from_quantity": "0.000", "from_date": "2026-06-01", "amount": "8.00"},
        {"price_list": "SHOP", "item": "A", "unit": "BOX", "from_quantity": "0.000", "from_date": "2026-01-01", "amount": "90.00"},
        {"price_list": "SHOP", "item": "B", "unit": "EA", "from_quantity": "0.000", "from_date": "2026-01-01",
         "to_date": "2026-03-31", "amount": "5.00"},
    ],
}  # fmt: skip


def read(record: str, fields: Sequence[str], among: Any = None, filled: Any = None) -> pl.DataFrame:
    # Some tests change what the system holds.
    held = {name: columns_of(lines) for name, lines in HELD.items()}
    return reader_of(held)(record, fields, among, filled)


def sums(query: LedgerQuery) -> pl.DataFrame:
    return pl.DataFrame({"item": ["A", "C"], "quantity": ["20", "3"], "value": ["0", "0"]})


def changes(record: str, *rows: dict[str, str | None], action: str = "new") -> RecordChanges:
    description = read_description(description_text())
    fields = [name for name in rows[0] if not name.startswith("before ")]
    frame = pl.DataFrame(
        [{ROW: n, ACTION: action, MESSAGE: None, **{before(f): row.get(f"before {f}") for f in fields}, **{f: row.get(f) for f in fields}}
         for n, row in enumerate(rows, 2)], schema_overrides={before(f): pl.String for f in fields})  # fmt: skip
    return RecordChanges(description.records[record], "f", "", tuple(fields), frame)


def price(
    item: str, amount: str, day: str = "2026-12-01", unit: str = "EA", quantity: str = "0.000"
) -> dict[str, str | None]:
    return {
        "price_list": "SHOP",
        "item": item,
        "unit": unit,
        "from_quantity": quantity,
        "from_date": day,
        "amount": amount,
    }


class Stakes(unittest.TestCase):
    def stakes(self, *made: RecordChanges) -> dict[tuple[str, str | None], tuple[object, ...]]:
        found = price_stakes(made, read_description(description_text()), read, sums)
        if found is None:
            return {}
        names = ("prices", "new", "mean", "largest", "item", "stake")
        return {
            (row["list"], row["category"]): tuple(row[name] for name in names) for row in found.iter_rows(named=True)
        }

    def test_new_prices_are_held_against_the_one_in_force(self) -> None:
        found = self.stakes(
            changes(
                "price", price("A", "9.00"), price("A", "99.00", unit="BOX"), price("B", "6.00"), price("C", "1.00")
            )
        )
        # A 8.00 → 9.00 is +12.5 %, on 20 pieces 20.00; the box 90 → 99 is +10 %; B's price had ended, C had none: both
        # are new.
        self.assertEqual(found["SHOP", None], (4, 2, Decimal("11.25"), Decimal("12.5"), "A", Decimal(20)))
        self.assertEqual(found["SHOP", "ROPE"], (3, 1, Decimal("11.25"), Decimal("12.5"), "A", Decimal(20)))
        self.assertEqual(found["SHOP", "CHAIN"][:4], (1, 1, None, None))

    def test_a_price_before_the_last_change_is_held_against_the_one_of_that_day(self) -> None:
        [row] = [
            value
            for key, value in self.stakes(changes("price", price("A", "9.00", "2026-03-01"))).items()
            if key[1] is None
        ]
        self.assertEqual(row[2], Decimal("-10"))

    def test_a_price_from_a_quantity_on_says_nothing_of_the_stock(self) -> None:
        HELD["price"].append(price("C", "4.00", "2026-01-01", quantity="10.000"))
        self.addCleanup(HELD["price"].pop)
        found = self.stakes(changes("price", price("C", "5.00", quantity="10.000")))
        self.assertEqual(found["SHOP", None], (1, 0, Decimal(25), Decimal(25), "C", Decimal(0)))

    def test_an_item_without_a_category_counts_once(self) -> None:
        HELD["item"].append({"code": "D", "unit": "EA", "category": None})
        self.addCleanup(HELD["item"].pop)
        found = price_stakes([changes("price", price("D", "5.00"))], read_description(description_text()), read, sums)
        assert found is not None
        self.assertEqual(found.select("list", "category", "prices", "currency").rows(), [("SHOP", None, 1, "XTS")])

    def test_only_the_price_of_the_base_unit_values_the_stock(self) -> None:
        for unit, stake in (("EA", "180.00"), ("BOX", "0"), ("PAL", "0")):
            HELD["price"].append({**price("C", "40.00", "2026-01-01", unit=unit)})
            self.addCleanup(HELD["price"].pop)
            found = self.stakes(changes("price", price("C", "100.00", unit=unit)))
            self.assertEqual((found["SHOP", None][0], found["SHOP", None][5]), (1, Decimal(stake)), unit)

    def test_which_price_is_in_force_on_the_first_day(self) -> None:
        # C is 40.00 from January; what ends it, and what is no fixed price, are told apart.
        base = price("C", "40.00", "2026-01-01")
        cases = [
            ([base], Decimal(25)),
            ([{**base, "to_date": "2026-12-31"}], Decimal(25)),
            ([{**base, "to_date": "2026-12-01"}], Decimal(25)),
            ([{**base, "to_date": "2026-11-30"}], None),
            ([base, {**price("C", "", "2026-05-01"), "amount": None}], Decimal(25)),
        ]
        for held, change in cases:
            with self.subTest(held):
                kept = HELD["price"]
                HELD["price"] = [*kept, *held]
                found = self.stakes(changes("price", price("C", "50.00")))
                HELD["price"] = kept
                self.assertEqual(found["SHOP", None][3], change)

    def test_first_pieces_items_of_the_same_load_and_discounts(self) -> None:
        HELD["price"].append(price("C", "4.00", "2026-01-01", quantity="1.000"))
        self.addCleanup(HELD["price"].pop)
        # 3 pieces on hand, 1.00 more each.
        self.assertEqual(
            self.stakes(changes("price", price("C", "5.00", quantity="1.000")))["SHOP", None][5], Decimal(3)
        )
        self.assertEqual(self.stakes(changes("price", price("NEW", "5.00")))["SHOP", None][:2], (1, 1))
        self.assertEqual(self.stakes(changes("price", {**price("B", "5.00"), "amount": None})), {})

    def test_what_has_no_items_or_no_price_has_nothing_at_stake(self) -> None:
        bare = read_description(
            '[record.price]\nkey = ["item"]\n[record.price.field]\nitem = { kind = "code", must = "always" }\namount = { kind = "money" }'
        )
        self.assertIsNone(price_stakes([changes("price", price("A", "9.00"))], bare, read, sums))
        without_units = '[record.item]\nkey = ["code"]\n[record.item.field]\ncode = { kind = "code", must = "always" }'
        self.assertIsNone(
            price_stakes([changes("price", price("A", "9.00"))], read_description(without_units), read, sums)
        )
        self.assertEqual(self.stakes(changes("price", {**price("A", "9.00"), "amount": None})), {})
        short = {name: value for name, value in price("A", "9.00").items() if name != "unit"}
        self.assertEqual(self.stakes(changes("price", short)), {})
        self.assertEqual(self.stakes(changes("vendor", {"code": "A", "name": "x"})), {})
        still = {"code": "C", "price": "3.00", "before price": "3.00"}
        description = read_description(description_text())
        self.assertIsNone(price_stakes([changes("item", still, action="changed")], description, read, sums))

    def test_a_changed_price_is_held_against_what_it_was(self) -> None:
        row = {**price("A", "12.00", "2026-06-01"), "before amount": "8.00"}
        self.assertEqual(
            self.stakes(changes("price", row, action="changed"))["SHOP", None],
            (1, 0, Decimal(50), Decimal(50), "A", Decimal(80)),
        )
        row = {**price("A", "12.00", "2026-06-01"), "before amount": "12.00"}
        self.assertEqual(self.stakes(changes("price", row, action="changed")), {})
        self.assertEqual(self.stakes(changes("price", price("A", "12.00"), action="removed")), {})

    def test_an_items_own_prices_count_where_they_change(self) -> None:
        rows = (
            {"code": "A", "price": "12.00", "before price": "10.00"},
            {"code": "C", "price": "3.00", "before price": "3.00"},
        )
        found = self.stakes(changes("item", *rows, action="changed"))
        self.assertEqual(found["price", None], (1, 0, Decimal(20), Decimal(20), "A", Decimal(40)))
        self.assertEqual(self.stakes(changes("item", {"code": "A", "price": "12.00"})), {})
        first = {"code": "A", "price": "12.00", "before price": None}
        self.assertEqual(self.stakes(changes("item", first, action="changed")), {}, "there was no price to change")
