"""New prices, from the rules to the load and back; the figures are worked out by hand from the shop's own."""

import openpyxl

from tests.support import Program

RULES = """
title = "Rope"
from_date = 2027-02-01
[[step]]
name = "rope"
where = "code is one of ('ROP-00010', 'ROP-00020')"
set = { SHOP = "SHOP + 4%", YARD = "SHOP - 12.5%" }
round = "up to 0.01"
[guards]
most_up = "12%"
not_above = ["YARD", "SHOP"]
"""


class Prices(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()
        (self.folder / "prices").mkdir(exist_ok=True)
        self.write("prices/rope.toml", *RULES.splitlines())

    def price(self, *words: str) -> str:
        return self.json("price", "ROP-00010", *words)["price"]

    def test_reprice_read_load_and_back(self):
        told = self.json("reprice", "rope", "-o", "rope.xlsx")
        # 0.60 × 1.04 = 0.624; 0.63 less 12.5 % = 0.55125; 0.70 × 1.04 = 0.728; 0.73 less 12.5 % = 0.63875.
        new = {(each["list"], each["item"]): each["new"] for each in told["prices"]}
        self.assertEqual(new["SHOP", "ROP-00010"], "0.63")
        self.assertEqual(new["YARD", "ROP-00010"], "0.56")
        self.assertEqual(new["SHOP", "ROP-00020"], "0.73")
        self.assertTrue((self.folder / "rope.png").read_bytes().startswith(b"\x89PNG"))
        self.assertTrue(self.json("check", "rope.xlsx")["ok"])
        self.kotrel("load", "rope.xlsx", "--yes")
        fleet = ("--customer", "C-1002")
        self.assertEqual(self.price(*fleet, "--on", "2027-01-31"), "0.53", "0.60 less 12.5 % is 0.525")
        self.assertEqual(self.price(*fleet, "--on", "2027-02-01"), "0.55", "0.63 less 12.5 % is 0.55125")
        self.assertEqual(
            self.price("--customer", "C-1001", "--on", "2027-02-01", "--unit", "COIL"), "112.00", "200 × 0.56"
        )
        self.write(
            "later.csv", "Price list,Item,Unit,From quantity,From date,Price", "SHOP,ROP-00010,M,0,2027-06-01,0.70"
        )
        [ended] = self.json("preview", "later.csv")["ends"]
        self.assertEqual((ended["record"], ended["until"], ended["because_of_row"]), ("price", "2027-05-31", 2))
        self.kotrel("load", "later.csv", "--yes")
        blocked = self.json("undo", "L0001", "--yes", status=1)
        self.assertIn("L0002", str(blocked["blocked_by"]), "the load that built on it is named")
        self.kotrel("undo", "L0002", "--yes")
        self.kotrel("undo", "L0001", "--yes")
        self.assertEqual(self.price(*fleet, "--on", "2027-02-01"), "0.53")

    def test_rules_that_are_loaded_are_not_calculated_on_top_of_themselves(self):
        self.json("reprice", "rope", "-o", "rope.xlsx")
        self.assertIn("prices by the rules rope, from 2027-02-01", self.kotrel("load", "rope.xlsx", "--yes").stdout)
        refused = self.kotrel("reprice", "rope", "-o", "again.xlsx", status=1).stderr
        self.assertIn("loaded already, as L0001", refused)
        self.assertFalse((self.folder / "again.xlsx").exists())
        # On top: 0.63 × 1.04 = 0.6552. YARD has 0.64 for the second before and after the first time: only three are new.
        told = self.json("reprice", "rope", "--again")
        self.assertEqual((told["loaded"], told["begun"]), (["L0001"], 3))
        self.assertIn(
            ("SHOP", "ROP-00010", "0.66"), {(each["list"], each["item"], each["new"]) for each in told["prices"]}
        )
        self.assertIn("come on top of that", self.kotrel("reprice", "rope", "--again").stdout)
        # 0.64, 0.56 as before, 0.74, and 0.65 for a price of an earlier day: two of the old ones begin that day.
        # Rules without a first day may be meant for every month; other rules for the same day are reported, too.
        self.write("prices/other.toml", *RULES.replace("+ 4%", "+ 1%").splitlines())
        told = self.json("reprice", "other")
        self.assertEqual((told["loaded"], told["begun"]), ([], 2))
        self.assertIn("2 old prices already set for 2027-02-01", self.kotrel("reprice", "other").stdout)
        self.kotrel("undo", "L0001", "--yes")
        told = self.json("reprice", "rope")
        self.assertEqual((told["loaded"], told["begun"]), ([], 0))

    def test_a_promotion_asks_what_follows_it_and_undo_takes_all_of_it_back(self):
        self.write("june.csv", "Price list,Item,Unit,From quantity,From date,To date,Price",
                   "SHOP,ROP-00010,M,0,2027-06-01,2027-06-30,0.50")  # fmt: skip
        fleet = ("--customer", "C-1002", "--on", "2027-07-01")
        [finding] = self.json("check", "june.csv", status=1)["findings"]
        self.assertEqual((finding["kind"], finding["cell"]), ("nothing-follows", "line 2, column 6"))
        said = self.kotrel("load", "june.csv", "--yes", status=1).stdout
        self.assertIn("check june.csv --resume", said)
        # FLEET is 12.5 % off SHOP: with nothing in force there, nothing can be taken off.
        before = self.price(*fleet)
        self.kotrel("load", "june.csv", "--no-resume", "--yes")
        self.assertNotEqual(self.price(*fleet), before)
        self.kotrel("undo", "L0001", "--yes")
        told = self.json("preview", "june.csv", "--resume")
        [again] = told["resumes"]
        self.assertEqual((again["from"], again["until"], again["because_of_row"]), ("2027-07-01", None, 2))
        self.assertIn("june.csv --resume", self.kotrel("preview", "june.csv", "--resume").stdout)
        self.kotrel("load", "june.csv", "--resume", "--yes")
        self.assertEqual(
            (self.price(*fleet), self.price(*fleet[:3], "2027-06-30")), (before, "0.44"), "0.50 less 12.5 %"
        )
        self.kotrel("undo", "L0003", "--yes")
        self.kotrel("export", "price", "-o", "prices.csv")
        self.assertNotIn("2027-06", (self.folder / "prices.csv").read_text("utf-8-sig"))
        # A mapping can say it for all its sheets.
        self.write("maps/june.toml", 'record = "price"', 'after_end = "resume"', *(
            f"[field.{name}]\ncolumn = '{title}'" for name, title in (
                ("price_list", "Price list"), ("item", "Item"), ("unit", "Unit"), ("from_quantity", "From quantity"),
                ("from_date", "From date"), ("to_date", "To date"), ("amount", "Price"))))  # fmt: skip
        self.assertEqual(len(self.json("preview", "june.csv", "--map", "june")["resumes"]), 1)

    def test_words_for_no_price_are_declared_and_counted(self):
        self.write("supplier.csv", "Article;Wholesale;Trade;From", "ROP-00010;0,50;0,65;2027-03-01", "ROP-00020;P.O.A.;0,95;2027-03-01",
                   "ROP-00030;poa;Replaced by ROP-00040;2027-03-01", "ROP-00040;1,10;ask;2027-03-01")  # fmt: skip
        mapping = ['record = "price"', '[field.price_list]\nrepeat = { YARD = "Wholesale", SHOP = "Trade" }', '[field.item]\ncolumn = "Article"',
                   '[field.from_date]\ncolumn = "From"', '[field.amount]\ncolumn = "{price_list}"']  # fmt: skip
        words = 'no_price = ["POA", "replaced by *"]'
        self.write("maps/supplier.toml", mapping[0], words, *mapping[1:])
        told = self.json("check", "supplier.csv", "--map", "supplier", status=1)
        self.assertEqual([(each["value"], each["kind"]) for each in told["findings"]], [("ask", "not-a-number")])
        self.assertIn("add it to no_price in the mapping", told["findings"][0]["message"])
        said = [said for each in told["files"] for said in each["remarks"] if "no price" in said]
        self.assertEqual(said, ["2 rows left out, no price: 2 × POA", "1 row left out, no price: 1 × replaced by *"])
        self.write("maps/supplier.toml", mapping[0], words.replace("]", ', "ask"]'), *mapping[1:])
        self.kotrel("load", "supplier.csv", "--map", "supplier", "--yes")
        yard = ("--customer", "C-1001", "--on", "2027-03-01")
        self.assertEqual(self.json("price", "ROP-00010", *yard)["price"], "0.50")
        # A price beside the word is a price.
        self.write("both.csv", "Article,Price list,Unit,Valid from,Price,Discount amount", "ROP-00050,SHOP,M,2027-03-01,0.70,POA",
                   "ROP-00060,SHOP,M,2027-03-01,POA,")  # fmt: skip
        self.write("maps/both.toml", 'record = "price"', words, *(f"[field.{name}]\ncolumn = '{title}'" for name, title in (
            ("item", "Article"), ("price_list", "Price list"), ("unit", "Unit"), ("from_date", "Valid from"), ("amount", "Price"),
            ("discount_amount", "Discount amount"))))  # fmt: skip
        told = self.json("check", "both.csv", "--map", "both")
        self.assertEqual((told["rows"], [r for f in told["files"] for r in f["remarks"] if "no price" in r]),
                         (1, ["1 row left out, no price: 2 × POA"]))  # fmt: skip
        # The same through an expression: what is no price there is none here.
        made = mapping[-1].replace('column = "{price_list}"', "make = 'number([{price_list}]) * 2'")
        self.write("maps/supplier.toml", mapping[0], words.replace("]", ', "ask"]'), *mapping[1:-1], made)
        # Rows that are there already keep their prices, and that is noted.
        kinds = {each["kind"] for each in self.json("check", "supplier.csv", "--map", "supplier")["findings"]}
        self.assertEqual(kinds, {"not-for-existing"})

    def test_new_prices_in_a_column_beside_those_of_an_export(self):
        self.kotrel("export", "item", "-o", "items.xlsx", "--fields", "code,description,cost,price")
        book = openpyxl.load_workbook(self.folder / "items.xlsx")
        sheet = book.worksheets[0]
        headings = {cell.value: cell.column for cell in sheet[1]}
        sheet.cell(1, sheet.max_column + 1).value = "New price"
        for row in range(2, sheet.max_row + 1):
            old = sheet.cell(row, headings["Standard price"]).value
            new = 9.99 if sheet.cell(row, headings["Item code"]).value == "ROP-00010" else old
            sheet.cell(row, sheet.max_column).value = new
        book.save(self.folder / "items.xlsx")
        self.write("maps/new.toml", 'record = "item"', 'skip = ["Description", "Cost", "Standard price"]',
                   '[field.code]\ncolumn = "Item code"', '[field.price]\ncolumn = "New price"')  # fmt: skip
        told = self.json("preview", "items.xlsx", "--map", "new")
        self.assertEqual((told["findings"], told["records"]["item"]["changed"]), ([], 1))

    def test_a_price_is_in_the_currency_of_its_list(self):
        self.write("lists.csv", "Code,Name,Currency,Decimals,For sale", "USA,American,USD,2,yes")
        book = openpyxl.Workbook()
        prices, items = book.active, book.create_sheet("Items")
        prices.title = "Prices"
        prices.append(["Price list", "Item", "Unit", "From date", "Price"])
        for place, (name, price, shown) in enumerate(
            (("USA", 1.5, "[$$-409]0.00"), ("USA", 1.5, "0.00 [$€-407]"), ("USA", 1.5, "0.00"), ("USA", "$ 1.60", "General"),
             ("SHOP", 1.5, "[$$-409]0.00"), ("SHOP", 1.5, "0.00 [$€-407]"), ("SHOP", "£1.60", "General"), ("SHOP", None, "[$$-409]0.00")), start=2,
        ):  # fmt: skip
            prices.append([name, f"ROP-000{place}0", "M", "2027-01-01", price])
            prices.cell(place, 5).number_format = shown
        items.append(["Item code", "Cost"])
        for place, shown in ((2, "$#,##0.00"), (3, "0.00"), (4, "[$EUR] 0.00")):
            items.append([f"ROP-000{place}0", 0.5])
            items.cell(place, 2).number_format = shown
        book.save(self.folder / "book.xlsx")

        def wrong(*words):
            told = self.json("check", *words, status=1)["findings"]
            return {
                (each["record"], each["cell"].rpartition("!")[2]) for each in told if each["kind"] == "other-currency"
            }

        expected = {("price", "E3"), ("price", "E6"), ("price", "E8"), ("item", "B2")}
        self.assertEqual(wrong("lists.csv", "book.xlsx"), expected, "the list is new in the same load")
        self.kotrel("load", "lists.csv", "--yes")
        self.assertEqual(wrong("book.xlsx"), expected)

    def test_a_list_in_dollars_is_worked_out_and_guarded_in_dollars(self):
        self.write("lists.csv", "Code,Name,Currency,Decimals,For sale", "USDEX,Export,USD,2,yes")
        self.kotrel("load", "lists.csv", "--yes")
        where = "where = \"code is 'ROP-00010'\""
        self.write("prices/fixed.toml", "[[step]]", where, 'set = { USDEX = "1.00" }')
        [said] = self.json("reprice", "fixed")["not_compared"]
        self.assertIn("in USD and costs in EUR, and there is no rate", said)
        self.write("prices/usd.toml", "from_date = 2027-02-01", "[[step]]", 'name = "export"', where,
                   'set = { USDEX = "SHOP", cost = "0.3333" }', 'round = "up to 0.05"')  # fmt: skip
        said = self.kotrel("reprice", "usd", status=2).stderr
        self.assertIn(
            "export: USDEX from SHOP: one amount is in EUR, the other in USD, and there is no rate of USD", said
        )
        settings = self.folder / "kotrel.toml"
        settings.write_text(settings.read_text("utf-8") + '\n[rates]\nUSD = "0.80"\n', "utf-8")
        told = self.json("reprice", "usd", "-o", "usd.xlsx")
        new = {each["list"]: each["new"] for each in told["prices"]}
        # 0.60 EUR is 0.75 USD; a cost is not rounded like a price.
        self.assertEqual((new, told["not_compared"]), ({"USDEX": "0.75", "cost": "0.3333"}, []))
        book = openpyxl.load_workbook(self.folder / "usd.xlsx")
        self.assertEqual(book.sheetnames, ["Kotrel first look", "USDEX", "Items"])
        headings = {cell.value: cell.column for cell in book["USDEX"][1]}
        # 0.3333 EUR is 0.416625 USD.
        self.assertAlmostEqual(book["USDEX"].cell(2, headings["Cost"]).value, 0.416625)
        book["USDEX"].cell(2, headings["Price"]).value = 0.40
        book.save(self.folder / "usd.xlsx")
        below = [
            each["message"]
            for each in self.json("check", "usd.xlsx", status=1)["findings"]
            if each["kind"] == "below-cost"
        ]
        self.assertEqual(below, ["0.40 USD is below the cost of 0.4166 USD"])
        # What is left of an earlier workbook is in nobody's way.
        (self.folder / "usd.xlsx").unlink()
        self.json("reprice", "usd", "-o", "usd.xlsx")

    def test_rounding_that_moves_a_price_too_far_is_told(self):
        self.write("prices/far.toml", "[[step]]", "where = \"code is one of ('ROP-00010', 'ROP-00020')\"",
                   'set = { SHOP = "SHOP + 4%" }', 'round = { SHOP = "ending 0.95" }', '[guards]\nmost_up = "40%"\nothers = "warning"')  # fmt: skip
        told = {each["item"]: each["remark"] for each in self.json("reprice", "far")["prices"]}
        # 0.624 becomes 0.95, 52 % more; 0.728 becomes 0.95, 30 % more.
        self.assertIn("rounding changes it from 0.62 to 0.95", told["ROP-00010"])
        self.assertNotIn("rounding", str(told["ROP-00020"]))
        self.write("prices/far.toml", "[[step]]", 'set = { cost = "cost + 1%" }', 'round = "up to 0.05"')
        self.assertIn("sets only the cost", self.kotrel("reprice", "far", status=2).stderr)

    def test_what_people_change_by_hand_is_guarded(self):
        self.kotrel("reprice", "rope", "-o", "rope.xlsx")
        book = openpyxl.load_workbook(self.folder / "rope.xlsx")
        shop = book["SHOP"]
        headings = {cell.value: cell.column for cell in shop[1]}
        rows = {shop.cell(row, headings["Item"]).value: row for row in range(2, shop.max_row + 1)}
        shop.cell(rows["ROP-00010"], headings["Price"]).value = 0.5
        shop.cell(rows["ROP-00020"], headings["Price"]).value = 0.9
        shop.cell(rows["ROP-00020"], headings["Old price"]).value = 0.69
        book.save(self.folder / "rope.xlsx")
        told = self.json("check", "rope.xlsx", status=1)["findings"]
        kinds = {(each["kind"], each["sheet"], each["value"]) for each in told}
        # 0.90 is 28.6 % above the 0.70 in force, not above the 0.69 that the sheet says; YARD's 0.56 is above 0.50.
        self.assertLessEqual(
            {("up-too-far", "SHOP", "0.9"), ("price-moved", "SHOP", "0.9"), ("above-other-list", "YARD", "0.56")}, kinds
        )
        self.assertFalse({kind for kind, _, _ in kinds} & {"unmatched-column", "sheet-not-read"})

    def test_workbooks_of_two_rules_in_one_load_have_their_own_guards(self):
        for name, most, group in (("wide", "50%", "ROPE-BRAID"), ("narrow", "5%", "CHAIN-LINK")):
            self.write(f"prices/{name}.toml", "from_date = 2027-02-01", '[[step]]\nname = "all"', f"where = \"category is '{group}'\"",
                       'set = { SHOP = "SHOP + 10%" }', f'[guards]\nmost_up = "{most}"\nothers = "warning"')  # fmt: skip
            self.json("reprice", name, "-o", f"{name}.xlsx")
        told = self.json("check", "wide.xlsx", "narrow.xlsx")["findings"]
        up = {each["file"] for each in told if each["kind"] == "up-too-far"}
        self.assertEqual(up, {"narrow.xlsx"})

    def test_prices_before_all_others_are_all_new(self):
        early = RULES.replace("2027-02-01", "2025-01-01").replace("SHOP + 4%", "price + 4%")
        self.write("prices/rope.toml", *early.splitlines())
        said = self.kotrel("reprice", "rope").stdout
        self.assertIn("0 prices changed · 4 new", said)

    def test_wrong_rules_are_told_at_their_place(self):
        for wrong, words in (
            (("SHOP + 4%", "SHOPP + 4%"), "Did you mean SHOP?"),
            (("up to 0.01", "up two 0.01"), "is no rounding rule"),
            (('"12%"', "12"), "must be a percentage"),
            (('"YARD", "SHOP"]', '"YARD", "SHIP"]'), "SHIP"),
        ):
            self.write("prices/rope.toml", *RULES.replace(*wrong).splitlines())
            self.assertIn(words, self.kotrel("reprice", "rope", status=2).stderr)
        self.assertIn("The price rules are: rope", self.kotrel("reprice", "rppe2", status=2).stderr)
        self.assertIn("Did you mean ROP-00010?", self.kotrel("price", "ROP-0001O", status=2).stderr)

    def test_prices_that_the_system_has_not_are_told(self):
        path = self.folder / "system.toml"
        text = path.read_text("utf-8").replace("[record.item_warehouse", "[record.depot")
        path.write_text(text + '\n[record.depot.store]\ntable = "item_warehouse"\n', "utf-8")
        self.assertEqual(self.price("--on", "2027-01-31"), "0.60")
        said = self.json("price", "ROP-00010", "--warehouse", "QUAY", status=2)["error"]
        self.assertEqual((said["kind"], said["message"]), ("no-prices", "the system has no prices of warehouses"))
