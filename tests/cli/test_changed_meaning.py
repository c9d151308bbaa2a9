"""Changes after which figures elsewhere say something else."""

from tests.support import Program

ITEMS = """code,description,unit,category
ZZA-00001,Lamp A,EA,ELECTRONICS
ZZA-00002,Lamp B,EA,ELECTRONICS""".splitlines()


class ChangedMeaning(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()
        self.write("lamps.csv", *ITEMS)
        self.kotrel("load", "lamps.csv", "--as", "item", "--yes")
        # Only the first is in stock.
        self.write("stock.csv", "Item,Warehouse,Quantity,Unit,Cost", "ZZA-00001,QUAY,1250,EA,2.00")
        self.kotrel("load", "stock.csv", "--as", "opening_stock", "--yes")

    def said(self, record, *lines):
        self.write("change.csv", *lines)
        found = self.json("preview", "change.csv", "--as", record)["findings"]
        kinds = ("another-meaning", "wrong-way-round")
        return [(each["row"], each["field"], each["message"]) for each in found if each["kind"] in kinds]

    def test_an_item_in_stock_with_another_unit_tracking_or_kind(self):
        # The second has no stock, and may become anything.
        unit = self.said("item", "code,unit", "ZZA-00001,PAIR", "ZZA-00002,PAIR")
        self.assertEqual(
            unit, [(2, "unit", "1,250 EA on hand would count as PAIR: right only where both are the same")]
        )
        flags = self.said(
            "item", "code,lot_tracked,archived,kind", "ZZA-00001,yes,yes,service", "ZZA-00002,yes,yes,kit"
        )
        self.assertCountEqual(
            flags,
            [
                (2, "kind", "1,250 EA on hand, and a service has no stock"),
                (2, "lot_tracked", "1,250 EA on hand have no lot"),
                (2, "archived", "1,250 EA on hand: no document moves the stock of an archived item"),
            ],
        )
        self.assertEqual(self.said("item", "code,unit,archived", "ZZA-00001,EA,no"), [], "as it is")

    def test_an_item_that_orders_and_kits_still_need(self):
        self.write("kit.csv", "parent,component,quantity,unit", "ZZA-00001,ZZA-00002,2,EA", "KIT-00010,ZZA-00002,1,EA")
        self.kotrel("load", "kit.csv", "--as", "kit_line", "--yes")
        self.write("po.csv", "Number,Warehouse,Vendor,Date,Item,Quantity,Unit,Price", "P-1,QUAY,KELDRIFT,2026-12-01,ZZA-00002,30,EA,2.00")  # fmt: skip
        self.kotrel("load", "po.csv", "--as", "purchase_order", "--yes")
        self.write("change.csv", "code,archived", "ZZA-00002,yes")
        found = self.json("preview", "change.csv", "--as", "item")["findings"]
        self.assertEqual(
            [(each["kind"], each["message"]) for each in found],
            [("still-used", "still used: 30 on order; a part of KIT-00010, ZZA-00001")],
        )

    def test_a_price_list_with_another_currency(self):
        self.write("list.csv", "code,name,currency,decimals", "FAIR,Boat fair,EUR,2")
        self.kotrel("load", "list.csv", "--as", "price_list", "--yes")
        self.assertEqual(self.said("price_list", "code,currency", "FAIR,USD"), [], "no price yet")
        self.write("p.csv", "price_list,item,unit,from_date,amount", "FAIR,ZZA-00001,EA,2027-01-01,5.00")
        self.kotrel("load", "p.csv", "--as", "price", "--yes")
        self.assertEqual(
            self.said("price_list", "code,currency", "FAIR,USD"),
            [(2, "currency", "1 price of this list is in EUR, and would count as USD")],
        )

    def test_a_factor_the_wrong_way_round(self):
        # In the shop, a coil is 200 metres of every rope.
        new = self.said("unit_conversion", "item,unit,factor", "ZZA-00001,COIL,0.005", "ZZA-00002,COIL,150")
        self.assertEqual([(row, field) for row, field, _ in new], [(2, "factor")])
        self.assertRegex(new[0][2], r"^for \d+ other items one COIL is 200: the other way round\?$")
        self.write("c.csv", "item,unit,factor", "ZZA-00001,SET,8")
        self.kotrel("load", "c.csv", "--as", "unit_conversion", "--yes")
        self.assertEqual(
            self.said("unit_conversion", "item,unit,factor", "ZZA-00001,SET,0.125"),
            [(2, "factor", "it was 8: the other way round?")],
        )
