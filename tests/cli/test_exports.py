"""What goes out, with the installed program: exports, templates, prepared sheets."""

import zipfile

import openpyxl

from tests.cli.test_sheets import Sheets


class Exports(Sheets):
    def test_an_export_comes_back_unchanged_from_every_format(self):
        self.write(
            "odd.csv",
            "Item code,Description,Unit,Category,Note,Cost",
            "00012,=1+1,M,ROPE,@sum,0.1234",
            '1E5,-5,M,ROPE,"a;b ""c""",12',
        )
        self.kotrel("load", "odd.csv", "--yes")
        for name in ("a.xlsx", "a.ods", "a.csv", "a.tsv"):
            with self.subTest(name):
                [exported] = self.json("export", "item", "-o", name)["files"]
                self.assertEqual(exported["rows"], {"item": 1202})
                got = self.json("preview", name)
                self.assertEqual(
                    got["records"]["item"], {"new": 0, "changed": 0, "same": 1202, "refused": 0}, got["changes"]
                )
                self.assertTrue((self.folder / ".kotrel" / "exports" / exported["export"] / "item.rows").is_file())
        self.assertIn(b"'=1+1", (self.folder / "a.csv").read_bytes(), "no program shall take it for a formula")
        cells = openpyxl.load_workbook(self.folder / "a.xlsx")["Item"]
        self.assertEqual((cells["A2"].value, cells["A2"].number_format), ("00012", "@"))
        self.kotrel("export", "item", "-o", "a.xlsx", status=2)

    def test_chosen_fields_of_chosen_rows_in_order(self):
        self.kotrel(
            "export",
            "item",
            "-o",
            "e.csv",
            "--fields",
            "description,price",
            "--where",
            "category begins with 'SAFETY' and price > 900",
            "--sort",
            "price down",
            "--with-names",
        )
        lines = (self.folder / "e.csv").read_text("utf-8-sig").splitlines()
        self.assertEqual(lines[0], "Item code,Description,Standard price")
        prices = [row[0] for row in self.item("category LIKE 'SAFETY%' AND price > 90000", "price")]
        self.assertEqual([round(float(line.split(",")[-1]) * 100) for line in lines[1:]], sorted(prices, reverse=True))
        for words, hint in (
            (("--fields", "prize"), "price"),
            (("--where", "prize > 1"), "price"),
            (("--sort", "prize"), "price"),
        ):
            self.assertIn(hint, self.kotrel("export", "item", "-o", "x.csv", *words, status=2).stderr)

    def test_a_template_guides_and_what_is_filled_in_is_loaded(self):
        self.kotrel("template", "category", "item", "-o", "t.xlsx")
        book = openpyxl.load_workbook(self.folder / "t.xlsx")
        self.assertEqual(book.sheetnames, ["Category", "Item", "Kotrel guide", "Kotrel lists"])
        page = book["Item"]
        headings = {cell.value: cell.column for cell in page[1]}
        self.assertNotIn("On hand", headings, "what the system keeps is not asked for")
        rules = {str(rule.sqref).split(":")[0]: rule.formula1 for rule in page.data_validations.dataValidation}
        unit = page.cell(2, headings["Base unit"]).coordinate
        self.assertIn("Kotrel lists", rules[unit])
        for title, text in (("Item code", "00077"), ("Description", "Rope"), ("Base unit", "M"), ("Category", "ROPE")):
            page.cell(2, headings[title], text)
        book.save(self.folder / "t.xlsx")
        self.assertEqual(
            self.json("preview", "t.xlsx")["records"], {"item": {"new": 1, "changed": 0, "same": 0, "refused": 0}}
        )
        self.kotrel("template", "unit", "-o", "u.csv")
        self.assertIn("must be filled", (self.folder / "u.guide.txt").read_text("utf-8"))

    def test_an_export_is_added_to_a_copy_of_a_workbook(self):
        self.workbook("mine.xlsx", [["keep"]], "Mine")
        self.kotrel("export", "unit", "-o", "both.xlsx", "--into", "mine.xlsx")
        book = openpyxl.load_workbook(self.folder / "both.xlsx")
        self.assertEqual(
            (book.sheetnames, book["Mine"]["A1"].value, book["Unit"]["A1"].value), (["Mine", "Unit"], "keep", "Code")
        )

    def test_a_prepared_sheet_is_clean(self):
        self.write("raw.csv", "Article;Unit;Price;Lots", "ROP-00010;Metre;€ 1.234,50;ja", "ROP-00020;m;0,75;x")
        self.kotrel("prepare", "raw.csv", "-o", "clean.csv")
        self.assertEqual((self.folder / "clean.csv").read_text("utf-8-sig").splitlines(),
                         ["Item code,Base unit,Standard price,Lot tracked", "ROP-00010,M,1234.50,yes", "ROP-00020,M,0.75,yes"])  # fmt: skip
        self.assertEqual(self.json("check", "clean.csv")["repairs"], [])

    def test_what_is_wrong_stays_wrong_in_a_prepared_sheet(self):
        book = openpyxl.Workbook()
        for line in (
            ["Item code", "Description", "Unit", "Category", "Cost", "Manufacturer's part number"],
            ["PRP-00001", "digits", "M", "ROPE", 2.5, 2012345678901234567], ["PRP-00002", "dollars", "M", "ROPE", 2.5, "x"],
            ["PRP-00003", "error", "M", "ROPE", "#N/A", "x"], ["PRP-00004", "formula", "M", "ROPE", "=1+1", "x"],
            ["PRP-00005", "a date", "M", "ROPE", 1, 45000], ["PRP-00006", "per cent", "M", "ROPE", 0.125, "x"],
            ["PRP-00007", "yes", "M", "ROPE", 1, True], ["PRP-00008", "words", "M", "NOPE", "lots", "x"],
            ["PRP-00009", "fine", "M", "ROPE", 1, "x"],
        ):  # fmt: skip
            book.active.append(line)
        for cell, code in (("E3", '"USD" 0.00'), ("F6", "dd/mm/yyyy"), ("E7", "0.0%")):
            book.active[cell].number_format = code
        book.save(self.folder / "p.xlsx")

        def wrong(name):
            told = self.json("check", name, status=1)["findings"]
            return {each["row"] for each in told if each["severity"] == "error" and each["row"]}

        self.assertEqual(wrong("p.xlsx"), set(range(2, 10)))
        for name in ("a.xlsx", "a.ods", "a.csv"):
            self.kotrel("prepare", "p.xlsx", "-o", name, status=1)
            self.assertEqual(wrong(name), set(range(2, 10)), name)
        self.assertIn("#N/A 12.5 %", (self.folder / "a.csv").read_text("utf-8-sig"))
        # What concerns the whole sheet, its rows could not show.
        self.write("usd.csv", "Item code,Cost (USD)", "ROP-00010,2.50")
        self.assertIn("USD", self.kotrel("prepare", "usd.csv", "-o", "eur.csv", status=1).stderr)
        self.assertFalse((self.folder / "eur.csv").exists())

    def test_a_name_changed_beside_its_code_is_told(self):
        self.kotrel(
            "export",
            "item",
            "-o",
            "n.xlsx",
            "--fields",
            "brand",
            "--with-names",
            "--where",
            "code is one of ('CHN-00350', 'CHN-00360', 'CHN-00370')",
        )
        book = openpyxl.load_workbook(self.folder / "n.xlsx")
        page = book.worksheets[0]
        self.assertEqual([cell.value for cell in page[1]], ["Item code", "Brand", "Name of brand"])
        self.assertTrue(page["B4"].value and page["C4"].value)
        page["C2"], page["B3"], page["C4"] = "Keldrift", "KELD", "  "
        book.save(self.folder / "n.xlsx")
        # Beside a code that was changed too, the name is only old; without a name, nothing is said of the code.
        found = self.json("check", "n.xlsx")["findings"]
        self.assertEqual(
            [(each["severity"], each["kind"], each["cell"]) for each in found], [("warning", "name-only", "Item!C2")]
        )

    def test_a_text_file_made_from_a_workbook_is_no_master(self):
        rows = [["Item code", "Standard price"], ["ROP-00010", "1.50"]]
        self.workbook("m.xlsx", rows)
        self.kotrel("prepare", "m.xlsx", "-o", "m.csv")
        self.assertEqual(self.json("check", "m.csv")["findings"], [])
        text = (self.folder / "m.csv").read_text("utf-8-sig")
        self.write("m.csv", text.replace("1.50", "1.70").rstrip())
        [edited] = self.json("check", "m.csv")["findings"]
        self.assertEqual(
            (edited["severity"], edited["kind"], "edit m.xlsx instead" in edited["message"]),
            ("warning", "edited-text", True),
        )
        self.workbook("m.xlsx", [*rows, ["ROP-00020", "1.60"]])
        self.assertEqual(
            [each["kind"] for each in self.json("check", "m.csv")["findings"]], ["edited-text", "outdated-text"]
        )
        # A damaged note says nothing.
        for note in (self.folder / ".kotrel" / "made").iterdir():
            note.write_text("[", "utf-8")
        self.assertEqual(self.json("check", "m.csv")["findings"], [])

    def test_a_stamp_is_inside_the_workbook(self):
        [exported] = self.json("export", "unit", "-o", "s.xlsx")["files"]
        with zipfile.ZipFile(self.folder / "s.xlsx") as book:
            self.assertIn(exported["export"], book.read("docProps/custom.xml").decode())
