"""The price in force and how it comes about, case by case; the figures are worked out by hand."""

import unittest
from datetime import date
from decimal import Decimal

from kotrel.core.pricing.effective_price import ListFacts, PriceQuery, PriceRow, effective_price
from kotrel.core.pricing.rates import NoRate, Rates

LISTS = {
    "SHOP": ListFacts("SHOP", "EUR", 2),
    "FLEET": ListFacts("FLEET", "EUR", 2, off="SHOP"),
    "CLUB": ListFacts("CLUB", "EUR", 1),
    "RRP": ListFacts("RRP", "EUR", 2, for_sale=False),
    "EXPORT": ListFacts("EXPORT", "USD", 2, off="SHOP"),
    "ISLE": ListFacts("ISLE", "XTS", 0, off="SHOP"),
}


def row(
    code: str, unit: str = "M", start: str = "0", first: str | None = None, last: str | None = None, **what: str
) -> PriceRow:
    category = what.pop("category", "")
    days = [date.fromisoformat(day) if day else None for day in (first, last)]
    numbers = {name: Decimal(value) for name, value in what.items()}
    return PriceRow(code, "" if category else unit, Decimal(start), *days, **numbers, category=category)


ROWS = [
    row("SHOP", amount="0.60", first="2026-01-01", last="2027-01-31"),
    row("SHOP", amount="0.66", first="2027-02-01"),
    row("SHOP", start="100", amount="0.50", first="2026-01-01"),
    row("SHOP", unit="COIL", amount="99.00", first="2026-01-01"),
    row("FLEET", discount_percent="12.5"),
    row("CLUB", category="ROPE", discount_percent="10"),
    row("CLUB", category="ROPE-BRAID", discount_amount="0.05"),
    row("RRP", amount="0.80"),
    row("EXPORT", discount_percent="10"),
    row("ISLE", discount_percent="10"),
]


class Effective(unittest.TestCase):
    def price(
        self,
        lists: str,
        quantity: str = "1",
        unit: str = "M",
        on: str = "2026-11-26",
        rows=ROWS,
        standard="0.70",
        categories=("ROPE-BRAID", "ROPE"),
    ):
        factors = {"M": Decimal(1), "COIL": Decimal(200), "REEL": Decimal(50)}
        wanted = PriceQuery(
            unit, "M", Decimal(quantity), date.fromisoformat(on), factors, None if standard is None else Decimal(standard), 2,
            "of the item", categories, LISTS, rows, "EUR", Rates("EUR", {"USD": Decimal("0.92")}),
        )  # fmt: skip
        self.found = effective_price(wanted, lists.split())
        return None if self.found.price is None else str(self.found.price)

    def test_a_discount_off_a_list_of_another_currency_is_exchanged_before(self):
        # 99.00 EUR ÷ 0.92 = 107.608696 USD; less 10 % = 96.847826.
        self.assertEqual((self.price("EXPORT", unit="COIL"), self.found.currency), ("96.85", "USD"))
        self.assertIn("99.00 EUR is 107.608696 USD", [line.what for line in self.found.lines])
        with self.assertRaisesRegex(NoRate, "no rate of XTS"):
            self.price("ISLE")

    def test_the_explanation_adds_up_in_another_unit(self):
        # The standard price of 0.70 for a metre is 35.00 for a reel of 50; 0.05 off each metre is 2.50 off the reel.
        self.assertEqual(self.price("CLUB", unit="REEL"), "32.5")
        self.assertIn("35.00 less 0.05 × 50, which is 2.50, is 32.50", [line.what for line in self.found.lines])

    def test_the_first_list_with_a_price_in_force(self):
        self.assertEqual(self.price("SHOP"), "0.60")
        self.assertEqual(self.price("SHOP", on="2027-01-31"), "0.60", "the last day")
        self.assertEqual(self.price("SHOP", on="2027-02-01"), "0.66", "the first day")
        self.assertEqual(self.price("SHOP", on="2025-12-31"), "0.70", "before all of them: the standard price")
        self.assertEqual(self.price(""), "0.70")
        self.assertEqual(self.price("RRP SHOP"), "0.60", "what is not for sale does not count")
        self.assertIsNone(self.price("", standard=None))

    def test_breaks_and_units(self):
        self.assertEqual(self.price("SHOP", "99.99"), "0.60")
        self.assertEqual(self.price("SHOP", "100"), "0.50")
        self.assertEqual(self.price("SHOP", unit="COIL"), "99.00", "its own price, not 200 × 0.50")
        self.assertEqual(self.price("SHOP", unit="REEL"), "30.00", "50 M at 0.60")
        self.assertEqual(self.price("SHOP", "2", unit="REEL"), "25.00", "100 M at 0.50")

    def test_discounts_off_another_list_or_the_standard_price(self):
        self.assertEqual(self.price("FLEET"), "0.53", "0.60 less 12.5 % is 0.525")
        self.assertEqual([line.price_list for line in self.found.lines], ["FLEET", "SHOP", "FLEET", "FLEET"])
        self.assertEqual(self.price("FLEET", unit="COIL"), "86.63", "99 less 12.5 % is 86.625")
        self.assertEqual(self.price("CLUB"), "0.7", "0.70 less 0.05 is 0.65, one decimal")
        self.assertEqual(self.price("CLUB", unit="REEL"), "32.5", "35 less 50 × 0.05: the amount is for one base unit")
        self.assertEqual(self.price("CLUB", categories=("ROPE-TWIST", "ROPE")), "0.6", "0.70 less 10 % is 0.63")
        own = [*ROWS, row("CLUB", discount_percent="50")]
        self.assertEqual(self.price("CLUB", rows=own), "0.4", "the item's own row first: 0.35, half up")
        self.assertEqual(self.price("CLUB", rows=[row("CLUB", discount_amount="2")]), "0.0", "never below zero")
        nothing = [row("FLEET", discount_percent="10")]
        self.assertEqual(
            self.price("FLEET", rows=nothing), "0.70", "SHOP has nothing to take it off: the standard price"
        )


if __name__ == "__main__":
    unittest.main()
