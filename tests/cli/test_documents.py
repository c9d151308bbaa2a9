from __future__ import annotations

import unittest
from pathlib import Path

import openpyxl

from tests.support import Program

FLAT = (
    "Item,Warehouse,Quantity,Unit,Cost,Bin,Lot,Expiry,Serial",
    "ROP-00120,Rigging loft,400,M,0.6260,L-01-A,,,",
    "ROP-00120,LOFT,2,COIL,125.20,L-01-B,,,",
    "FST-00010,LOFT,3,BOX,100.00,L-01-C,,,",
    "ELC-00010,LOFT,1,EA,102.86,L-02-A,,,R-1001",
    "ELC-00010,LOFT,1,EA,102.86,L-02-A,,,R-1002",
)


class OnSqlite(Program):
    """Opening stock, receipts and issues through the installed program."""

    def setUp(self) -> None:
        super().setUp()
        self.start()

    def start(self) -> None:
        self.start_shop()

    def load(self, name: str, *lines: str, record: str, more: tuple[str, ...] = (), status: int = 0) -> dict:
        self.write(name, *lines)
        return self.json("load", name, "--as", record, "--yes", *more, status=status)

    def stock(self, *words: str) -> dict[tuple[str | None, ...], tuple[str, str]]:
        """Place → on hand and value."""
        names = words[words.index("--by") + 1].split(",") if "--by" in words else ("item", "warehouse")
        rows = self.json("stock", *words)["rows"]
        return {tuple(row[name] for name in names): (row["on_hand"], row["value"]) for row in rows}

    def posted_again(self, name: str, *words: str, record: str = "opening_stock", status: int | None = None) -> set:
        found = self.json("check", name, "--as", record, *words, status=status)["findings"]
        return {(each["severity"], each["row"]) for each in found if each["kind"] == "lines-posted"}

    def test_the_same_lines_under_another_number_are_asked_about(self):
        self.load("open.csv", *FLAT, record="opening_stock", more=("--date", "2026-12-01"))
        # The same sheet, saved again with a word more, and loaded on another day.
        again = [FLAT[0], *(f"{line} " for line in FLAT[1:]), "ROP-00130,LOFT,7,M,0.70,L-01-A,,,"]
        self.write("again.csv", *again[:4], again[6])
        rows = {("error", row) for row in (2, 3, 4)}
        self.assertEqual(self.posted_again("again.csv", "--date", "2026-12-02", status=1), rows)
        # A number says that somebody means more of the same.
        self.assertEqual(self.posted_again("again.csv", "--number", "MORE"), {("warning", row) for _, row in rows})
        # One line of three is no sheet loaded again; nor is another quantity, or another lot.
        self.write("other.csv", FLAT[0], FLAT[1], again[6], "ROP-00120,LOFT,3,COIL,125.20,L-01-B,,,")
        self.assertEqual(self.posted_again("other.csv", "--date", "2026-12-02"), set())
        self.write("serial.csv", FLAT[0], FLAT[4].replace("R-1001", "R-1009"))
        self.assertEqual(self.posted_again("serial.csv", "--date", "2026-12-02"), set())
        # What was taken back may be posted again.
        self.json("undo", "L0001", "--yes")
        self.assertEqual(self.posted_again("again.csv", "--date", "2026-12-02"), set())

    def test_other_documents_may_say_the_same_again(self):
        receipt = (
            "Item,Warehouse,Quantity,Cost,Vendor",
            "ROP-00010,QUAY,5,0.4,KELDRIFT",
            "ROP-00020,QUAY,6,0.5,KELDRIFT",
        )
        self.load("in.csv", *receipt, record="goods_receipt", more=("--date", "2026-12-01"))
        again = ("in.csv", "--date", "2026-12-02")
        self.assertEqual(self.posted_again(*again, record="goods_receipt"), {("warning", 2), ("warning", 3)})
        self.assertEqual(self.posted_again(*again, "--number", "R-2", record="goods_receipt"), set())
        third = "ROP-00030,QUAY,7,0.5,KELDRIFT"
        self.write("three.csv", *receipt, third)
        self.load("three.csv", *receipt, third, record="goods_receipt", more=("--date", "2026-12-03"))
        said = self.posted_again("three.csv", "--date", "2026-12-04", "--number", "R-3", record="goods_receipt")
        self.assertEqual({row for _, row in said}, {2, 3, 4}, "three lines are hardly the same by chance")
        self.write("other.csv", *(line.replace("KELDRIFT", "BRANNOCH") for line in receipt))
        self.assertEqual(self.posted_again("other.csv", *again[1:], record="goods_receipt"), set())
        order = ("Item,Warehouse,Quantity,Price,Customer", "ROP-00010,QUAY,5,0.9,C-1001")
        self.load("order.csv", *order, record="sales_order", more=("--date", "2026-12-01"))
        self.assertEqual(self.posted_again("order.csv", *again[1:], record="sales_order"), {("warning", 2)})
        self.write("order.csv", *order, "ROP-00020,QUAY,5,0.9,C-1001")
        self.assertEqual(self.posted_again("order.csv", *again[1:], record="sales_order"), set())
        self.write("part.csv", *receipt[:2], "ROP-00030,QUAY,6,0.5,KELDRIFT")
        self.assertEqual(self.posted_again("part.csv", "--date", "2026-12-02", record="goods_receipt"), set())

    def test_a_copied_line_of_an_order_is_asked_about(self):
        line = "ROP-00010,QUAY,5,0.9,C-1001"
        self.write(
            "o.csv",
            "Item,Warehouse,Quantity,Price,Customer",
            line,
            line.replace("0.9", "0.8"),
            line.replace(",5,", ",6,"),
            line,
        )
        found = self.json("check", "o.csv", "--as", "sales_order")["findings"]
        self.assertEqual([(each["kind"], each["row"]) for each in found], [("place-twice", 5)])

    def test_a_document_has_one_vendor_and_one_date(self):
        heads = "PO,Vendor,Date,Item,Qty,Price,Warehouse,Remark"
        self.write("po.csv", heads, "P-1,KELDRIFT,2026-12-01,ROP-00010,9,0.38,QUAY,a", "P-1,Keldrift Cordage,2026-12-01,ROP-00020,9,0.48,quay,b",
                   "P-2,BRANNOCH,2026-12-01,FST-00020,5,0.48,QUAY,a", "P-2,KELDRIFT,2026-12-02,FST-00060,5,0.48,QUAY,a")  # fmt: skip
        found = self.json("check", "po.csv", "--as", "purchase_order", status=1)["findings"]
        differing = {
            (each["severity"], each["field"], each["row"]) for each in found if each["kind"] == "differs-in-sheet"
        }
        self.assertEqual(differing, {("error", "vendor", 4), ("error", "date", 4), ("warning", "remark", 2)})
        # The lines of a document with an error stay out with it.
        self.json("load", "po.csv", "--as", "purchase_order", "--good-rows", "--yes", status=None)
        self.json("export", "purchase_order_line", "-o", "lines.csv")
        self.assertEqual((self.folder / "lines.csv").read_text("utf-8-sig").count("P-1"), 2)
        self.assertNotIn("P-2", (self.folder / "lines.csv").read_text("utf-8-sig"))
        # Without numbers, each vendor gets an order.
        self.write("no.csv", "Vendor,Date,Item,Qty,Price,Warehouse", "KELDRIFT,2026-12-01,ROP-00010,9,0.38,QUAY", "BRANNOCH,2026-12-01,FST-00020,5,0.48,QUAY",
                   "keldrift,2026-12-01,ROP-00020,9,0.48,QUAY")  # fmt: skip
        remarks = [
            said for each in self.json("check", "no.csv", "--as", "purchase_order")["files"] for said in each["remarks"]
        ]
        self.assertIn("2 documents: QUAY-2026-12-01-KELDRIFT (2 lines), QUAY-2026-12-01-BRANNOCH (1 line)", remarks)

    def test_a_flat_sheet_becomes_a_document_and_is_taken_back(self) -> None:
        before = self.json("stock", "--by", "warehouse")["totals"]["value"]
        self.write("loft.csv", *FLAT)
        preview = self.json("preview", "loft.csv", "--as", "opening_stock", "--date", "2026-11-01")
        # 250.40 + 250.40 + 300.00 + 205.72
        self.assertEqual(preview["totals"]["value"], "1006.52")
        [post] = preview["totals"]["posts"]
        self.assertEqual(
            (post["warehouse"], post["account"], post["documents"], post["lines"]), ("LOFT", "OPENING", 1, 5)
        )
        self.assertEqual((post["first_day"], post["last_day"]), ("2026-11-01", "2026-11-01"))
        # What the sheet says counts, and an option that does nothing says so.
        said = self.kotrel("check", "loft.csv", "--as", "opening_stock", "--warehouse", "QUAY").stdout
        self.assertIn(
            "--warehouse QUAY applies only to rows without a value, and 5 rows of the sheet say Rigging loft, LOFT",
            said,
        )
        self.assertNotIn(
            "only for rows", self.kotrel("check", "loft.csv", "--as", "opening_stock", "--warehouse", "LOFT").stdout
        )
        self.write("items.csv", "Item code,Cost", "FST-00020,1")
        refused = self.kotrel("preview", "items.csv", "--as", "item", "--date", "2026-11-01", status=2)
        self.assertIn("--date is for documents", refused.stderr)
        self.load("loft.csv", *FLAT, record="opening_stock", more=("--date", "2026-11-01"))
        places = self.stock("--by", "item,bin,serial", "--where", "warehouse is 'LOFT'")
        self.assertEqual(places["FST-00010", "L-01-C", None][0], "300")
        self.assertEqual(places["ELC-00010", "L-02-A", "R-1001"][0], "1")
        against = self.json("stock", "ROP-00120", "--by", "item", "--against", "L0001")["rows"][0]
        self.assertEqual((against["change"], against["value_change"]), ("800", "500.80"))
        self.assertEqual(self.json("verify", "L0001")["differences"], [])
        again = self.load("again.csv", *FLAT, "ROP-00010,LOFT,1,M,0.38,L-01-A,,,", record="opening_stock",
                          more=("--date", "2026-11-01"), status=1)  # fmt: skip
        kinds = {found["kind"] for found in again["findings"] if found["severity"] == "error"}
        self.assertEqual(kinds, {"posted-otherwise", "serial-in-stock"})
        undone = self.json("undo", "L0001", "--yes", "--date", "2026-11-02")
        self.assertEqual(undone["documents"], {"LOFT-2026-11-01": "LOFT-2026-11-01-R"})
        self.assertEqual(self.json("stock", "--by", "warehouse")["totals"]["value"], before)
        self.assertEqual(self.stock("--where", "warehouse is 'LOFT'"), {})
        # Both stay visible: on the first, it was there.
        self.assertEqual(
            self.stock("FST-00010", "--by", "warehouse", "--at", "2026-11-01").get(("LOFT",), ("",))[0], "300"
        )
        # The next one gets a number of its own.
        self.load("third.csv", *FLAT, record="opening_stock", more=("--date", "2026-11-01", "--again"))
        exported = self.kotrel("export", "opening_stock", "-o", "documents.csv", "--fields", "reverses")
        self.assertEqual(exported.returncode, 0)
        text = (self.folder / "documents.csv").read_text("utf-8-sig")
        self.assertIn("LOFT-2026-11-01-R,LOFT-2026-11-01\n", text)
        self.assertIn("LOFT-2026-11-01-2,", text)

    def test_good_rows_post_whole_documents(self) -> None:
        heading = "Document,Warehouse,Date,Item,Quantity,Cost,Bin"
        lines = ("GR-1,LOFT,2026-11-01,CHN-00010,10,8.00,L-01-A", "GR-1,LOFT,2026-11-01,NOPE-1,1,1.00,L-01-A",
                 "GR-2,LOFT,2026-11-02,CHN-00010,5,9.50,L-01-A")  # fmt: skip
        done = self.load("receipts.csv", heading, *lines, record="goods_receipt", more=("--good-rows",))
        self.assertEqual(done["records"]["goods_receipt"]["new"], 1)
        self.assertEqual(self.stock("CHN-00010"), {("CHN-00010", "LOFT"): ("5", "47.50")})
        [rest] = done["rest"]
        book = openpyxl.load_workbook(self.folder / rest)
        self.assertEqual([row[0].value for row in book.worksheets[0].iter_rows(min_row=2)][:2], ["GR-1", "GR-1"])

    def test_average_cost_and_an_undo_that_takes_out_what_came_in(self) -> None:
        heading = "Document,Warehouse,Date,Item,Quantity,Cost,Bin"
        self.load("a.csv", heading, "GR-1,LOFT,2026-11-01,CHN-00010,10,8.00,L-01-A", record="goods_receipt")
        self.load("b.csv", heading, "GR-2,LOFT,2026-11-02,CHN-00010,5,9.50,L-01-A", record="goods_receipt")
        issue = ("Document,Warehouse,Date,Item,Quantity,Bin", "GI-1,LOFT,2026-11-03,CHN-00010,6,L-01-A")
        self.load("c.csv", *issue, record="goods_issue")
        self.assertEqual(self.stock("CHN-00010"), {("CHN-00010", "LOFT"): ("9", "76.50")})
        self.assertEqual(self.kotrel("undo", "L0001", "--yes", status=1).returncode, 1)
        self.json("undo", "L0002", "--yes")
        self.assertEqual(self.stock("CHN-00010"), {("CHN-00010", "LOFT"): ("4", "29.00")})
        self.kotrel(
            "export", "item", "-o", "item.csv", "--fields", "on_hand,average_cost", "--where", "code is 'CHN-00010'"
        )
        self.assertIn("CHN-00010,4,7.2500", (self.folder / "item.csv").read_text("utf-8-sig"))
        period = self.json("stock", "CHN-00010", "--by", "item", "--from", "2026-11-02", "--to", "2026-11-03")["rows"][
            0
        ]
        self.assertEqual([period[name] for name in ("opening", "in", "out", "closing")], ["10", "5", "6", "9"])
        # A month closes by warehouse, quantity and value: 80.00 + 47.50 - 51.00 = 76.50.
        words = ("stock", "CHN-00010", "--by", "warehouse")
        [closing] = self.json(*words, "--from", "2026-11-02", "--to", "2026-11-03")["rows"]
        quantities = [closing[name] for name in ("opening", "in", "out", "closing")]
        values = [closing[f"{name}_value"] for name in ("opening", "in", "out", "closing")]
        self.assertEqual((quantities, values), (["10", "5", "6", "9"], ["80.00", "47.50", "51.00", "76.50"]))
        # Before and after are those of each load's own moment.
        for number, before, after in (("L0001", "0", "10"), ("L0002", "10", "15"), ("L0003", "15", "9")):
            [row] = self.json(*words, "--against", number)["rows"]
            self.assertEqual((row["before"], row["after"]), (before, after), number)
        self.assertIn("--from", self.kotrel(*words, "--from", "2026-11-03", "--to", "2026-11-02", status=2).stderr)
        # A number is posted once, even where its document was taken back.
        again = self.load("b.csv", heading, "GR-2,LOFT,2026-11-02,CHN-00010,5,9.50,L-01-A", record="goods_receipt",
                          more=("--again", "--only", "new"), status=1)  # fmt: skip
        self.assertEqual([found["kind"] for found in again["findings"]], ["number-used"])

    def test_a_daily_file_of_orders(self) -> None:
        heading = "Order,Customer,Warehouse,Date,Item,Quantity,Unit,Price,Amount"
        monday = (
            "SO-1,C-1001,QUAY,2026-11-02,CHN-00010,3,M,8.00,24.00",
            "SO-1,C-1001,QUAY,2026-11-02,CHN-00020,1,M,9.00,9.00",
        )
        self.write("maps/orders.toml", 'record = "sales_order"', *(
            f'[field.{field}]\ncolumn = "{column}"' for field, column in
            (("number", "Order"), ("customer", "Customer"), ("warehouse", "Warehouse"), ("date", "Date"), ("item", "Item"),
             ("quantity", "Quantity"), ("unit", "Unit"), ("price", "Price"), ("amount", "Amount"))))  # fmt: skip
        self.write("monday.csv", heading, *monday)
        self.json("load", "monday.csv", "--yes")
        tuesday = (*monday, "SO-2,C-1002,QUAY,2026-11-03,CHN-00010,2,M,8.00,16.00")
        self.write("tuesday.csv", heading, *tuesday)
        self.kotrel("load", "tuesday.csv", "--yes", status=1)
        done = self.json("load", "tuesday.csv", "--yes", "--only", "new")
        self.assertEqual(done["records"]["sales_order"]["new"], 1)
        changed = (
            monday[0].replace(",3,M,8.00,24.00", ",4,M,8.00,32.00"),
            monday[1],
            "SO-3,C-1002,QUAY,2026-11-04,CHN-00010,1,M,8.00,8.00",
        )
        self.write("wednesday.csv", heading, *changed)
        refused = self.json("load", "wednesday.csv", "--yes", "--only", "new", status=1)
        self.assertIn("posted-otherwise", {f["kind"] for f in refused["findings"]})
        self.kotrel(
            "export", "item", "-o", "item.csv", "--fields", "on_hand,reserved", "--where", "code is 'CHN-00010'"
        )
        self.assertIn("CHN-00010,,5", (self.folder / "item.csv").read_text("utf-8-sig"))

    def test_wanted_quantities_are_posted_once(self) -> None:
        wanted = ("Item,Warehouse,Quantity,Cost", "CHN-00010,LOFT,8,5.00", "CHN-00020,LOFT,2,5.00")
        self.load("wanted.csv", *wanted, record="adjustment", more=("--as-target",))
        self.assertEqual(self.stock("CHN-00010", "CHN-00020").keys(), {("CHN-00010", "LOFT"), ("CHN-00020", "LOFT")})
        second = self.load("wanted.csv", *wanted, record="adjustment", more=("--as-target",))
        self.assertEqual(second["status"], "nothing to do")
        self.load("less.csv", "Item,Warehouse,Quantity", "CHN-00010,LOFT,3", record="adjustment", more=("--as-target",))
        self.assertEqual(self.stock("CHN-00010"), {("CHN-00010", "LOFT"): ("3", "15.00")})


class OnPostgres(OnSqlite):
    def start(self) -> None:
        self.start_on_postgres()


class OtherSheets(Program):
    def test_new_items_and_their_quantities_out_of_one_sheet(self) -> None:
        self.start_shop()
        self.write("new.csv", "Item code,Description,Base unit,Category,Cost,In stock",
                   "ROP-40001,Rope one,M,ROPE,2.00,50", "ROP-40002,Rope two,M,ROPE,3.00,", "ROP-40003,Rope three,M,ROPE,4.00,10")  # fmt: skip
        fields = {
            "code": "Item code",
            "description": "Description",
            "unit": "Base unit",
            "category": "Category",
            "cost": "Cost",
        }
        also = {"item": "Item code", "quantity": "In stock", "cost": "Cost"}
        self.write("maps/new.toml", 'record = "item"', *(f'[field.{n}]\ncolumn = "{h}"' for n, h in fields.items()), "[[also]]",
                   'record = "opening_stock"', *(f'[also.field.{n}]\ncolumn = "{h}"' for n, h in also.items()),
                   '[also.field.warehouse]\nfixed = "LOFT"')  # fmt: skip
        done = self.json("load", "new.csv", "--yes")
        self.assertEqual({name: counts["new"] for name, counts in done["records"].items()},
                         {"item": 3, "opening_stock": 1, "opening_stock_line": 2, "stock_movement": 2})  # fmt: skip
        self.assertEqual(self.json("stock", "--where", "warehouse is 'LOFT'")["totals"]["value"], "140.00")

    def test_one_column_for_each_warehouse(self) -> None:
        self.start_shop()
        self.write("wide.csv", "Item,Cost,TENDER,LOFT", "CHN-00010,8.00,5,10", "CHN-00020,9.00,,4")
        self.write("maps/wide.toml", 'record = "opening_stock"', '[field.item]\ncolumn = "Item"', '[field.cost]\ncolumn = "Cost"',
                   '[field.warehouse]\nrepeat = ["TENDER", "LOFT"]', '[field.quantity]\ncolumn = "{warehouse}"')  # fmt: skip
        self.json("load", "wide.csv", "--yes")
        rows = self.json("stock", "CHN-00010", "CHN-00020")["rows"]
        self.assertEqual({(row["item"], row["warehouse"]): row["on_hand"] for row in rows},
                         {("CHN-00010", "TENDER"): "5", ("CHN-00010", "LOFT"): "10", ("CHN-00020", "LOFT"): "4"})  # fmt: skip

    def test_a_template_of_three_sheets_comes_back(self) -> None:
        self.start_shop()
        self.kotrel("template", "opening_stock", "-o", "three.xlsx")
        path: Path = self.folder / "three.xlsx"
        book = openpyxl.load_workbook(path)
        rows = ({"Document": "OPEN-1", "Warehouse": "LOFT", "Date": "2026-11-20"},
                {"Document": "OPEN-1", "Line": 1, "Item": "ELC-00010", "Bin": "L-01-A", "Quantity": 2, "Unit cost": 102.86},
                {"Document": "OPEN-1", "Line": 1, "Serial number": "S-1", "Quantity": 1})  # fmt: skip
        for sheet, row in zip(book.worksheets, rows, strict=False):
            sheet.append([row.get(cell.value) for cell in sheet[1]])
        book.save(path)
        found = self.json("check", "three.xlsx", status=1)
        kinds = {each["kind"] for each in found["findings"] if each["severity"] == "error"}
        self.assertEqual(kinds, {"lots-differ"})
        lots = book.worksheets[2]
        lots.append([{**rows[2], "Serial number": "S-2"}.get(cell.value) for cell in lots[1]])
        book.save(path)
        self.json("load", "three.xlsx", "--yes")
        self.assertEqual(self.json("stock", "--where", "serial is 'S-2'")["rows"][0]["on_hand"], "1")

    def test_an_error_of_the_whole_sheet_refuses_every_row_whatever_it_is_part_of(self) -> None:
        self.start_shop()
        before = self.json("stock", "FST-00010")
        self.write(
            "r.csv",
            "Number,Item,Warehouse,Quantity,Date",
            "D-1,FST-00010,QUAY,3,2026-11-26",
            "D-2,FST-00010,QUAY,4,2026-11-26",
        )
        found = self.json("load", "r.csv", "--as", "goods_receipt", "--yes", "--good-rows", status=1)
        self.assertEqual(
            {record: each["refused"] for record, each in found["records"].items()},
            {"goods_receipt": 2, "goods_receipt_line": 2},
        )
        self.assertIsNone(found["load"])
        self.assertEqual(self.json("stock", "FST-00010"), before)
        self.assertNotIn("--good-rows", self.kotrel("preview", "r.csv", "--as", "goods_receipt", status=1).stdout)

    def test_a_flat_sheet_without_its_items_says_what_is_missing_once(self) -> None:
        self.start_shop()
        self.write("n.csv", "Vendor,Our code,Pieces,Lot,Best before", "BRANNOCH,FST-00010,200,VM-1,03.2028")
        screen = self.kotrel("check", "n.csv", "--as", "goods_receipt", status=1).stdout
        self.assertIn("none can be loaded: the columns Item, Quantity and Unit cost are missing", screen)
        self.assertIn("line 2 “03.2028”", screen)
        found = self.json("check", "n.csv", "--as", "goods_receipt", status=1)["findings"]
        left_out = [each["value"] for each in found if each["kind"] == "unknown-heading"]
        self.assertEqual(left_out, ["Our code", "Pieces"])

    def test_quantities_of_new_items_are_said_to_belong_elsewhere(self) -> None:
        self.start_shop()
        self.write("new.csv", "Item code,Description,Base unit,Category,On hand", "ROP-40001,Rope one,M,ROPE,50")
        found = self.json("check", "new.csv")
        self.assertIn("quantity-not-loaded", {each["kind"] for each in found["findings"]})

    def test_a_sheet_of_quantities_is_never_guessed(self) -> None:
        self.start_shop()
        self.write("some.csv", *FLAT)
        self.assertIn("--as opening_stock", self.kotrel("check", "some.csv", status=2).stderr)

    def test_what_to_order_is_written_as_orders_that_load(self) -> None:
        self.start_shop()
        before = len(self.json("reorder")["rows"])
        self.kotrel("reorder", "-o", "orders.xlsx")
        self.json("load", "orders.xlsx", "--yes")
        self.assertEqual(self.json("reorder", "--with-orders")["rows"], [])
        again = self.json("reorder")
        self.assertEqual(len(again["rows"]), before)
        self.assertIn(f"{before} lines with goods on order already", again["remarks"][0])


if __name__ == "__main__":
    unittest.main()
