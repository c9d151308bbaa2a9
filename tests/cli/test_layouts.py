from __future__ import annotations

import unittest

import openpyxl

from tests.support import Program

HEAD = (
    'record = "item"',
    'separator = "semicolon"',
    'encoding = "cp1252"',
    'decimal_mark = ","',
    "decimals = 2",
    'yes = "J"',
    'no = "N"',
)


def column(heading: str, *settings: str) -> str:
    return "\n".join(["[[column]]", f'heading = "{heading}"', *settings])


class Layouts(Program):
    """Upload files, byte by byte."""

    def setUp(self) -> None:
        super().setUp()
        self.start_shop()

    def layout(self, *lines: str, head: tuple[str, ...] = HEAD) -> None:
        self.write("layouts/till.toml", *head, *lines)

    def test_a_text_file_as_a_till_wants_it(self) -> None:
        self.layout(
            'heading_lines = [["C", "T", "A", "N", "N", "N", "X", "", "F"]]', "most_rows = 2", "clean = true",
            column("ArtNr", 'field = "code"', "must = true"), column("Name", 'field = "description"'),
            column("Action", 'action = { new = "I", changed = "U", same = "-" }'), column("Price", 'field = "price"'),
            column("Half", 'make = "price * 50%"'), column("Stock", 'stock_in = "QUAY"', "at_most = 30", "decimals = 0"),
            column("Lots", 'field = "lot_tracked"'), column("Later", "empty = true"), column("From", 'fixed = "Skerrow"'),
        )  # fmt: skip
        # FST-00020 has 39 in QUAY and a price of 1.85; FST-00060 has 6 and 2.20.
        self.write("items.csv", "Item code,Description,Base unit,Category,Standard price,Lot tracked",
                   'ROP-40001,"Rope; blå",M,ROPE,1.5,no', "FST-00020,,,,2,", "FST-00060,,,,,")  # fmt: skip
        done = self.json("write", "items.csv", "--layout", "till", "-o", "up.csv")
        self.assertEqual([each["rows"] for each in done["written"]], [2, 1])
        lines = ["ArtNr;Name;Action;Price;Half;Stock;Lots;Later;From", "C;T;A;N;N;N;X;;F", "ROP-40001;Rope blå;I;1,50;0,75;0;N;;Skerrow",
                 "FST-00020;Bow shackle 5 mm stainless;U;2,00;1,00;30;N;;Skerrow", ""]  # fmt: skip
        self.assertEqual((self.folder / "up-1.csv").read_bytes(), "\r\n".join(lines).encode("cp1252"))
        self.assertIn(
            "FST-00060;Bow shackle 6 mm long;-;2,20;1,10;6;N;;Skerrow", (self.folder / "up-2.csv").read_text("cp1252")
        )

    def test_what_cannot_be_written_is_at_its_cell_and_nothing_is_written(self) -> None:
        self.layout('quotes = "none"', column("ArtNr", 'field = "code"', "length = 9"), column("Name", 'field = "description"', "length = 10"),
                    column("Cost", 'field = "cost"'))  # fmt: skip
        self.write("items.csv", "Item code,Description,Base unit,Category,Cost", "ROP-40001,Tau Łódź,M,ROPE,1.50",
                   "ROP-40002,Rope; blue,M,ROPE,1.50", "ROP-40003,A long description,M,ROPE,1.50", "ROP-40004,Rope,M,ROPE,1.505")  # fmt: skip
        done = self.json("write", "items.csv", "--layout", "till", "-o", "up.csv", status=1)
        found = {(each["kind"], each["row"]) for each in done["findings"] if each["severity"] == "error"}
        self.assertEqual(
            found, {("not-in-encoding", 2), ("needs-quotes", 3), ("too-long", 4), ("too-many-decimals", 5)}
        )
        self.assertFalse((self.folder / "up.csv").exists())
        warned = {each["kind"] for each in done["findings"] if each["severity"] == "warning"}
        self.assertEqual(warned, {"no-place"})

    def test_updates_with_what_changes_alone_and_what_belongs_to_it(self) -> None:
        self.layout(column("code", 'field = "code"'), *(column(name, f'field = "{name}"') for name in ("price", "length", "width")),
                    head=('record = "item"', 'updates = "changed"', 'blank = "~"', "headings = false", 'line_end = "unix"'))  # fmt: skip
        self.write("size.csv", "Item code,Length,Width,Height,Unit of size", "FST-00020,1,2,3,M")
        self.json("load", "size.csv", "--yes")
        self.write("items.csv", "Item code,Standard price,Length", "FST-00020,1.85,4", "FST-00060,9.99,")
        self.json("write", "items.csv", "--layout", "till", "-o", "up.csv")
        self.assertEqual((self.folder / "up.csv").read_text("utf-8"), "FST-00020,~,4,2\nFST-00060,9.99,~,~\n")

    def test_a_value_is_taken_away_only_with_a_word_for_it(self) -> None:
        own = (
            column("code", 'field = "code"'),
            column("text", 'field = "description"', "must = true"),
            column("no", 'field = "part_number"'),
        )
        head = ('record = "item"', 'updates = "changed"', "headings = false", 'line_end = "unix"')
        self.write("own.csv", "Item code,Part number", "FST-00020,P-1")
        self.json("load", "own.csv", "--yes")
        self.write("items.csv", "Item code,Part number,Cost", "FST-00020,,5")
        self.layout(*own, head=head)
        lost = self.json("write", "items.csv", "--layout", "till", "--blanks", "clear", "-o", "up.csv", status=1)
        [bad] = [each for each in lost["findings"] if each["severity"] == "error"]
        self.assertEqual((bad["kind"], bad["row"], bad["field"]), ("cannot-clear", 2, "part_number"))
        self.layout(*own, head=(*head, 'cleared = "#"'))
        self.json("write", "items.csv", "--layout", "till", "--blanks", "clear", "-o", "up.csv")
        self.assertEqual((self.folder / "up.csv").read_text("utf-8"), "FST-00020,Bow shackle 5 mm stainless,#\n")

    def test_names_prices_and_stock_are_those_of_the_system_or_an_error(self) -> None:
        self.write("lists.csv", "Price list,Item,Unit,From date,Discount %", "FLEET,FST-00020,EA,2026-07-01,12.5")
        self.write("brands.csv", "Brand code,Brand name", "ONE,Nordlys", "TWO,NORDLYS", "SKA,Skarv")
        self.json("load", "lists.csv", "brands.csv", "--yes")
        self.layout(column("code", 'field = "code"'), column("brand", 'field = "brand"', "name = true"), column("fleet", 'price_of = "FLEET"'),
                    column("there", 'field = "on_hand"'), column("made", 'make = "recommended_price"'), head=('record = "item"', "headings = false"))  # fmt: skip
        self.write("items.csv", "Item code,Brand,Price", "FST-00020,SKA,1.90", "FST-00060,TWO,")
        done = self.json("write", "items.csv", "--layout", "till", "-o", "up.csv", status=1)
        self.assertEqual([(each["kind"], each["row"]) for each in done["findings"]], [("no-name", 3), ("no-place", 0)])
        # The price in SHOP is 1.85: less 12.5 % that is 1.61875.
        self.write("items.csv", "Item code,Brand,Price", "FST-00020,SKA,1.90")
        done = self.json("write", "items.csv", "--layout", "till", "-o", "up.csv")
        self.assertIn("Standard price", done["findings"][0]["message"], "recommended_price is another field")
        self.assertEqual((self.folder / "up.csv").read_text("utf-8"), "FST-00020,Skarv,1.62,39,2.04\n")
        for source, said in (('price_of = "SHPO"', "Did you mean SHOP?"), ('stock_in = "QUY"', "Did you mean QUAY?")):
            self.layout(column("code", 'field = "code"'), column("x", source), head=('record = "item"',))
            self.assertIn(said, self.kotrel("write", "items.csv", "--layout", "till", "-o", "no.csv", status=2).stderr)

    def test_a_workbook_with_one_sheet_of_that_name(self) -> None:
        self.layout(column("Code", 'field = "code"'), column("Group", 'field = "category"', "name = true"),
                    head=('record = "item"', 'format = "workbook"', 'sheet = "Artikel"'))  # fmt: skip
        self.write("items.csv", "Item code,Description", "FST-00020,=1+1")
        [done] = self.json("write", "items.csv", "--layout", "till")["written"]
        book = openpyxl.load_workbook(self.folder / done["file"])
        self.assertEqual(book.sheetnames, ["Artikel"])
        self.assertEqual(
            [[cell.value for cell in row] for row in book["Artikel"]], [["Code", "Group"], ["FST-00020", "Shackles"]]
        )

    def test_orders_and_their_lines_are_two_sheets_of_one_workbook(self) -> None:
        def sheet(name: str, record: str, title: str, *columns: str) -> None:
            head = (f'record = "{record}"', 'format = "workbook"', f'sheet = "{title}"', 'book = "orders"')
            self.write(f"layouts/{name}.toml", *head, *columns)

        number = column("No", 'field = "number"')
        sheet("z-heads", "purchase_order", "Heads", number, column("Supplier", 'field = "vendor"', "name = true"))
        sheet("a-lines", "purchase_order_line", "Lines", column("No", 'field = "document"'), column("Line", 'field = "line"'),
              column("Article", 'field = "item"'), column("Qty", 'field = "quantity"'))  # fmt: skip
        self.write("po.csv", "Document,Vendor,Warehouse,Date,Item,Quantity", "PO-1,KELDRIFT,QUAY,2026-11-20,FST-00020,100",
                   "PO-1,KELDRIFT,QUAY,2026-11-20,FST-00060,20", "PO-2,KELDRIFT,QUAY,2026-11-21,FST-00020,2")  # fmt: skip
        done = self.json("write", "po.csv", "--layout", "orders", "--as", "purchase_order")
        self.assertEqual((done["written"], done["left_out"]), ([{"file": "po-orders.xlsx", "rows": 5}], {}))
        book = openpyxl.load_workbook(self.folder / "po-orders.xlsx")
        self.assertEqual(
            {page.title: list(page.iter_rows(values_only=True)) for page in book.worksheets},
            {
                "Heads": [("No", "Supplier"), ("PO-1", "Keldrift Cordage"), ("PO-2", "Keldrift Cordage")],
                "Lines": [("No", "Line", "Article", "Qty"), ("PO-1", "1", "FST-00020", 100), ("PO-1", "2", "FST-00060", 20),
                          ("PO-2", "1", "FST-00020", 2)],
            },
        )  # fmt: skip
        self.assertEqual(book.sheetnames, ["Heads", "Lines"])
        # A layout for the headers alone says what it does not write.
        sheet("z-heads", "purchase_order", "Heads", number)
        (self.folder / "layouts" / "z-heads.toml").write_text(
            (self.folder / "layouts" / "z-heads.toml").read_text("utf-8").replace('book = "orders"\n', ""), "utf-8"
        )
        done = self.json("write", "po.csv", "--layout", "z-heads", "--as", "purchase_order", "-o", "heads.xlsx")
        self.assertEqual((done["written"][0]["rows"], done["left_out"]), (2, {"Purchase order line": 3}))
        sheet("z-heads", "purchase_order", "lines", number)
        said = self.kotrel(
            "write", "po.csv", "--layout", "orders", "--as", "purchase_order", "-o", "x.xlsx", status=None
        ).stderr
        self.assertIn("are both the sheet", said)

    def test_a_wrong_layout_is_told_with_its_line(self) -> None:
        self.write("items.csv", "Item code,Description", "FST-00020,x")
        for settings, said in (
            ((column("A", 'feld = "code"'),), "Did you mean field?"),
            ((column("A", 'field = "cod"'),), "Did you mean code?"),
            ((column("A", 'field = "code"', 'fixed = "x"'),), "needs one of"),
            (('encoding = "cp9999"', column("A", 'field = "code"')), "no encoding"),
            (('date = "DD"', column("A", 'field = "code"')), "“date” needs"),
            ((column("A", 'make = "cots * 2"'),), "Did you mean cost?"),
            ((column("A", "make = \"'X' + next(3)\""),), "none are made here"),
            ((column("A", 'field = "code"', "decimals = 2"),), "only for numbers"),
            ((column("A", 'field = "code"', "name = true"),), "only for a field that refers"),
            ((column("A", 'field = "condition"', 'words = { nw = "N" }'),), "did you mean new?"),
            (('format = "workbook"', 'sheet = "A/B"', column("A", 'field = "code"')), "no workbook can have a sheet"),
            (('cleared = "-"', column("A", 'field = "code"')), "is for updates"),
            (('heading_lines = [["a", "b"]]', column("A", 'field = "code"')), "2 texts for 1 columns"),
        ):
            with self.subTest(settings=settings):
                self.layout(*settings, head=('record = "item"',))
                self.assertIn(said, self.kotrel("write", "items.csv", "--layout", "till", status=2).stderr)


if __name__ == "__main__":
    unittest.main()
