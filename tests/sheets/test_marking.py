"""Marked copies: everything of the user's stays, marks come and go, limits are told."""

import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest.mock import patch

import openpyxl
from openpyxl.comments import Comment
from openpyxl.formatting.rule import CellIsRule
from openpyxl.styles import PatternFill

from kotrel.core.checking.all_checks import check_rows
from kotrel.core.errors import WrongUse
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.tables.detection import find_table
from kotrel.core.values.conventions import Conventions
from kotrel.sheets import marking
from kotrel.sheets.marking import mark
from kotrel.sheets.marks import COLUMN, SUMMARY, marks_of
from kotrel.sheets.opening_files import open_sheets
from tests.support import TODAY, small, state


class Marking(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        book = openpyxl.Workbook()
        page = book.active
        page.title = "It's data"
        page.append(["A title"])
        page.append(["Item code", "Description", "Unit", "Cost", "Colour"])
        page.append(["A1", "Rope", "EA", "x", "red"])
        page.append(["A1", "Chain", "??", 5, "blue"])
        page.append(["A2", None, "M", 7, "grey"])
        page.merge_cells("A1:C1")
        page["E3"].comment = Comment("mine", "me")
        page["E3"].fill = PatternFill("solid", start_color="00FF00")
        page.conditional_formatting.add(
            "D3:D5", CellIsRule(operator="greaterThan", formula=["6"], fill=PatternFill("solid", start_color="0000FF"))
        )
        page.freeze_panes = "A3"
        book.create_sheet("Second")["B2"] = "=1+1"
        book.save(self.folder / "w.xlsx")

    def checked(self, path):
        grid = next(grid for grid in open_sheets(path) if grid.name not in (SUMMARY, "Second"))
        table = find_table(grid)
        return check_rows(
            understand(table, match_headings(table, small().records["item"]), Conventions(), TODAY), state()
        )

    def marked(self, path, name):
        rows = self.checked(path)
        done = mark([rows], self.folder / name)
        return rows, done, openpyxl.load_workbook(done.path)

    def test_marks_name_every_finding_once_in_the_order_of_rows(self):
        rows = self.checked(self.folder / "w.xlsx")
        marks = marks_of(rows)
        self.assertEqual(len(marks), sum(group.count for group in rows.findings))
        self.assertEqual([each.row for each in marks], sorted(each.row for each in marks))
        self.assertIn(2, [each.row for each in marks], "what concerns a column is told at its heading")

    def test_everything_of_the_users_stays(self):
        _, done, book = self.marked(self.folder / "w.xlsx", "m.xlsx")
        page = book["It's data"]
        self.assertEqual(done.remarks, ())
        self.assertEqual((page["E3"].comment.text, page["E3"].fill.start_color.rgb), ("mine", "0000FF00"))
        self.assertEqual(([str(area) for area in page.merged_cells.ranges], page.freeze_panes), (["A1:C1"], "A3"))
        self.assertEqual([str(area.sqref) for area in page.conditional_formatting], ["D3:D5"])
        self.assertEqual(book["Second"]["B2"].value, "=1+1")
        self.assertEqual((page["F2"].value, page["F5"].value is not None), (COLUMN, True))
        self.assertIn("not a number", page["D3"].comment.text)
        links = [cell.hyperlink.location for cell in book[SUMMARY]["A"] if cell.hyperlink]
        self.assertIn("'It''s data'!D3", links)

    def test_marks_are_ignored_and_taken_away_when_marked_again(self):
        first, _, _ = self.marked(self.folder / "w.xlsx", "m.xlsx")
        book = openpyxl.load_workbook(self.folder / "m.xlsx")
        book["It's data"]["D3"] = 3
        book.save(self.folder / "m.xlsx")
        again, _, book = self.marked(self.folder / "m.xlsx", "m2.xlsx")
        self.assertEqual(sum(g.count for g in again.findings), sum(g.count for g in first.findings) - 1)
        page = book["It's data"]
        self.assertIsNone(page["D3"].comment)
        self.assertNotEqual(page["D3"].fill.start_color.rgb, page["C4"].fill.start_color.rgb)
        self.assertEqual([cell.value for cell in page[2]].count(COLUMN), 1)
        self.assertEqual(book.sheetnames.count(SUMMARY), 1)
        self.assertEqual(page["E3"].comment.text, "mine")

    def test_where_the_copy_cannot_be_made_the_marks_go_into_a_workbook_of_their_own(self):
        # The reader of cells does not mind the number of a font that no font has; the writer of copies fails in its own
        # way.
        with (
            zipfile.ZipFile(self.folder / "w.xlsx") as old,
            zipfile.ZipFile(self.folder / "odd.xlsx", "w") as new,
        ):
            for part in old.namelist():
                new.writestr(part, old.read(part).replace(b'fontId="0"', b'fontId="99999999999"'))
        _, done, book = self.marked(self.folder / "odd.xlsx", "odd.marked.xlsx")
        self.assertIn("a copy would lose", done.remarks[0])
        self.assertEqual(book["It's data"]["A3"].value, "A1")

    def test_limits_are_told(self):
        rows = self.checked(self.folder / "w.xlsx")
        with patch.object(marking, "MOST_COMMENTS", 1):
            done = mark([rows], self.folder / "a.xlsx")
        self.assertIn("only the first 1 cells", done.remarks[0])
        with patch.object(marking, "LARGE", 3):
            done = mark([rows], self.folder / "b.xlsx")
        self.assertIn("too large", done.remarks[0])
        page = openpyxl.load_workbook(self.folder / "b.xlsx")["It's data"]
        self.assertEqual([cell.value for cell in page[3]][:4], ["A1", "Rope", "EA", "x"])
        with patch.object(marking, "SHEET_HOLDS", 3), self.assertRaises(WrongUse):
            mark([rows], self.folder / "c.xlsx")
        self.assertFalse((self.folder / "c.xlsx").exists())
