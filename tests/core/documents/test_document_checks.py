from __future__ import annotations

import unittest
from typing import Any
from unittest.mock import patch

from kotrel.core.description.description_reading import read_description
from kotrel.practice.installing import description_text
from tests.core.documents.shop import Shop

HEADER = {"account": "OPENING"}


def kinds(shop: Shop, *lines: dict[str, Any], kind: str = "opening_stock", **more: Any) -> set[tuple[str, str]]:
    done, _ = shop.check(kind, "D-1", *lines, **more)
    return {(group.severity, group.kind) for part in done.parts for group in part.findings}


def radio(quantity: str, *serials: str, **more: str) -> dict[str, Any]:
    lots = [{"serial": serial, "quantity": "1"} for serial in serials]
    return {
        "item": "RADIO",
        "unit": "EA",
        "quantity": quantity,
        "cost": "100.00",
        **more,
        **({"lots": lots} if lots else {}),
    }


def paint(quantity: str, *lots: tuple[str | None, str, str | None], **more: str) -> dict[str, Any]:
    parts = [{name: value for name, value in (("lot", lot), ("quantity", size), ("expires_on", expiry)) if value}
             for lot, size, expiry in lots]  # fmt: skip
    return {
        "item": "PAINT",
        "unit": "L",
        "quantity": quantity,
        "cost": "12.00",
        **more,
        **({"lots": parts} if parts else {}),
    }


class Checks(unittest.TestCase):
    """What is wrong, by decision tables."""

    def test_lines_without_a_field_for_their_cost(self) -> None:
        text = description_text()
        at = text.index("cost = {", text.index("[record.adjustment_line.field]"))
        without = read_description(text[:at] + text[text.index("\n", at) :])
        line = {"item": "ROPE", "unit": "M", "quantity": "10"}
        with patch("tests.core.documents.shop.practice", lambda: without):
            self.assertEqual(kinds(Shop(), line, kind="adjustment"), set())
        # Where there is one, it is held against the item's own, which is 8.
        found = kinds(Shop(), {**line, "cost": "800"}, kind="adjustment")
        self.assertEqual(found, {("warning", "cost-unlike")})

    def test_a_lot_or_serial_number_written_in_another_way_is_no_new_one(self) -> None:
        shop = Shop()
        self.assertEqual(shop.post("opening_stock", "OS-1", paint("3", ("L-1", "1", None), ("7-12", "2", None)), radio("1", "S-100"), header=HEADER), set())  # fmt: skip
        for line, wrong in (
            (paint("1", ("L-1", "1", None)), set()),
            (paint("1", ("l1", "1", None)), {"nearly-there"}),
            (paint("1", ("712", "1", None)), {"nearly-there"}),
            (paint("1", ("71-2", "1", None)), set()),
            (radio("1", "S100"), {"nearly-there"}),
            (paint("2", ("N1", "1", None), ("n-1", "1", None)), {"nearly-twice"}),
            (paint("2", ("N1", "1", None), ("N2", "1", None)), set()),
            (radio("2", "x 9", "X-9"), {"nearly-twice"}),
        ):
            with self.subTest(line["lots"]):
                found = kinds(shop, line, kind="goods_receipt")
                self.assertEqual({kind for severity, kind in found if severity == "error"}, wrong)
        self.assertEqual(kinds(shop, paint("1", ("l1", "1", None)), kind="goods_receipt", new_codes=("l1",)), set())
        gone = kinds(shop, {**paint("1", ("l1", "1", None)), "cost": ""}, kind="goods_issue")
        self.assertIn(("error", "nearly-there"), gone)

    def test_what_could_not_be_read_stops_no_other_check(self) -> None:
        rope = {"item": "ROPE", "unit": "M", "quantity": "10"}
        for day in ("31.02.2026", "2026-02-30", "-"):
            found = kinds(Shop(), rope, kind="goods_issue", header={"date": day, "customer": "C-1"})
            self.assertEqual(found, {("error", "below-zero")}, day)
        nobody = {name: value for name, value in radio("2", "S-1", "S-1").items() if name != "item"}
        self.assertNotIn(("error", "serial-twice"), kinds(Shop(), radio("1", "S-2"), nobody))

    def test_prices_of_orders_are_held_against_the_item(self) -> None:
        # A coil is 200 metres. The rope costs 8.00 a metre, and its price is 10.00.
        far, below, unlike = (("warning", kind) for kind in ("price-unlike", "below-cost", "cost-unlike"))
        coils = {"unit": "COIL", "quantity": "1"}
        for price, more, sold, bought in (
            ("8.50", {}, None, None),
            ("7.99", {}, below, None),
            ("40.00", {}, None, unlike),
            ("40.01", {}, far, unlike),
            ("2.49", {}, far, unlike),
            ("0.00", {}, None, None),
            ("", {}, None, None),
            ("1700.00", coils, None, None),
            ("1599.00", coils, below, None),
            ("10.00", coils, far, unlike),
        ):
            line = {"item": "ROPE", "unit": "M", "quantity": "10", "price": price, **more}
            note = {("note", "converted")} if more else set()
            for kind, partner, told in (
                ("sales_order", {"customer": "C-1"}, sold),
                ("purchase_order", {"vendor": "V-1"}, bought),
            ):
                with self.subTest(kind=kind, price=price):
                    self.assertEqual(kinds(Shop(), line, kind=kind, header=partner), note | ({told} if told else set()))

    def test_one_line(self) -> None:
        rope = {"item": "ROPE", "unit": "M", "quantity": "10", "cost": "8.00"}
        cases: list[tuple[dict[str, Any], set[tuple[str, str]]]] = [
            (rope, set()),
            ({**rope, "quantity": "2.555"}, {("error", "unit-decimals")}),
            ({**rope, "unit": "COIL", "quantity": "2", "cost": "1600.00"}, {("note", "converted")}),
            ({**rope, "cost": "10.00"}, set()),
            ({**rope, "cost": "10.01"}, {("warning", "cost-unlike")}),
            ({**rope, "cost": "5.99"}, {("warning", "cost-unlike")}),
            ({**rope, "cost": "0.00"}, {("warning", "cost-unlike"), ("warning", "zero")}),
            ({**rope, "item": "HIRE", "unit": "EA"}, {("error", "not-stocked")}),
            (radio("2", "S-1", "S-2"), set()),
            (radio("2"), {("error", "serial-needed")}),
            (radio("3", "S-1", "S-2"), {("error", "lots-differ")}),
            (radio("2", "S-1", "S-1"), {("error", "serial-twice")}),
            (radio("2.5", "S-1", "S-2"), {("error", "unit-decimals"), ("error", "lots-differ")}),
            ({**radio("2"), "lots": [{"serial": "S-1", "quantity": "2"}]}, {("error", "serial-not-one")}),
            (radio("2", "S-1, S-2", "S-3"), {("warning", "serial-not-one")}),
            (radio("2", "S, 1", "S-3/A"), set()),
            ({**rope, "lots": [{"lot": "L1", "quantity": "10"}]}, {("error", "lot-not-tracked")}),
            (paint("5", ("L1", "2.5", "2027-01-01"), ("L2", "2.5", None)), set()),
            (paint("5", ("L1", "5", "2026-11-19")), {("warning", "expired")}),
            (paint("5", ("L1", "5", "2026-11-20")), set()),
            (paint("5", ("L1", "3", None), (None, "2", None)), {("error", "lot-needed")}),
            (paint("5", (None, "5", "2027-01-01")), {("error", "lot-needed"), ("error", "expiry-alone")}),
            (paint("0"), set()),
        ]  # fmt: skip
        for given, expected in cases:
            with self.subTest(given=given):
                self.assertEqual(kinds(Shop(), given, header=HEADER), expected)

    def test_the_same_place_twice(self) -> None:
        rope = {"item": "ROPE", "unit": "M", "quantity": "1", "cost": "8.00", "bin": "Q-1"}
        self.assertEqual(kinds(Shop(), rope, rope, header=HEADER), {("error", "place-twice")})
        self.assertEqual(kinds(Shop(), rope, {**rope, "bin": "Q-2"}, header=HEADER), set())
        lots = [paint("1", ("L1", "1", None)), paint("1", ("L2", "1", None))]
        self.assertEqual(kinds(Shop(), *lots, header=HEADER), set())

    def test_what_is_there_already(self) -> None:
        shop = Shop()
        shop.post("opening_stock", "O-1", radio("1", "S-1"), header=HEADER)
        self.assertEqual(
            kinds(shop, radio("1", "S-1"), header=HEADER), {("error", "serial-in-stock"), ("warning", "adds-to-stock")}
        )
        self.assertEqual(kinds(shop, radio("1", "S-1"), kind="goods_issue"), set())
        rope = {"item": "ROPE", "unit": "M", "quantity": "12", "cost": "8.00"}
        shop.post("opening_stock", "O-2", rope, header=HEADER)
        done, _ = shop.check("opening_stock", "O-3", {**rope, "quantity": "40"}, header=HEADER)
        [group] = done.parts[1].findings
        self.assertEqual(group.cells["message"][0], "ROPE in QUAY: 12 on hand now, 40 added, 52 afterwards")

    def test_amounts_of_orders(self) -> None:
        good = {"item": "ROPE", "unit": "M", "quantity": "3", "price": "9.335", "amount": "28.01"}  # 28.005
        self.assertEqual(kinds(Shop(), good, kind="sales_order"), set())
        self.assertEqual(kinds(Shop(), {**good, "amount": "28.00"}, kind="sales_order"), {("error", "amount-differs")})

    def test_a_document_without_lines(self) -> None:
        self.assertEqual(kinds(Shop(), header=HEADER), {("error", "no-lines")})


class PostedAlready(unittest.TestCase):
    rope = {"item": "ROPE", "unit": "M", "quantity": "1", "cost": "8.00"}

    def test_the_same_number_is_never_posted_twice(self) -> None:
        shop = Shop()
        shop.post("goods_receipt", "D-1", self.rope)
        before = list(shop.movements)
        found = shop.post("goods_receipt", "D-1", {**self.rope, "quantity": "5"})
        self.assertTrue(found & {"already-posted", "posted-otherwise"}, found)
        self.assertEqual(shop.movements, before)

    def test_the_same_or_not_is_seen_in_every_line_and_lot(self) -> None:
        shop = Shop()
        self.assertEqual(
            shop.post("goods_receipt", "D-1", self.rope, paint("3", ("A", "1", None), ("B", "2", "2030-01-01"))), set()
        )
        self.assertEqual(shop.post("goods_receipt", "D-2", self.rope), set())
        cases = {
            "already-posted": [(self.rope, paint("3", ("A", "1", None), ("B", "2", "2030-01-01")))],
            "posted-otherwise": [
                (self.rope, paint("3", ("A", "2", None), ("B", "1", "2030-01-01"))),
                (self.rope, paint("3", ("A", "1", None), ("C", "2", "2030-01-01"))),
                (self.rope, paint("3", ("A", "1", None), ("B", "2", "2030-01-02"))),
                (self.rope, paint("3", ("A", "3", None))),
                (self.rope,),
                ({**self.rope, "remark": "late"}, paint("3", ("A", "1", None), ("B", "2", "2030-01-01"))),
                (self.rope, paint("3", ("A", "1", None), ("B", "2", "2030-01-01")), self.rope),
            ],
        }  # fmt: skip
        for kind, every in cases.items():
            for lines in every:
                with self.subTest(lines):
                    found = {k for s, k in kinds(shop, *lines, kind="goods_receipt") if s == "error"}
                    self.assertEqual(found & {"already-posted", "posted-otherwise"}, {kind})

    def test_one_refused_line_keeps_the_document_from_being_posted(self) -> None:
        shop = Shop()
        done, _ = shop.check("goods_receipt", "D-1", self.rope, {**self.rope, "item": "HIRE", "unit": "EA"})
        self.assertEqual(sum(rows.values.height for rows in done.movements), 0)
