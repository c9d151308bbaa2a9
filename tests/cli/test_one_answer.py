"""One question has one answer: each test asks it where two pieces of code used to answer."""

from tests.support import Program, workbook_of


class OneAnswer(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()

    def test_which_default_fills_a_blank_key(self):
        self.write("maps/p.toml", 'record = "price"', '[field.price_list]\nfixed = "SHOP"', '[field.item]\ncolumn = "Art"',
                   '[field.amount]\ncolumn = "New"', '[field.unit]\ndefault = "M"', '[field.from_date]\ndefault = "2027-03-01"')  # fmt: skip
        self.write("a.csv", "Art,New", "ROP-00010,0.91")
        ends = self.json("preview", "a.csv", "--map", "p")
        # The price in force since 2026 ends the day before: the new one begins when the mapping says, not in 2000.
        self.assertEqual([each["until"] for each in ends["ends"]], ["2027-02-28"])
        self.assertEqual({each["from"] for each in ends["defaults"] if each["field"] == "from_date"}, {"mapping"})

    def test_a_number_of_the_command_line_is_read_as_in_a_cell(self):
        self.assertIn("1500 or 1.5", self.kotrel("price", "ROP-00010", "--quantity", "1,500", status=2).stderr)
        self.assertEqual(
            self.json("price", "ROP-00010", "--quantity", "1,500", "--decimal", "comma")["quantity"], "1.5"
        )
        self.assertIn("not a number", self.kotrel("price", "ROP-00010", "--quantity", "1_500", status=2).stderr)
        for text in ("2027-2-1", "20270201", "1 Feb 2027", "2027-02-01"):
            self.assertEqual(self.json("price", "ROP-00010", "--on", text)["on"], "2027-02-01", text)
        self.assertIn("could be two days", self.kotrel("price", "ROP-00010", "--on", "3.4.2027", status=2).stderr)

    def test_which_item_has_this_code(self):
        # 2010000021002 is the barcode of FST-00020 in the practice system; with 14 digits it is the same one.
        for code in ("FST-00020", "fst-00020", "FST00020", "2010000021002", "02010000021002"):
            with self.subTest(code):
                self.assertEqual(self.json("price", code)["item"], "FST-00020")
                self.assertEqual(self.json("stock", code)["rows"][0]["item"], "FST-00020")
        self.json("count", "freeze", "c", "--where", "item is 'FST-00020'", "--stopped")
        self.write("s.txt", "02010000021002;3", "fst-00020;4")
        self.json("count", "collect", "c", "s.txt")
        self.assertEqual(self.json("count", "variance", "c")["lines"][0]["counted"], "7")
        self.json("count", "set", "c", "2010000021002", "--counted", "9", "--reason", "again")
        self.assertEqual(self.json("count", "variance", "c")["lines"][0]["counted"], "9")

    def test_what_can_be_counted_is_one_rule(self):
        self.json("count", "freeze", "c", "--where", "warehouse is 'QUAY' and item begins with 'FST-000'", "--stopped")
        for counted, message in (("-3", "below zero"), ("29.9996", "EA has no decimals")):
            with self.subTest(counted):
                self.write("s.csv", "Item,Bin,Counted", f"FST-00020,Q-04-D,{counted}")
                done = self.json("count", "collect", "c", "s.csv", status=1)["files"][0]
                self.assertEqual([(each["kind"], each["row"]) for each in done["findings"]], [("not-countable", 2)])
                self.assertIn(message, done["findings"][0]["message"])
                told = self.kotrel("count", "set", "c", "FST-00020", f"--counted={counted}", "--reason", "x", status=2)
                self.assertIn(message, told.stderr)

    def test_a_line_that_was_not_counted_is_none_in_one_file_and_in_several(self):
        with (self.folder / "kotrel.toml").open("a") as settings:
            settings.write('\n[count]\nnot_counted = "-1"\n')
        self.json(
            "count",
            "freeze",
            "c",
            "--where",
            "warehouse is 'QUAY' and item is one of ('FST-00020', 'FST-00060')",
            "--stopped",
        )
        for name, item in (("a.xlsx", "FST-00020"), ("b.xlsx", "FST-00060")):
            bin_ = {"FST-00020": "Q-04-D", "FST-00060": "Q-05-A"}[item]
            workbook_of(self.folder / name, {"Sheet 1": [("Item", "Bin", "Counted"), (item, bin_, -1)]})
        done = self.json("count", "collect", "c", "a.xlsx", "b.xlsx")["files"]
        self.assertEqual([(each["status"], each["lines"], each["blank"]) for each in done], [("collected", 0, 1)] * 2)
        # One piece is one piece.
        self.write("c.csv", "Item,Bin,Counted", "FST00020,q04d,1", "FST-00060,q-05-a,-1")
        self.json("count", "collect", "c", "c.csv")
        lines = self.json("count", "variance", "c")["lines"]
        self.assertEqual([(each["bin"], each["counted"]) for each in lines], [("Q-04-D", "1"), ("Q-05-A", None)])

    def test_which_code_is_written_in_another_way(self):
        self.write("n.csv", "Item code,Description,Base unit,Category", "11-2,Eleven two,EA,CHARTS")
        self.json("load", "n.csv", "--yes")
        # 1-12 and 112 are no other ways to write 11-2.
        self.write(
            "l.csv",
            "Item,Warehouse,Minimum,Maximum",
            "1-12,QUAY,1,2",
            "112,QUAY,1,2",
            "11/2,QUAY,1,2",
            "FST00020,quay,1,2",
        )
        self.assertEqual(self.errors("l.csv"), ["not-on-list 2", "not-on-list 3"])
        proofs = {each["before"]: each["proof"] for each in self.json("check", "l.csv", status=1)["repairs"]}
        self.assertIn("differs only in capitals and separators", proofs["FST00020"])

    def test_a_sheet_that_nobody_has_named_is_called_like_its_file(self):
        stock = [("Item", "Warehouse", "Bin", "Qty", "Cost"), ("FST-00020", "QUAY", "Q-04-D", 5, 1.2)]
        for name in ("Sheet1", "Tabelle 1", "Opening stock"):
            workbook_of(self.folder / "opening stock.xlsx", {name: stock})
            self.assertEqual(self.json("check", "opening stock.xlsx")["files"][0]["record"], "opening_stock", name)
        workbook_of(self.folder / "opening stock.xlsx", {"QUAY": stock})
        asked = self.kotrel("check", "opening stock.xlsx", status=2).stderr
        self.assertIn("--as opening_stock", asked, "somebody has named the sheet")
        # By the item's own headings it is a document too, not items of which most columns are left out.
        workbook_of(self.folder / "q.xlsx", {"Sheet1": [("SKU", *stock[0][1:]), stock[1]]})
        self.assertIn("fit a document better", self.kotrel("check", "q.xlsx", status=2).stderr)

    def test_which_code_a_condition_means(self):
        places = "bin is 'q04d' and item is one of ('fst00020', 'FST-00060') and warehouse is 'Quay-side shop'"
        rows = self.json("stock", "--where", places, "--by", "item,bin")["rows"]
        self.assertEqual([(each["item"], each["bin"]) for each in rows], [("FST-00020", "Q-04-D")])
        self.json("count", "freeze", "c", "--where", places, "--stopped")
        self.assertEqual(self.json("count", "list")["counts"][0]["places"], 1)
        self.write("prices/r.toml", "from_date = 2027-02-01", '[[step]]\nname = "all"', "where = \"code is 'rop 00010'\"",
                   'set = { SHOP = "SHOP + 10%" }')  # fmt: skip
        self.assertEqual([each["item"] for each in self.json("reprice", "r")["prices"]], ["ROP-00010"])
        # What does not exist is no empty answer.
        for condition in ("bin is 'Q-99-X'", "item is 'FST-0002'", "code is one of ('FST-00020', 'NOPE')"):
            refused = self.kotrel("stock", "--where", condition, status=2).stderr
            self.assertRegex(refused, "there is no (bin|item) ")
        self.assertIn(
            "FST-00020",
            self.kotrel("export", "item", "-o", "e.csv", "--where", "code < 'FST-0003' and code > 'FST'").stdout
            and (self.folder / "e.csv").read_text("utf-8-sig"),
        )

    def test_what_a_mapping_calculates_counts_before_anything_is_left_out(self):
        # 3 dozen are 36 pieces: in a document, and in a count, whose file is read again in another way.
        self.write("q.csv", "Item,Warehouse,Bin,Quantity (doz),Cost", "FST-00020,QUAY,Q-04-D,3,1.16")
        asked = self.json("map", "q.csv", "opening_stock", "--name", "dozens")["questions"]
        self.assertEqual(
            asked, ["are the figures of quantity in units of 12, as the heading “Quantity (doz)” says? (make)"]
        )
        self.assertEqual(self.json("preview", "q.csv", "--map", "dozens")["totals"]["quantity"], "36")
        (self.folder / "maps" / "dozens.toml").unlink()
        self.json("count", "freeze", "c", "--where", "item is 'FST-00020'", "--stopped")
        self.write("c.csv", "Item,Bin,Counted (dozen)", "FST-00020,Q-04-D,3")
        told = self.kotrel("count", "collect", "c", "c.csv", status=1).stdout
        self.assertIn("kotrel map c.csv count    asks what its heading says", told)
        self.json("map", "c.csv", "count", "--name", "dozens")
        path = self.folder / "maps" / "dozens.toml"
        right = path.read_text("utf-8")
        for text, status, counted in (
            (right.replace("* 12", "* 10"), "collected", "30"),
            (right, "collected", "36"),
            (right, "again", "36"),
        ):
            path.write_text(text, "utf-8")
            self.assertEqual(self.json("count", "collect", "c", "c.csv")["files"][0]["status"], status)
            self.assertEqual(self.json("count", "variance", "c")["lines"][0]["counted"], counted)

    def test_which_word_is_translated(self):
        self.write("maps/s.toml", 'record = "item"', '[field.code]\ncolumn = "Art"',
                   '[field.may_be_bought]\ncolumn = "Buy"\ntranslate = { "+" = "yes", "-" = "no" }')  # fmt: skip
        self.write("a.csv", "Art,Buy", "FST-00020,-", "FST-00060,+")
        changes = self.json("preview", "a.csv", "--map", "s")["changes"]
        self.assertEqual([(each["key"], each["after"]) for each in changes], [("FST-00020", "no")])

    def test_what_is_on_hand_is_what_is_there_on_the_documents_day(self):
        # 39 are on hand. 100 come in March, 50 of them go in April.
        def document(record: str, number: str, quantity: int, day: str, status: int = 0):
            cost = (",Cost", ",1.20") if record == "goods_receipt" else ("", "")
            self.write(
                "d.csv", f"Item code,Warehouse,Bin,Quantity{cost[0]}", f"FST-00020,QUAY,Q-04-D,{quantity}{cost[1]}"
            )
            return self.json("load", "d.csv", "--as", record, "--number", number, "--date", day, "--yes", status=status)

        document("goods_receipt", "GR-1", 100, "2027-03-01")
        early = document("goods_issue", "GI-1", 40, "2026-12-01", status=1)
        self.assertIn("holds 39 on 2026-12-01 (139 with what is dated later)", early["findings"][-1]["message"])
        document("goods_issue", "GI-2", 130, "2027-04-01")
        # 9 are left after April: 10 in December are there then, and not in April.
        later = document("goods_issue", "GI-3", 10, "2026-12-01", status=1)
        message = next(each["message"] for each in later["findings"] if each["kind"] == "below-zero")
        self.assertIn("would hold -1 on 2027-04-01", message)
        self.assertIn("GI-2", message)
        document("goods_issue", "GI-4", 9, "2026-12-01")

    def test_a_cleared_cell_and_a_name_are_the_same_in_every_command(self):
        self.write("a.csv", "Item code,Vendor,Note", "FST-00020,Brannoch Fastenings,x")
        self.json("load", "a.csv", "--yes")
        self.write("b.csv", "Item code,Vendor,Note", "FST-00020,BRANNOCH,(clear)")
        changed = self.json("compare", "a.csv", "b.csv")["changed"]
        self.assertEqual([(each["column"], each["after"]) for each in changed], [("note", "(clear)")])
        self.json("prepare", "b.csv", "-o", "p.csv")
        self.assertEqual([each["after"] for each in self.json("preview", "p.csv")["changes"]], [None])

    def test_the_price_in_force_is_the_row_that_began_last(self):
        # From June, half off the standard price of 0.60 is 0.30; ten per cent more is 0.33.
        self.write("d.csv", "Price list,Item,Unit,From date,Discount %", "SHOP,ROP-00010,M,2026-06-01,50")
        self.json("load", "d.csv", "--as", "price", "--yes")
        self.write("prices/r.toml", "from_date = 2027-02-01", '[[step]]\nname = "all"', "where = \"code is 'ROP-00010'\"",
                   'set = { SHOP = "SHOP + 10%" }')  # fmt: skip
        [new] = self.json("reprice", "r", status=1)["prices"]
        self.assertEqual((new["old"], new["new"]), ("0.30", "0.33"))

    def test_prices_and_circles_are_judged_over_the_whole_load(self):
        self.write("a.csv", "Price list,Item,Unit,From date,Price", "SHOP,ROP-00010,M,2027-02-01,0.70")
        self.write("b.csv", "Price list,Item,Unit,From date,Price", "SHOP,ROP-00010,M,2027-03-01,0.75")
        self.json("load", "b.csv", "a.csv", "--as", "price", "--yes")
        self.json(
            "export",
            "price",
            "-o",
            "p.csv",
            "--where",
            "item is 'ROP-00010' and price_list is 'Shop'",
            "--fields",
            "to_date",
        )
        lines = (self.folder / "p.csv").read_text("utf-8-sig").splitlines()[1:]
        ends = {line.split(",")[4]: line.split(",")[5] for line in lines}
        self.assertEqual(ends, {"2026-01-01": "2027-01-31", "2027-02-01": "2027-02-28", "2027-03-01": ""})
        self.write("c.csv", "Parent,Component,Quantity,Unit", "KIT-00010,KIT-00020,1,SET")
        self.write("d.csv", "Parent,Component,Quantity,Unit", "KIT-00020,KIT-00010,1,SET")
        found = self.json("check", "c.csv", "d.csv", "--as", "kit_line", status=1)["findings"]
        self.assertEqual(
            {(each["file"], each["kind"]) for each in found if each["severity"] == "error"},
            {("c.csv", "circle"), ("d.csv", "circle")},
        )

    def test_what_an_expression_cannot_read_is_an_error_at_its_cell(self):
        self.write(
            "maps/m.toml",
            'record = "item"',
            '[field.code]\ncolumn = "Art"',
            '[field.price]\nmake = "number([Per C]) / 100"\nfor = "all"',
        )
        self.write("a.csv", "Art;Per C", "ROP-00010;61,00", "ROP-00020;1.234,00", "ROP-00030;POA")
        done = self.json("preview", "a.csv", "--map", "m", status=1)
        self.assertEqual(
            [(each["key"], each["after"]) for each in done["changes"]], [("ROP-00010", "0.61"), ("ROP-00020", "12.34")]
        )
        self.assertEqual(
            [(each["kind"], each["cell"]) for each in done["findings"] if each["severity"] == "error"],
            [("not-a-number", "line 4, column 2")],
        )

    def test_the_next_step_says_all_that_was_said(self):
        self.write("-t.csv", "Item code,Warehouse,Bin,Quantity", "FST-00020,QUAY,Q-04-D,44")
        shown = self.kotrel(
            "preview", "--as", "adjustment", "--as-target", "--date", "2026-12-01", "--", "-t.csv"
        ).stdout
        self.assertIn("Next: kotrel load --as adjustment --date 2026-12-01 --as-target -- -t.csv\n", shown)
        self.write("a b.csv", "Item code,Price", 'ROP-00010,"1,234"')
        shown = self.kotrel("-w", ".", "check", "a b.csv", "--as", "item", "--only", "changes", status=1).stdout
        self.assertIn('Next: kotrel -w . check "a b.csv" --as item --only changes --decimal comma', shown)
        # What is recommended can be typed: 44 is what is to be there, and 39 are.
        words = ("load", "--as", "adjustment", "--date", "2026-12-01", "--as-target", "--yes", "--", "-t.csv")
        self.kotrel(*words)
        self.assertEqual(self.json("stock", "FST-00020")["totals"]["on_hand"], "44")

    def test_a_target_is_for_the_place_where_the_goods_are(self):
        # 39 of FST-00020 are in QUAY, all in one bin; PNT-00010 is in SHED in two lots.
        self.write("t.csv", "Item code,Warehouse,Quantity", "FST-00020,QUAY,40")
        self.json("load", "t.csv", "--as", "adjustment", "--as-target", "--account", "ADJUST", "--yes")
        stock = self.json("stock", "FST-00020", "--by", "item,bin")["rows"]
        self.assertEqual([(row["bin"], row["on_hand"]) for row in stock], [("Q-04-D", "40")])
        self.write("t.csv", "Item code,Warehouse,Quantity", "PNT-00010,SHED,10")
        found = self.json("check", "t.csv", "--as", "adjustment", "--as-target", "--account", "ADJUST", status=1)[
            "findings"
        ]
        [where] = [each["message"] for each in found if each["kind"] == "which-place"]
        self.assertIn("VM-2611", where)
        self.assertIn("VM-2612", where)

    def test_nothing_in_quotes_is_a_blank(self):
        self.write("a.csv", "Item code,Note,Vendor code", "FST-00020,keep me,V-9")
        self.json("load", "a.csv", "--yes")
        for name, separator, ending in (("b.csv", ",", "\r\n"), ("c.tsv", "\t", "\n"), ("d.csv", ";", "\n")):
            lines = [("Item code", "Note", "Vendor code", "Cost", "Brand"), ("FST-00020", "", "", "", "")]
            text = ending.join([separator.join(f'"{cell}"' for cell in line) for line in lines] + [""])
            (self.folder / name).write_bytes(text.encode())
            self.assertEqual(self.json("preview", name, "--as", "item")["records"]["item"]["same"], 1, name)

    def test_a_key_alone_says_nothing_of_a_sheet_most_of_which_would_be_left_out(self):
        self.write("o.csv", "Warehouse;Artikel;Menge;EK-Preis", "QUAY;ROP-00010;12;0,31", "QUAY;ROP-00020;3;0,35")
        self.assertEqual(self.json("check", "o.csv", status=1)["error"]["kind"], "nothing-recognised")
        # A sheet that has the record's name, or is named by the user, is one.
        for words in (("warehouses.csv",), ("o.csv", "--as", "warehouse")):
            self.write(words[0], "Warehouse,Area,Keeper", "QUAY,1,Ola")
            found = self.json("check", *words, status=None)
            self.assertEqual({each["record"] for each in found["findings"]}, {"warehouse"}, words)

    def test_inspect_says_what_a_check_will_do_with_the_sheet(self):
        lines = {
            "s.csv": ("Item,Warehouse,Quantity,Unit cost", "ROP-00010,QUAY,12,0.31"),
            "o.csv": ("Warehouse;Artikel;Menge;EK-Preis", "QUAY;ROP-00010;12;0,31"),
            "a.csv": ("Art. no.,Article,Description,Unit,Category", "N-1,Shackle,Bow shackle,EA,ROPE"),
            "i.csv": ("Item code,Cost", "ROP-00010,0.30"),
        }
        said = {}
        for name, rows in lines.items():
            self.write(name, *rows)
            checked = self.json("check", name, status=None)
            likely = self.json("inspect", name)["likely"]["record"]
            self.assertEqual(likely is None, "error" in checked, name)
            said[name] = self.kotrel("inspect", name).stdout
        self.assertIn("fit a document better than item_warehouse", " ".join(said["s.csv"].split()))
        self.assertIn("do not match any record", said["o.csv"])
        self.assertIn("Next: kotrel map a.csv item", said["a.csv"])
        self.assertIn("Next: kotrel check i.csv", said["i.csv"])

    def test_what_a_preview_says_of_whole_sheets_stands_after_the_load(self):
        workbook_of(self.folder / "two.xlsx", {
            "Items": [("Item code", "Cost", "Shelf colour"), ("ROP-00010", 1.5, "red"), ("NEW-1", 2, "blue")],
            "Notes": [("Who", "When"), ("Ola", "today")],
        })  # fmt: skip
        words = ("two.xlsx", "--only", "changes")
        previewed = [said for each in self.json("preview", *words)["files"] for said in each["remarks"]]
        left = next(said for said in previewed if "left out, not there yet" in said)
        told = self.kotrel("load", *words, "--yes").stdout
        later = self.kotrel("outcome", "L0001").stdout
        for said in (left, "Shelf colour", "“Notes”"):
            self.assertIn(said, " ".join(told.split()))
            self.assertIn(said, " ".join(later.split()))

    def test_good_rows_make_a_document_that_nobody_numbered(self):
        lines = [
            "Item,Warehouse,Quantity,Unit,Cost",
            "ROP-00010,SHED,10,M,0.40",
            "ROP-00020,SHED,5,M,0.50",
            "NOPE-1,SHED,7,M,1",
        ]
        self.write("opening.csv", *lines)
        more = ("--as", "opening_stock", "--date", "2026-11-01", "--good-rows", "--yes")
        self.assertEqual(self.json("load", "opening.csv", *more)["status"], "loaded")
        rows = self.json("stock", "ROP-00010", "ROP-00020", "--by", "item,warehouse")["rows"]
        held = {each["item"]: each["on_hand"] for each in rows if each["warehouse"] == "SHED"}
        self.assertEqual(held, {"ROP-00010": "10", "ROP-00020": "5"})
        # With a number of the user's own it stays whole.
        numbered = ("--number", "MINE-1", *more)
        self.write("other.csv", *[line.replace("SHED", "LOFT") for line in lines])
        self.kotrel("load", "other.csv", *numbered, status=1)
        self.assertEqual(len(self.json("history")["loads"]), 1)

    def test_good_rows_are_advised_where_a_document_is_left_whole(self):
        head = "Item;Warehouse;Bin;Date;Quantity;Unit cost"
        bad, good = "ROP-00120;LOFT;L-01-A;1.12.2026;10;0,63", "ROP-00130;QUAY;Q-01-A;2026-12-01;20;0,70"
        for lines, advised in (((bad, bad.replace("120", "140")), False), ((bad, good), True)):
            self.write("o.csv", head, *lines)
            said = self.kotrel("preview", "o.csv", "--as", "opening_stock", status=1).stdout
            self.assertEqual("--good-rows" in said, advised, said)

    def test_a_daily_sheet_overlaps_yesterdays(self):
        head = "Number,Item,Warehouse,Quantity,Cost"
        self.write("d1.csv", head, "R-1,ROP-00010,SHED,10,0.40")
        self.kotrel("load", "d1.csv", "--as", "goods_receipt", "--date", "2026-11-01", "--yes")
        # Units, bins and dates are filled by default: the same cells are the same document.
        self.write("d2.csv", head, "R-1,ROP-00010,SHED,10,0.40", "R-2,ROP-00020,SHED,5,0.50")
        self.assertEqual(
            self.json("load", "d2.csv", "--as", "goods_receipt", "--only", "new", "--yes")["status"], "loaded"
        )
        self.write("d3.csv", head, "R-1,ROP-00010,SHED,11,0.40")
        self.assertIn("posted-otherwise 2", self.errors("d3.csv", "--as", "goods_receipt"))
