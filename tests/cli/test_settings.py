"""``kotrel settings``: written as workbooks, edited as people do, read back."""

from pathlib import Path

import openpyxl

from tests.support import Program

MAP = """\
# Keldrift writes to us twice a year.
record = "item"
skip = ["Page"] # never of use

# their own number
[field.code]
column = "No."

[field.cost] # dealer net
column = "Net"
default = "1.00"
"""
RULES = """\
# Rope first.
[[step]]
name = "rope"
where = "category begins with 'ROPE'"
set = { SHOP = "SHOP + 4%" }

# Then chain.
[[step]]
name = "chain"
set = { SHOP = "SHOP + 9%" }
"""


class Settings(Program):
    def setUp(self) -> None:
        super().setUp()
        self.start_shop()
        self.map = self.write("maps/keldrift.toml", *MAP.splitlines())
        self.rules = self.write("prices/spring.toml", *RULES.splitlines())

    def edit(self, name: str, *cells: tuple[str, str, object], copy: str = "") -> str:
        book = openpyxl.load_workbook(self.folder / name)
        for sheet, cell, value in cells:
            book[sheet][cell] = value  # type: ignore[index]
        book.save(self.folder / (copy or name))
        return copy or name

    def text(self, path: Path) -> str:
        return path.read_text("utf-8")

    def test_every_settings_file_is_listed_with_its_last_use_and_what_is_wrong(self) -> None:
        self.write("new.csv", "No.,Net,Page", "ROP-00010,2.50,1")
        self.json("check", "new.csv")
        self.write("maps/broken.toml", 'record = "item"', "[field.cots]", 'column = "X"')
        listed = {each["file"]: each for each in self.json("settings", status=1)["settings"]}
        self.assertEqual(
            set(listed), {"kotrel.toml", "system.toml", "maps/keldrift.toml", "maps/broken.toml", "prices/spring.toml"}
        )
        self.assertTrue(listed["maps/keldrift.toml"]["used_for"].endswith("new.csv"))
        self.assertIn("no field “cots”", listed["maps/broken.toml"]["problem"])
        self.assertIn("maps/broken.toml is wrong", self.kotrel("settings", status=1).stdout)

    def test_a_mapping_is_edited_and_its_comments_stay(self) -> None:
        self.write("new.csv", "No.,Net,Text,Page", "ROP-00010,2.50,Rope red,1", "ROP-00020,3.50,Rope blue,2")
        self.json("check", "new.csv")
        self.json("settings", "mapping", "keldrift")
        before = self.text(self.map)
        self.assertEqual(self.json("settings", "keldrift-mapping.xlsx", "--yes")["changes"], [])
        self.assertEqual(self.text(self.map), before)
        page = openpyxl.load_workbook(self.folder / "keldrift-mapping.xlsx")["Columns"]
        rows = [[cell.value for cell in row[1:6]] for row in page.iter_rows(min_row=4, max_row=6)]
        self.assertEqual(rows, [
            ["No.", "ROP-00010, ROP-00020", "code", None, None], ["Net", "2.50, 3.50", "cost", None, "1.00"], ["Text", "Rope red, Rope blue", None, None, None],
        ])  # fmt: skip
        self.edit(
            "keldrift-mapping.xlsx",
            ("Columns", "D5", "price"),
            ("Columns", "D6", "description"),
            ("Columns", "F5", None),
            ("Sheet", "C5", "Page\nLine"),
        )
        shown = self.kotrel("settings", "keldrift-mapping.xlsx").stdout
        self.assertIn("Nothing was written.", shown)
        self.assertEqual(self.text(self.map), before)
        done = self.json("settings", "keldrift-mapping.xlsx", "--yes")
        self.assertEqual({each["cell"]: each["after"] for each in done["changes"]},
                         {"Columns!D5": "price", "Columns!D6": "column = Text", "Columns!F5": None, "Sheet!C5": "Page\nLine"})  # fmt: skip
        wanted = (
            MAP.replace('["Page"]', '["Page", "Line"]')
            .replace("field.cost", "field.price")
            .replace('default = "1.00"\n', "")
        )
        self.assertEqual(self.text(self.map), wanted + '\n[field.description]\ncolumn = "Text"\n')
        # Read back once more, it has been done already.
        self.assertEqual(self.json("settings", "keldrift-mapping.xlsx", "--yes")["written"], [])

    def test_what_is_wrong_is_told_at_its_cell_and_nothing_is_written(self) -> None:
        self.json("settings", "mapping", "keldrift")
        self.edit(
            "keldrift-mapping.xlsx",
            ("Columns", "D5", "cots"),
            ("Columns", "G4", "number([No.]) *"),
            ("Sheet", "C11", "dayy"),
            ("Columns", "D8", "code"),
        )
        found = self.json("settings", "keldrift-mapping.xlsx", "--yes", status=1)
        cells = {each["cell"] for each in found["problems"]}
        self.assertEqual(cells, {"Columns!G4", "Columns!D8"})
        self.edit("keldrift-mapping.xlsx", ("Columns", "G4", None), ("Columns", "D8", None))
        found = self.json("settings", "keldrift-mapping.xlsx", "--yes", status=1)
        self.assertEqual({each["cell"] for each in found["problems"]}, {"Columns!D5", "Sheet!C11"})
        self.assertEqual(self.text(self.map), MAP)

    def test_what_somebody_else_changed_meanwhile_is_a_clash(self) -> None:
        self.json("settings", "mapping", "keldrift")
        self.map.write_text(MAP.replace('"1.00"', '"2.00"').replace('"Net"', '"Dealer net"'), "utf-8")
        self.edit("keldrift-mapping.xlsx", ("Columns", "F5", "3.00"))
        found = self.json("settings", "keldrift-mapping.xlsx", "--yes", status=1)
        self.assertEqual(
            [(each["was"], each["now"], each["wanted"]) for each in found["clashes"]], [("1.00", "2.00", "3.00")]
        )
        # Another value of the same file is still compared by itself.
        self.edit("keldrift-mapping.xlsx", ("Columns", "F5", "1.00"), ("Columns", "D4", "barcode"))
        self.json("settings", "keldrift-mapping.xlsx", "--yes")
        self.assertIn("[field.barcode]", self.text(self.map))
        self.assertIn('"2.00"', self.text(self.map))

    def test_steps_change_places_and_take_their_comments_along(self) -> None:
        self.json("settings", "prices", "spring")
        book = openpyxl.load_workbook(self.folder / "spring-price-rules.xlsx")
        page = book["Steps"]
        first, second = ([cell.value for cell in page[row]] for row in (4, 5))
        for row, values in ((4, second), (5, [None, "hose", None, "SHOP = SHOP + 2%"]), (6, first)):
            for column, value in enumerate(values, start=1):
                page.cell(row, column).value = value
        book.save(self.folder / "spring-price-rules.xlsx")
        self.json("settings", "spring-price-rules.xlsx", "--yes")
        rope, chain = RULES[: RULES.index("\n# Then")], RULES[RULES.index("\n# Then") :]
        self.assertEqual(
            self.text(self.rules), chain + '\n[[step]]\nname = "hose"\nset = { SHOP = "SHOP + 2%" }\n' + rope
        )

    def test_other_spellings_are_corrected_in_one_sheet(self) -> None:
        settings = self.folder / "kotrel.toml"
        settings.write_text(self.text(settings).replace("# stk =", 'metre = "M"\nstk ='), "utf-8")
        self.map.write_text(MAP + '\n[field.unit]\ncolumn = "ME"\ntranslate = { Rolle = "M" }\n', "utf-8")
        self.json("settings", "spellings")
        self.edit("spellings.xlsx", ("Other spellings", "D5", "M"), ("Other spellings", "C6", "Coil"), ("Other spellings", "B7", "kotrel.toml: unit"),
                  ("Other spellings", "C7", "pc"), ("Other spellings", "D7", "EA"))  # fmt: skip
        self.assertEqual(
            set(self.json("settings", "spellings.xlsx", "--yes")["written"]), {"kotrel.toml", "maps/keldrift.toml"}
        )
        self.assertIn('metre = "M"\nstk = "M"\npc = "EA"', self.text(settings))
        self.assertIn('translate = { Coil = "M" }', self.text(self.map))

    def test_fields_of_the_system_and_the_workspace(self) -> None:
        self.json("settings", "system")
        book = openpyxl.load_workbook(self.folder / "system.xlsx")
        page = book["Fields"]
        at = {(row[1].value, row[2].value): row[0].row for row in page.iter_rows(min_row=4)}
        head = {cell.value: cell.column_letter for cell in page[3]}
        row = at["item", "note"]
        page[f"{head['Length']}{row}"] = 500
        page[f"{head['Synonyms']}{row}"] = "hint\nremark"
        book.save(self.folder / "system.xlsx")
        before = self.text(self.folder / "system.toml")
        done = self.json("settings", "system.xlsx", "--yes")
        self.assertEqual(
            {each["setting"] for each in done["changes"]},
            {"record item field note: length", "record item field note: synonyms"},
        )
        after = self.text(self.folder / "system.toml")
        self.assertEqual(
            sum(one != other for one, other in zip(before.splitlines(), after.splitlines(), strict=True)), 2
        )
        self.json("settings", "workspace")
        page = openpyxl.load_workbook(self.folder / "workspace.xlsx")["Settings"]
        row = next(line[0].row for line in page.iter_rows(min_row=4) if line[2].value == "Closed until")
        self.edit("workspace.xlsx", ("Settings", f"D{row}", "2026-10-31"))
        self.json("settings", "workspace.xlsx", "--yes")
        self.assertIn("[stock]\nclosed_until = 2026-10-31", self.text(self.folder / "kotrel.toml"))

    def test_what_is_no_workbook_of_settings(self) -> None:
        self.write("x.csv", "a,b")
        self.assertIn("not an .xlsx workbook", self.json("settings", "x.csv", status=2)["error"]["message"])
        self.kotrel("export", "unit", "-o", "units.xlsx")
        self.assertEqual(self.json("settings", "units.xlsx", status=2)["error"]["kind"], "not-settings")
        self.assertIn("Did you mean mapping?", self.json("settings", "maping", status=2)["error"]["hint"])
