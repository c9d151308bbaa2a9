"""Prices that nobody means: below cost, a decimal point moved, a column sorted alone, a cell dragged down."""

import openpyxl

from tests.support import Program

ITEMS = """code,description,unit,category,cost,price
ZZA-00001,Lamp A,EA,ELECTRONICS,10.00,20.00
ZZA-00002,Lamp B,EA,ELECTRONICS,11.00,22.50
ZZA-00003,Lamp C,EA,ELECTRONICS,12.00,24.00
ZZA-00004,Lamp D,EA,ELECTRONICS,13.00,27.00
ZZA-00005,Lamp E,EA,ELECTRONICS,14.00,29.95
ZZA-00006,Lamp F,EA,ELECTRONICS,15.00,31.00
ZZA-00007,Lamp G,EA,ELECTRONICS,16.00,33.25""".splitlines()


class OddPrices(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()
        self.write("lamps.csv", *ITEMS)
        self.kotrel("load", "lamps.csv", "--as", "item", "--yes")

    def found(self, command, *words, status=0, kinds=("below-cost", "unlike-others", "column-moved", "counts-up")):
        told = self.json(command, *words, status=status)["findings"]
        return [(each["severity"], each["kind"], each["field"], each["row"]) for each in told if each["kind"] in kinds]

    def message(self, *words):
        return [each["message"] for each in self.json("check", *words)["findings"] if each["kind"] == "below-cost"]

    def test_a_price_below_cost_whoever_has_the_cost(self):
        self.write("a.csv", "code,cost,price", "ZZA-00001,10.00,9.99", "ZZA-00002,11.00,11.00", "ZZA-00003,12.00,0.00")
        self.assertEqual(self.found("check", "a.csv", "--as", "item"), [("warning", "below-cost", "price", 2)])
        # Only one of the two is in the sheet: the system has the other.
        self.write("b.csv", "code,price", "ZZA-00004,12.50", "ZZA-00005,14.50")
        self.assertEqual(self.message("b.csv", "--as", "item"), ["12.50 is below the cost of 13.00"])
        self.write("c.csv", "code,cost", "ZZA-00006,31.01", "ZZA-00007,30.00")
        self.assertEqual(self.message("c.csv", "--as", "item"), ["the price of 31.00 is below this cost"])

    def test_what_a_price_below_cost_is_can_be_set(self):
        self.write("a.csv", "code,price", "ZZA-00001,9.99")
        settings = self.folder / "kotrel.toml"
        before = settings.read_text("utf-8")
        settings.write_text(before + '\n[prices]\nbelow_cost = "error"\n', "utf-8")
        self.assertEqual(self.found("check", "a.csv", "--as", "item", status=1), [("error", "below-cost", "price", 2)])
        settings.write_text(before + '\n[prices]\nbelow_cost = "allowed"\n', "utf-8")
        self.assertEqual(self.found("check", "a.csv", "--as", "item"), [])

    def test_list_prices_are_held_against_the_cost_of_their_unit_and_currency(self):
        # A box of 12 lamps at 10.00 costs 120.00; at 1.25 USD for a euro, 150.00 USD.
        settings = self.folder / "kotrel.toml"
        settings.write_text(settings.read_text("utf-8") + '\n[rates]\nUSD = "0.80"\n', "utf-8")
        self.write("lists.csv", "code,name,currency,decimals", "EXPORT,Export,USD,2")
        self.kotrel("load", "lists.csv", "--as", "price_list", "--yes")
        self.write("units.csv", "item,unit,factor", "ZZA-00001,BOX,12")
        self.kotrel("load", "units.csv", "--as", "unit_conversion", "--yes")
        head = "price_list,item,unit,from_date,amount"
        self.write(
            "p.csv", head, "SHOP,ZZA-00001,BOX,2027-01-01,119.99", "SHOP,ZZA-00001,EA,2027-01-01,10.00",
            "EXPORT,ZZA-00001,BOX,2027-01-01,149.00", "EXPORT,ZZA-00001,EA,2027-01-01,12.50",
        )  # fmt: skip
        self.assertEqual(
            self.message("p.csv", "--as", "price"),
            ["119.99 is below the cost of 120.00", "149.00 USD is below the cost of 150.00 USD"],
        )

    def test_a_decimal_point_that_moved_shows_against_what_was(self):
        self.write(
            "p.csv", "code,price", "ZZA-00001,20.80", "ZZA-00002,23.40", "ZZA-00003,249.60", "ZZA-00004,28.08",
            "ZZA-00005,31.15", "ZZA-00006,62.00", "ZZA-00007,33.25",
        )  # fmt: skip
        found = self.json("preview", "p.csv", "--as", "item")["findings"]
        told = {each["row"]: each["message"] for each in found if each["kind"] == "unlike-others"}
        self.assertEqual(told[4], "it was 24.00: a decimal point moved?")
        self.assertIn("it was 31.00: a change of 100.0 %, where its group has about 4.0 %", told[7])
        self.assertEqual(sorted(told), [4, 7])

    def test_a_column_that_was_sorted_alone(self):
        self.kotrel(
            "export",
            "item",
            "-o",
            "e.xlsx",
            "--fields",
            "code,cost,price",
            "--where",
            "code >= 'ZZA-00001' and code <= 'ZZA-00007'",
        )
        book = openpyxl.load_workbook(self.folder / "e.xlsx")
        sheet = book.worksheets[0]
        prices = [sheet.cell(row, 3).value for row in range(2, 9)]
        for row, price in zip(range(2, 9), reversed(prices), strict=True):
            sheet.cell(row, 3).value = price
        book.save(self.folder / "e.xlsx")
        # The fourth of seven stays where it is.
        rows = [2, 3, 4, 6, 7, 8]
        self.assertEqual(
            self.found("check", "e.xlsx", status=1, kinds=("column-moved",)),
            [("error", "column-moved", "price", row) for row in rows],
        )
        self.assertIn("--since none", self.kotrel("load", "e.xlsx", "--yes", status=1).stdout)
        told = self.found("preview", "e.xlsx", "--since", "none", kinds=("column-moved",))
        self.assertEqual(told, [("warning", "column-moved", "price", row) for row in rows])

    def test_a_cell_dragged_down_counts_up(self):
        head = "price_list,item,unit,from_date,amount"
        lines = [f"SHOP,ZZA-0000{n},EA,2027-01-0{n},{19 + n}.50" for n in range(1, 8)]
        self.write("p.csv", head, *lines)
        told = self.found("check", "p.csv", "--as", "price", kinds=("counts-up",))
        self.assertEqual(
            {(field, row) for _, _, field, row in told},
            {(field, row) for field in ("from_date", "amount") for row in range(3, 9)},
        )
        # A blank line between, a step of its own, and quantities from which prices hold are no series.
        self.write("q.csv", head, *lines[:3], "", *[each.replace("2027-01-0", "2027-02-1") for each in lines[3:6]])
        self.assertEqual(self.found("check", "q.csv", "--as", "price", kinds=("counts-up",)), [])
        breaks = [f"SHOP,ZZA-00001,EA,{n},2027-01-01,{40 - n}.00" for n in range(1, 9)]
        self.write("r.csv", "price_list,item,unit,from_quantity,from_date,amount", *breaks)
        self.assertEqual(self.found("check", "r.csv", "--as", "price", kinds=("counts-up",)), [])
