"""Every master record of the trade: loaded from one workbook, held to its rules, taken back."""

from __future__ import annotations

import xlsxwriter

from kotrel.practice.items import barcode
from tests.cli.test_records import Shop

GOING_LIVE = {
    # The order of the sheets is not the order of loading.
    "Kit lines": [("Parent", "Component", "Quantity", "Unit", "Scrap %"), ("KIT-60001", "NEW-60001", 2, "EA", ""), ("KIT-60001", "NEW-60002", 5, "M", 2)],
    "Prices": [("Price list", "Item", "Unit", "Price", "Percent off"), ("YARD", "NEW-60001", "EA", 12.5, ""), ("FLEET", "NEW-60001", "EA", "", 10)],
    "Items": [
        ("Item code", "Description", "Unit", "Category", "Vendor", "Kind"),
        ("NEW-60001", "Turnbuckle", "EA", "FASTENING", "HOLMWERK", ""),
        ("NEW-60002", "Wire 5 mm", "M", "CHAIN", "HOLMWERK", ""),
        ("NEW-60003", "Hull paint, new", "TIN", "PAINT-HULL", "VELLAMAR", ""),
        ("KIT-60001", "Stay kit", "SET", "CHAIN", "", "kit"),
    ],
    "Vendors": [("Vendor code", "Vendor name", "City", "Country", "Terms in days"), ("HOLMWERK", "Holmwerk Rigging", "Holm", "ZZ", 30)],
    "Bins": [("Warehouse", "Bin", "Name"), ("LOFT", "L-99-Z", "Rack by the door")],
    "Item per warehouse": [("Item", "Warehouse", "Reorder point", "Order up to", "Default bin"), ("NEW-60001", "LOFT", 10, 40, "L-99-Z")],
    "Unit conversions": [("Item", "Unit", "Factor"), ("NEW-60002", "COIL", 200), ("NEW-60001", "BOX", 10)],
    "Item barcodes": [("Barcode", "Item", "Unit"), (barcode(950_001), "NEW-60001", "BOX")],
    "Alternative codes": [("Alternative code", "Item"), ("OLD-TB", "NEW-60001")],
    "Lots": [("Item", "Lot number", "Expires on"), ("NEW-60003", "VM-2701", "2029-01-31")],
    "Customers": [("Customer code", "Customer name", "Street", "Post code", "City"), ("C-6001", "Ondry Ferry", "Quay 2", "02230", "Ondry")],
    "Customer's price list": [("Customer", "Price list"), ("C-6001", "YARD")],
    "Operations": [("Operation code", "Name", "Work place", "Minutes"), ("RIG-STAY", "Rig a stay", "BENCH", 25)],
    "Routing": [("Item", "Step", "Operation", "Minutes"), ("KIT-60001", 10, "RIG-STAY", 25)],
    "Assets": [("Asset number", "Description", "Kind", "Place"), ("A-6001", "Wire cutter", "tool", "Rigging loft")],
    "Repair services": [("Service code", "Name", "Price", "Minutes"), ("STAY-CHECK", "Check of stays", 45, 40)],
}  # fmt: skip


class Masters(Shop):
    def workbook(self, name: str, sheets: dict) -> None:
        with xlsxwriter.Workbook(self.folder / name) as book:
            for title, lines in sheets.items():
                sheet = book.add_worksheet(title)
                for row, line in enumerate(lines):
                    sheet.write_row(row, 0, line)

    def kinds(self, *words: str) -> set[tuple[str, str, str]]:
        found = self.json("check", *words, status=1)["findings"]
        return {(each["record"], each["kind"], each["cell"]) for each in found if each["severity"] == "error"}

    def test_a_workbook_with_a_sheet_for_each_record_is_one_load(self):
        self.workbook("live.xlsx", GOING_LIVE)
        loaded = self.json("load", "live.xlsx", "--yes")
        new = {record: counts["new"] for record, counts in loaded["records"].items()}
        self.assertEqual(sum(new.values()), sum(len(lines) - 1 for lines in GOING_LIVE.values()))
        self.assertEqual(len(new), len(GOING_LIVE))
        # Worked out by hand: 200 metres at six decimals; a price without a date holds since always.
        self.assertEqual(
            self.sql("SELECT factor, base_unit FROM unit_conversion WHERE item = 'NEW-60002'"), [(200_000_000, "M")]
        )
        self.assertEqual(
            self.sql(
                "SELECT from_quantity, from_date, amount, discount_percent FROM price WHERE item = 'NEW-60001' ORDER BY 3"
            ),
            [(0, "2000-01-01", None, 10_000), (0, "2000-01-01", 125_000, None)],
        )
        self.assertEqual(
            self.sql("SELECT lot_tracked FROM item WHERE code LIKE 'NEW-6%' ORDER BY code"), [(0,), (0,), (1,)]
        )
        self.assertTrue(self.json("verify", "L0001")["ok"])
        undone = self.json("undo", "L0001", "--yes")
        self.assertEqual(undone["removed"], sum(new.values()))
        self.assertEqual(self.sql("SELECT count(*) FROM item WHERE code LIKE '%-6000_'"), [(0,)])

    def test_each_rule_is_held(self):
        self.write(
            "conv.csv", "Item,Unit,Factor,Base unit", "ROP-00010,M,1,M", "ROP-00020,BOX,100,EA", "ROP-00030,PAIR,0,M"
        )
        self.assertEqual(
            self.kinds("conv.csv", "--as", "unit_conversion"),
            {("unit_conversion", "must-differ", "line 2, column 2"), ("unit_conversion", "must-match", "line 3, column 4"),
             ("unit_conversion", "too-small", "line 4, column 3")},
        )  # fmt: skip
        self.write(
            "lots.csv", "Item,Lot number,Made on,Expires on", "ROP-00010,X1,,", "PNT-00010,X2,2026-05-02,2026-05-01"
        )
        self.assertEqual(
            self.kinds("lots.csv", "--as", "lot"),
            {("lot", "not-as-needed", "line 2, column 1"), ("lot", "wrong-order", "line 3, column 4")},
        )
        self.write(
            "prices.csv",
            "Price list,Item,Unit,Price,Percent off,From date",
            "YARD,ROP-00010,M,1.5,10,2027-01-01",
            "YARD,ROP-00020,M,,,2027-01-01",
        )
        self.assertEqual(
            self.kinds("prices.csv", "--as", "price"),
            {("price", "not-exactly-one", "line 2, column 4"), ("price", "not-exactly-one", "line 3, column 4")},
        )
        self.write(
            "levels.csv",
            "Item,Warehouse,Reorder point,Default bin",
            "ROP-00010,QUAY,1,L-01-A",
            "ROP-00020,LOFT,1,L-01-A",
        )
        checked = self.json("check", "levels.csv", status=1)
        [finding] = checked["findings"]
        self.assertEqual((finding["kind"], finding["row"]), ("not-on-list", 2))
        self.assertIn("it belongs to warehouse LOFT", finding["message"])
        [(_, parent, size, color)] = self.sql(
            "SELECT code, parent_item, size, color FROM item WHERE size = 'XL' LIMIT 1"
        )
        self.write("variant.csv", "Item code,Description,Unit,Category,Variant of,Size,Colour",
                   f"NEW-1,J,EA,CLOTHING,{parent},{size},{color}", f"NEW-2,J,EA,CLOTHING,{parent},7XL,red", f"NEW-3,J,EA,CLOTHING,{parent},7XL,red")  # fmt: skip
        self.assertEqual(
            self.kinds("variant.csv"),
            {("item", "taken", "line 2, column 7"), ("item", "shared-in-sheet", "line 3, column 7"), ("item", "shared-in-sheet", "line 4, column 7")},
        )  # fmt: skip
        [(code, barcode)] = self.sql("SELECT code, barcode FROM item WHERE barcode IS NOT NULL ORDER BY code LIMIT 1")
        self.write("codes.csv", "Barcode,Item,Unit", f"{barcode},CHN-00010,EA")
        checked = self.json("check", "codes.csv", "--as", "item_barcode", status=1)
        self.assertIn(f"Item {code} already has it", checked["findings"][0]["message"])

    def test_a_kit_that_contains_itself_is_printed_as_a_circle(self):
        # The system has KIT-00010 → SPL-00010 → a rope; the sheet closes the circle three deep.
        self.write(
            "kit.csv",
            "Parent,Component,Quantity,Unit",
            "SPL-00010,KIT-00020,1,SET",
            "KIT-00020,KIT-00010,1,SET",
            "SPL-00010,ROP-00030,1,M",
        )
        checked = self.json("check", "kit.csv", "--as", "kit_line", status=1)
        circles = [(each["row"], each["message"]) for each in checked["findings"] if each["kind"] == "circle"]
        self.assertEqual([row for row, _ in circles], [2, 3])
        self.assertEqual(circles[0][1], "SPL-00010 → KIT-00020 → KIT-00010 → SPL-00010")
        self.assertEqual(circles[1][1], "KIT-00020 → KIT-00010 → SPL-00010 → KIT-00020")

    def test_a_wrong_reference_says_whether_it_is_refused_in_this_load(self):
        self.workbook("two.xlsx", {
            "Items": [("Item code", "Description", "Unit", "Category", "Variant of"), ("NEW-1", "One", "NOUNIT", "ROPE", ""),
                      ("NEW-2", "Two", "EA", "ROPE", "NEW-1"), ("NEW-3", "Three", "EA", "ROPE", "NEW-2"), ("NEW-4", "Four", "EA", "ROPE", "")],
            "Alternative codes": [("Alternative code", "Item"), ("A1", "NEW-3"), ("A2", "NEW-9"), ("A3", "NEW-4")],
        })  # fmt: skip
        self.assertEqual(
            self.kinds("two.xlsx"),
            {("item", "not-on-list", "Items!C2"), ("item", "refused-in-load", "Items!E3"), ("item", "refused-in-load", "Items!E4"),
             ("item_code", "refused-in-load", "Alternative codes!B2"), ("item_code", "not-on-list", "Alternative codes!B3")},
        )  # fmt: skip
        loaded = self.json("load", "two.xlsx", "--good-rows", "--yes")
        self.assertEqual(
            {r: (c["new"], c["refused"]) for r, c in loaded["records"].items()}, {"item": (1, 3), "item_code": (1, 2)}
        )
        self.assertEqual(self.sql("SELECT item FROM item_code WHERE code LIKE 'A_'"), [("NEW-4",)])
        [rest] = loaded["rest"]
        # The rest, mended, is a sheet like any other: the missing unit and the missing item come with a second
        # workbook.
        self.write("units.csv", "Unit code,Unit name,Measure,Decimals", "NOUNIT,now it is one,count,0")
        self.write("nine.csv", "Item code,Description,Unit,Category", "NEW-9,Nine,EA,ROPE")
        self.kotrel("load", "nine.csv", "units.csv", "--yes")
        loaded = self.json("load", rest, "--yes")
        self.assertEqual({r: c["new"] for r, c in loaded["records"].items()}, {"item": 3, "item_code": 2})
        self.kotrel("outcome", "L0001", "--rest", "rest-again.xlsx")
        again = self.json("preview", "rest-again.xlsx")
        self.assertEqual({r: c["same"] for r, c in again["records"].items()}, {"item": 3, "item_code": 2})

    def test_pictures_have_to_be_there_and_be_pictures(self):
        folder = self.folder / "pictures"
        folder.mkdir()
        (folder / "good.png").write_bytes(b"\x89PNG\r\n\x1a\n" + b"\0" * 100)
        (folder / "huge.jpg").write_bytes(b"\xff\xd8\xff" + b"\0" * 2_000_000)
        (folder / "words.png").write_text("no picture")
        self.write(
            "p.csv",
            "Item code,Pictures",
            "ROP-00010,good.png; huge.jpg",
            "ROP-00020,words.png",
            "ROP-00030,none.png",
            "ROP-00040,../kotrel.toml",
        )
        notes = self.json("check", "p.csv")["findings"]
        self.assertEqual([(note["severity"], note["kind"]) for note in notes], [("note", "files-not-looked-at")])
        settings = self.folder / "kotrel.toml"
        settings.write_text(settings.read_text() + '\n[pictures]\nfolder = "pictures"\nat_most_mb = 1.5\n')
        self.assertEqual(
            {kind + cell[5] for _, kind, cell in self.kinds("p.csv")},
            {"file-too-large2", "no-picture3", "file-missing4", "file-missing5"},
        )
