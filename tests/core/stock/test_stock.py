from __future__ import annotations

import unittest
from decimal import Decimal

import polars as pl

from kotrel.core.expressions.narrowing import only_values
from kotrel.core.stock.reorder import levels, to_order
from kotrel.core.stock.sums import LedgerQuery, average, average_costs, shares
from kotrel.core.stock.views import grouped, on_hand, period


class Reorder(unittest.TestCase):
    def test_up_to_the_level(self) -> None:
        cases = [
            # available, point, level, multiple, to order
            ("3", "3", "8", None, "5"),
            ("4", "3", "8", None, "0"),
            ("0", "0", "6", None, "6"),
            ("3", "3", "8", "12", "12"),
            ("3", "3", "15", "12", "12"),
            ("2", "3", "15", "12", "24"),
            ("-1", "3", "8", None, "9"),
            ("3", "3", "3", None, "0"),
            ("2.5", "3", "8", "0.5", "5.5"),
            ("7", "10", "5", None, "0"),
            ("3", "3", "8", "0", "5"),
        ]
        for available, point, level, multiple, order in cases:
            with self.subTest(available=available, level=level, multiple=multiple):
                of = None if multiple is None else Decimal(multiple)
                self.assertEqual(to_order(Decimal(available), Decimal(point), Decimal(level), of), Decimal(order))

    def test_with_orders_what_comes_and_what_is_promised_counts(self) -> None:
        points = pl.DataFrame({"item": ["A"], "warehouse": ["QUAY"], "reorder_point": ["3"], "order_up_to": ["8"]})

        def one(quantity: str) -> pl.DataFrame:
            return pl.DataFrame({"item": ["A"], "warehouse": ["QUAY"], "quantity": [quantity]})

        sums = {"on hand": one("2"), "on order": one("4"), "reserved": one("3")}
        [level] = levels(points, sums, {}, with_orders=True)
        self.assertEqual((level.available, level.order), (Decimal(3), Decimal(5)))
        [level] = levels(points, sums, {}, with_orders=False)
        self.assertEqual((level.available, level.order), (Decimal(2), Decimal(6)))


class Sums(unittest.TestCase):
    def test_a_question_about_days_is_dated(self) -> None:
        self.assertFalse(LedgerQuery(["item"]).is_dated)
        for about in ({"since": "2027-01-01"}, {"until": "2027-01-01"}, {"direction": "in"}, {"as_at": "2027-01-01"}):
            self.assertTrue(LedgerQuery(["item"], **about).is_dated, about)

    def test_average_costs_of_many_are_blank_where_nothing_is_on_hand(self) -> None:
        # 85.00 / 10 = 8.5; 1 / 3 = 0.3333…
        sums = pl.DataFrame({"quantity": ["10", "0", "3", "-1"], "value": ["85.00", "0", "1", "5"]})
        self.assertEqual(average_costs(sums).to_list(), ["8.5000", None, "0.3333", None])

    def test_average_cost_has_four_decimals_half_away_from_zero(self) -> None:
        self.assertEqual(average(Decimal(8), Decimal("1.0002")), Decimal("0.1250"))
        self.assertEqual(average(Decimal(2), Decimal("0.0001")), Decimal("0.0001"))
        self.assertIsNone(average(Decimal(0), Decimal(5)))

    def test_a_place_is_worth_its_share_by_quantity(self) -> None:
        places = pl.DataFrame(
            {"item": ["A", "A", "A", "B"], "quantity": ["4", "5", "0", "1"], "value": ["40", "36.5", "0", "3"]}
        )
        items = pl.DataFrame({"item": ["A", "B"], "quantity": ["9", "1"], "value": ["76.5", "3"]})
        self.assertEqual([str(value) for value in shares(places, items)], ["34.0000", "42.5000", "0.0000", "3.0000"])
        # Sold at one place before it came in at another: nothing is on hand, and 24.60 is left of it.
        places = pl.DataFrame({"item": ["C", "C"], "quantity": ["6", "-6"], "value": ["60.00", "-35.40"]})
        items = pl.DataFrame({"item": ["C"], "quantity": ["0"], "value": ["24.60"]})
        self.assertEqual([str(value) for value in shares(places, items)], ["60.0000", "-35.4000"])

    def test_opening_and_in_less_out_is_closing(self) -> None:
        def sums(*rows: tuple[str, str, str]) -> pl.DataFrame:
            return pl.DataFrame(rows, schema=dict.fromkeys(("item", "quantity", "value"), pl.String), orient="row")

        def held(*rows: tuple[str, str, str]) -> pl.DataFrame:
            return on_hand(sums(*rows), sums(*rows))

        found = period(
            held(("A", "10", "80.00")),
            sums(("A", "5", "47.50"), ("B", "1", "3")),
            sums(("A", "-6", "-51")),
            held(("A", "9", "76.50"), ("B", "1", "3")),
            ["item"],
        )
        rows = {row["item"]: row for row in found.iter_rows(named=True)}
        self.assertEqual([rows["A"][name] for name in ("opening", "in", "out", "closing")], [10, 5, 6, 9])
        self.assertEqual([rows["A"][name] for name in ("closing value", "revalued")], [Decimal("76.50"), 0])
        self.assertEqual([rows["B"][name] for name in ("opening", "in", "out", "closing")], [0, 1, 0, 1])

    def test_what_another_place_does_to_the_average_is_revalued_here(self) -> None:
        # By hand: 10 @ 8.00 in QUAY; 10 @ 10.00 come into LOFT: 20 are worth 180.00, 9.00 each. QUAY: 80.00 → 90.00.
        def frame(amount: str, *rows: tuple[str, ...]) -> pl.DataFrame:
            names = ("item", "warehouse", amount, "value")
            return pl.DataFrame(rows, schema=dict.fromkeys(names, pl.String), orient="row")

        found = period(
            frame("on_hand", ("A", "QUAY", "10", "80")),
            frame("quantity", ("A", "LOFT", "10", "100")),
            frame("quantity"),
            frame("on_hand", ("A", "QUAY", "10", "90"), ("A", "LOFT", "10", "90")),
            ["item", "warehouse"],
        )
        revalued = {row["warehouse"]: row["revalued"] for row in found.iter_rows(named=True)}
        self.assertEqual(revalued, {"QUAY": 10, "LOFT": -10})


class Views(unittest.TestCase):
    def test_the_unit_is_shown_where_all_of_a_group_have_it(self) -> None:
        rows = pl.DataFrame({"category": ["A", "A", "B", "B"], "item": ["1", "2", "3", "4"], "unit": ["EA", "EA", "EA", "M"],
                             "description": ["a", "b", "c", "d"], "on_hand": [1, 2, 3, 4]})  # fmt: skip
        found = grouped(rows, ["category"], ["on_hand"])
        self.assertEqual(
            found.select("category", "on_hand", "unit", "places").rows(), [("A", 3, "EA", 2), ("B", 7, None, 2)]
        )


class Narrowing(unittest.TestCase):
    def test_only_what_must_hold_counts(self) -> None:
        cases = {
            "item is 'A'": ["A"],
            "item is one of ('A', 'B') and warehouse is 'LOFT'": ["A", "B"],
            "item is one of ('A', 'B') and item is 'B'": ["B"],
            "item is 'A' or warehouse is 'LOFT'": None,
            "not item is 'A'": None,
            "item begins with 'A'": None,
            "(item is 'A' and warehouse is 'X') and bin is 'Y'": ["A"],
        }
        for text, expected in cases.items():
            with self.subTest(text=text):
                self.assertEqual(only_values(text, "item"), expected)
