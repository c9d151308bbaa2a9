"""Files as other programs, and accidents, make them: nothing in them is lost silently, and none fills the machine."""

import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest.mock import patch

import polars as pl

from kotrel.core.errors import KotrelError, OutOfReach
from kotrel.core.tables.reading_limits import Limits
from kotrel.loading.sheets_in.sheet_reading import tables_of
from kotrel.sheets.ooxml import archives
from kotrel.sheets.ooxml.sheet_xml import Special, search_sheet
from kotrel.sheets.opening_files import open_sheets
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.sheets.table_writing import write_book

MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
RELATIONS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE = "http://schemas.openxmlformats.org/package/2006"
HEAD = (
    '<row r="1"><c r="A1" t="inlineStr"><is><t>code</t></is></c><c r="B1" t="inlineStr"><is><t>cost</t></is></c></row>'
)


def book(path: Path, rows: str, workbook: str = "", strings: str = "", prefix: str = "") -> Path:
    """A workbook with one sheet of these rows, as XML."""
    colon = f":{prefix}" if prefix else ""
    parts = {
        "[Content_Types].xml": f'<Types xmlns="{PACKAGE}/content-types"><Default Extension="xml" ContentType="application/xml"/>'
        '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/></Types>',
        "_rels/.rels": f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="r1" Type="{RELATIONS}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'<workbook xmlns="{MAIN}" xmlns:r="{RELATIONS}"><sheets><sheet name="Items" sheetId="1" r:id="r1"/></sheets>{workbook}</workbook>',
        "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="r1" Type="{RELATIONS}/worksheet" Target="worksheets/sheet1.xml"/>'
        f'<Relationship Id="r2" Type="{RELATIONS}/sharedStrings" Target="sharedStrings.xml"/></Relationships>',
        "xl/worksheets/sheet1.xml": f'<{prefix}{":" if prefix else ""}worksheet xmlns{colon}="{MAIN}"><{prefix}{":" if prefix else ""}sheetData>{rows}</{prefix}{":" if prefix else ""}sheetData></{prefix}{":" if prefix else ""}worksheet>',
        "xl/sharedStrings.xml": strings or f'<sst xmlns="{MAIN}"/>',
    }  # fmt: skip
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in parts.items():
            archive.writestr(name, text)
    return path


class Odd(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a.xlsx"

    def cells(self, rows, recalculated=False, **more):
        book(self.path, rows, **more)
        with zipfile.ZipFile(self.path) as archive:
            return search_sheet(archive, "xl/worksheets/sheet1.xml", recalculated)

    def text(self, raw: bytes):
        path = self.path.with_suffix(".csv")
        path.write_bytes(raw)
        [grid] = open_sheets(path)
        return grid

    def test_what_is_built_against_patterns_is_read_like_any_other(self):
        row = '<row r="2"><c r="A2"><v>7</v></c><c r="B2"><v>1.5</v></c></row>'
        paths = []
        for number, (opens, place) in enumerate((
            ("<row ", "sheet"), ('<c r="A1">', "sheet"), ('<c r="A1" t="e" ', "sheet"), ("<dimension ", "sheet"), ("<v ", "sheet"),
            ("<si>", "strings"), ("<sst ", "strings"),
        )):  # fmt: skip
            comment = f"<!--{opens * 100_000}-->"
            path = self.path.with_name(f"{number}.xlsx")
            more = {"strings": f'<sst xmlns="{MAIN}">{comment}</sst>'} if place == "strings" else {}
            book(path, HEAD + row if more else comment + HEAD + row, **more)
            paths.append(str(path))
        # In a process of its own, which can be ended: taking the square of the time, each of them needs minutes.
        read = "import sys; from pathlib import Path; from kotrel.sheets.opening_files import open_sheets\n"
        read += "for path in sys.argv[1:]: print(open_sheets(Path(path))[0].cells.height)"
        done = subprocess.run([sys.executable, "-c", read, *paths], capture_output=True, text=True, timeout=90)
        self.assertEqual(done.stdout.split(), ["2"] * len(paths), done.stderr[-2000:])


class Workbooks(Odd):
    def test_errors_are_found_however_the_xml_is_written(self):
        error = Special("#N/A", "error")
        for name, cell in (
            ("usual", '<row r="2"><c r="B2" t="e"><v>#N/A</v></c></row>'),
            ("order", '<row r="2"><c t="e" s="1" r="B2"><v>#N/A</v></c></row>'),
            ("small letters", '<row r="2"><c r="b2" t="e"><v>#N/A</v></c></row>'),
            ("single quotes", "<row r='2'><c r='B2' t='e'><v>#N/A</v></c></row>"),
            ("blanks", '<row r = "2"><c r = "B2" t = "e"><v>#N/A</v></c></row>'),
            ("no places", '<row><c/></row><row><c t="inlineStr"><is><t>x</t></is></c><c t="e"><v>#N/A</v></c></row>'),
            ("a number for a letter", '<row r="2"><c r="B2" t="&#101;"><v>#N/A</v></c></row>'),
            ("literal text", '<row r="2"><c r="B2" t="e"><v><![CDATA[#N/A]]></v></c></row>'),
        ):
            with self.subTest(name):
                self.assertEqual(self.cells(cell).cells, {(1, 1): error})
        prefixed = '<x:row r="2" hidden="1"><x:c r="B2" t="e"><x:v>#N/A</x:v></x:c></x:row>'
        found = self.cells(prefixed, prefix="x")
        self.assertEqual((found.cells, found.hidden), ({(1, 1): error}, [2]))

    def test_formulas_without_a_result(self):
        bare = Special("formula", "uncalculated")
        for odd in ("", "<!-- -->"):
            rows = (
                '<row r="2"><c r="A2"><f>1+1</f></c><c r="B2" t="str"><f>A1</f></c><c r="C2" t="str"><f>A1</f><v></v></c>'
                f'<c r="D2"><f>0</f><v>0</v></c><c r="E2"><f>2</f><v>2</v></c><c r="F2"><f>A1</f><v/></c></row>{odd}'
            )
            found = {(1, 0): bare, (1, 1): bare, (1, 5): bare}
            self.assertEqual(self.cells(rows).cells, found, "a result may be an empty text, or 0")
            self.assertEqual(self.cells(rows, recalculated=True).cells, found | {(1, 3): bare})
        book(
            self.path,
            HEAD + '<row r="2"><c r="A2"><v>1</v></c><c r="B2"><f>A2</f><v>0</v></c></row>',
            '<calcPr fullCalcOnLoad="1"/>',
        )
        [grid] = open_sheets(self.path)
        self.assertEqual(grid.kinds["B"].to_list(), ["text", "uncalculated"])

    def test_a_workbook_must_not_claim_what_it_does_not_hold(self):
        row = '<row r="2"><c r="A2" t="inlineStr"><is><t>X</t></is></c></row>'
        for rows, more, kind in (
            (row + '<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>', {}, "stray-cells"),
            (row + '<row r="999999999"><c r="A999999999" t="e"><v>#N/A</v></c></row>', {}, "damaged-file"),
            (row + '<row r="3"><c r="ZZZZ3"><v>1</v></c></row>', {}, "damaged-file"),
            (row, {"strings": f'<sst xmlns="{MAIN}" count="4000000000" uniqueCount="4000000000"/>'}, "damaged-file"),
        ):
            with self.subTest(kind=kind, rows=rows[-60:]), self.assertRaises(OutOfReach) as caught:
                open_sheets(book(self.path, HEAD + rows, **more))
            self.assertEqual(caught.exception.kind, kind)
        far = HEAD + row + '<row r="5000"><c r="AB5000"><v>1</v></c></row>'
        self.assertEqual(open_sheets(book(self.path, far))[0].cells.shape, (5000, 28), "a little room is no claim")
        with patch.object(archives, "LARGEST", 500), self.assertRaises(OutOfReach) as caught:
            open_sheets(self.path)
        self.assertEqual(caught.exception.kind, "too-large")

    def test_what_unpacks_a_thousandfold_is_refused_before_it_is_read(self):
        with zipfile.ZipFile(self.path, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as book:
            book.writestr("xl/worksheets/sheet1.xml", b"<worksheet><sheetData/>" + b" " * (66 << 20) + b"</worksheet>")
        with self.assertRaises(OutOfReach) as caught:
            open_sheets(self.path)
        self.assertEqual(caught.exception.kind, "too-large")

    def test_a_reader_that_does_not_end_or_takes_too_much_is_stopped(self):
        path = self.path.with_suffix(".ods")
        write_book(OutBook((OutSheet("S", (OutColumn("code"),), pl.DataFrame({"code": ["ROPE"]})),)), path)
        self.assertEqual(open_sheets(path)[0].cells["A"].to_list(), ["code", "ROPE"])
        for limits, kinds in (
            (Limits(seconds=0), {"too-slow"}),
            (Limits(memory_mb=-1_990), {"too-large", "damaged-file"}),
        ):
            if limits.seconds and sys.platform != "linux":
                continue
            with self.assertRaises(OutOfReach) as caught:
                open_sheets(path, limits=limits)
            self.assertIn(caught.exception.kind, kinds)
        with self.assertRaises(OutOfReach) as caught:
            open_sheets(
                book(self.path, HEAD + '<row r="5000"><c r="AB5000"><v>1</v></c></row>'), limits=Limits(cells=1_000)
            )
        self.assertEqual(caught.exception.kind, "stray-cells")

    def test_a_wrong_checksum_is_damage(self):
        book(
            self.path,
            HEAD + '<row r="2"><c r="A2" t="s"><v>0</v></c></row>',
            strings=f'<sst xmlns="{MAIN}"><si><t>ROPE</t></si></sst>',
        )
        self.assertEqual(open_sheets(self.path)[0].cells["A"].to_list(), ["code", "ROPE"])
        sound = self.path.read_bytes()
        for part in ("xl/sharedStrings.xml", "xl/worksheets/sheet1.xml"):
            raw = bytearray(sound)
            with zipfile.ZipFile(self.path) as archive:
                checksum = archive.getinfo(part).CRC.to_bytes(4, "little")
            for place in (raw.find(checksum), raw.rfind(checksum)):
                raw[place] ^= 1
            self.path.write_bytes(raw)
            with self.assertRaises(OutOfReach) as caught:
                open_sheets(self.path)
            self.assertEqual(caught.exception.kind, "damaged-file")
            self.path.write_bytes(sound)


class TextFiles(Odd):
    def test_a_quote_that_swallows_rows_is_named(self):
        rows = [f"CHN-{n:03},text {n}" for n in range(20)]
        unclosed = "\n".join(["code,text", *rows[:5], 'CHN-X,"6 inch', *rows[5:]]) + "\n"
        self.assertEqual(self.text(unclosed.encode()).swallowed, ((7, 15),))
        closed = "\n".join(["code,text", *rows[:5], 'CHN-X,"6 inch', *rows[5:9], 'CHN-Y,5" pipe', *rows[9:]]) + "\n"
        self.assertEqual([line for line, _ in self.text(closed.encode()).swallowed], [7])
        letters = '"one\ntwo, and more\nthree"'
        self.assertEqual(self.text(f"code,text,more\nA,{letters},x\nB,{letters},y\n".encode()).swallowed, ())
        self.assertEqual(len(self.text(f'a,b\n1,"{"x" * 300_000}"\n'.encode()).cells["B"][1]), 300_000)

    def test_a_few_zero_bytes_are_no_other_encoding(self):
        grid = self.text(b"code,text\nA\x001,b\nB2,c\n")
        self.assertEqual(grid.cells["A"].to_list(), ["code", "A\x001", "B2"])

    def test_files_without_anything_are_told(self):
        for raw in (b"\n", b"\n\n\n", b"  \n", b"\r\n", b",\n", b'""\n'):
            with self.subTest(raw), self.assertRaises(KotrelError):
                tables_of([self.text(raw)], None)
