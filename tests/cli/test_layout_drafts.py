"""Layouts drafted from other programs' own files: twelve files unlike one another, what feeds their columns,
and the proof.
"""

from __future__ import annotations

import sys
import tomllib
import unittest
from datetime import date
from typing import Any

import openpyxl
from openpyxl.cell.rich_text import CellRichText, TextBlock
from openpyxl.cell.text import InlineFont
from openpyxl.styles import Font
from openpyxl.worksheet.datavalidation import DataValidation

from tests.cli.test_terminal import talk
from tests.support import Program, workbook_of

ITEM = ("code", "description", "unit", "price")
TEXTS: dict[str, tuple[bytes, tuple[str | None, ...]]] = {
    # A till: code page, semicolons, decimal commas, and what happens to the row.
    "till.csv": (
        "Action;ArtNo;Description;Unit;Price;Obsolete\r\nN;FST-00020;Bow shackle, blå;EA;12,50;N\r\nU;FST-00060;Shackle;EA;3,10;J\r\n".encode("cp1252"),
        ("action", "code", "description", "unit", "price", "archived"),
    ),
    # A web shop: a mark, quotes around everything, a line of data types, a fixed word; nothing of ours feeds the first
    # day.
    "webshop.csv": (
        '\ufeff"SKU","Name","Price","Launch date","Channel"\n"C20","C40","N8.2","D10","C5"\n'
        '"FST-00020","Bow “big”","12.50","03/04/2027","B2B"\n"FST-00060","Shackle","3.10","04/05/2027","B2B"\n'.encode(),
        ("code", "description", "price", None, "fixed"),
    ),
    # Three lines about the columns, and a version above them that is shorter than the others.
    "three.csv": (
        b"Version;7\r\nItem number;Item text;Sales unit;List price;Lot\r\nmandatory;mandatory;mandatory;optional;optional\r\n"
        b"char(20);char(40);char(3);num(9,2);char(1)\r\nkey;as printed;see list;without tax;J or N\r\n"
        b"FST-00020;Bow shackle;EA;12,50;N\r\nFST-00060;Shackle;EA;3,00;J\r\n",
        ("code", "description", "unit", "price", "lot_tracked"),
    ),
    # Without headings: only the unit is known by what stands there.
    "host.dat": (
        b"ITM|FST-00020|Bow shackle|EA|25122026\r\nITM|FST-00060|Shackle|EA|05012027\r\n",
        ("fixed", None, None, "unit", None),
    ),
    "pos.txt": (b"FST-00020\tBow shackle\tEA\t12.5\nFST-00060\tShackle\tEA\t3\n", (None, None, "unit", None)),
    # The opposite of a field of ours, names for codes, and separators within quotes.
    "active.csv": (
        b'code,description,unit,category,active\nFST-00020,"Bow, ""A""",EA,Shackles,Y\nFST-00060,Shackle,EA,Shackles,N\n',
        ("code", "description", "unit", "category", "archived"),
    ),
    "aktiv.csv": (b"ArtNr;Name;Aktiv\r\nFST-00020;Bow;J\r\nFST-00060;Ring;J\r\n", ("code", "description", "archived")),
    "old.txt": ("Code\tDescription\tUnit\r\nFST-00020\tBow shackle ø5\tEA\r\n".encode("utf-16"), ("code", "description", "unit")),
}  # fmt: skip


class LayoutDrafts(Program):
    def setUp(self) -> None:
        super().setUp()
        self.start_shop()

    def drafted(self, file: str, record: str = "item", *options: str, status: int | None = None) -> dict[str, Any]:
        return self.json("layout", file, record, *options, status=status)

    def feeds(self, done: dict[str, Any]) -> tuple[str | None, ...]:
        """What feeds each column: a field, another source, or None where it is open."""
        found: list[str | None] = []
        for each in done["columns"]:
            settings = each["settings"]
            found.append(
                settings["field"]["value"]
                if "field" in settings
                else next(iter({"action", "fixed", "empty"} & set(settings)), None)
            )
        return tuple(found)  # fmt: skip

    def test_text_files_come_out_byte_for_byte_or_say_which_columns_are_open(self) -> None:
        for name, (raw, truth) in TEXTS.items():
            with self.subTest(file=name):
                (self.folder / name).write_bytes(raw)
                done = self.drafted(name, status=1 if None in truth else 0)
                self.assertEqual(self.feeds(done), truth)
                proof = done["proof"]
                self.assertEqual(proof["same"], None not in truth, proof)
                still = {each["letter"] for each, feed in zip(done["columns"], truth, strict=True) if feed is None}
                self.assertEqual({each["cell"].rstrip("0123456789") for each in proof["differences"]}, still)
        saved = tomllib.loads((self.folder / "layouts/active.toml").read_text("utf-8"))
        # Who is active is not archived.
        self.assertEqual(saved["column"][4]["words"], {"yes": "N", "no": "Y"})
        aktiv = tomllib.loads((self.folder / "layouts/aktiv.toml").read_text("utf-8"))
        self.assertEqual(aktiv["column"][2]["words"], {"yes": "N", "no": "J"})
        three = tomllib.loads((self.folder / "layouts/three.toml").read_text("utf-8"))
        self.assertEqual((three["lines_above"], len(three["heading_lines"])), ([["Version", "7"]], 3))
        self.assertEqual(
            [(each.get("must"), each.get("length")) for each in three["column"]],
            [(True, 20), (True, 40), (True, 3), (None, None), (None, 1)],
        )

    def test_workbooks_come_out_cell_by_cell(self) -> None:
        heads = ["Article no.*", "Article name*", "Unit*", "Group", "Sales price", "Lot controlled"]
        portal = workbook_of(
            self.folder / "portal.xlsx",
            {
                "Read me": [["How to fill this workbook"]],
                "Items": [heads, ["FST-00020", "Bow", "Each", "Shackles", 12.5, "Yes"]],
                "Lists": [["Each"], ["Metre"]],
            },
        )
        portal["Items"]["E2"].number_format = "0.00"
        units = DataValidation(type="list", formula1="Lists!$A$1:$A$2")
        units.add("C2:C500")
        portal["Items"].add_data_validation(units)
        portal["Lists"].sheet_state = "hidden"
        portal["Read me"]["A1"] = CellRichText("How to fill ", TextBlock(InlineFont(b=True), "this"), " workbook")
        portal.save(self.folder / "portal.xlsx")
        bare = workbook_of(
            self.folder / "group.xlsx",
            {
                "Articles": [["Item code", "Description", "Base unit", "Standard price"]],
                "Prices": [["Price list", "Item", "Unit", "Price"]],
            },
        )
        for cell in bare["Articles"][1][:3]:
            cell.font = Font(bold=True)
        bare.save(self.folder / "group.xlsx")
        coded = [
            ["Code", "Name", "Price", "Discontinued"],
            ["FST-00020", "Bow", "12.50", 0],
            ["FST-00060", "Ring", "3.10", 1],
        ]
        workbook_of(self.folder / "erp.xlsx", {"Data": coded})
        lines = [
            ["Item import"],
            ["v 3.1"],
            ["Item", "Text 1", "Unit", "Purchase price"],
            ["FST-00020", "Bow", "EA", 7.2],
        ]
        workbook_of(self.folder / "warehouse.xlsx", {"Info": [["Export"]], "Stock items": lines, "Codes": [["EA"]]})
        day = ["SHOP", "FST-00020", "EA", 2.5, date(2027, 3, 1)]
        workbook_of(self.folder / "periods.xlsx", {"P": [["Price list", "Item", "Unit", "Price", "Valid from"], day]})
        truth = {
            ("portal.xlsx", "item"): ("code", "description", "unit", "category", "price", "lot_tracked"),
            ("group.xlsx", "item"): ITEM,
            ("erp.xlsx", "item"): ("code", "description", "price", "archived"),
            ("warehouse.xlsx", "item"): ("code", "description", "unit", "cost"),
            ("periods.xlsx", "price"): ("price_list", "item", "unit", "amount", "from_date"),
        }
        for (name, record), fed in truth.items():
            with self.subTest(file=name):
                done = self.drafted(name, record, status=0)
                self.assertEqual(self.feeds(done), fed)
                self.assertEqual(done["proof"] and done["proof"]["same"], None if name == "group.xlsx" else True)
        [bold] = [each["column"] for each in [tomllib.loads((self.folder / "layouts/group.toml").read_text("utf-8"))]]
        self.assertEqual([each.get("must") for each in bold], [True, True, True, None])
        # Their own words for our units, and a copy of the template with our rows in place of the example.
        self.drafted("group.xlsx", "price", "--sheet", "Prices", "--name", "group-prices")
        self.write("in.csv", "Item code,Description,Base unit,Category,Standard price", "ROP-40001,=1+1,M,ROPE,1.5",
                   "FST-00020,,,,1.95")  # fmt: skip
        self.json("write", "in.csv", "--layout", "portal")
        filled = openpyxl.load_workbook(self.folder / "in-portal.xlsx")
        self.assertEqual(
            list(filled["Items"].iter_rows(min_row=2, values_only=True)),
            [("ROP-40001", "=1+1", "Metre", "Rope", 1.5, "No"), ("FST-00020", "Bow shackle 5 mm stainless", "Each", "Shackles", 1.95, "No")],
        )  # fmt: skip
        self.assertEqual(filled["Items"]["B2"].data_type, "s", "a text never becomes a formula")
        self.assertEqual([cell.number_format for cell in filled["Items"]["E"]][1:], ["0.00", "0.00"])
        whole = openpyxl.load_workbook(self.folder / "in-portal.xlsx", rich_text=True)
        self.assertEqual(whole["Read me"]["A1"].value[1].font.b, True, "letters in bold stay so")
        self.assertEqual((filled["Lists"].sheet_state, filled["Read me"]["A1"].value), ("hidden", "How to fill this workbook"))  # fmt: skip
        self.assertEqual(str(filled["Items"].data_validations.dataValidation[0].sqref), "C2:C500")
        said = self.kotrel("write", "in.csv", "--layout", "portal", "-o", "sell.xls", status=2).stderr
        self.assertIn("would not be what its ending says", said)

    def test_what_does_not_come_out_is_told_with_its_reason(self) -> None:
        self.write("their.csv", "Item;Description;Price", "FST-00020;Bow;1.234,50", "FST-00060;Shackle;3,10")
        done = self.drafted("their.csv", status=1)
        [lost] = done["proof"]["differences"]
        self.assertEqual((lost["cell"], lost["theirs"], lost["column"]), ("C2", "1.234,50", "Price"))
        self.assertIn("no number with the decimal mark ,", lost["why"])
        # Corrected by hand, it is proved again, and never drafted over.
        path = self.folder / "layouts/their.toml"
        path.write_text(path.read_text("utf-8").replace('field = "price"', 'field = "note"'), "utf-8")
        self.assertTrue(self.drafted("their.csv", status=0)["proof"]["same"])
        self.assertIn("is for item", self.kotrel("layout", "their.csv", "price", status=2).stderr)
        # What a heading says is never taken as it stands.
        self.write("per.csv", "Item code,Description,Cost (per 100),Note \x1b", "FST-00020,Bow,150.00,")
        done = self.drafted("per.csv", status=1)
        self.assertEqual(done["open"], ["C"])
        self.assertIn('make = "cost * 100"', (self.folder / "layouts/per.toml").read_text("utf-8"))
        self.write("in.csv", "Item code,Cost", "FST-00020,1.5")
        self.assertIn("column 3", self.kotrel("write", "in.csv", "--layout", "per", status=2).stderr)
        self.write("none.csv", "Weather;Wind", "rain;5")
        self.assertIn("looks like", self.kotrel("layout", "none.csv", "item", status=2).stderr)

    def test_templates_among_a_programs_lists_are_no_lists_and_are_offered(self) -> None:
        (self.folder / "exports").mkdir()
        self.write("exports/items.csv", "Item code,Description,Price", "A-1,Rope,1.50", "A-2,Chain,2.50")
        self.write("exports/upload-template.csv", "Item code;Description;Price;Channel", "X-1;Example;1,00;")
        shown = self.kotrel("init", "desk", "--system", "folder:exports", "--learn").stdout
        offered = "layout exports/upload-template.csv items"
        self.assertIn(offered, " ".join(shown.split()))
        self.assertNotIn("[record.upload", (self.folder / "desk/system.toml").read_text("utf-8"))
        done = self.json("-w", "desk", *offered.split())
        # Its example row is nothing that the program holds.
        rows = {each["file"]: each["rows"] for each in self.json("-w", "desk", "lists")["lists"]}
        self.assertEqual(rows, {"items.csv": 2, "upload-template.csv": 0})
        self.assertEqual(
            (self.feeds(done), done["proof"]["same"]), (("item_code", "description", "price", "empty"), True)
        )

    def test_a_list_is_written_anew_unless_somebody_changed_it(self) -> None:
        self.write("stock-list.csv", "Art. no.,Unit,SHOP price,Stock QUAY", "FST-00010,EA,9.99,1")
        done = self.drafted("stock-list.csv", status=0)
        self.assertEqual(
            [(key, setting["value"]) for each in done["columns"][2:] for key, setting in each["settings"].items() if key != "decimals"],
            [("price_of", "SHOP"), ("stock_in", "QUAY")],
        )  # fmt: skip
        self.assertEqual(done["proof"]["untried"], ["SHOP price", "Stock QUAY"])
        self.write("shop-items.csv", "Item code", "FST-00020")
        again = ("write", "shop-items.csv", "--layout", "stock-list", "-o", "out.csv")
        self.json(*again)
        # 1.85 in SHOP, 39 in QUAY.
        self.assertEqual((self.folder / "out.csv").read_bytes(), b"Art. no.,Unit,SHOP price,Stock QUAY\nFST-00020,EA,1.85,39\n")  # fmt: skip
        self.write("rise.csv", "Price list,Item,Unit,From date,Price", "SHOP,FST-00020,EA,2026-11-01,2.05")
        self.json("load", "rise.csv", "--yes")
        self.assertIn("already exists", self.kotrel(*again, status=2).stderr)
        self.json(*again, "--refresh")
        self.assertIn("2.05", (self.folder / "out.csv").read_text("utf-8"))
        self.write("out.csv", "my own")
        self.assertIn("would lose what is in it", self.kotrel(*again, "--refresh", status=2).stderr)

    def test_what_can_be_read_in_two_ways_is_open_and_never_the_first_of_them(self) -> None:
        lines = ("SHOP;FST-00020;EA;1,234;03/04/2027", "SHOP;FST-00060;EA;2,500;04/05/2027")
        self.write("two.csv", "Price list;Item;Unit;Price;Valid from", *lines)
        done = self.drafted("two.csv", "price", status=1)
        self.assertEqual(
            (done["open"], [set(done["settings"]) & {"date", "decimal_mark", "decimals"}]), (["D", "E"], [set()])
        )
        # A day after the twelfth, and a price with two decimals: now the file shows both.
        self.write("one.csv", "Price list;Item;Unit;Price;Valid from", *lines, "SHOP;FST-00010;EA;3,50;31/05/2027")
        done = self.drafted("one.csv", "price", status=1)
        shown = {key: done["settings"][key]["value"] for key in ("date", "decimal_mark")}
        self.assertEqual((shown, done["open"]), ({"date": "DD/MM/YYYY", "decimal_mark": ","}, []))
        # 2,500 has zeros that a number without fixed decimals loses.
        self.assertEqual([each["cell"] for each in done["proof"]["differences"]], ["D3", "D4"])
        # Decided in an editor that puts a mark before the text, it is proved; another file's columns are not.
        path = self.folder / "layouts/two.toml"
        text = path.read_text("utf-8").replace(
            'record = "price"', 'record = "price"\ndate = "DD/MM/YYYY"\ndecimal_mark = ","'
        )
        text = text.replace('heading = "Price"\n', 'heading = "Price"\nfield = "amount"\ndecimals = 3\n')
        path.write_text(text.replace('"Valid from"', '"Valid from"\nfield = "from_date"'), "utf-8-sig")
        self.assertTrue(self.drafted("two.csv", "price", status=0)["proof"]["same"])
        self.write("less.csv", "Price list;Item;Unit", "SHOP;FST-00020;EA")
        done = self.drafted("less.csv", "price", "--name", "two", status=1)
        self.assertEqual(done["proof"]["form"], ["the layout has 5 columns, and their file 3"])

    def test_a_column_in_which_no_word_is_ours_is_open(self) -> None:
        self.write("theirs.csv", "code,description,uom", "FST-00020,Bow shackle,PCS", "ROP-00010,Rope,MTR")
        done = self.drafted("theirs.csv", "item", status=1)
        self.assertEqual((done["open"], done["columns"][2]["unknown"]), (["C"], ["PCS", "MTR"]))
        self.write("ours.csv", "Item code", "FST-00020")
        refused = self.kotrel("write", "ours.csv", "--layout", "theirs", "-o", "out.csv", status=2)
        self.assertIn("column 3 “uom” is still open", refused.stderr)
        # One of them is ours: so may be the others, and they are named.
        self.write("some.csv", "code,description,uom", "FST-00020,Bow shackle,EA", "ROP-00010,Rope,MTR")
        done = self.drafted("some.csv", "item", status=0)
        self.assertEqual((done["open"], done["questions"]), ([], ["Column uom: not among ours: MTR"]))

    @unittest.skipIf(sys.platform == "win32", "needs a pseudo-terminal")
    def test_on_a_terminal_it_asks_what_their_words_are(self) -> None:
        self.write("theirs.csv", "code,description,uom", "FST-00020,Bow shackle,PCS", "ROP-00010,Rope,MTR")
        status, shown = talk(self.folder, ("layout", "theirs.csv", "item"), "EA", "M", asks=b"\r\n> ")
        self.assertEqual(status, 0, shown)
        column = tomllib.loads((self.folder / "layouts/theirs.toml").read_text("utf-8"))["column"][2]
        self.assertEqual((column["field"], column["words"]), ("unit", {"EA": "PCS", "M": "MTR"}))

    @unittest.skipIf(sys.platform == "win32", "needs a pseudo-terminal")
    def test_on_a_terminal_it_asks_until_the_file_comes_out(self) -> None:
        for name in ("host.dat", "webshop.csv"):
            (self.folder / name).write_bytes(TEXTS[name][0])
        status, shown = talk(
            self.folder, ("layout", "host.dat", "item"), "", "cod", "code", "description", "", "q", asks=b"\r\n> "
        )
        self.assertEqual(status, 0, shown)
        self.assertIn("Saved as layouts/host.toml. It has the answers so far.", shown)
        # Their last column is a day of their own: it stays empty, which the proof says.
        status, shown = talk(self.folder, ("layout", "host.dat", "item"), "", asks=b"\r\n> ")
        self.assertIn("Columns that do not come out: “column E”", shown)
        self.assertNotIn("column B", shown)
        status, shown = talk(self.folder, ("layout", "webshop.csv", "item"), "= 03/04/2027", "", asks=b"\r\n> ")
        self.assertIn("04/05/2027", shown)
        self.assertEqual(status, 1, shown)


if __name__ == "__main__":
    unittest.main()
