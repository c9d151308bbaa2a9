"""Cells that are written again (refused rows, marks in a workbook of their own) are read as they were."""

import tempfile
import unittest
from pathlib import Path

import openpyxl
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.tables.cell_formats import format_code, kinds_as_shown
from kotrel.core.tables.number_display import Shown, masked
from kotrel.loading.sheets_in.sheet_reading import tables_of
from kotrel.sheets.copied_cells import CellsAgain
from kotrel.sheets.ooxml.number_formats import shown_by
from kotrel.sheets.opening_files import open_sheets
from tests.support import Program

FORMATS = {
    "A2": "000000", "A3": '"IT-"0000', "B2": "0.0%", "B3": "0%", "C2": "[$$-409]#,##0.00", "C3": '"USD" 0.00',
    "D2": "0.00", "D3": "General", "E2": "dd/mm/yyyy",
}  # fmt: skip


def table_of(path):
    return tables_of(open_sheets(path), None)[0]


class CellsWrittenAgain(unittest.TestCase):
    @given(
        st.one_of(
            st.tuples(st.integers(0, 6), st.booleans(), st.just(""), st.just("")),
            st.tuples(st.integers(0, 4), st.just(False), st.just(""), st.sampled_from(["€", "$", "£", "USD", "EUR"])),
            st.tuples(
                st.just(0), st.just(False), st.sampled_from(["000", "00\\-000", "\\I\\T\\-0000", "\\A#"]), st.just("")
            ),
        ).map(lambda parts: Shown(*parts))
    )
    def test_a_format_says_how_a_number_is_shown(self, how):
        self.assertEqual(shown_by(format_code(how)), how)

    def test_what_a_file_itself_says_is_a_format_too(self):
        for held, shown in (("1234", "001234"), ("7", "IT-007"), ("12345", "12-345")):
            code = format_code(Shown(0, text=shown))
            self.assertEqual(masked(held, shown_by(code).mask), shown)

    def test_cells_come_back_as_they_were(self):
        with tempfile.TemporaryDirectory() as folder:
            book = openpyxl.Workbook()
            for line in (
                ("code", "part", "cost", "size", "day", "on"),
                (1234, 0.125, 2.5, 1.5, 45000, True),
                (7, 0.5, 3, "x", "=1", "#N/A"),
            ):
                book.active.append(line)
            for cell, code in FORMATS.items():
                book.active[cell].number_format = code
            book.save(Path(folder) / "a.xlsx")
            table = table_of(Path(folder) / "a.xlsx")
            again = xlsxwriter.Workbook(Path(folder) / "b.xlsx")
            sheet = again.add_worksheet()
            writer = CellsAgain(again)
            for place, column in enumerate(table.columns):
                sheet.write_string(0, place, column.heading)
                kinds = kinds_as_shown(table, column.letter)
                for row, (value, kind) in enumerate(zip(table.cells[column.letter], kinds, strict=True), start=1):
                    writer.write(sheet, row, place, value, kind, "#FFC7CE" if row == 2 else "")
            again.close()
            back = table_of(Path(folder) / "b.xlsx")
            for column in table.columns[:4]:
                self.assertEqual(back.cells[column.letter].to_list(), table.cells[column.letter].to_list())
                self.assertEqual(
                    kinds_as_shown(back, column.letter).to_list()[0].split()[0],
                    kinds_as_shown(table, column.letter).to_list()[0].split()[0],
                )
                self.assertEqual(back.formats.of(column.letter).get(2), table.formats.of(column.letter).get(2))
            self.assertEqual((back.cells["E"][0], back.cells["F"].to_list()), (table.cells["E"][0], ["TRUE", "#N/A"]))
            # A formula that was never calculated is an error, and no text.
            self.assertEqual((table.kind_is("E", "uncalculated")[1], back.cells["E"][1]), (True, "#N/A"))


class RefusedRows(Program):
    def test_what_is_handed_back_is_read_as_it_was(self):
        self.start_shop()
        book = openpyxl.Workbook()
        for line in (
            ["Item code", "Description", "Unit", "Category", "Cost", "Manufacturer's part number"],
            [1234, "a", "M", "NOPE", 1, 2012345678901234567],
            [77, "b", "M", "ROPE", 2],
            ["REST-00001", "c", "M", "ROPE", 3],
        ):
            book.active.append(line)
        book.active["A2"].number_format = book.active["A3"].number_format = "000000"
        book.active["E3"].number_format = '"USD" 0.00'
        book.save(self.folder / "r.xlsx")
        self.assertEqual(
            self.json("load", "r.xlsx", "--good-rows", "--yes", "--new-codes", "all")["records"]["item"]["new"], 1
        )
        self.kotrel("outcome", "L0001", "--rest", "again.xlsx")
        for name in ("r.rest.xlsx", "again.xlsx"):
            told = self.json("check", name, status=1)
            self.assertEqual([each["after"] for each in told["repairs"]], ["001234", "000077"], name)
            self.assertLessEqual(
                {("not-on-list", 2), ("other-currency", 3), ("digits-lost", 2)},
                {(each["kind"], each["row"]) for each in told["findings"]},
            )

    def test_what_is_handed_back_keeps_its_guards_and_its_export(self):
        self.start_shop()
        items = "code is one of ('CHN-00350', 'CHN-00370')"
        self.write("prices/up.toml", "from_date = 2027-02-01", '[[step]]\nname = "all"', f'where = "{items}"',
                   'set = { SHOP = "if code is \'CHN-00350\' then SHOP + 30% else SHOP + 1%" }', '[guards]\nmost_up = "5%"')  # fmt: skip
        self.kotrel("reprice", "up", "-o", "new.xlsx", status=1)
        self.kotrel("export", "item", "-o", "items.xlsx", "--fields", "cost", "--where", items)
        book = openpyxl.load_workbook(self.folder / "items.xlsx")
        column = {cell.value: cell.column for cell in book.worksheets[0][1]}["Cost"]
        for row in (2, 3):
            book.worksheets[0].cell(row, column).value = row
        book.save(self.folder / "items.xlsx")
        self.write("others.csv", "Item code,Cost", "CHN-00350,7.77")
        self.kotrel("load", "others.csv", "--yes")
        for name, kind in (("new", "up-too-far"), ("items", "clash")):
            done = self.json("load", f"{name}.xlsx", "--good-rows", "--yes")
            self.kotrel("outcome", done["load"], "--rest", f"{name}-again.xlsx")
            for rest in (f"{name}.rest.xlsx", f"{name}-again.xlsx"):
                told = self.json("check", rest, status=1)["findings"]
                self.assertIn(kind, {each["kind"] for each in told if each["severity"] == "error"}, rest)

    def test_a_guarded_text_is_its_text_in_a_workbook(self):
        self.start_shop()
        self.write(
            "g.csv", "Item code,Description,Unit,Category,Note", "GRD-00001,x,M,NOPE,'=1+1", "GRD-00002,x,M,ROPE,y"
        )
        self.kotrel("load", "g.csv", "--good-rows", "--yes", "--new-codes", "all")
        self.kotrel("check", "g.csv", "--marked", status=1)
        for name in ("g.rest.xlsx", "g.marked.xlsx"):
            page = openpyxl.load_workbook(self.folder / name).worksheets[-1]
            self.assertEqual(page["E2"].value, "=1+1", name)
            self.assertEqual(page["E2"].data_type, "s", name)
