"""Amounts in the currency and with the decimals of their price list."""

import unittest

from kotrel.core.checking.list_currency import check_currency, check_list_decimals
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.tables.detection import find_table
from kotrel.core.values.conventions import Conventions
from tests.builders import system_of
from tests.support import TODAY, grid

SYSTEM = read_description("""
[record.price_list]
key = ["code"]
[record.price_list.field]
code = { kind = "code", must = "always" }
currency = { kind = "code" }
decimals = { kind = "quantity", decimals = 0 }
[record.price]
key = ["price_list", "item"]
[record.price.field]
price_list = { title = "List", kind = "reference", to = "price_list", must = "always" }
item = { kind = "code", must = "always" }
amount = { title = "Price", kind = "money", decimals = 4 }
currency = { kind = "code" }
[record.vendor]
key = ["code"]
[record.vendor.field]
code = { kind = "code", must = "always" }
currency = { kind = "code" }
limit = { kind = "money", decimals = 2 }
[record.item]
key = ["code"]
[record.item.field]
code = { kind = "code", must = "always" }
cost = { kind = "money", decimals = 2 }
""")
HELD = {
    "price_list": {
        "code": ["HOME", "USA", "NONE", "YEN"],
        "currency": ["EUR", "USD", None, "JPY"],
        "decimals": ["2", "1", None, "0"],
    },
    "vendor": {"code": ["V1", "V2"], "currency": ["USD", None]},
}


def told(check, record, *lines, currency="EUR"):
    """Rows and messages; ``currency`` is that of the workspace."""
    table = find_table(grid(*lines), heading_row=1)
    matched = match_headings(table, SYSTEM.records[record])
    rows = understand(table, matched, Conventions(currency=currency), TODAY)
    found = [*check(rows, system_of(SYSTEM, HELD)), *rows.findings]
    return {(row, message) for group in found for row, message in group.cells.select(ROW, "message").iter_rows()}


class Currencies(unittest.TestCase):
    def test_a_price_is_in_the_currency_of_its_list(self):
        lines = [("List", "Item", "Price"), ("HOME", "A", "€ 1"), ("HOME", "B", "$ 1"), ("USA", "C", "$1"), ("USA", "D", "1 EUR"), ("NONE", "E", "USD 1"),
                 ("NONE", "F", "€1"), ("USA", "G", "1"), ("OTHER", "H", "1 €")]  # fmt: skip
        wrong = {(3, "it is in $, and this row is in EUR: convert it"), (5, "it is in EUR, and this row is in USD: convert it"),
                 (6, "it is in USD, and this row is in EUR: convert it")}  # fmt: skip
        self.assertEqual(told(check_currency, "price", *lines), wrong, "a list that says nothing has the workspace's")
        self.assertEqual(told(check_currency, "price", *lines, currency=""), set())

    def test_the_row_itself_comes_first_and_a_heading_speaks_for_bare_numbers(self):
        lines = [
            ("List", "Item", "Price (USD)", "Currency"),
            ("HOME", "A", "1", "USD"),
            ("USA", "B", "1", "EUR"),
            ("USA", "C", "€ 1", ""),
            ("USA", "D", "", "EUR"),
        ]
        wrong = {
            (3, "it is in USD, and this row is in EUR: convert it"),
            (4, "it is in €, and this row is in USD: convert it"),
        }
        self.assertEqual(told(check_currency, "price", *lines), wrong)

    def test_a_row_that_the_system_has_keeps_its_currency(self):
        lines = [("Code", "Limit"), ("V1", "$ 5"), ("V2", "$ 5"), ("V3", "€ 5")]
        self.assertEqual(
            told(check_currency, "vendor", *lines), {(3, "it is in $, and this row is in EUR: convert it")}
        )

    def test_other_records_are_in_the_currency_of_the_workspace(self):
        self.assertEqual(told(check_currency, "item", ("Code", "Cost"), ("A", "$ 5"), ("B", "€ 5")),
                         {(2, "convert the amount, or set currency in kotrel.toml, under [sheets]")})  # fmt: skip


class Decimals(unittest.TestCase):
    def test_prices_finer_than_their_list(self):
        lines = [("List", "Item", "Price"), ("HOME", "A", "1.25"), ("HOME", "B", "1.250"), ("HOME", "C", "1.255"), ("USA", "D", "1.25"), ("NONE", "E", "1.2345"),
                 ("YEN", "F", "7"), ("YEN", "G", "7.5")]  # fmt: skip
        said = "the price list has {}, and a price is rounded to that when it is looked up"
        wrong = {(4, said.format("2 decimals")), (5, said.format("1 decimal")), (8, said.format("no decimals"))}
        self.assertEqual(told(check_list_decimals, "price", *lines), wrong)
        self.assertEqual(told(check_list_decimals, "item", ("Code", "Cost"), ("A", "5.12")), set())


if __name__ == "__main__":
    unittest.main()
