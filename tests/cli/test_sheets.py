"""Sheets as they come, with the installed program: matched, mended, marked, taken out, compared."""

import re
import sqlite3

import openpyxl
import xlsxwriter

from kotrel.practice.items import barcode
from tests.support import Program

SUPPLIER = [
    ["Vellamar — new colours", "", "", "", "", "", "", ""],
    ["", "", "", "", "", "", "", ""],
    ["Bezeichnung", "Colour", "Einheit", "Groupe", "Strichcode", "Net cost EUR", "Dims", "Unser Code"],
    ["Hull paint", "teal", "tin of 2.5 l", "Hull paint", barcode(880001), "1.018,40", "12 cm x 8 cm", "V1"],
    ["Hull paint", "plum", "TIN", "PAINT-HULL", barcode(880002).lstrip("0"), "19,40", "10 cm x 7 cm", "V2"],
    ["Total", "", "", "", "", "1.037,80", "", ""],
]


class Sheets(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()

    def workbook(self, name, rows, sheet="Liste"):
        book = xlsxwriter.Workbook(self.folder / name)
        page = book.add_worksheet(sheet)
        for row, values in enumerate(rows):
            for column, value in enumerate(values):
                if value != "":
                    page.write(row, column, value)
        book.close()
        return name

    def item(self, where, fields):
        return (
            sqlite3.connect(self.folder / "practice.db")
            .execute(f"SELECT {fields} FROM item WHERE {where} ORDER BY code")
            .fetchall()
        )


class Matching(Sheets):
    def test_a_supplier_sheet_is_matched_edited_and_loaded(self):
        self.workbook("vellamar.xlsx", SUPPLIER)
        mapped = self.json("map", "vellamar.xlsx", "item", "--name", "vellamar")
        fed = {each["field"]: each["column"] for each in mapped["fields"]}
        self.assertEqual({name: fed.get(name) for name in ("color", "unit", "category", "barcode", "cost")},
                         {"color": "Colour", "unit": "Einheit", "category": "Groupe", "barcode": "Strichcode", "cost": "Net cost EUR"})  # fmt: skip
        # V1 and V2 look like no code of ours: which column has the code is left to people.
        self.assertEqual((mapped["missing"], fed["description"]), (["code"], "Bezeichnung"))
        self.kotrel("map", "vellamar.xlsx", "item", "--name", "vellamar", status=2)
        path = self.folder / "maps" / "vellamar.toml"
        text = path.read_text("utf-8")
        self.assertIn("% sure", text)
        text = re.sub(r'\[field.description\]\ncolumn = "Bezeichnung".*\n', "", text)
        path.write_text(
            text.replace('skip = ["Bezeichnung", "Dims"]', "skip = []") + """
[field.code]
make = "'PNT-' + next(5)"
[field.description]
join = ["Bezeichnung", "Colour"]
between = ", "
[field.length]
split = "Dims"
pattern = "{l} cm x {w} cm"
part = "l"
[field.width]
split = "Dims"
pattern = "{l} cm x {w} cm"
part = "w"
[field.height]
fixed = "5"
[field.size_unit]
fixed = "CM"
[field.lot_tracked]
default_by = "category"
defaults = { PAINT-HULL = "yes" }
[field.vendor]
fixed = "VELLAMAR"
[field.price]
make = "round(cost at margin 40%, 1)"
[field.note]
make = "'was ' + [Unser Code] + ', ' + name of unit"
""", "utf-8")  # fmt: skip
        checked = self.json("check", "vellamar.xlsx")
        self.assertIn("mapping vellamar (its headings fit)", checked["files"][0]["remarks"])
        self.assertTrue(any("Total" in remark for remark in checked["files"][0]["remarks"]))
        self.assertEqual({each["kind"] for each in checked["repairs"]}, {"name-for-code", "number-as-typed"})
        self.kotrel("load", "vellamar.xlsx", "--yes")
        # 1018.40 / 0.6 = 1697.33… → 1697.30; 19.40 / 0.6 = 32.33… → 32.30. The highest PNT code of the data is 01300.
        highest = max(int(code[4:]) for (code,) in self.item("code LIKE 'PNT-%' AND note IS NULL", "code"))
        got = self.item(
            "note LIKE 'was V%'", "code, description, cost, price, length, width, unit, category, lot_tracked, note"
        )
        self.assertEqual(got, [
            (f"PNT-{highest + 1:05}", "Hull paint, teal", 10184000, 169730, 12000, 8000, "TIN", "PAINT-HULL", 1, "was V1, tin of 2.5 l"),
            (f"PNT-{highest + 2:05}", "Hull paint, plum", 194000, 3230, 10000, 7000, "TIN", "PAINT-HULL", 1, "was V2, tin of 2.5 l"),
        ])  # fmt: skip

    def test_a_changed_heading_is_told_and_not_guessed(self):
        self.write("a.csv", "Article,Words,Einheit,Groupe,Preis,Tax", "ROP-40001,Rope,M,ROPE,5.00,STD")
        self.write("maps/mine.toml", 'record = "item"', *(f'[field.{f}]\ncolumn = "{c}"' for f, c in (
            ("code", "Article"), ("description", "Words"), ("unit", "Einheit"), ("category", "Groupe"), ("price", "Preis"))))  # fmt: skip
        self.assertEqual(self.json("preview", "a.csv")["records"]["item"]["new"], 1)
        self.write("b.csv", "Article,Words,Einheit,Groupe,Preise,Tax", "ROP-40001,Rope,M,ROPE,5.00,STD")
        told = self.kotrel("preview", "b.csv", status=2).stderr
        self.assertIn("“Preis”", told)
        told = self.kotrel("preview", "b.csv", "--map", "mine", status=2).stderr
        self.assertIn("mine.toml, line", told)
        self.assertIn("“Preise”", told)

    def test_a_wrong_match_is_told_with_its_line(self):
        self.write("a.csv", "Article,Words", "ROP-00010,Rope")
        for line, text, words in (
            (2, '[field.cod]\ncolumn = "Article"', "Did you mean code"),
            (3, '[field.code]\ncolum = "Article"', "Did you mean column"),
            (2, '[field.code]\ncolumn = "Article"\nfixed = "x"', "one of them"),
            (3, '[field.code]\nsplit = "Article"\npart = "b"\npattern = "{a}"', "{b}"),
            (1, "", "“”"),
        ):
            record = 'record = "item"' if text else 'record = ""'
            self.write("maps/bad.toml", record, text)
            done = self.kotrel("check", "a.csv", "--map", "bad", status=2)
            self.assertIn(words, done.stderr)
            if text:
                self.assertRegex(done.stderr, rf"line [{line}-5]")
        self.write(
            "maps/bad.toml", 'record = "item"', '[field.code]\ncolumn = "Article"\n[field.note]\nmake = "upper(desc)"'
        )
        self.assertIn("^", self.kotrel("check", "a.csv", "--map", "bad", status=2).stderr)

    def test_values_on_no_list_are_learned(self):
        import subprocess
        import sys

        self.write("a.csv", "Item code,Unit", "ROP-00010,Mtr")
        done = subprocess.run([sys.executable, "-m", "kotrel", "check", "a.csv", "--ask"], cwd=self.folder, input="y\n",
                              capture_output=True, encoding="utf-8", check=False, env={"PYTHONUTF8": "1", "PATH": "/usr/bin"})  # fmt: skip
        self.assertIn("Learned 1 spelling", done.stdout)
        settings = (self.folder / "kotrel.toml").read_text("utf-8")
        self.assertIn('Mtr = "M"', settings)
        self.assertIn("# Other spellings of codes", settings, "comments survive")
        self.assertTrue(self.json("check", "a.csv")["ok"])


class NoHeadings(Sheets):
    def test_a_file_without_headings_is_matched_by_letters_from_its_first_row(self):
        self.write("bare.csv", "BAR-40001;Bare one;M;ROPE;1,50", "BAR-40002;Bare two;M;ROPE;2,50")
        self.kotrel("map", "bare.csv", "item", "--heading-row", "0", "--name", "bare")
        path = self.folder / "maps/bare.toml"
        saved = path.read_text("utf-8")
        self.assertIn("heading_row = 0", saved)
        self.assertIn("# undecided: A", saved)
        # Words that are different in every row are the name of an item; which number its cost is, only a person knows.
        self.assertIn('[field.description]\ncolumn = "=B"', saved)
        self.assertIn("# undecided: E", saved)
        path.write_text(saved + '[field.code]\ncolumn = "=A"\n', "utf-8")
        self.assertEqual(self.json("load", "bare.csv", "--map", "bare", "--yes")["records"]["item"]["new"], 2)
        path.write_text(saved.replace("heading_row = 0", "heading_row = -1"), "utf-8")
        self.assertIn("line 5", self.kotrel("check", "bare.csv", "--map", "bare", status=2).stderr)


class Damage(Sheets):
    def test_a_sheet_with_all_that_goes_wrong(self):
        self.write(
            "base.csv",
            "Item code,Description,Unit,Category",
            "00012,Zeros,M,ROPE",
            "1E5,Expo,M,ROPE",
            "3-12,Dated,M,ROPE",
        )
        self.kotrel("load", "base.csv", "--yes")
        book = xlsxwriter.Workbook(self.folder / "hurt.xlsx")
        sheet = book.add_worksheet("Data")
        day = book.add_format({"num_format": "d-mmm"})
        sheet.write_row(0, 0, ["Item\ncode", "Unit", "Price", "Barcode", "Notes "])
        sheet.write_row(1, 0, [12, "Metre", "€ 1.234,50", 12345678905])
        sheet.write_row(2, 0, [100000, "m", "(0,50)-", 4.01234e12])
        sheet.write_row(3, 0, ["ROР-00010", "M\u00a0", 0.3, "4.01234E+12", "GrÃ¶ÃŸe"])
        from datetime import date

        sheet.write_datetime(4, 0, date(2026, 12, 3), day)
        sheet.write_formula(4, 2, "=1/0", None, "#DIV/0!")
        struck = book.add_format({"font_strikeout": True})
        sheet.write(3, 2, 0.3, struck)
        sheet.write_row(5, 0, ["FST-00060", "EA", 5], struck)
        sheet.set_row(2, None, None, {"hidden": True})
        sheet.set_column(4, 5, None, None, {"hidden": True})
        book.add_worksheet("Other").write(0, 0, "nothing to see")
        book.close()
        (self.folder / "~$hurt.xlsx").write_bytes(b"x")
        checked = self.json("check", "hurt.xlsx", status=1)
        self.assertEqual(
            {(each["cell"], each["kind"]) for each in checked["findings"]},
            {
                ("Data!C3", "not-a-number"),
                ("Data!D2", "barcode-length"),
                ("Data!D3", "check-digit"),
                ("Data!D4", "digits-lost"),
                ("Data!D4", "barcode-with-letters"),
                ("Data!C5", "error-value"),
                ("Data!C4", "struck-through"),
                ("Data!C4", "below-cost"),  # 0.30, and rope of 0.3968 a metre
                ("Data, row 6", "struck-through"),
                ("Data, row 3", "hidden-row"),
                ("column E", "hidden-column"),
            },
        )
        repairs = {(each["cell"], each["after"]) for each in checked["repairs"]}
        self.assertEqual(
            repairs,
            {("Data!A2", "00012"), ("Data!A3", "1E5"), ("Data!A4", "ROP-00010"), ("Data!A5", "3-12"), ("Data!B2", "M"), ("Data!B3", "M"),
             ("Data!B4", "M"), ("Data!C2", "1234.50"), ("Data!E4", "Größe")},
        )  # fmt: skip
        self.assertTrue(all(each["proof"] for each in checked["repairs"]))
        said = " ".join(checked["files"][0]["remarks"])
        for words in ("Other", "open in another program"):
            self.assertIn(words, said)

    def test_headings_over_two_rows_totals_and_several_sheets(self):
        self.workbook(
            "two.xlsx",
            [
                ["Item code", "Prices", "", "Tax"],
                ["", "cost", "recommended price", ""],
                ["ROP-00010", 0.5, 1.5, "STD"],
                ["ROP-00020", 0.6, 1.6, "STD"],
                ["Total", 1.1, 3.1, ""],
            ],
        )
        preview = self.json("preview", "two.xlsx")
        self.assertEqual({each["field"] for each in preview["changes"]}, {"cost", "recommended_price"})
        book = openpyxl.Workbook()
        for name in ("March", "April"):
            page = book.create_sheet(name)
            page.append(["Item code", "Price"])
            page.append(["ROP-00010", 1])
        book.save(self.folder / "both.xlsx")
        told = self.json("check", "both.xlsx", status=1)
        self.assertEqual({each["kind"] for each in told["findings"]}, {"twice-in-load"})
        self.assertTrue(self.json("check", "both.xlsx", "--sheet", "april")["ok"])


class MarkedCopies(Sheets):
    def test_the_users_workbook_marked_and_checked_again(self):
        book = openpyxl.Workbook()
        page = book.active
        page.title = "Prices"
        page.append(["Item code", "Price", "Double"])
        for row, (code, price) in enumerate((("ROP-00010", "x"), ("ROP-00020", 0.8), ("NEW-1", 1)), start=2):
            page.append([code, price, f"=B{row}*2"])
        page["B3"].number_format = "0.000"
        page.column_dimensions["A"].width = 33
        from openpyxl.worksheet.datavalidation import DataValidation

        rule = DataValidation(type="list", formula1='"a,b"')
        page.add_data_validation(rule)
        rule.add("D2")
        book.create_sheet("Untouched").append(["keep", "me"])
        book.save(self.folder / "p.xlsx")
        before = (self.folder / "p.xlsx").read_bytes()
        self.assertEqual(self.json("check", "p.xlsx", "--marked", status=1)["marked"], ["p.marked.xlsx"])
        self.assertEqual((self.folder / "p.xlsx").read_bytes(), before, "the user's file is never touched")
        marked = openpyxl.load_workbook(self.folder / "p.marked.xlsx")
        self.assertEqual(marked.sheetnames, ["Kotrel summary", "Prices", "Untouched"])
        page = marked["Prices"]
        self.assertIn("not a number", page["B2"].comment.text)
        self.assertNotEqual(page["B2"].fill.start_color.rgb, page["B3"].fill.start_color.rgb)
        self.assertEqual(
            (page["C2"].value, page["B3"].number_format, page.column_dimensions["A"].width), ("=B2*2", "0.000", 33)
        )
        self.assertEqual(page.data_validations.dataValidation[0].formula1, '"a,b"')
        self.assertIn("Standard", [cell.value for cell in page[1]][-1] + "Standard")
        page["B2"] = 0.75
        for column in ("Description", "Unit", "Category"):
            page.cell(1, page.max_column + 1, column)
        page.cell(4, 5, "Rope"), page.cell(4, 6, "M"), page.cell(4, 7, "ROPE")
        page.delete_cols(3)
        marked.save(self.folder / "p.marked.xlsx")
        again = self.json("check", "p.marked.xlsx")
        self.assertEqual((again["ok"], again["rows"]), (True, 3))

    def test_what_a_copy_would_lose_goes_into_a_workbook_of_its_own(self):
        book = xlsxwriter.Workbook(self.folder / "chart.xlsx")
        sheet = book.add_worksheet("S")
        sheet.write_row(0, 0, ["Item code", "Price"])
        sheet.write_row(1, 0, ["ROP-00010", "x"])
        chart = book.add_chart({"type": "line"})
        chart.add_series({"values": "=S!$B$2:$B$2"})
        sheet.insert_chart("D2", chart)
        book.close()
        done = self.kotrel("check", "chart.xlsx", "--marked", "out.xlsx", status=1)
        self.assertIn("charts", done.stdout)
        self.assertEqual(self.json("check", "out.xlsx", status=1)["counts"]["error"], 1)
        self.kotrel("check", "chart.xlsx", "--marked", "out.xlsx", status=2)

    def test_a_text_file_gets_a_marked_workbook(self):
        self.write("t.csv", "Item code;Price;Note", "ROP-00010;x;=1+1", "00012;5;y")
        self.kotrel("check", "t.csv", "--marked", status=1)
        page = openpyxl.load_workbook(self.folder / "t.marked.xlsx")["Rows"]
        self.assertEqual([cell.value for cell in page[2]][:3], ["ROP-00010", "x", "=1+1"])
        self.assertEqual((page["C2"].data_type, page["A3"].value), ("s", "00012"))
