from __future__ import annotations

import unittest
from collections import Counter
from decimal import Decimal

from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.description.description_reading import read_description
from kotrel.core.errors import KotrelError
from kotrel.practice.installing import description_text
from tests.core.documents.shop import Shop
from tests.core.documents.test_ledger_posting import line


def open_now(shop: Shop, order: str, counts_as: str = "on order") -> dict[str, Decimal]:
    """Warehouse → what is open of an order there, added up by hand."""
    found: Counter[str] = Counter()
    for row in shop.movements:
        if row["counts_as"] == counts_as and row.get("order") == order:
            found[row["warehouse"]] += Decimal(row["quantity"])  # type: ignore[assignment]
    return {name: Decimal(number) for name, number in found.items()}


def warned(shop: Shop, kind: str, number: str, *lines: dict[str, object]) -> list[str]:
    """The messages of the warnings about orders that a document gets."""
    done, _ = shop.check(kind, number, *lines)  # type: ignore[arg-type]
    groups = [group for part in done.parts for group in part.findings if group.kind in ("not-open", "more-than-open")]
    return [message for group in groups for message in group.cells["message"]]


class Fulfilling(unittest.TestCase):
    def setUp(self) -> None:
        self.shop = Shop()
        ordered = (line("100", price="0.80"), line("2", unit="COIL", warehouse="LOFT", price="150.00"))
        self.assertEqual(self.shop.post("purchase_order", "PO-1", *ordered), set())
        self.assertEqual(open_now(self.shop, "PO-1"), {"QUAY": 100, "LOFT": 400})

    def test_its_own_warehouse_first_then_the_others_and_never_more_than_is_open(self) -> None:
        self.assertEqual(self.shop.post("goods_receipt", "GR-1", line("150", "0.80", order="PO-1")), set())
        # 100 were open at the QUAY; the other 50 are taken off the 400 for the LOFT.
        self.assertEqual(open_now(self.shop, "PO-1"), {"QUAY": 0, "LOFT": 350})
        self.assertEqual(
            warned(self.shop, "goods_receipt", "GR-2", line("351", "0.80", order="PO-1")),
            ["350 of ROPE are open there, and 351 come in: 350 are taken off the order"],
        )
        self.assertEqual(self.shop.post("goods_receipt", "GR-2", line("351", "0.80", order="PO-1")), set())
        self.assertEqual(open_now(self.shop, "PO-1"), {"QUAY": 0, "LOFT": 0})
        self.assertEqual(self.shop.on_hand(), (Decimal(501), Decimal("400.80")))
        self.assertEqual(
            warned(self.shop, "goods_receipt", "GR-3", line("1", "0.80", order="PO-1")),
            ["none of ROPE is open there: 1 comes in, and nothing is taken off the order"],
        )

    def test_a_line_without_an_order_takes_nothing_off(self) -> None:
        self.shop.post("goods_receipt", "GR-1", line("30", "0.80"), line("20", "0.80", bin="Q-1", order="PO-1"))
        self.assertEqual(open_now(self.shop, "PO-1"), {"QUAY": 80, "LOFT": 400})

    def test_taken_back_it_is_open_again_and_its_value_goes(self) -> None:
        self.shop.post("goods_receipt", "GR-1", line("3", "0.33", order="PO-1"))
        self.shop.post("goods_receipt", "GR-2", line("4", "0.34", order="PO-1"))
        self.shop.post("goods_issue", "GI-1", line("3"))
        # 2.35 less 3 at 0.3357 are 1.3429 for the last 4; GR-2 brought in 1.36 of it, and nothing is left of the item.
        back = self.shop.take_back("GR-2")
        self.assertEqual(len(back.remarks), 1)
        self.assertEqual(self.shop.on_hand(), (Decimal(0), Decimal(0)))
        self.assertEqual(open_now(self.shop, "PO-1"), {"QUAY": 97, "LOFT": 400})
        ordered = [row for row in self.shop.movements if row["counts_as"] == "on order"]
        self.assertEqual({Decimal(row["value"]) for row in ordered}, {Decimal(0)})

    def test_an_order_that_goods_came_in_for_is_not_taken_back(self) -> None:
        self.shop.post("goods_receipt", "GR-1", line("7", "0.80", order="PO-1"))
        (way,) = self.shop.take_back("PO-1").blocked_by
        self.assertEqual((way.key, way.message), ("PO-1", "7 of ROPE have come in for it since: take that back first"))
        self.assertEqual(self.shop.take_back("GR-1").blocked_by, [])
        self.assertEqual(self.shop.take_back("PO-1").blocked_by, [])
        self.assertEqual(open_now(self.shop, "PO-1"), {"QUAY": 0, "LOFT": 0})

    def test_what_goes_out_for_a_sales_order_is_no_longer_reserved(self) -> None:
        self.shop.post("goods_receipt", "GR-1", line("50", "0.80"))
        self.shop.post("sales_order", "SO-1", line("12"))
        self.assertEqual(open_now(self.shop, "SO-1", "reserved"), {"QUAY": 12})
        self.assertEqual(self.shop.post("goods_issue", "GI-1", line("5", order="SO-1")), set())
        self.assertEqual(open_now(self.shop, "SO-1", "reserved"), {"QUAY": 7})
        self.assertEqual(self.shop.on_hand()[0], 45)
        self.assertEqual(open_now(self.shop, "PO-1"), {"QUAY": 100, "LOFT": 400})

    @settings(max_examples=8)
    @given(st.lists(st.integers(1, 300), min_size=1, max_size=5), st.randoms(use_true_random=False))
    def test_what_is_open_is_what_was_ordered_less_what_came(self, came: list[int], order: object) -> None:
        self.setUp()
        for number, quantity in enumerate(came):
            self.shop.post("goods_receipt", f"GR-{number}", line(str(quantity), "0.80", order="PO-1"))
            self.assertEqual(sum(open_now(self.shop, "PO-1").values()), max(0, 500 - sum(came[: number + 1])))
        numbers = [f"GR-{number}" for number in range(len(came))]
        order.shuffle(numbers)  # type: ignore[attr-defined]
        for document in numbers:
            self.assertEqual(self.shop.take_back(document).blocked_by, [])
        self.assertEqual(open_now(self.shop, "PO-1"), {"QUAY": 100, "LOFT": 400})


class Described(unittest.TestCase):
    def test_what_a_line_fulfils_is_an_order_and_the_ledger_knows_of_it(self) -> None:
        text = description_text()
        wrong = {
            "to = \"purchase_order\", length = 30, fulfils": "to = \"opening_stock\", length = 30, fulfils",
            "order = { kind = \"code\", length = 30, meaning = \"Of what": "of_order = { kind = \"code\", length = 30, meaning = \"Of what",
        }  # fmt: skip
        for sound, broken in wrong.items():
            with self.subTest(broken):
                self.assertIn(sound, text)
                with self.assertRaisesRegex(KotrelError, "fulfils"):
                    read_description(text.replace(sound, broken))
