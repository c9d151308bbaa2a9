"""Files as they come: every format gives the same cells, and nothing in them is lost."""

import tempfile
import unittest
import zipfile
from datetime import datetime
from pathlib import Path
from unittest.mock import patch

import openpyxl
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.errors import KotrelError, OutOfReach
from kotrel.sheets.ooxml import sheet_xml
from kotrel.sheets.ooxml.stamps import UNREADABLE, stamp_of
from kotrel.sheets.opening_files import open_sheets


class Files(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def text(self, raw: bytes, name: str = "a.csv"):
        path = self.folder / name
        path.write_bytes(raw)
        [grid] = open_sheets(path)
        return grid


class TextFiles(Files):
    def test_separators_line_ends_and_code_pages(self):
        want = [("Artikel", "Größe €"), ("00123", "1,5")]
        for separator in (";", "\t", "|"):
            for end in ("\n", "\r\n", "\r"):
                text = end.join(separator.join(row) for row in want) + end
                for encoding in ("utf-8", "utf-8-sig", "utf-16", "cp1252"):
                    with self.subTest(separator=separator, end=end, encoding=encoding):
                        self.assertEqual(self.text(text.encode(encoding)).cells.rows(), want)

    def test_a_told_separator_and_quoted_values(self):
        grid = self.text(b'sep=;\na;b\n"x;""y""\nz";2\n3;4\n')
        self.assertEqual(grid.cells.rows(), [("a", "b"), ('x;"y"\nz', "2"), ("3", "4")])
        self.assertEqual(grid.lines.to_list(), [2, 3, 5], "a value with a line break moves the lines after it")

    def test_lines_with_too_many_or_too_few_columns_are_named(self):
        grid = self.text(b"Title\na,b,c\n1,2,3\n1,2\n1,2,3,4\n,,\n")
        self.assertEqual(grid.ragged, ((4, 2), (5, 4)))
        self.assertEqual(grid.cells.rows()[2][:3], ("1", "2", "3"))

    @given(
        st.lists(
            st.lists(
                st.text(
                    st.characters(codec="utf-8", exclude_characters="\r\x00\ufeff", exclude_categories=("Cs",)),
                    max_size=8,
                ),
                min_size=2,
                max_size=2,
            ),
            min_size=1,
            max_size=5,
        )
    )
    def test_every_value_comes_back(self, rows):
        import csv
        import io

        out = io.StringIO()
        csv.writer(out, lineterminator="\n", quoting=csv.QUOTE_ALL).writerows([["h1", "h2"], *rows])
        cells = self.text(out.getvalue().encode()).cells
        self.assertEqual([[value or "" for value in row] for row in cells.select("A", "B").rows()][1:], rows)

    def test_lines_that_stand_in_quotes_as_a_whole(self):
        said = ("each whole line was in quotes: read without them",)
        for raw, cells in (
            (b'"a;b"\r\n"1;2"\r\n', [("a", "b"), ("1", "2")]), (b'"a,""b, c"""\n"1,""x, y"""\n"2,z"\n', [("a", "b, c"), ("1", "x, y"), ("2", "z")]),
        ):  # fmt: skip
            grid = self.text(raw)
            self.assertEqual((grid.cells.rows(), grid.remarks), (cells, said))
        for raw in (b'"Mill, Jane"\n"Smith, John"\n', b'"name"\n"Smith, John"\n', b'"a,b"\n"1,2,3"\n', b'"a,b"\n'):
            self.assertEqual((self.text(raw).cells.width, self.text(raw).remarks), (1, ()))


class Workbooks(Files):
    def test_every_kind_of_cell_keeps_its_kind(self):
        path = self.folder / "a.xlsx"
        book = xlsxwriter.Workbook(path)
        sheet = book.add_worksheet("S")
        day = book.add_format({"num_format": "yyyy-mm-dd"})
        sheet.write_row(0, 0, ["code", 2012345678901, 18.4, True])
        sheet.write_datetime(1, 0, datetime(2026, 12, 3), day)
        sheet.write_formula(1, 1, "=NA()", None, "#N/A")
        sheet.write_formula(1, 2, "=1/0", None, "#DIV/0!")
        sheet.write_string(1, 3, "00123")
        book.close()
        [grid] = open_sheets(path)
        self.assertEqual(
            grid.cells.rows(), [("code", "2012345678901", "18.4", "TRUE"), ("2026-12-03", "#N/A", "#DIV/0!", "00123")]
        )
        kinds = [[kind] * 2 if isinstance(kind := grid.kinds[letter], str) else kind.to_list() for letter in "ABCD"]
        self.assertEqual(kinds, [["text", "date"], ["number", "error"], ["number", "error"], ["yes_no", "text"]])

    def test_a_formula_that_was_never_worked_out_is_told(self):
        path = self.folder / "a.xlsx"
        book = openpyxl.Workbook()
        book.active.append(["a", "=1+1"])
        book.save(path)
        self.assertEqual(open_sheets(path)[0].kinds["B"].to_list(), ["uncalculated"])

    def test_a_sheet_is_searched_the_same_wherever_it_is_cut(self):
        path = self.folder / "a.xlsx"
        book = xlsxwriter.Workbook(path)
        sheet, grey = book.add_worksheet("S"), book.add_format({"bg_color": "#eeeeee"})
        sheet.write_row(0, 0, ["code", "cost"])
        sheet.write_formula(1, 1, "=NA()", None, "#N/A")
        sheet.write_formula(2, 0, "=1+1", None, "")
        sheet.set_row(3, None, None, {"hidden": True})
        sheet.set_column(1, 1, None, None, {"hidden": True})
        for row in range(3, 20):
            sheet.write_blank(row, 0, None, grey)
        sheet.write_formula(20, 1, "=1/0", None, "#DIV/0!")
        book.close()
        with zipfile.ZipFile(path) as archive:
            part = "xl/worksheets/sheet1.xml"
            for size in (*range(250, 280), 1 << 20):
                with (
                    self.subTest(size),
                    patch.object(sheet_xml, "_CHUNK", size),
                    patch.object(sheet_xml, "_parsed", side_effect=AssertionError),
                ):
                    found = sheet_xml.search_sheet(archive, part, False)
                    self.assertEqual(
                        {place: each.text for place, each in found.cells.items()},
                        {(1, 1): "#N/A", (2, 0): "formula", (20, 1): "#DIV/0!"},
                    )
                    self.assertEqual((found.hidden, found.columns), ([4], [(1, 1)]))


class Troubles(Files):
    def test_what_is_wrong_with_a_file_is_said(self):
        whole = self.folder / "whole.xlsx"
        book = xlsxwriter.Workbook(whole)
        book.add_worksheet().write_row(0, 0, ["a", "b"])
        book.close()
        raw = whole.read_bytes()
        cases = {
            "cut.xlsx": (raw[: len(raw) // 2], "damaged-file"),
            "text.xlsx": (b"a\n", "not-what-its-ending-says"),
            "page.xls": (b"\xef\xbb\xbf\r\n<HTML><table>", "not-what-its-ending-says"),
            "page.csv": ("<!DOCTYPE html>".encode("utf-16"), "not-what-its-ending-says"),
            "page.txt": (b'<?xml version="1.0"?><html>', "not-what-its-ending-says"),
            "x.xls": (b'<?xml version="1.0"?><Workbook>', "damaged-file"),
            "y.xls": (b'<?xml version="1.0"?><Workbook/>', "not-what-its-ending-says"),
            "entities.xml": (
                b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><x>&b;</x>',
                "damaged-file",
            ),
            "locked.xlsx": (bytes.fromhex("d0cf11e0a1b11ae1") + bytes(600), "password-protected"),
            "empty.csv": (b"", "empty-file"),
            "picture.png": (b"\x89PNG\r\n\x1a\n\x00\x00", "unknown-file"),
        }
        for name, (content, kind) in cases.items():
            with self.subTest(name), self.assertRaises(OutOfReach) as caught:
                self.text(content, name)
            self.assertEqual(caught.exception.kind, kind, name)
            self.assertTrue(caught.exception.hint)
        with self.assertRaises(OutOfReach):
            open_sheets(self.folder)
        with self.assertRaises(KotrelError) as caught:
            open_sheets(self.folder / "whole.xslx")
        self.assertIn("whole.xlsx", caught.exception.hint)


PAGE = """<html xmlns:x="urn:schemas-microsoft-com:office:excel"><body><table><tr><td>
<table><caption>Range</caption><tr><th>Code</th><th>Name</th><th>Cost</th></tr>
<tr><td rowspan=2>A1</td><td>Rope &amp; line</td><td x:num="0.12345">0.12</td></tr><tr><td>Größe</td><td>2,50</td></tr></table>
</td></tr></table><script>alert(1)</script></body></html>"""
BOOK_XML = """<?xml version="1.0"?><Workbook xmlns="urn:schemas-microsoft-com:office:spreadsheet" xmlns:ss="urn:schemas-microsoft-com:office:spreadsheet">
<Worksheet ss:Name="One"><Table><Row><Cell><Data ss:Type="String">Code</Data></Cell><Cell ss:Index="3"><Data ss:Type="String">Since</Data></Cell></Row>
<Row ss:Index="3"><Cell><Data ss:Type="String">007</Data></Cell><Cell ss:Index="3"><Data ss:Type="DateTime">2027-03-01T00:00:00.000</Data></Cell></Row></Table></Worksheet>
<Worksheet ss:Name="Two"><Table><Row><Cell><Data ss:Type="Number">1.5E2</Data></Cell><Cell><Data ss:Type="Error">#N/A</Data></Cell></Row></Table></Worksheet></Workbook>"""


class Disguised(Files):
    """Files that are not what their ending says are read as what they are, and that is said."""

    def sheets(self, content: bytes, name: str):
        (self.folder / name).write_bytes(content)
        return open_sheets(self.folder / name)

    def test_pages_xml_text_and_workbooks_under_other_names(self):
        [grid] = self.sheets(PAGE.encode("cp1252"), "range.xls")
        self.assertEqual(
            grid.cells.rows(), [("Code", "Name", "Cost"), ("A1", "Rope & line", "0.12345"), (None, "Größe", "2,50")]
        )
        self.assertEqual((grid.name, grid.kinds["C"].to_list()), ("Range", ["text", "number", "text"]))
        one, two = self.sheets(BOOK_XML.encode(), "book.xls")
        self.assertEqual(one.cells.rows(), [("Code", None, "Since"), (None, None, None), ("007", None, "2027-03-01")])
        self.assertEqual(
            (one.kinds["C"].to_list()[-1], two.cells.rows(), two.kinds["B"].to_list()),
            ("date", [("150", "#N/A")], ["error"]),
        )
        [grid] = self.sheets(b"a\tb\n1\t2\n", "tab.xls")
        self.assertEqual(grid.cells.rows(), [("a", "b"), ("1", "2")])
        whole = self.folder / "whole.xlsx"
        with xlsxwriter.Workbook(whole) as book:
            book.add_worksheet("S").write_row(0, 0, ["a", "00123"])
        for name in ("book.csv", "old.xls", "free.ods"):
            [grid] = self.sheets(whole.read_bytes(), name)
            self.assertEqual((grid.name, grid.cells.rows()), ("S", [("a", "00123")]), name)
            self.assertIn("although its name ends in", grid.remarks[0])
            self.assertTrue(grid.file.endswith(name))


class DamagedParts(Files):
    """A workbook of which one part is damaged: no sheet, and no error in a cell, is lost silently."""

    def rewritten(self, change) -> Path:
        whole, path = self.folder / "whole.xlsx", self.folder / "changed.xlsx"
        with xlsxwriter.Workbook(whole) as book:
            book.add_worksheet("One").write_row(0, 0, ["a", "b"])
            book.add_worksheet("Two").write_formula(0, 0, "=NA()", None, "#N/A")
            chart = book.add_chart({"type": "line"})
            chart.add_series({"values": "=One!$A$1:$A$1"})
            book.add_chartsheet("Drawn").set_chart(chart)
            book.set_custom_property("Stamp", "E1")
        with zipfile.ZipFile(whole) as former, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
            for name in former.namelist():
                if (part := change(name, former.read(name))) is not None:
                    new.writestr(*part)
        return path

    def test_a_sheet_that_cannot_be_read_is_an_error(self):
        second = "xl/worksheets/sheet2.xml"
        for change in (
            lambda name, part: (name, part[: len(part) // 2] if name == second else part),
            lambda name, part: None if name == second else (name, part),
        ):
            with self.assertRaises(OutOfReach) as caught:
                open_sheets(self.rewritten(change))
            self.assertEqual(caught.exception.kind, "damaged-file")

    def test_other_capitals_and_backslashes_are_no_damage(self):
        for renamed in (str, str.upper, lambda name: name.replace("/", "\\")):
            path = self.rewritten(lambda name, part: (renamed(name) if name.startswith("xl/w") else name, part))  # noqa: B023
            grids = open_sheets(path)
            self.assertEqual([grid.name for grid in grids], ["One", "Two"])
            self.assertEqual(grids[1].cells["A"].to_list(), ["#N/A"])

    def test_a_stamp_that_cannot_be_read_is_not_no_stamp(self):
        path = self.rewritten(lambda name, part: (name, part))
        self.assertEqual(stamp_of(path, "Stamp"), "E1")
        raw = path.read_bytes()
        with zipfile.ZipFile(path) as book:
            about = book.getinfo("docProps/custom.xml")
        begin = about.header_offset + 30 + len(about.filename)
        broken = raw[:begin] + bytes(about.compress_size) + raw[begin + about.compress_size :]
        # The first bit of the flags, in the list at the end, says that a part is encrypted.
        listed = raw.rfind(b"PK\x01\x02", 0, raw.rfind(b"docProps/custom.xml"))
        locked = raw[: listed + 8] + b"\x01" + raw[listed + 9 :]
        for content in (broken, locked):
            path.write_bytes(content)
            self.assertEqual(stamp_of(path, "Stamp"), UNREADABLE)


class NumberCells(unittest.TestCase):
    @given(
        st.lists(
            st.one_of(
                st.floats(allow_nan=False, allow_infinity=False),
                st.integers(-(10**15), 10**15).map(float),
                st.just(""),
                st.just("text"),
            ),
            min_size=1,
        ),
        st.integers(1, 5),
    )
    def test_the_text_of_a_number_cell_means_exactly_that_number(self, values, block):
        from kotrel.sheets.workbooks import _column, _part

        texts, kinds = _column([_part(values[place : place + block]) for place in range(0, len(values), block)])
        kinds = [kinds] * len(values) if isinstance(kinds, str) else kinds.to_list()
        for value, text, kind in zip(values, texts, kinds, strict=True):
            if isinstance(value, str):
                self.assertEqual((text, kind), (value or None, "text"))
            else:
                self.assertEqual((float(text), kind), (value, "number"))
                if value.is_integer() and abs(value) < 1e15:
                    self.assertNotIn(".", text)
