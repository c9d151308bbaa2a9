"""Several sheets and several files of one record are one load; what is not read is said."""

from __future__ import annotations

import shlex
import sqlite3

import openpyxl

from tests.support import Program, workbook_of

HEAD = ["Item code", "Description", "Unit", "Category", "Barcode", "Variant of"]


class Shop(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()


class SeveralSheets(Shop):
    def workbook(self, name: str, **sheets: list[list[str | None]]) -> None:
        workbook_of(self.folder / name, sheets)

    def test_all_sheets_of_a_record_are_read_and_what_is_not_is_said(self):
        self.workbook(
            "two.xlsx",
            Materials=[HEAD, ["MAT-40001", "Wire", "M", "ROPE", None, "PRD-40001"], ["MAT-40002", "Thread", "M", "ROPE", None, None]],
            Products=[HEAD, ["PRD-40001", "Sail", "EA", "CLOTHING", None, None]],
            Letter=[["Dear Marit"], ["please load these"], ["thanks"]],
        )  # fmt: skip
        told = self.json("check", "two.xlsx")
        self.assertTrue(told["ok"])
        self.assertEqual([part["rows"] for part in told["files"]], [2, 1])
        [finding] = told["findings"]
        self.assertEqual((finding["severity"], finding["kind"]), ("warning", "sheet-not-read"))
        self.assertIn("“Letter” has 2 rows", finding["message"])
        loaded = self.json("load", "two.xlsx", "--yes")
        self.assertEqual((loaded["status"], loaded["records"]["item"]["new"]), ("loaded", 3))
        rows = self.json("outcome", "L0001")["rows"]
        self.assertEqual(
            sorted((row["sheet"], row["row"], row["key"]) for row in rows),
            [("Materials", 2, "MAT-40001"), ("Materials", 3, "MAT-40002"), ("Products", 2, "PRD-40001")],
        )
        self.assertEqual(self.json("preview", "two.xlsx")["records"]["item"]["same"], 3)
        self.assertEqual(self.json("undo", "L0001", "--yes")["removed"], 3)

    def test_what_stands_on_two_sheets_is_named_on_both_and_marked_there(self):
        self.workbook(
            "two.xlsx",
            Materials=[HEAD, ["MAT-40001", "Wire", "M", "ROPE", "2010002700011", None], ["SAM-40001", "Same", "M", "ROPE", None, None]],
            Products=[HEAD, ["PRD-40001", "Sail", "EA", "CLOTHING", "2010002700011", None], ["SAM-40001", "Same", "M", "ROPE", None, None]],
        )  # fmt: skip
        told = self.json("check", "two.xlsx", "--marked", "--create", "vendor", status=1)
        found = {(f["kind"], f["cell"]) for f in told["findings"]}
        self.assertEqual(found, {
            ("shared-in-load", "Materials!E2"), ("shared-in-load", "Products!E2"),
            ("twice-in-load", "Materials!A3"), ("twice-in-load", "Products!A3"),
        })  # fmt: skip
        book = openpyxl.load_workbook(self.folder / "two.marked.xlsx")
        self.assertEqual(
            (book["Materials"]["E2"].comment is None, book["Products"]["A3"].comment is None), (False, False)
        )
        self.assertIsNone(book["Materials"]["A2"].comment)
        self.assertEqual(
            {book["Kotrel summary"].cell(line, 1).value for line in range(6, 10)}, {cell for _, cell in found}
        )
        self.kotrel("check", "two.marked.xlsx", status=1)

    def test_several_files_of_one_record_are_one_load(self):
        self.write("a.csv", "Item code,Description,Unit,Category,Variant of", "AAA-40001,One,EA,ROPE,AAA-40009")
        self.write("b.csv", "Item code,Description,Unit,Category", "AAA-40009,Nine,EA,ROPE", "AAA-40002,Two,EA,ROPE")
        self.assertEqual(self.json("load", "a.csv", "b.csv", "--yes")["records"]["item"]["new"], 3)
        self.write("c.csv", "Item code,Description,Unit,Category", "AAA-40001,Other,EA,ROPE")
        said = self.kotrel("check", "a.csv", "c.csv", status=1).stdout
        self.assertIn("twice in this load", said)
        self.assertIn("of c.csv", said)

    def test_a_sheet_that_nearly_fits_is_an_error(self):
        self.workbook(
            "two.xlsx",
            Items=[HEAD, ["MAT-40001", "Wire", "M", "ROPE", None, None]],
            More=[["Nummer", "Description", "Unit", "Category"], ["MAT-40002", "Thread", "M", "ROPE"]],
        )
        told = self.json("check", "two.xlsx", status=1)
        self.assertEqual([(f["severity"], f["kind"]) for f in told["findings"]], [("error", "sheet-nearly-fits")])
        self.assertIn("“More” has 1 row", told["findings"][0]["message"])
        self.assertTrue(self.json("check", "two.xlsx", "--sheet", "Items")["ok"])

    def test_a_narrow_sheet_is_read_where_its_record_is_named_and_rules_take_figures_from_all(self):
        costs = [["Item code", "Cost"], ["ROP-00010", "0.40"], ["ROP-00020", "0.50"]]
        self.workbook("n.xlsx", Ropes=costs, Prices=[["Item code", "Standard price"], ["CHN-00010", "18.80"]])
        [error] = [f for f in self.json("check", "n.xlsx", status=1)["findings"] if f["severity"] == "error"]
        self.assertEqual((error["kind"], "fit item" in error["message"]), ("sheet-nearly-fits", True))
        self.assertEqual([part["rows"] for part in self.json("check", "n.xlsx", "--as", "item")["files"]], [2, 1])
        self.workbook(
            "l.xlsx", Ropes=costs, Chains=[costs[0], ["CHN-00010", "8.80"], ["CHN-99990", "1"]], Words=[["a"], ["b"]]
        )
        self.write(
            "prices/l.toml",
            '[sheets.letter]\nfile = "l.xlsx"',
            '[[step]]\nname = "all"\nset = { cost = "[letter.cost]" }',
        )
        got = self.json("reprice", "l")
        self.assertEqual([(each["item"], each["new"]) for each in got["prices"]], [("CHN-00010", "8.80"), ("ROP-00010", "0.40"), ("ROP-00020", "0.50")])  # fmt: skip
        self.assertEqual((got["unknown"], ["“Words”" in each for each in got["not_read"]]), ({"letter": 1}, [True]))
        self.assertIn("“Words”", self.kotrel("reprice", "l").stdout)
        self.workbook("l2.xlsx", Ropes=[*costs, ["ROP-00030", "dear"], ["ROP-00040", "?"]])
        rules = (self.folder / "prices/l.toml").read_text("utf-8")
        self.write("prices/l2.toml", rules.replace('file = "l.xlsx"', 'file = "l2.xlsx"'))
        refused = self.kotrel("reprice", "l2", status=1).stderr
        self.assertIn("Ropes!B4 “dear” – not a number, Ropes!B5 “?” – not a number", refused)


class GoLive(Shop):
    """One workbook with a sheet for each base list, under a business's own headings."""

    def test_each_sheet_that_is_not_read_is_named_with_the_command_that_reads_it(self):
        workbook_of(
            self.folder / "go.xlsx",
            {
                "Bins": [["Warehouse", "Bin", "Name"], ["LOFT", "L-05-A", "Rack 5"]],
                "Makers": [["Vendor ref.", "Vendor name", "Street", "Town"], ["MORVEN", "Morven Sails", "4 Net Lane", "Skerrow"]],
                "Range 27": [
                    ["Art. no", "Name", "UoM", "Group", "Supplier", "Cost", "Weight kg", "Serial?"],
                    ["PMP-00010", "Bilge pump 12 V", "each", "ENGINE", "Morven Sails", 38, 1.3, "y"],
                ],
                "Packs": [["Article", "Pack", "Contains"], ["ROP-00010", "BOX", 12]],
                "Start": [["Item", "Location", "Bin", "Qty", "Cost", "Serial no"], ["PMP-00010", "LOFT", "L-05-A", 1, 38, "A1"], ["Total", None, None, 1]],
                "Parts": [["Kit", "Part", "Qty per kit"], ["PMP-00010", "ROP-00120", 3]],
            },
        )  # fmt: skip
        told = {
            each["message"].split("”")[0].partition("“")[2]: each
            for each in self.json("check", "go.xlsx", status=1)["findings"]
        }
        commands = {
            "Makers": "kotrel map go.xlsx vendor --sheet Makers", "Range 27": 'kotrel map go.xlsx item --sheet "Range 27"',
            "Packs": "kotrel map go.xlsx unit_conversion --sheet Packs", "Start": "kotrel map go.xlsx opening_stock --sheet Start",
        }  # fmt: skip
        for sheet, command in commands.items():
            with self.subTest(sheet):
                self.assertIn(command, told[sheet]["message"])
                self.assertEqual(told[sheet]["severity"], "warning" if sheet == "Packs" else "error")
        # Whoever names what is wanted of the workbook is not held up by its other sheets.
        self.assertTrue(self.json("check", "go.xlsx", "--as", "bin")["ok"])
        for command in (*commands.values(), "kotrel map go.xlsx kit_line --sheet Parts"):
            self.kotrel(*shlex.split(command)[1:], "--yes")
        done = self.json("preview", "go.xlsx")
        new = {record: counts["new"] for record, counts in done["records"].items()}
        self.assertEqual(new["item"] + new["vendor"] + new["bin"] + new["unit_conversion"] + new["kit_line"], 5)
        # What was left out of a flat sheet is reported where its rows are.
        screen = self.kotrel("check", "go.xlsx").stdout
        self.assertIn("totals row left out: row 3 “Total”", screen)
        self.assertIn("mapping go-Start", screen)
        # The unit in the heading of the weight, and that of the part: nobody typed either into a cell.
        self.assertEqual(done["findings"], [])
        self.kotrel("load", "go.xlsx", "--yes")
        units = sqlite3.connect(self.folder / "practice.db").execute(
            "SELECT weight, weight_unit, (SELECT unit FROM kit_line WHERE parent = 'PMP-00010') FROM item WHERE code = 'PMP-00010'"
        )
        self.assertEqual(units.fetchall(), [(1300, "KG", "M")])

    def test_a_row_with_an_error_is_known_by_its_name_too(self):
        self.write("vendors.csv", "Code,Name,Terms in days", "MORVEN,Morven Sails,net thirty")
        self.write(
            "i.csv",
            "Item code,Description,Unit,Category,Vendor",
            "SAL-00010,Cloth,M,ROPE,Morven Sails",
            "SAL-00020,Tape,M,ROPE,MORVEN",
        )
        found = self.json("check", "vendors.csv", "i.csv", status=1)["findings"]
        told = [(each["kind"], each["row"]) for each in found if each["record"] == "item"]
        self.assertEqual(told, [("refused-in-load", 2), ("refused-in-load", 3)])

    def test_a_column_with_the_units_of_weights_is_never_merely_left_out(self):
        practice = sqlite3.connect(self.folder / "practice.db")
        practice.execute("UPDATE item SET weight_unit = 'KG' WHERE code IN ('ROP-00010', 'ROP-00020')")
        practice.commit()
        for units, wanted in ((("g", "kg"), ["unread-limit"]), (("kg", "KG"), []), (("M", "L"), [])):
            # M and L are sizes of clothes, too; what says what the system has is right.
            head = "Item code,Weight,Fit" if "L" in units else "Item code,Weight,Weight in"
            self.write("w.csv", head, f"ROP-00010,1.2,{units[0]}", f"ROP-00020,3,{units[1]}")
            found = self.json("check", "w.csv", status=None)["findings"]
            self.assertEqual([each["kind"] for each in found if each["severity"] == "error"], wanted)

    def test_a_weight_is_in_the_unit_of_its_heading_or_it_is_asked(self):
        self.write("w.csv", "Item code,Weight (g)", "ROP-00010,400")
        practice = sqlite3.connect(self.folder / "practice.db")
        practice.execute("UPDATE item SET weight = NULL, weight_unit = NULL WHERE code = 'ROP-00010'")
        practice.commit()
        [error] = self.json("check", "w.csv", status=1)["findings"][:1]
        self.assertEqual((error["kind"], "has no weight unit" in error["message"]), ("heading-says", True))
        self.write("k.csv", "Item code,Weight,Weight unit", "ROP-00010,0.4,KG")
        self.kotrel("load", "k.csv", "--yes")
        [error] = self.json("check", "w.csv", status=1)["findings"]
        self.assertIn("the weight unit of line 2 is KG", error["message"])
        self.write("w.csv", "Item code,Weight (kg)", "ROP-00010,0.5")
        self.assertTrue(self.json("check", "w.csv")["ok"])


class Encodings(Shop):
    def test_an_encoding_that_the_user_names_and_the_match_keeps(self):
        # Read as Windows-1252, “Größe” and “½” would be other letters.
        lines = ("Artikelcode;Größe;Einheit;Gruppe", "ENC-40001;Tau ¥ Größe;M;ROPE", "")
        (self.folder / "old.csv").write_bytes("\n".join(lines).encode("mac-roman"))
        self.assertIn("cannot be read so", self.kotrel("check", "old.csv", "--encoding", "utf-8", status=3).stderr)
        self.assertIn("no encoding", self.kotrel("check", "old.csv", "--encoding", "macc", status=2).stderr)
        self.kotrel("map", "old.csv", "item", "--encoding", "mac-roman", "--name", "old")
        path = self.folder / "maps/old.toml"
        self.assertIn('encoding = "mac-roman"', path.read_text("utf-8"))
        path.write_text(
            'record = "item"\nencoding = "mac-roman"\n[field.code]\ncolumn = "Artikelcode"\n'
            '[field.description]\ncolumn = "Größe"\n[field.unit]\ncolumn = "Einheit"\n[field.category]\ncolumn = "Gruppe"\n',
            "utf-8",
        )
        self.assertEqual(self.json("load", "old.csv", "--yes")["records"]["item"]["new"], 1)
        held = self.json("export", "item", "--where", "code is 'ENC-40001'", "-o", "x.csv")
        self.assertEqual(held["files"][0]["rows"], {"item": 1})
        self.assertIn("Tau ¥ Größe", (self.folder / "x.csv").read_text("utf-8-sig"))
