"""What headings and saved mappings say of a sheet, and that nothing which counts is left out."""

from tests.support import Program, workbook_of


class HeadingsAndMappings(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()

    def test_columns_for_each_row_of_a_list_are_another_records(self):
        for heading, record in (("SHOP,YARD", "price"), ("Quay Min,Loft Min", "item_warehouse"), ("SHOP,Shade", None)):
            self.write("a.csv", f"Item code,Cost,{heading}", "ROP-00010,0.40,1,2")
            told = [
                each["message"] for each in self.json("check", "a.csv")["findings"] if each["kind"] == "laid-out-wide"
            ]
            self.assertEqual([f"the record {record} reads them" in each for each in told], [True] if record else [])
        # Read by a mapping for that record, or skipped, they are not left out.
        self.write("a.csv", "Item code,Cost,SHOP,YARD", "ROP-00010,0.40,1,2")
        self.kotrel("map", "a.csv", "price", "--yes")
        done = self.json("preview", "a.csv", status=1)
        self.assertEqual({each["kind"] for each in done["findings"]}, {"later-stands", "unknown-heading"})
        self.assertEqual(done["records"]["price"]["refused"], 2)

    def test_a_column_of_units_is_never_merely_left_out(self):
        # ROP-00010 is in metres; 1 coil is 200 of them.
        price = ("Item,Price list,From date,Price", "ROP-00010,SHOP,2030-01-01,1.20")
        stock = ("Item,Warehouse,Quantity,Unit cost", "ROP-00010,QUAY,2,80")
        for unit in ("Einheit", "Unité", "U/M", "Sales unit", "Pack", "Gebinde"):
            self.write("p.csv", f"{price[0]},{unit}", f"{price[1]},COIL")
            self.assertEqual(self.errors("p.csv", "--as", "price"), ["unread-limit 0"], unit)
        self.write("s.csv", f"{stock[0]},Pack", f"{stock[1]},Coil")
        self.assertEqual(self.errors("s.csv", "--as", "opening_stock"), ["unread-limit 0"])
        self.json("count", "freeze", "u", "--where", "item is 'ROP-00010'", "--stopped")
        self.write("c.csv", "Item,Warehouse,Bin,Counted,Pack", "ROP-00010,TENDER,T-01-A,2,COIL")
        done = self.json("count", "collect", "u", "c.csv", status=1)["files"][0]
        self.assertEqual([each["kind"] for each in done["findings"] if each["severity"] == "error"], ["unread-limit"])
        # One that says the rows' own unit, or holds other words, changes nothing.
        for head, held in (("Pack", "M"), ("Pack", "reel"), ("Colour", "M")):
            self.write("p.csv", f"{price[0]},{head}", f"{price[1]},{held}")
            self.assertEqual(self.errors("p.csv", "--as", "price"), [], held)

    def test_what_limits_a_price_is_never_merely_left_out(self):
        # SHOP is in euros.
        for heading, held, kind in (
            ("Ende", "2030-06-30", "unread-limit 0"), ("Date de fin", "30.06.2030", "unread-limit 0"), ("Offer ends", "2030-06-30", "unread-limit 0"),
            ("Preis pro", "100", "unread-limit 0"), ("Price qty", "100", "unread-limit 0"), ("Valuta", "USD", "other-currency 2"),
            ("Currency code", "USD", "other-currency 2"), ("C", "$", "other-currency 2"),
        ):  # fmt: skip
            self.write("p.csv", f"Item,Price list,From date,Price,{heading}", f"ROP-00010,SHOP,2030-01-01,1.20,{held}")
            self.assertEqual(self.errors("p.csv", "--as", "price"), [kind], heading)
        for heading, held in (("Valuta", "EUR"), ("C", "€"), ("Last changed", "2030-06-30"), ("Qty per pack", "100")):
            self.write("p.csv", f"Item,Price list,From date,Price,{heading}", f"ROP-00010,SHOP,2030-01-01,1.20,{held}")
            self.assertEqual(self.errors("p.csv", "--as", "price"), [], heading)
        # Items have amounts in the workspace's currency, and a sheet may hold several.
        self.write("i.csv", "Item code,Cost,Moneda", "ROP-00010,0.40,EUR", "ROP-00020,0.40,USD", "ROP-00030,0.40,")
        self.assertEqual(self.errors("i.csv"), ["other-currency 3"])

    def test_which_of_two_counts_is_the_count(self):
        self.json("count", "freeze", "c", "--where", "item begins with 'FST-000'", "--stopped")
        head, lines = "Item,Bin,Counted", ("FST-00020,Q-04-D,10", "FST-00030,Q-04-D,7")
        for again in ("Recount", "Final count", "Count 2", "Kontrollzählung"):
            self.write("two.csv", f"{head},{again}", f"{lines[0]},12", f"{lines[1]},")
            done = self.json("count", "collect", "c", "two.csv", status=1)["files"][0]
            self.assertEqual([each["kind"] for each in done["findings"]], ["unread-limit"], again)
        # Initials are no figures, and a column without any says nothing.
        self.write("marked.csv", f"{head},Checked,Recount", f"{lines[0]},OM,", f"{lines[1]},,")
        self.assertEqual(self.json("count", "collect", "c", "marked.csv")["files"][0]["lines"], 2)
        self.write("maps/m.toml", 'record = "count"', '[field.item]\ncolumn = "Item"', '[field.bin]\ncolumn = "Bin"',
                   '[field.counted]\nmake = "if [Recount] is blank then [Counted] else [Recount]"')  # fmt: skip
        self.write("two.csv", f"{head},Recount", f"{lines[0]},12", f"{lines[1]},")
        self.json("count", "collect", "c", "two.csv", "--map", "m", "--corrected")
        counted = {each["item"]: each["counted"] for each in self.json("count", "variance", "c", "--all")["lines"]}
        self.assertEqual((counted["FST-00020"], counted["FST-00030"]), ("12", "7"))

    def test_a_heading_that_names_a_unit_is_never_left_as_it_is(self):
        def errors(heading: str, record: str, *more: str, item: str = "ROP-00010") -> list[str]:
            self.write("h.csv", f"Item,Warehouse,Bin,{heading},Cost", f"{item},QUAY,Q-05-C,4,0.39")
            return self.errors("h.csv", "--as", record, *more)

        for heading in (
            "Quantity (COIL)",
            "Qty [coils]",
            "Quantity (in Coil)",
            "Quantity (per BOX)",
            "Qty (pallets)",
            "Qty [Rollen]",
        ):
            self.assertEqual(errors(heading, "opening_stock"), ["heading-says 0"], heading)
        for heading in ("Quantity (M)", "Quantity (metres)", "Quantity (LOFT)", "Quantity", "Qty (pieces)"):
            self.assertEqual(errors(heading, "opening_stock"), [], heading)
        # The next step leads to the answer: the rows are in that unit, and the mapping says so.
        errors("Quantity (COIL)", "opening_stock")
        told = self.kotrel("check", "h.csv", "--as", "opening_stock", status=1).stdout
        self.assertIn("kotrel map h.csv opening_stock    asks what its heading says", told)
        asked = self.json("map", "h.csv", "opening_stock", "--name", "coils")["questions"]
        self.assertEqual(asked, ["are the figures in COIL, as the heading “Quantity (COIL)” says? (fixed)"])
        self.assertEqual(self.json("preview", "h.csv", "--map", "coils")["totals"]["quantity"], "800")
        (self.folder / "maps" / "coils.toml").unlink()
        # Of a count sheet, and of what is in the base unit of its item.
        self.json("count", "freeze", "c", "--where", "item is 'ROP-00010'", "--stopped")
        self.write("c.csv", "Item,Warehouse,Counted (COIL)", "ROP-00010,LOFT,2")
        self.json("count", "collect", "c", "c.csv", status=1)
        self.write("l.csv", "Item,Warehouse,Minimum (BOX)", "FST-00020,QUAY,2")
        self.assertEqual(self.errors("l.csv"), ["heading-says 0"])

    def test_which_of_two_mappings_reads_a_sheet(self):
        column = '[field.{}]\ncolumn = "{}"'
        for name, vendor in (("brannoch", "BRANNOCH"), ("keldrift", "KELDRIFT")):
            self.write(f"maps/{name}.toml", 'record = "item"', column.format("code", "Art"), column.format("note", "Say"),
                       f'[field.vendor]\nfixed = "{vendor}"')  # fmt: skip
        for file in ("list.csv", "keldrift.csv", "my list.csv"):
            self.write(file, "Art,Say,Our", "ROP-00010,new,1")
        told = self.kotrel("check", "list.csv", status=2).stderr
        self.assertIn("fit 2 saved mappings: brannoch and keldrift", told)
        self.assertIn("--map brannoch or --map keldrift", told)
        # The one that is called like the file was made for it; the one that needs more headings says more.
        self.assertIn("mapping keldrift", self.kotrel("check", "keldrift.csv").stdout)
        told = self.kotrel("map", "my list.csv", "item", "--name", "more").stdout
        self.assertIn('Next: kotrel check "my list.csv" --map more', told)
        (self.folder / "maps" / "more.toml").write_text(
            (self.folder / "maps" / "keldrift.toml").read_text() + column.format("price", "Our")
        )
        self.assertIn("mapping more", self.kotrel("check", "list.csv").stdout)
        # Two that say the same are one answer.
        (self.folder / "maps" / "more.toml").unlink()
        (self.folder / "maps" / "brannoch.toml").write_text((self.folder / "maps" / "keldrift.toml").read_text())
        self.kotrel("check", "list.csv")

    def test_next_months_sheet_with_another_heading_is_asked_about(self):
        self.write("maps/kel.toml", 'record = "item"', 'skip = ["Pack", "Unit"]', '[field.code]', 'column = "Art. no."',
                   '[field.cost]', 'column = "Price 2026"')  # fmt: skip
        self.write("feb.csv", "Art. no.,Unit,Price 2027,Pack", "ROP-00010,M,0.39,1")
        refused = self.kotrel("check", "feb.csv", status=2).stderr
        self.assertIn("mapping kel almost fits, but there is no column “Price 2026” (now “Price 2027”?)", refused)
        # Nothing says whose sheet it is where all headings differ, or nothing of it is there but what it skips.
        self.write("other.csv", "Item code,Unit,Cost,Pack", "ROP-00010,M,0.39,1")
        self.assertTrue(self.json("check", "other.csv")["ok"])

    def test_a_column_for_each_warehouse_is_no_lot(self):
        self.write("wide.csv", "Item,QUAY,LOFT,Unit cost", "FST-00020,50,10,1.16", "FST-00030,,4,1.16")
        told = self.kotrel("check", "wide.csv", "--as", "opening_stock", status=1).stdout.partition("Next: ")[2]
        # What finds the quantities comes before an option that would put all of them into one warehouse.
        self.assertTrue(told.startswith("kotrel map wide.csv opening_stock"), told)
        self.json("map", "wide.csv", "opening_stock")
        done = self.json("preview", "wide.csv", "--map", "wide", "--date", "2026-11-30")
        posted = {each["warehouse"]: each["quantity"] for each in done["totals"]["posts"]}
        self.assertEqual(posted, {"QUAY": "50", "LOFT": "14"})

    def test_a_heading_that_says_from_which_quantity_on_makes_no_plain_price(self):
        head, row = "Item,Price list,From date", "ROP-00010,SHOP,2030-01-01"
        self.write("one.csv", f"{head},Price (from 10)", f"{row},1.10")
        self.assertEqual(self.errors("one.csv", "--as", "price"), ["heading-says 0"])
        for more in ("Price 10+", "from 10 pcs", "10 or more"):
            self.write("two.csv", f"{head},Price,{more}", f"{row},1.20,1.10")
            self.assertEqual(self.errors("two.csv", "--as", "price"), ["unread-limit 0"], more)
        for more, kinds in (("10,100", ["unread-limit 0"] * 2), ("2025,2026", [])):
            self.write("bare.csv", f"{head},Price,{more}", f"{row},1.20,1.10,1.00")
            self.assertEqual(self.errors("bare.csv", "--as", "price"), kinds, more)
        self.write("pairs.csv", f"{head},Qty 1,Price 1,Qty 2,Price 2", f"{row},1,1.20,10,1.10")
        self.json("map", "pairs.csv", "price")
        self.assertEqual(self.json("preview", "pairs.csv")["records"]["price"]["new"], 2)
        self.write("breaks.csv", f"{head},Price,10 - 99 pcs,Price 100+", f"{row},1.20,1.10,0.95")
        self.json("map", "breaks.csv", "price")
        self.json("load", "breaks.csv", "--map", "breaks", "--yes")
        on = ("--on", "2030-02-01", "--customer", "C-1004")
        for quantity, amount in (("1", "1.20"), ("9.5", "1.20"), ("10", "1.10"), ("99", "1.10"), ("100", "0.95")):
            self.assertEqual(self.json("price", "ROP-00010", "--quantity", quantity, *on)["price"], amount, quantity)

    def test_a_column_that_says_another_currency_speaks_for_its_rows(self):
        self.write("a.csv", "Item code,Cost,Currency", "ROP-00010,1.20,EUR", "ROP-00020,1.20,USD")
        self.assertEqual(self.errors("a.csv"), ["other-currency 3"])

    def test_a_mapping_for_one_sheet_reads_no_other(self):
        self.write(
            "maps/e.toml",
            'record = "item"\nsheet = "EUR"',
            '[field.code]\ncolumn = "Art"',
            '[field.cost]\ncolumn = "Net"',
        )
        workbook_of(
            self.folder / "two.xlsx",
            {"EUR": [("Art", "Net"), ("ROP-00010", 1.5)], "USD": [("Art", "Net"), ("ROP-00020", 2.5)]},
        )
        done = self.json("preview", "two.xlsx")
        self.assertEqual([each["key"] for each in done["changes"]], ["ROP-00010"])
        self.assertIn("sheet-not-read", {each["kind"] for each in done["findings"]})

    def test_a_column_that_limits_the_rows_is_never_left_out_in_silence(self):
        self.write("p.csv", "Item,Price list,Unit,Valid from,Price,Expires",
                   "ROP-00010,SHOP,M,2027-03-01,0.91,2027-06-30")  # fmt: skip
        asked = self.json("check", "p.csv", status=1)
        told = [(each["severity"], each["kind"], each["cell"]) for each in asked["findings"]]
        self.assertEqual(told, [("error", "unread-limit", "column F")])
        self.assertIn(
            "kotrel map p.csv price    says which field has this", self.kotrel("check", "p.csv", status=1).stdout
        )
        # An empty column limits nothing.
        self.write("e.csv", "Item,Price list,Unit,Valid from,Price,Expires", "ROP-00010,SHOP,M,2027-03-01,0.91,")
        self.assertEqual(self.errors("e.csv"), [])

    def test_old_values_are_not_loaded_beside_new_ones_that_nobody_reads(self):
        for head, row in (
            ("Item code,Category,New category", "ROP-00010,ROPE,CHAIN"),
            ("Item,Warehouse,Reorder point,New reorder point", "ROP-00010,QUAY,10,20"),
        ):
            self.write("n.csv", head, row)
            self.assertEqual(self.errors("n.csv"), ["unread-limit 0"], head)
        for new in ("New price", "Preis neu", "Nouveau prix"):
            self.write("n.csv", f"Item code,Price,{new}", "ROP-00010,0.60,0.62")
            self.assertEqual(self.errors("n.csv"), ["unread-limit 0"], new)
        # A proposed mapping calls it a guess, too, and one that leaves them out on purpose is followed.
        self.assertIn("column C fits equally well", self.kotrel("map", "n.csv", "item").stdout)
        self.write("maps/n.toml", 'record = "item"', 'skip = ["Nouveau prix"]',
                   '[field.code]\ncolumn = "Item code"', '[field.price]\ncolumn = "Price"')  # fmt: skip
        self.assertEqual(self.errors("n.csv"), [])
        # What replaces nothing that is read, is read or not as any other column.
        self.write("m.csv", "Item code,Cost,New price", "ROP-00010,0.30,0.62")
        self.assertEqual(self.errors("m.csv"), [])
