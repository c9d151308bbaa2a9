from __future__ import annotations

import unittest
from datetime import date
from decimal import Decimal

from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.documents.stock_rules import StockRules
from kotrel.core.stock.sums import LedgerQuery
from tests.core.documents.shop import Shop


def line(
    quantity: str, cost: str | None = None, item: str = "ROPE", unit: str = "M", **more: object
) -> dict[str, object]:
    given_cost = {} if cost is None else {"cost": cost}
    return {"item": item, "unit": unit, "quantity": quantity, **given_cost, **more}


class Values(unittest.TestCase):
    """Worked out by hand."""

    def test_what_comes_in_averages_and_what_goes_out_goes_at_the_average(self) -> None:
        shop = Shop()
        self.assertEqual(shop.post("goods_receipt", "GR-1", line("10", "8.00")), set())
        self.assertEqual(shop.post("goods_receipt", "GR-2", line("5", "9.50")), set())
        self.assertEqual(shop.on_hand(), (Decimal(15), Decimal("127.50")))
        self.assertEqual(shop.post("goods_issue", "GI-1", line("6")), set())
        # 6 @ 8.50 = 51.00 go out, 9 @ 8.50 = 76.50 are left.
        self.assertEqual(shop.on_hand(), (Decimal(9), Decimal("76.50")))
        back = shop.take_back("GR-2")
        self.assertEqual(dict(back.numbers), {"GR-2": "GR-2-R"})
        # 76.50 less 47.50; the average is 7.25 now.
        self.assertEqual(shop.on_hand(), (Decimal(4), Decimal("29.00")))

    def test_a_line_is_worth_what_was_entered(self) -> None:
        shop = Shop()
        # 3 boxes of 3 at 100.00 are 300.00, though a metre costs 33.3333…
        self.assertEqual(shop.post("goods_receipt", "GR-1", line("3", "100.00", unit="BOX")), set())
        self.assertEqual(shop.on_hand(), (Decimal(9), Decimal("300.00")))
        # One metre goes at the average of four decimals.
        self.assertEqual(shop.post("goods_issue", "GI-1", line("1")), set())
        self.assertEqual(shop.on_hand(), (Decimal(8), Decimal("266.6667")))

    def test_coils_are_metres_and_boxes_pieces(self) -> None:
        shop = Shop()
        self.assertEqual(
            shop.post("opening_stock", "O-1", line("2", "125.20", unit="COIL"), header={"account": "OPENING"}), set()
        )
        self.assertEqual(shop.on_hand(), (Decimal(400), Decimal("250.40")))

    def test_lots_of_a_line_add_up_to_its_value_to_the_last_digit(self) -> None:
        shop = Shop()
        thirds = [{"lot": f"L{n}", "quantity": "0.333"} for n in range(2)] + [{"lot": "L2", "quantity": "0.334"}]
        self.assertEqual(shop.post("goods_receipt", "GR-1", line("1", "0.0004", "PAINT", "L", lots=thirds)), set())
        # 0.333 and 0.333 are worth 0.0001 each, rounded; the last has what is left of 0.0004.
        self.assertEqual([row["value"] for row in shop.movements], ["0.0001", "0.0002", "0.0001"])

    def test_the_last_piece_takes_the_rest_of_the_value(self) -> None:
        shop = Shop()
        shop.post("goods_receipt", "GR-1", line("3", "0.33"))
        shop.post("goods_receipt", "GR-2", line("4", "0.34"))
        # 2.35 ÷ 7 = 0.3357 each; 6 go at 2.0142, the seventh at 0.3358.
        shop.post("goods_issue", "GI-1", line("6"))
        self.assertEqual(shop.on_hand(), (Decimal(1), Decimal("0.3358")))
        shop.post("goods_issue", "GI-2", line("1"))
        self.assertEqual(shop.on_hand(), (Decimal(0), Decimal(0)))

    def test_a_transfer_moves_the_value_with_the_goods(self) -> None:
        shop = Shop()
        shop.post("goods_receipt", "GR-1", line("10", "8.00", bin="Q-1"))
        self.assertEqual(
            shop.post(
                "transfer",
                "T-1",
                line("4", bin="Q-1", to_warehouse="LOFT", to_bin="L-1"),
                header={"to_warehouse": "LOFT"},
            ),
            set(),
        )
        places = {(row["warehouse"], row["bin"], row["quantity"], row["value"]) for row in shop.movements[1:]}
        self.assertEqual(places, {("QUAY", "Q-1", "-4.000000", "-32.0000"), ("LOFT", "L-1", "4.000000", "32.0000")})

    def test_a_revaluation_changes_the_value_alone(self) -> None:
        shop = Shop()
        shop.post("goods_receipt", "GR-1", line("4", "8.00"))
        self.assertEqual(shop.post("revaluation", "R-1", {"item": "ROPE", "cost": "10.00"}), set())
        self.assertEqual(shop.on_hand(), (Decimal(4), Decimal("40.00")))
        self.assertEqual(shop.post("revaluation", "R-2", {"item": "PAINT", "cost": "10.00"}), {"nothing-on-hand"})

    def test_an_adjustment_without_a_cost_goes_at_the_average_or_the_items_cost(self) -> None:
        shop = Shop()
        self.assertEqual(shop.post("adjustment", "A-1", line("2"), header={"account": "ADJUST"}), set())
        self.assertEqual(shop.on_hand(), (Decimal(2), Decimal("16.00")))
        shop.post("goods_receipt", "GR-1", line("2", "10.00"))
        shop.post("adjustment", "A-2", line("-1"), header={"account": "ADJUST"})
        self.assertEqual(shop.on_hand(), (Decimal(3), Decimal("27.00")))

    def test_orders_reserve_and_are_on_order_but_move_nothing(self) -> None:
        shop = Shop()
        self.assertEqual(shop.post("sales_order", "S-1", line("3", price="2.50", amount="7.50")), set())
        self.assertEqual(shop.post("purchase_order", "P-1", line("2", unit="COIL", price="2.50", amount="5.00")), set())
        self.assertEqual(shop.on_hand(), (Decimal(0), Decimal(0)))
        self.assertEqual(shop.sums(LedgerQuery(["item"], counts_as="reserved"))["quantity"].to_list(), ["3.000000"])
        self.assertEqual(shop.sums(LedgerQuery(["item"], counts_as="on order"))["quantity"].to_list(), ["400.000000"])


class TakingBack(unittest.TestCase):
    def test_nothing_left_is_worth_nothing(self) -> None:
        shop = Shop()
        shop.post("goods_receipt", "GR-1", line("10", "8.00"))
        shop.post("goods_receipt", "GR-2", line("5", "9.50"))
        shop.post("goods_issue", "GI-1", line("10"))
        # 5 @ 8.50 = 42.50 are left; the receipt brought 47.50. What is left, goes with it.
        back = shop.take_back("GR-2")
        self.assertEqual(shop.on_hand(), (Decimal(0), Decimal(0)))
        self.assertIn("-5", back.remarks[0])

    def test_what_has_moved_on_is_blocked_by(self) -> None:
        shop = Shop()
        shop.post("goods_receipt", "GR-1", line("1", "100", "RADIO", "EA", lots=[{"serial": "S-1", "quantity": "1"}]))
        shop.post("goods_issue", "GI-1", line("1", item="RADIO", unit="EA", lots=[{"serial": "S-1", "quantity": "1"}]))
        [way] = shop.take_back("GR-1").blocked_by
        self.assertEqual(way.key, "GR-1")
        self.assertIn("S-1 has moved", way.message)
        # Once the issue is taken back, nothing is.
        self.assertEqual(shop.take_back("GI-1").blocked_by, [])
        self.assertEqual(shop.take_back("GR-1").blocked_by, [])
        self.assertEqual(shop.on_hand("RADIO"), (Decimal(0), Decimal(0)))

    def test_a_value_below_zero_is_blocked_by(self) -> None:
        shop = Shop()
        shop.post("goods_receipt", "GR-1", line("1", "100.00"))
        shop.post("goods_receipt", "GR-2", line("10", "1.00"))
        shop.post("goods_issue", "GI-1", line("9"))
        # 2 worth 20.00 are left: without the one for 100.00, one would be worth less than nothing.
        [way] = shop.take_back("GR-1").blocked_by
        self.assertIn("value of -80", way.message)

    def test_a_closed_period_is_blocked_by(self) -> None:
        shop = Shop()
        shop.post("goods_receipt", "GR-1", line("1", "1.00"))
        shop.rules = StockRules(closed_until=date(2026, 12, 31))
        self.assertIn("closed period", shop.take_back("GR-1").blocked_by[0].message)
        self.assertEqual(shop.post("goods_receipt", "GR-2", line("1", "1.00")), {"closed-period"})

    def test_a_document_is_taken_back_once(self) -> None:
        shop = Shop()
        shop.post("goods_receipt", "GR-1", line("3", "1.00"))
        shop.take_back("GR-1")
        self.assertEqual(shop.take_back("GR-1").changes, [])
        self.assertEqual(shop.on_hand(), (Decimal(0), Decimal(0)))


class Laws(unittest.TestCase):
    """Whatever is posted: the ledger's sum is what is there, nothing is below zero,
    and nothing left is worth nothing.
    """

    steps = st.lists(
        st.one_of(
            st.tuples(st.just("in"), st.integers(1, 40), st.integers(1, 9999)),
            st.tuples(st.just("out"), st.integers(1, 60), st.just(0)),
            st.tuples(st.just("back"), st.integers(0, 9), st.just(0)),
        ),
        max_size=14,
    )

    @settings(max_examples=12)
    @given(steps)
    def test_stock_is_what_came_in_less_what_went_out(self, steps: list[tuple[str, int, int]]) -> None:
        shop = Shop()
        there = Decimal(0)
        # Documents are dated before the day on which they are taken back: until then what they moved counts.
        before = Decimal(0)
        posted: dict[str, Decimal] = {}
        for place, (what, amount, cents) in enumerate(steps):
            number = f"D-{place}"
            if what == "in":
                cost = Decimal(cents) / 100
                self.assertEqual(shop.post("goods_receipt", number, line(str(amount), f"{cost:.4f}")), set())
                there += amount
                before += amount
                posted[number] = Decimal(amount)
            elif what == "out":
                wrong = shop.post("goods_issue", number, line(str(amount)))
                self.assertEqual(wrong, {"below-zero"} if amount > min(there, before) else set())
                if not wrong:
                    there -= amount
                    before -= amount
                    posted[number] = Decimal(-amount)
            elif posted:
                number = list(posted)[amount % len(posted)]
                if not shop.take_back(number).blocked_by:
                    there -= posted.pop(number)
            quantity, value = shop.on_hand()
            self.assertEqual(quantity, there)
            self.assertGreaterEqual(quantity, 0)
            self.assertGreaterEqual(value, 0)
            if not quantity:
                self.assertEqual(value, 0)
