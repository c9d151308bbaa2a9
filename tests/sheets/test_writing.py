"""Files that Kotrel writes: what goes in comes out, and a file is there whole or not at all."""

import re
import tempfile
import unittest
from datetime import date
from decimal import Decimal
from pathlib import Path
from unittest.mock import patch

import openpyxl
import polars as pl
from hypothesis import example, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.errors import KotrelError, OutOfReach, WrongUse
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.tables.detection import find_table
from kotrel.core.values.conventions import Conventions
from kotrel.core.values.numbers import read_number
from kotrel.loading.sheets_out.template_workbook import Template, write_template
from kotrel.sheets import tall_rows
from kotrel.sheets.encodings import as_utf8
from kotrel.sheets.marking import marked_name
from kotrel.sheets.opening_files import open_sheets
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.sheets.safe_writing import free_name, require_new_file, written_whole
from kotrel.sheets.table_writing import write_book
from kotrel.sheets.workbooks import read_workbook
from tests.support import small

ITEM = small().records["item"]
FIELDS = ("code", "description", "unit", "cost", "lot_tracked", "since", "more_barcodes")

words = (
    st.text(st.sampled_from("aZ09 =+-@'\"\\;,éß🐟ü#%\n"), min_size=1, max_size=12)
    .map(str.strip)
    .filter(lambda text: bool(text) and text != "'")
)
lines = st.tuples(
    st.sampled_from(["00120", "1E5", "3-12", "TRUE", "=1+1", "-5", "ROP-40010", "2012345678901", "@x", "0"]),
    st.one_of(st.none(), words),
    st.sampled_from(["EA", "M", None]),
    st.one_of(st.none(), st.decimals(0, 10**9, places=2).map(lambda number: f"{abs(number):.2f}")),
    st.sampled_from(["yes", "no", None]),
    st.one_of(st.none(), st.dates(date(1990, 1, 1), date(2050, 1, 1)).map(date.isoformat)),
    st.sampled_from([None, "20123451", "20123451; 2012345000056"]),
)


class RoundTrips(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def back(self, name, rows, columns=None):
        """The rows after they were written and read again."""
        frame = pl.DataFrame(rows, schema=dict.fromkeys(FIELDS, pl.String), orient="row")
        columns = columns or tuple(OutColumn(ITEM.fields[field].title, ITEM.fields[field]) for field in FIELDS)
        path = free_name(self.folder / name)
        write_book(OutBook((OutSheet("Items", columns, frame),), {"Kotrel export": "x"}), path)
        # In this process: one of its own for each example takes long, and reads the same.
        [grid] = read_workbook(path) if path.suffix == ".ods" else open_sheets(path)
        table = find_table(grid, 1)
        return understand(table, match_headings(table, ITEM), Conventions(), date(2026, 1, 1))

    @settings(max_examples=25)
    @example([("00120", "' =", "EA", None, "yes", None, None)])
    @given(st.lists(lines, min_size=1, max_size=8))
    def test_every_value_survives_every_format(self, rows):
        for name in ("a.xlsx", "a.ods", "a.csv", "a.tsv"):
            # Tab-separated text has no line breaks inside values, and says so by a blank.
            wanted = [tuple(re.sub(r"\n+", " ", v) if v and name == "a.tsv" else v for v in row) for row in rows]
            wanted = [tuple(v.strip() if v else v for v in row) for row in wanted]
            got = self.back(name, rows)
            self.assertEqual(got.values.select(FIELDS).rows(), wanted, name)
            self.assertEqual(got.findings, (), name)

    def test_nothing_becomes_a_formula_or_a_link(self):
        self.back("a.xlsx", [("=1+1", "http://x.example", None, None, None, None, None)])
        page = openpyxl.load_workbook(self.folder / "a.xlsx").active
        self.assertEqual(
            [(cell.value, cell.data_type, cell.hyperlink) for cell in page[2][:2]],
            [("=1+1", "s", None), ("http://x.example", "s", None)],
        )

    def test_texts_that_a_workbook_could_take_for_something_else(self):
        texts = ["_x0041_", "a\rb\nc", "<&>\"'", "  two  ", "tab\there", "\x0b\x00", "]]>", "&amp;", None, "=1+1"]
        sheet = OutSheet("S", (OutColumn("a"), OutColumn("b")), pl.DataFrame({"a": texts, "b": texts[::-1]}))
        path = self.folder / "odd.xlsx"
        write_book(OutBook((sheet,)), path)
        seen = [None if each is None else each.replace("\x0b", "\u240b").replace("\x00", "\u2400") for each in texts]
        [grid] = open_sheets(path)
        self.assertEqual(grid.cells["A"].to_list()[1:], seen)
        self.assertEqual(grid.cells["B"].to_list()[1:], seen[::-1])

    def test_a_sheet_with_no_room_for_all_rows_is_not_begun(self):
        sheet = OutSheet("S", (OutColumn("a"),), pl.DataFrame({"a": ["x", "y", "z"]}))
        for name in ("a.xlsx", "a.ods"):
            with patch.object(tall_rows, "SHEET_HOLDS", 3), self.assertRaisesRegex(WrongUse, "3 rows.*room for 2"):
                write_book(OutBook((sheet,)), self.folder / name)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_numbers_in_text_files_can_be_read_in_one_way_only(self):
        weight = replace(ITEM.fields["length"], decimals=3)
        values = ["10.000", "2.500", "1.125", "-12.345", "0.125", "1234.567", "100.000", "0.000", None]
        sheet = OutSheet(
            "S",
            (OutColumn("Code", ITEM.fields["code"]), OutColumn("Weight", weight)),
            pl.DataFrame({"c": ["x"] * 9, "w": values}),
        )
        write_book(OutBook((sheet,)), self.folder / "w.csv")
        [grid] = open_sheets(self.folder / "w.csv")
        got = grid.cells["B"].to_list()[1:]
        self.assertEqual(got, ["10", "2.5", "1.1250", "-12.3450", "0.125", "1234.567", "100", "0", None])
        for text, value in zip(got[:-1], values[:-1], strict=True):
            self.assertEqual(read_number(text, None).value, Decimal(value), text)

    def test_unknown_endings_and_too_many_sheets(self):
        sheet = OutSheet("S", (OutColumn("a"),), pl.DataFrame({"a": ["x"]}))
        for book, name in ((OutBook((sheet,)), "a.pdf"), (OutBook((sheet, sheet)), "a.csv")):
            with self.assertRaises(WrongUse):
                write_book(book, self.folder / name)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_file_is_there_whole_or_not_at_all(self):
        path = self.folder / "a.txt"
        with self.assertRaises(ZeroDivisionError), written_whole(path) as temporary:
            temporary.write_text("half")
            raise ZeroDivisionError
        self.assertEqual(list(self.folder.iterdir()), [])
        with written_whole(path) as temporary:
            temporary.write_text("whole")
        self.assertEqual([each.name for each in self.folder.iterdir()], ["a.txt"])
        with self.assertRaises(WrongUse):
            require_new_file(path)
        with self.assertRaises(OutOfReach), written_whole(self.folder / "no" / "a.txt"):
            pass

    def test_names_of_marked_copies(self):
        self.assertEqual(marked_name(self.folder / "p.csv").name, "p.marked.xlsx")
        (self.folder / "p.marked.xlsx").touch()
        self.assertEqual(marked_name(self.folder / "p.marked.xlsx").name, "p.marked-2.xlsx")
        (self.folder / "p.marked-2.xlsx").touch()
        self.assertEqual(marked_name(self.folder / "p.marked-2.xlsx").name, "p.marked-3.xlsx")

    def test_a_template_has_must_fill_formats_and_drop_downs(self):
        fields = tuple(ITEM.fields[name] for name in FIELDS)
        empty = pl.DataFrame(schema=dict.fromkeys(FIELDS, pl.String))
        lists = {"unit": pl.DataFrame({"code": ["EA", "M"], "name": ["each", "metre"]})}
        write_template([Template(ITEM, fields, empty)], lists, self.folder / "t.xlsx", {})
        book = openpyxl.load_workbook(self.folder / "t.xlsx")
        page = book["Item"]
        fills = [cell.fill.start_color.rgb for cell in page[1]]
        self.assertEqual(len({fills[0], fills[1], fills[4]}), 3, "always, for new rows, and may")
        self.assertIn("must be filled", page["A1"].comment.text)
        self.assertEqual(
            page.column_dimensions["A"].number_format if hasattr(page.column_dimensions["A"], "number_format") else "@",
            "@",
        )
        rules = {str(rule.sqref).split(":")[0]: rule.formula1 for rule in page.data_validations.dataValidation}
        self.assertEqual(rules, {"C2": "'Kotrel lists'!$A$2:$A$3", "E2": '"yes,no"'})
        self.assertEqual([cell.value for cell in book["Kotrel lists"]["A"]], ["unit", "EA", "M"])
        guide = {row[0].value: row for row in book["Kotrel guide"].iter_rows()}
        self.assertEqual(guide["Unit"][3].value, "EA, M")


class CodePages(unittest.TestCase):
    def test_pages_are_found_and_told(self):
        text = "Größe;Türen für Boote, 12 € — schöne Grüße aus Hüllan\n" * 3
        for encoding, said in (
            ("utf-8", []),
            ("utf-8-sig", []),
            ("utf-16", ["UTF-16"]),
            ("utf-16-le", ["UTF-16"]),
            ("cp1252", ["Windows-1252"]),
        ):
            raw, remarks = as_utf8(text.encode(encoding), "x")
            self.assertEqual(raw.decode(), text, encoding)
            self.assertEqual(len(remarks), len(said))
            self.assertTrue(all(word in remark for word, remark in zip(said, remarks, strict=True)))

    def test_pages_of_other_letters_are_told_from_western_ones(self):
        for page, text in (
            ("cp1251", "Наименование;Канат белый плетёный, якорная цепь\nКанат;восемь миллиметров\n" * 5),
            ("cp1250", "Nazwa;Łańcuch żeglarski, źródło\nKąt;wąż gęsty\n"),
            ("cp850", "Größe;Türen für Boote, schöne Grüße\n"),
            ("mac_roman", "Größe;Türen für Boote, schöne Grüße\n"),
            ("cp1252", "Désignation;Câble 4 m², 12 € – prêt à l’emploi\n"),
            ("cp1252", "Seil;a\u00a0b;€ 5;ß\n"),
            ("cp850", "Málaga;niño;corazón\n"),
        ):
            raw, remarks = as_utf8(text.encode(page), "x")
            self.assertEqual(raw.decode(), text, page)
            self.assertIn("not UTF-8: read as", remarks[0])
        # Words with other letters show whether it is right.
        self.assertEqual(
            as_utf8("Seil;größer,Größe;ß;niño".encode("cp1252"), "x")[1],
            ["not UTF-8: read as Windows-1252 (“größer”, “niño”)"],
        )

    def test_what_is_no_text_is_refused(self):
        with self.assertRaises(KotrelError):
            as_utf8(b"\xff\xfe\x00", "x")
