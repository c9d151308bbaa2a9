"""Flat sheets become headers, lines and lots."""

from __future__ import annotations

import unittest
from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.documents.families import families, flat_record, readable_records
from kotrel.core.documents.flat_sheets import Circumstances, Shaped, bad_rows_apart, shaped
from kotrel.core.rows.load_options import DocumentOptions
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.table import Column
from tests.builders import columns_of, rows_in_sheet
from tests.core.documents.shop import Shop, practice
from tests.core.documents.test_ledger_posting import line

SAID = {"account": "OPENING"}


def flat(record: str, *lines: Mapping[str, str | None]) -> Rows:
    return rows_in_sheet(readable_records(practice())[record], columns_of(lines))


def parts(
    rows: Rows, shop: Shop | None = None, standing: Sequence[tuple[str, str | None]] = (), **options: Any
) -> list[Shaped]:
    shop = shop or Shop()
    there = pl.DataFrame(list(standing), schema={"number": pl.String, "reverses": pl.String}, orient="row")
    about = Circumstances(practice(), SystemState(practice(), shop.read), DocumentOptions(**options), date(2026, 11, 26),
                          shop.sums, lambda record: there)  # fmt: skip
    return shaped(rows, about)


def texts(part: Shaped, *names: str) -> list[tuple[str | None, ...]]:
    return part.rows.values.select(names).rows()


class Shaping(unittest.TestCase):
    def test_one_document_for_each_warehouse_and_date_with_lines_counted_up(self) -> None:
        rows = flat(
            "opening_stock",
            {"item": "ROPE", "warehouse": "LOFT", "date": "2027-03-01", "quantity": "10", "lot": None},
            {"item": "PAINT", "warehouse": "LOFT", "date": "2027-03-01", "quantity": "5", "lot": "VM-1"},
            {"item": "ROPE", "warehouse": "QUAY", "date": "2027-03-01", "quantity": "7", "lot": None},
        )
        header, lines, lots = parts(rows, **SAID)
        self.assertEqual([each.rows.record.name for each in (header, lines, lots)],
                         ["opening_stock", "opening_stock_line", "opening_stock_lot"])  # fmt: skip
        self.assertEqual(
            texts(header, "number", "warehouse", "date", "account"),
            [
                ("LOFT-2027-03-01", "LOFT", "2027-03-01", "OPENING"),
                ("QUAY-2027-03-01", "QUAY", "2027-03-01", "OPENING"),
            ],
        )
        self.assertEqual(
            texts(lines, "document", "line", "item", "quantity"),
            [
                ("LOFT-2027-03-01", "1", "ROPE", "10"),
                ("LOFT-2027-03-01", "2", "PAINT", "5"),
                ("QUAY-2027-03-01", "1", "ROPE", "7"),
            ],
        )
        self.assertEqual(texts(lots, "document", "line", "part", "lot"), [("LOFT-2027-03-01", "2", "1", "VM-1")])
        self.assertEqual(lines.remarks[-1], "2 documents: LOFT-2027-03-01 (2 lines), QUAY-2027-03-01 (1 line)")

    def test_what_the_command_says_fills_what_the_sheet_leaves_blank(self) -> None:
        rows = flat("goods_receipt", {"item": "ROPE", "number": "GR-1", "warehouse": None, "quantity": "1"},
                    {"item": "ROPE", "number": "GR-1", "warehouse": "QUAY", "quantity": "2"})  # fmt: skip
        header, lines = parts(rows, warehouse="LOFT", date="2027-03-02")
        self.assertEqual(texts(header, "number", "date"), [("GR-1", "2027-03-02")])
        self.assertEqual(texts(lines, "warehouse", "line"), [("LOFT", "1"), ("QUAY", "2")])
        header, lines = parts(rows.only(pl.Series([True, False])), number="GR-9")
        self.assertEqual(texts(header, "number", "date"), [("GR-1", "2026-11-26")], "the sheet's own number counts")
        self.assertIn("posted on 2026-11-26, today", lines.remarks[0])

    def test_what_the_document_has_no_field_for_is_left_aside(self) -> None:
        rows = flat("purchase_order", {"item": "ROPE", "vendor": "KEL", "quantity": "1"})
        header, lines = parts(rows, number="PO-1", account="OPENING")
        self.assertEqual(texts(header, "number"), [("PO-1",)])
        self.assertFalse({"account"} & {*header.rows.values.columns, *lines.rows.values.columns})

    def test_a_number_that_was_taken_back_is_followed_by_the_next(self) -> None:
        rows = flat("goods_receipt", {"item": "ROPE", "warehouse": "QUAY", "date": "2027-03-01", "quantity": "1"})
        made = "QUAY-2027-03-01"
        cases: list[tuple[list[tuple[str, str | None]], str]] = [
            ([], made),
            ([(made, None)], made),
            ([(made, None), (f"{made}-R", made)], f"{made}-2"),
            ([(made, None), (f"{made}-R", made), (f"{made}-R-R", f"{made}-R")], made),
            ([(made, None), (f"{made}-R", made), (f"{made}-2", None)], f"{made}-2"),
        ]
        for standing, number in cases:
            with self.subTest(standing):
                self.assertEqual(texts(parts(rows, standing=standing)[0], "number"), [(number,)])

    def test_a_target_is_posted_under_the_next_number(self) -> None:
        rows = flat(
            "adjustment", {"item": "ROPE", "warehouse": "QUAY", "date": "2027-03-01", "quantity": "1", "unit": "M"}
        )
        header = parts(rows, standing=[("QUAY-2027-03-01", None)], as_target=True)[0]
        self.assertEqual(texts(header, "number"), [("QUAY-2027-03-01-2",)])

    def test_rows_without_a_quantity_are_left_out_and_said(self) -> None:
        rows = flat("goods_receipt", {"item": "ROPE", "number": "G", "quantity": None}, {"item": "ROPE", "number": "G", "quantity": "2"},
                    {"item": "RADIO", "number": "G", "quantity": None, "serial": "S-1"})  # fmt: skip
        _, lines, _ = parts(rows)
        self.assertEqual(texts(lines, "item", "quantity"), [("ROPE", "2"), ("RADIO", None)])
        [group] = [group for group in lines.rows.findings if group.kind == "no-quantity"]
        self.assertIn("it has no quantity", group.cells["message"][0])

    def test_a_sheet_with_headers_alone_and_other_records_stay_as_they_are(self) -> None:
        rows = flat("goods_receipt", {"number": "GR-1", "warehouse": "QUAY", "date": "2027-03-01", "remark": "late"})
        [header] = parts(rows)
        self.assertEqual((header.rows.record.name, header.rows.flat_of), ("goods_receipt", ""))
        units = flat("unit", {"code": "EA", "name": "each"})
        self.assertEqual([each.rows for each in parts(units)], [units])
        lines = flat("goods_receipt_line", {"document": "A", "item": "ROPE", "quantity": "1"}, {"document": "B", "item": "ROPE", "quantity": "1"},
                     {"document": "A", "item": "PAINT", "quantity": "1"})  # fmt: skip
        self.assertEqual(texts(parts(lines)[0], "document", "line"), [("A", "1"), ("B", "1"), ("A", "2")])

    def test_wanted_quantities_become_differences(self) -> None:
        shop = Shop()
        shop.post(
            "goods_receipt",
            "GR-1",
            line("10", "8.00"),
            line("4", "12.00", "PAINT", "L", lots=[{"lot": "A", "quantity": "4"}]),
        )
        rows = flat(
            "adjustment",
            {"item": "ROPE", "warehouse": "QUAY", "quantity": "7", "unit": "M", "lot": None},
            {"item": "PAINT", "warehouse": "QUAY", "quantity": "4", "unit": "L", "lot": "A"},
            {"item": "ROPE", "warehouse": "LOFT", "quantity": "1", "unit": "COIL", "lot": None},
        )
        _, lines = parts(rows, shop, as_target=True)
        self.assertEqual(texts(lines, "item", "warehouse", "quantity", "unit"),
                         [("ROPE", "QUAY", "-3.000", "M"), ("ROPE", "LOFT", "200.000", "M")])  # fmt: skip
        self.assertIn("1 row already on hand as wanted, and left out", lines.remarks)
        rows = flat("opening_stock", {"item": "ROPE", "warehouse": "QUAY", "quantity": "7", "unit": "M"})
        _, lines = parts(rows, shop, as_target=True)
        self.assertEqual([group.kind for group in lines.rows.findings], ["above-target"])

    def test_a_wanted_quantity_at_the_place_that_is_meant(self) -> None:
        shop = Shop()
        shop.post(
            "goods_receipt",
            "GR-1",
            line("10", "8.00", bin="A-1"),
            line("4", "12.00", "PAINT", "L", lots=[{"lot": "A", "quantity": "3"}, {"lot": "B", "quantity": "1"}]),
        )
        rows = flat(
            "adjustment",
            {"item": "ROPE", "warehouse": "QUAY", "quantity": "1", "unit": "BOX", "cost": "30", "lot": None},
            {"item": "PAINT", "warehouse": "QUAY", "quantity": "9", "unit": "L", "cost": None, "lot": None},
            {"item": "RADIO", "warehouse": "QUAY", "quantity": "2", "unit": "EA", "cost": "90", "lot": None},
        )
        _, lines, *_ = parts(rows, shop, as_target=True)
        # One box is 3 m, of which 10 are there; 30 for a box is 10 for a metre. Paint is in two lots: which is meant?
        self.assertEqual(
            texts(lines, "item", "quantity", "unit", "cost")[:1] + texts(lines, "item", "quantity", "unit", "cost")[2:],
            [("ROPE", "-7.000", "M", "10.0000"), ("RADIO", "2.000", "EA", "90.0000")],
        )
        self.assertEqual(lines.rows.values["bin"][0], "A-1")
        self.assertIn("the only place that holds the item is used (ROPE QUAY A-1)", " ".join(lines.remarks))
        [group] = [group for group in lines.rows.findings if group.kind == "which-place"]
        self.assertEqual(
            list(group.cells.select(ROW, "message").iter_rows()),
            [(3, "it is in PAINT QUAY A, PAINT QUAY B: write a row for each of them")],
        )

    def test_a_column_of_counted_quantities_is_asked_about(self) -> None:
        rows = flat("opening_stock", {"item": "ROPE", "warehouse": "QUAY", "quantity": "7", "unit": "M"})
        table = replace(rows.table, columns=(*rows.table.columns, Column("Z", "Counted")))
        kinds = []
        for given, options in (
            (replace(rows, table=table), {}),
            (replace(rows, table=table), {"as_target": True}),
            (rows, {}),
        ):
            found = {group.kind for part in parts(given, **options) for group in part.rows.findings}
            kinds.append("counted-quantities" in found)
        self.assertEqual(kinds, [True, False, False])

    def test_one_number_is_for_one_warehouse(self) -> None:
        lines = [{"item": "ROPE", "warehouse": where, "quantity": "7"} for where in ("QUAY", "LOFT", "QUAY")]
        for given, refused, numbers in (
            (lines, True, ["QUAY-2026-11-26", "LOFT-2026-11-26"]),
            (lines[::2], False, ["OS-7"]),
        ):
            header, body, *_ = parts(flat("opening_stock", *given), number="OS-7")
            found = {group.kind for part in (header, body) for group in part.rows.findings}
            self.assertEqual(("one-document" in found, [one for (one,) in texts(header, "number")]), (refused, numbers))

    def test_rows_with_errors_go_into_documents_of_their_own(self) -> None:
        family = next(each for each in families(practice()) if each.header.name == "opening_stock")
        rows = flat("opening_stock", *({"item": "ROPE", "warehouse": "QUAY", "quantity": "7"} for _ in range(5)))
        made = pl.DataFrame(
            {ROW: [2, 3, 4, 5, 6], "number": ["A", "A", "B", "B", "C"]}, schema_overrides={ROW: pl.UInt32}
        )
        apart = bad_rows_apart(rows, family, {3, 4, 5}, made)
        assert apart is not None
        numbers = apart.values["number"].to_list()
        self.assertEqual((numbers[0], numbers[2:]), ("A", ["B", "B", "C"]), "all of B are bad, and none of C")
        self.assertTrue(numbers[1].startswith("A") and numbers[1] != "A")
        self.assertIsNone(bad_rows_apart(rows, family, {4, 5}, made), "a document that is bad as a whole stays one")

    def test_a_flat_record_has_what_people_fill_in_of_all_three(self) -> None:
        record = flat_record(next(f for f in families(practice()) if f.header.name == "goods_receipt"))
        self.assertEqual(record.key, ("number", "item"))
        self.assertTrue({"vendor", "bin", "cost", "lot", "serial", "expires_on", "order"} <= set(record.fields))
        self.assertFalse({"document", "reverses"} & set(record.fields))
        self.assertEqual({record.fields[name].must for name in ("number", "lot", "quantity")}, {"may"})
