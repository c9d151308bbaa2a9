"""Export, edit, load: with the installed program, and somebody else at work meanwhile."""

from __future__ import annotations

import csv

import openpyxl

from tests.cli.test_records import Shop


class RoundTrip(Shop):
    def export(self, name: str = "ropes.xlsx", record: str = "item") -> None:
        self.kotrel(
            "export",
            record,
            "-o",
            name,
            "--where",
            "category is 'ROPE-BRAID' and vendor is not blank",
            "--fields",
            "description,cost,price,note",
        )

    def edit(self, name: str, out: str, *edits: tuple[str, str, object]) -> None:
        """Edits cells of a workbook: item code, heading, value."""
        book = openpyxl.load_workbook(self.folder / name)
        sheet = book.worksheets[0]
        headings = {cell.value: cell.column for cell in sheet[1]}
        rows = {row[0].value: row[0].row for row in sheet.iter_rows(min_row=2)}
        for code, heading, value in edits:
            sheet.cell(rows[code], headings[heading]).value = value
        book.save(self.folder / out)

    def test_after_an_undo_the_same_workbook_loads_again_what_was_decided(self):
        self.export()
        self.sql("UPDATE item SET price = 4444 WHERE code = 'ROP-00020'")
        self.edit("ropes.xlsx", "back.xlsx", ("ROP-00020", "Standard price", 8.80))
        first = self.json("load", "back.xlsx", "--yes", "--clash", "sheet")["load"]
        self.assertEqual(self.value("price", "ROP-00020"), 880)
        self.assertEqual(self.json("load", "back.xlsx", "--yes", "--clash", "sheet")["status"], "nothing to do")
        self.kotrel("undo", first, "--yes")
        self.assertEqual(self.value("price", "ROP-00020"), 4444)
        self.assertEqual(self.json("load", "back.xlsx", "--yes", "--clash", "sheet")["status"], "loaded")
        self.assertEqual(self.value("price", "ROP-00020"), 880)

    def value(self, field: str, code: str):
        [(value,)] = self.sql(f"SELECT {field} FROM item WHERE code = '{code}'")
        return value

    def test_only_edited_cells_are_loaded_and_nobodys_change_is_lost(self):
        self.export()
        # Somebody else changes three values after the export.
        self.sql("UPDATE item SET cost = 55555 WHERE code = 'ROP-00010'")
        self.sql("UPDATE item SET price = 4444 WHERE code = 'ROP-00020'")
        self.sql("UPDATE item SET price = 3333 WHERE code = 'ROP-00030'")
        self.edit(
            "ropes.xlsx",
            "back.xlsx",
            ("ROP-00010", "Standard price", 9.90),
            ("ROP-00020", "Standard price", 8.80),
            ("ROP-00030", "Standard price", 33.33),
        )
        checked = self.json("check", "back.xlsx", status=1)
        [clash] = checked["findings"]
        self.assertEqual((clash["kind"], clash["cell"]), ("clash", "Item!D3"))
        for value in ("at the export", "44.44 now in the system", "8.80 in the sheet"):
            self.assertIn(value, clash["message"])
        self.kotrel("load", "back.xlsx", "--yes", status=1)
        self.kotrel("load", "back.xlsx", "--yes", "--clash", "system")
        self.assertEqual(self.value("price", "ROP-00010"), 990)
        self.assertEqual(self.value("cost", "ROP-00010"), 55555, "moved there, not edited here")
        self.assertEqual(self.value("price", "ROP-00020"), 4444, "theirs counts")
        self.kotrel("undo", "L0001", "--yes")
        loaded = self.json("load", "back.xlsx", "--yes", "--clash", "sheet")
        self.assertEqual(loaded["records"]["item"]["changed"], 2)
        self.assertEqual(self.value("price", "ROP-00020"), 880, "ours counts")

    def test_the_same_workbook_edited_and_loaded_twice_and_back(self):
        self.export()
        former = self.value("price", "ROP-00010")
        self.edit("ropes.xlsx", "one.xlsx", ("ROP-00010", "Standard price", 9.90))
        self.kotrel("load", "one.xlsx", "--yes")
        self.edit("one.xlsx", "two.xlsx", ("ROP-00010", "Standard price", 9.80))
        self.kotrel("load", "two.xlsx", "--yes")
        self.assertEqual(self.value("price", "ROP-00010"), 980)
        self.edit("two.xlsx", "three.xlsx", ("ROP-00010", "Standard price", former / 100))
        self.kotrel("load", "three.xlsx", "--yes")
        self.assertEqual(self.value("price", "ROP-00010"), former, "back to what was exported is an edit too")

    def test_a_text_file_says_which_export_it_came_from(self):
        self.export("ropes.csv")
        self.sql("UPDATE item SET cost = 55555 WHERE code = 'ROP-00010'")
        with (self.folder / "ropes.csv").open(encoding="utf-8-sig", newline="") as file:
            lines = list(csv.reader(file))
        lines[2][1] = "Edited words"
        with (self.folder / "mine.csv").open("w", encoding="utf-8", newline="") as file:
            csv.writer(file).writerows(lines)
        self.assertEqual(
            self.json("preview", "mine.csv")["records"]["item"]["changed"], 2, "two ways: it would set the cost back"
        )
        preview = self.json("preview", "mine.csv", "--since", "ropes.csv")
        self.assertEqual([(c["key"], c["field"]) for c in preview["changes"]], [("ROP-00020", "description")])
        self.assertIn("1 value changed in the system", " ".join(preview["files"][0]["remarks"]))
        self.kotrel("preview", "mine.csv", "--since", "robes.csv", status=2)

    def test_rows_deleted_delete_nothing_and_rows_added_are_new(self):
        self.export()
        book = openpyxl.load_workbook(self.folder / "ropes.xlsx")
        sheet = book.worksheets[0]
        sheet.delete_rows(2, 2)
        sheet.append(["NEW-00001", "Added below", 1, 2])
        book.save(self.folder / "back.xlsx")
        preview = self.json("preview", "back.xlsx", status=1)
        self.assertIn(
            "2 exported rows not in the sheet (ROP-00010, ROP-00020)", " ".join(preview["files"][0]["remarks"])
        )
        counts = preview["records"]["item"]
        self.assertEqual((counts["changed"], counts["refused"]), (0, 1), "the new row lacks its unit and category")

    def test_the_rest_still_knows_its_export(self):
        self.export()
        self.edit(
            "ropes.xlsx", "back.xlsx", ("ROP-00010", "Standard price", 9.90), ("ROP-00020", "Standard price", "x")
        )
        [rest] = self.json("load", "back.xlsx", "--yes", "--good-rows")["rest"]
        # While the rest is being fixed, a colleague changes the cost of the same item.
        self.sql("UPDATE item SET cost = 77777 WHERE code = 'ROP-00020'")
        self.edit(rest, "fixed.xlsx", ("ROP-00020", "Standard price", 8.80))
        loaded = self.json("load", "fixed.xlsx", "--yes")
        self.assertEqual((loaded["status"], loaded["records"]["item"]["changed"]), ("loaded", 1))
        self.assertEqual((self.value("cost", "ROP-00020"), self.value("price", "ROP-00020")), (77777, 880))

    def test_a_template_with_rows_is_an_export(self):
        self.kotrel("template", "vendor", "-o", "vendors.xlsx", "--with-rows")
        self.sql("UPDATE vendor SET city = 'Elsewhere' WHERE code = 'KELDRIFT'")
        book = openpyxl.load_workbook(self.folder / "vendors.xlsx")
        sheet = book.worksheets[0]
        column = next(cell.column for cell in sheet[1] if cell.value == "Phone")
        row = next(line[0].row for line in sheet.iter_rows(min_row=2) if line[0].value == "KELDRIFT")
        sheet.cell(row, column).value = "0123"
        book.save(self.folder / "back.xlsx")
        changed = self.json("preview", "back.xlsx")["changes"]
        self.assertEqual(
            [(each["key"], each["field"], each["after"]) for each in changed], [("KELDRIFT", "phone", "0123")]
        )


class LoadOptions(Shop):
    def test_rows_found_by_barcode_and_by_a_vendors_code(self):
        [(barcode,)] = self.sql("SELECT barcode FROM item WHERE code = 'FST-00010'")
        self.write("b.csv", "Barcode,Price", f"{barcode},77.70")
        self.kotrel("load", "b.csv", "--match-on", "barcode", "--yes")
        self.assertEqual(self.sql("SELECT price FROM item WHERE code = 'FST-00010'"), [(7770,)])
        self.write("v.csv", "Vendor,Vendor's code,Price", "KELDRIFT,KE00010,66.60", "KELDRIFT,NO-SUCH,1")
        self.assertEqual(self.errors("v.csv", "--match-on", "vendor_code"), [("not-found", 3)])
        self.sql("UPDATE item SET vendor_code = 'KE00010' WHERE code = 'ROP-00050'")
        checked = self.json("check", "v.csv", "--match-on", "vendor_code", status=1)
        twice = next(f for f in checked["findings"] if f["kind"] == "not-unique")
        self.assertEqual((twice["row"], twice["message"]), (2, "ROP-00010 and ROP-00050 both have it"))
        self.write("o.csv", "Item code,Barcode,Price", f"CHN-00020,{barcode},1")
        self.assertIn(("other-key", 2), self.errors("o.csv", "--match-on", "barcode"))
        self.kotrel("check", "o.csv", "--match-on", "barkode", status=2)

    def test_codes_in_other_capitals_are_existing_ones_only_where_somebody_says_so(self):
        self.write("low.csv", "Item code,Price", "rop-00010,77.70", "ROP00020,88.80")
        self.assertEqual(self.errors("low.csv"), [("nearly-there", 2), ("nearly-there", 3)])
        advised = next(
            line for line in self.kotrel("check", "low.csv", status=1).stdout.splitlines() if "Next:" in line
        )
        self.assertIn("kotrel check low.csv --match-on code ", advised)
        shown = self.kotrel("preview", "low.csv", "--only", "changes").stdout
        self.assertIn("2 of them have codes like existing ones: row 2 “rop-00010” like ROP-00010", shown)
        self.assertIn("Nothing to do: all rows are left out.", shown)
        shown = self.kotrel("preview", "low.csv", "--match-on", "code").stdout
        self.assertIn("2 rows found only through a repaired key", shown)
        self.kotrel("load", "low.csv", "--match-on", "code", "--yes")
        found = self.sql(
            "SELECT code, price FROM item WHERE code LIKE 'ROP%0010' OR code LIKE 'ROP%0020' ORDER BY code"
        )
        self.assertEqual(found, [("ROP-00010", 7770), ("ROP-00020", 8880)])
        self.assertEqual(self.sql("SELECT code FROM item WHERE code IN ('rop-00010', 'ROP00020')"), [])

    def errors(self, *words: str) -> list[tuple[str, int]]:
        found = self.json("check", *words, status=1)["findings"]
        return [(each["kind"], each["row"]) for each in found if each["severity"] == "error"]

    def test_blanks_and_the_word_clear(self):
        self.sql("UPDATE item SET note = 'old', size = 'L' WHERE code IN ('ROP-00010', 'ROP-00020', 'ROP-00030')")
        self.write("n.csv", "Item code,Note,Size", "ROP-00010,(clear),", "ROP-00020,,", "ROP-00030,new,XL")
        self.kotrel("load", "n.csv", "--yes")
        query = "SELECT note, size FROM item WHERE code IN ('ROP-00010', 'ROP-00020', 'ROP-00030') ORDER BY code"
        self.assertEqual(self.sql(query), [(None, "L"), ("old", "L"), ("new", "XL")])
        self.kotrel("load", "n.csv", "--yes", "--blanks", "clear")
        self.assertEqual(self.sql(query), [(None, None), (None, None), ("new", "XL")])
        self.kotrel("undo", "L0002", "--yes")
        self.assertEqual(self.sql(query), [(None, "L"), ("old", "L"), ("new", "XL")])
        self.write("c.csv", "Item code,Description,Weight", "ROP-00010,(clear),(clear)")
        checked = self.json("check", "c.csv", status=1)
        self.assertEqual(
            {(f["kind"], f["field"]) for f in checked["findings"] if f["severity"] == "error"},
            {("missing", "description"), ("not-together", "weight")},
        )

    def test_only_new_only_changes_and_which_of_two_rows(self):
        self.write(
            "m.csv",
            "Item code,Description,Unit,Category,Price",
            "NEW-00001,One,EA,ROPE,1",
            "ROP-00010,,,,5",
            "NEW-00001,Two,EA,ROPE,2",
        )
        self.kotrel("load", "m.csv", "--yes", status=1)
        told = self.json("preview", "m.csv", "--only", "changes")
        self.assertEqual(told["records"]["item"], {"new": 0, "changed": 1, "same": 0, "refused": 0})
        self.assertIn("2 rows left out, not there yet (rows 2, 4)", told["files"][0]["remarks"])
        self.kotrel("load", "m.csv", "--yes", "--only", "new", "--duplicates", "last")
        self.assertEqual(self.sql("SELECT description, price FROM item WHERE code = 'NEW-00001'"), [("Two", 200)])
        self.assertNotEqual(self.sql("SELECT price FROM item WHERE code = 'ROP-00010'"), [(500,)])

    def test_lists_are_added_to_and_taken_from_as_the_match_says(self):
        self.sql("UPDATE item SET tags = 'deck; sale' WHERE code IN ('ROP-00010', 'ROP-00020')")
        self.write("t.csv", "Article,Words", "ROP-00010,sale;new", "ROP-00020,sale;deck", "ROP-00030,new")
        for how, expected in (("add", ["deck; sale; new", "deck; sale", "new"]), ("take", ["deck", None, None])):
            self.write(
                "maps/t.toml",
                'record = "item"',
                '[field.code]\ncolumn = "Article"',
                f'[field.tags]\ncolumn = "Words"\nhow = "{how}"',
            )
            self.kotrel("load", "t.csv", "--yes")
            query = "SELECT tags FROM item WHERE code IN ('ROP-00010', 'ROP-00020', 'ROP-00030') ORDER BY code"
            self.assertEqual([tags for (tags,) in self.sql(query)], expected, how)
            self.kotrel("undo", self.json("history")["loads"][-1]["load"], "--yes")

    def test_new_values_of_a_list_are_created_when_told_and_defaults_are_shown(self):
        self.write(
            "v.csv",
            "Item code,Description,Unit,Category,Vendor",
            "NEW-00001,A raft,EA,SAFETY-RAFT,HOLM",
            "NEW-00002,A rope,M,ROPE,HOLM",
        )
        self.kotrel("load", "v.csv", "--yes", status=1)
        preview = self.json("preview", "v.csv", "--create", "vendor", "--defaults", "shop")
        self.assertEqual(preview["creates"], {"vendor": ["HOLM"]})
        given = {
            (each["field"], each["value"], each["from"]): each["rows"]
            for each in preview["defaults"]
            if each["record"] == "item"
        }
        self.assertEqual(given["serial_tracked", "yes", "rafts"], 1)
        self.assertEqual(given["serial_tracked", "no", "system"], 1)
        self.assertEqual(given["tax_class", "STD", "shop"], 2)
        self.kotrel("load", "v.csv", "--yes", "--create", "vendor", "--defaults", "shop")
        self.assertEqual(self.sql("SELECT name, archived FROM vendor WHERE code = 'HOLM'"), [("HOLM", 0)])
        self.assertEqual(
            self.sql("SELECT serial_tracked FROM item WHERE code LIKE 'NEW-%' ORDER BY code"), [(1,), (0,)]
        )

    def test_the_same_content_again_and_a_look_back(self):
        self.write("p.csv", "Item code,Price", "ROP-00010,12.00", "ROP-00020,13.00")
        [(former,)] = self.sql("SELECT price FROM item WHERE code = 'ROP-00010'")
        self.kotrel("load", "p.csv", "--yes")
        self.sql("UPDATE item SET price = 9999 WHERE code = 'ROP-00010'")
        again = self.json("load", "p.csv", "--yes")
        self.assertEqual((again["status"], again["loaded_before"]), ("nothing to do", "L0001"))
        verified = self.json("verify", "L0001", status=1)
        self.assertEqual(
            verified["differences"],
            [{"record": "item", "key": "ROP-00010", "field": "price", "sent": "12.00", "now": "99.99"}],
        )
        self.kotrel("outcome", "L0001", "--before", "before.xlsx")
        book = openpyxl.load_workbook(self.folder / "before.xlsx")
        self.assertEqual([cell.value for cell in book["Item"][2]], ["ROP-00010", former / 100])
        self.assertEqual(self.json("load", "p.csv", "--yes", "--again")["load"], "L0002")
        self.assertTrue(self.json("verify", "L0002")["ok"])
        self.kotrel("load", "before.xlsx", "--yes")
        self.assertEqual(self.sql("SELECT price FROM item WHERE code = 'ROP-00010'"), [(former,)])

    def test_good_rows_without_those_the_system_refuses(self):
        self.sql(
            "CREATE TRIGGER t BEFORE UPDATE ON item WHEN NEW.price % 1300 = 0 BEGIN SELECT RAISE(ABORT, 'unlucky'); END"
        )
        codes = [code for (code,) in self.sql("SELECT code FROM item ORDER BY code LIMIT 60")]
        lines = [f"{code},{13 if place % 2 else 14}.00" for place, code in enumerate(codes)]
        self.write("p.csv", "Item code,Price", *lines)
        loaded = self.json("load", "p.csv", "--yes", "--good-rows")
        self.assertEqual((loaded["records"]["item"]["changed"], loaded["records"]["item"]["refused"]), (30, 30))
        rows = self.json("outcome", "L0001")["rows"]
        self.assertEqual({row["outcome"] for row in rows if row["row"] % 2}, {"refused"})
        named = ",".join(f"'{code}'" for code in codes)
        self.assertEqual(self.sql(f"SELECT count(*) FROM item WHERE price = 1400 AND code IN ({named})"), [(30,)])
