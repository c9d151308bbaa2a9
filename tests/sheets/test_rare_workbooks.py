"""Workbooks of old and rare kinds tell as much as usual ones: errors, formats, what is hidden.

``old.xls`` has four rows and six columns, with an error, a formula without a result, a hidden row and a hidden column.
The .xlsb workbook is written here, record by record.
"""

import tempfile
import unittest
import zipfile
from pathlib import Path
from struct import pack

import openpyxl

from kotrel.core.errors import OutOfReach
from kotrel.core.tables.number_display import Shown
from kotrel.core.tables.table import Hidden
from kotrel.sheets.ooxml.special_cells import special_cells
from kotrel.sheets.opening_files import open_sheets
from kotrel.sheets.workbooks import read_workbook

OLD = Path(__file__).with_name("old.xls")
RELATIONS = '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">{}</Relationships>'
OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/"


def record(number, content=b""):
    """One record of a binary part: number and length in seven bits a byte."""
    said = bytes([number]) if number < 0x80 else bytes([number & 0x7F | 0x80, number >> 7])
    length = len(content)
    assert length < 0x4000
    return said + (bytes([length]) if length < 0x80 else bytes([length & 0x7F | 0x80, length >> 7])) + content


def text(words):
    return pack("<I", len(words)) + words.encode("utf-16-le")


def row(number, *cells, hidden=False):
    """A row and its cells: (column, style, value); an error is a number in a list."""
    made = record(0, pack("<IIHBBBI", number, 0, 300, 0, 0x10 if hidden else 0, 0, 0))
    for column, style, value in cells:
        head = pack("<II", column, style)
        if isinstance(value, list):
            made += record(3, head + bytes(value))
        else:
            made += record(6, head + text(value)) if isinstance(value, str) else record(5, head + pack("<d", value))
    return made


def binary_workbook(path, sheet):
    """An .xlsb workbook with one sheet; style 1 shows numbers as ``000000``, style 2 with two decimals,
    style 3 as percentages.
    """
    styles = (
        record(278)
        + record(626, pack("<I", 1))
        + record(47, pack("<HH", 0, 9) + bytes(12))
        + record(627)
        + record(44, pack("<H", 170) + text("000000"))
    )
    styles += record(617, pack("<I", 4))
    styles += (
        b"".join(record(47, pack("<HH", 0, how) + bytes(12)) for how in (0, 170, 2, 9)) + record(618) + record(279)
    )
    book = (
        record(131)
        + record(143)
        + record(156, pack("<II", 0, 1) + text("rId1") + text("Items"))
        + record(144)
        + record(132)
    )
    with zipfile.ZipFile(path, "w") as out:
        out.writestr(
            "[Content_Types].xml", '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"/>'
        )
        out.writestr(
            "_rels/.rels",
            RELATIONS.format(f'<Relationship Id="r" Type="{OFFICE}officeDocument" Target="xl/workbook.bin"/>'),
        )
        out.writestr("xl/workbook.bin", book)
        both = f'<Relationship Id="rId1" Type="{OFFICE}worksheet" Target="worksheets/sheet1.bin"/><Relationship Id="rId2" Type="{OFFICE}styles" Target="styles.bin"/>'
        out.writestr("xl/_rels/workbook.bin.rels", RELATIONS.format(both))
        out.writestr("xl/styles.bin", styles)
        out.writestr("xl/worksheets/sheet1.bin", sheet)


def small_sheet():
    """The part of a sheet with three rows, the last one hidden, with an error in it; the second column is hidden."""
    head = row(0, *((place, 0, word) for place, word in enumerate(("Item code", "Description", "Cost", "Length"))))
    columns = record(390) + record(60, pack("<IIIIH", 1, 1, 2560, 0, 1)) + record(391)
    # The upper byte of a style has flags.
    rows = row(1, (0, 1 | 1 << 24, 1234.0), (1, 0, "Rope"), (2, 2, 18.25), (3, 3, 0.125))
    rows += row(2, (0, 0, "A-2"), (1, 0, "x"), (2, 0, [0x2A]), (3, 0, 3.0), hidden=True)
    size = record(148, pack("<IIII", 0, 2, 0, 3))
    return record(129) + size + columns + record(145) + head + rows + record(146) + record(130)


class Rare(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_an_old_workbook(self):
        [grid] = open_sheets(OLD)
        self.assertEqual(grid.cells["A"].to_list(), ["Item code", "1234", "A-2", "A-3"])
        self.assertEqual((grid.cells["F"][1], grid.kinds["F"][1]), ("#N/A", "error"))
        self.assertEqual(
            [grid.formats.of(each).get(2) for each in "ACD"], [Shown(0, mask="000000"), Shown(2), Shown(1, True)]
        )
        said = "a formula gave an empty text (C4): if there should be more, open the workbook in a spreadsheet program and save it"
        self.assertEqual((grid.remarks, grid.hidden), ((said,), Hidden(False, (3,), ("B",))))

    def test_what_is_hidden_in_usual_workbooks(self):
        told = Hidden(False, (2, 3), ("B",))
        book = openpyxl.Workbook()
        for line in (("Item code", "Cost"), ("A", 1), ("B", 2), ("C", 3)):
            book.active.append(line)
        for number in (2, 3, 9):
            book.active.row_dimensions[number].hidden = True
        book.active.column_dimensions["B"].hidden = book.active.column_dimensions["E"].hidden = True
        book.save(self.folder / "a.xlsx")
        # The same with another quote, which only a real parser reads.
        with zipfile.ZipFile(self.folder / "a.xlsx") as old, zipfile.ZipFile(self.folder / "b.xlsx", "w") as new:
            for part in old.namelist():
                content = old.read(part)
                new.writestr(part, content.replace(b'r="1"', b"r='1'") if "sheet1" in part else content)
        lines = "".join(
            f'<table:table-row{how}><table:table-cell office:value-type="string"><text:p>{word}</text:p></table:table-cell><table:table-cell office:value-type="float" office:value="1"><text:p>1</text:p></table:table-cell></table:table-row>'
            for how, word in (
                ("", "Item code"),
                (' table:number-rows-repeated="2" table:visibility="filter"', "A"),
                ("", "C"),
            )
        )
        spaces = "".join(
            f' xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
        )
        columns = '<table:table-column/><table:table-column table:visibility="collapse"/>'
        with zipfile.ZipFile(self.folder / "c.ods", "w") as out:
            out.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
            out.writestr(
                "META-INF/manifest.xml",
                '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>',
            )
            out.writestr(
                "content.xml",
                f'<office:document-content{spaces}><office:body><office:spreadsheet><table:table table:name="S">{columns}{lines}</table:table></office:spreadsheet></office:body></office:document-content>',
            )
        for name in ("a.xlsx", "b.xlsx", "c.ods"):
            with self.subTest(name):
                self.assertEqual(open_sheets(self.folder / name)[0].hidden, told)

    def test_a_binary_workbook(self):
        sheet = small_sheet()
        binary_workbook(self.folder / "b.xlsb", sheet)
        [grid] = open_sheets(self.folder / "b.xlsb")
        self.assertEqual(grid.cells["A"].to_list(), ["Item code", "1234", "A-2"])
        self.assertEqual((grid.cells["C"].to_list(), grid.kinds["C"][2]), (["Cost", "18.25", "#N/A"], "error"))
        self.assertEqual(
            [grid.formats.of(each).get(2) for each in "ACD"], [Shown(0, mask="000000"), Shown(2), Shown(0, True)]
        )
        self.assertEqual((grid.remarks, grid.hidden), ((), Hidden(False, (3,), ("B",))))
        for far in (row(1 << 20, (0, 0, 1.0)), row(5, (1 << 14, 0, 1.0)), row(900_000, (9_000, 0, 1.0))):
            binary_workbook(self.folder / "far.xlsb", sheet.replace(record(146), far + record(146)))
            with self.assertRaises(OutOfReach):
                read_workbook(self.folder / "far.xlsb")
        # Cut within its rows, it is damaged, never shorter.
        for cut in range(len(sheet) - 250, len(sheet)):
            binary_workbook(self.folder / "cut.xlsb", sheet[:cut])
            with self.subTest(cut), self.assertRaises(OutOfReach):
                read_workbook(self.folder / "cut.xlsb")

    def test_number_formats_that_cannot_be_read_are_told(self):
        book = openpyxl.Workbook()
        for line in (("Item code", "Cost"), (1234, 1)):
            book.active.append(line)
        book.save(self.folder / "plain.xlsx")
        book.active["A2"].number_format = "000000"
        book.save(self.folder / "coded.xlsx")
        binary_workbook(self.folder / "b.xlsb", small_sheet())
        for name, whole in (
            ("plain-less.xlsx", "plain.xlsx"),
            ("coded-less.xlsx", "coded.xlsx"),
            ("b-less.xlsb", "b.xlsb"),
        ):
            with zipfile.ZipFile(self.folder / whole) as old, zipfile.ZipFile(self.folder / name, "w") as new:
                for part in old.namelist():
                    if "xl/styles" not in part:
                        new.writestr(part, old.read(part))
        # Within a style of cells: the reader gives up on formats, and with them on what is hidden.
        raw = bytearray(OLD.read_bytes())
        raw[2128] = 255
        (self.folder / "old.xls").write_bytes(raw)
        shown = "how its cells show their numbers"
        for name, unread in (
            ("plain-less.xlsx", None), ("coded.xlsx", None), ("coded-less.xlsx", f"{shown} cannot be read"), ("b-less.xlsb", f"{shown} cannot be read"),
            ("old.xls", f"{shown} and what is hidden cannot be read"),
        ):  # fmt: skip
            with self.subTest(name):
                said = [each for each in open_sheets(self.folder / name)[0].remarks if "cannot be read" in each]
                self.assertEqual([each[: len(unread)] for each in said], [unread]) if unread else self.assertEqual(
                    said, []
                )

    def test_a_reader_that_gives_up_is_never_unforeseen(self):
        raw, name, told = OLD.read_bytes(), open_sheets(OLD)[0].name, 0
        for at in range(0, len(raw), 12):
            (self.folder / "struck.xls").write_bytes(raw[:at] + bytes(4) + raw[at + 4 :])
            with self.subTest(at):
                try:
                    special_cells(self.folder / "struck.xls", name)
                except OutOfReach as error:
                    told += error.kind == "damaged-file"
        self.assertGreater(told, 10)


if __name__ == "__main__":
    unittest.main()
