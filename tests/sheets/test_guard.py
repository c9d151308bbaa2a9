"""No cell that we write becomes a formula, whatever its text says,
and none is lost to characters that XML cannot have.
"""

import csv
import tempfile
import unittest
from pathlib import Path

import openpyxl
import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.changes.change_set import RefusedRows
from kotrel.core.columns import ROW
from kotrel.core.rows.findings import cells_of
from kotrel.loading.loads.rest_workbook import RestSheet, write_rest
from kotrel.sheets.cell_texts import writable
from kotrel.sheets.marking import mark
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.sheets.table_writing import write_book
from kotrel.sheets.workbooks import read_workbook
from tests.support import rows

starts = st.sampled_from(["=", "+", "-", "@", "\t=", "\r=", "=HYPERLINK(", "\x0b=", "|", ""])
texts = st.builds(lambda start, rest: start + rest, starts, st.text(max_size=8))


class Guarded(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.count = 0

    def free(self, ending: str) -> Path:
        self.count += 1
        return self.folder / f"{self.count}{ending}"

    def no_formula(self, path: Path):
        for sheet in openpyxl.load_workbook(path).worksheets:
            for line in sheet.iter_rows():
                for cell in line:
                    self.assertNotEqual(cell.data_type, "f", (sheet.title, cell.coordinate, cell.value))

    @settings(max_examples=25)
    @given(texts, texts)
    def test_no_writer_makes_a_formula(self, heading, text):
        column = pl.DataFrame({"A": [text, "x"]})
        for ending in (".xlsx", ".ods", ".csv", ".tsv"):
            path = self.free(ending)
            write_book(OutBook((OutSheet("S", (OutColumn(heading or "h"),), column),)), path)
            if ending == ".xlsx":
                self.no_formula(path)
            elif ending == ".ods":
                self.assertFalse(
                    any(kind == "uncalculated" for grid in read_workbook(path) for kind in grid.kinds.values())
                )
            else:
                with path.open(encoding="utf-8-sig", newline="") as file:
                    for line in csv.reader(file, delimiter="," if ending == ".csv" else "\t"):
                        for cell in line:
                            self.assertFalse(cell.lstrip(" ").startswith(("=", "+", "@", "\t", "\r")), repr(cell))
        path = self.free(".xlsx")
        numbers = pl.DataFrame({ROW: pl.Series([2, 3], dtype=pl.UInt32)})
        rest = RefusedRows((heading,), numbers.hstack(column), numbers.hstack(pl.DataFrame({"A": ["text", "text"]})))
        write_rest([RestSheet("S", rest, {2: text})], path, {})
        self.no_formula(path)

    @settings(max_examples=15)
    @given(texts)
    def test_marked_copies_neither(self, text):
        book = openpyxl.Workbook()
        book.active.title = "Sheet1"
        book.active.append(["Item code", "Cost"])
        book.active.append(["A", "x"])
        source = self.free(".xlsx")
        book.save(source)
        sheet = rows(("Item code", "Cost"), ("A", text or "x"))
        table = replace(sheet.table, file=str(source))
        bad = replace(sheet, table=table)
        bad = bad.with_findings([bad.group("error", "e", "t", "cost", cells_of([2], [text], text))])
        target = self.free(".xlsx")
        mark([bad], target)
        self.no_formula(target)

    def test_what_no_workbook_can_have_is_shown(self):
        self.assertEqual(writable("a\x0bb\x00c\nd"), "a␋b␀c\nd")
        self.assertEqual(len(writable("x" * 40_000)), 32_767)
