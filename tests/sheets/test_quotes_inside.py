"""Text files with quotes inside quoted values: each line is a row where that is the one reading that fits."""

import csv
import io
import tempfile
import unittest
from pathlib import Path

from hypothesis import example, given
from hypothesis import strategies as st

from kotrel.core.tables.detection import find_table
from kotrel.sheets.opening_files import open_sheets

cell = st.text(alphabet='ab"\\ 12,;\n', max_size=8)


def read(text):
    """The rows of a text file, and what is said of it."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "x.csv"
        path.write_bytes(text.encode())
        found = open_sheets(path)[0]
    return [[value or "" for value in row] for row in found.cells.iter_rows()], found


class QuotesInside(unittest.TestCase):
    def test_inch_marks_between_quotes(self):
        for mark, separator in (('"', ","), ('\\"', ","), ('"', "\t"), ('\\"', ";")):
            with self.subTest(mark + separator):
                lines = [
                    separator.join(("code", "name", "unit")),
                    *(separator.join((f"A{n}", f'"Tin {n}{mark} round"', "EA")) for n in range(6)),
                ]
                rows, found = read("\n".join(lines) + "\n")
                self.assertEqual(rows[1:], [[f"A{n}", f'Tin {n}" round', "EA"] for n in range(6)])
                self.assertEqual(found.remarks, ("values have quotes inside them: each line was read as one row",))

    def test_a_quote_that_is_never_closed_is_an_error_at_its_line(self):
        lines = ["code,name", *(f"A{n},x" for n in range(4)), 'B1,"6 inch', *(f"C{n},x" for n in range(4))]
        _, found = read("\n".join(lines) + "\n")
        self.assertTrue(found.swallowed)

    def test_a_line_taken_in_by_the_next_ones_quote_is_an_error(self):
        for text in (
            'name,code,cost\n"6 mm,A1,1\n"9 mm,A2,2\nx,A3,3\n',
            'code,cost,name\nA1,1,"6 mm\nA2,2,9"\nA3,3,"4" b"\n',
        ):
            _, found = read(text)
            self.assertEqual([line for line, _ in found.swallowed], [2], text)
        _, found = read('name,code,cost\n"6 mm, red,\nand blue",A1,1\nx,A2,2\n')
        self.assertEqual(found.swallowed, ())

    def test_unquoted_inch_marks_are_nothing_odd(self):
        rows, found = read('code,name,unit\nA1,12" round,EA\nA2,3" x 4",EA\n')
        self.assertEqual(rows[1:], [["A1", '12" round', "EA"], ["A2", '3" x 4"', "EA"]])
        self.assertEqual((found.remarks, found.swallowed), ((), ()))

    @example([("", ""), ("", '"\n,1')])
    @given(st.lists(st.tuples(cell, cell), min_size=2, max_size=5))
    def test_a_file_as_the_rule_says_is_read_as_it_says(self, lines):
        # RFC 4180: quotes are doubled, and lines may end within quotes.
        lines = [
            ("heading a", "heading b"),
            *((f"k{n}", one.strip(), other.strip())[1:] for n, (one, other) in enumerate(lines)),
        ]
        lines = [(one or "x", other or "x") for one, other in lines]
        out = io.StringIO()
        csv.writer(out, quoting=csv.QUOTE_ALL, lineterminator="\n").writerows(lines)
        rows, found = read(out.getvalue())
        if not found.swallowed:
            self.assertEqual([tuple(row) for row in rows], [tuple(line) for line in lines])

    def test_single_quotes_around_every_value(self):
        rows, found = read("'code','name','cost'\n'A1','Baker''s peel',1.5\n'A2','',2\n")
        self.assertEqual(rows, [["code", "name", "cost"], ["A1", "Baker's peel", "1.5"], ["A2", "", "2"]])
        self.assertEqual(found.remarks, ("each value was in single quotes: read without them",))
        rows, _ = read("'code',name\n'A1',x\n")
        self.assertEqual(rows[1][0], "'A1'")

    def test_nothing_in_quotes_is_a_blank(self):
        _, found = read('code,note,cost\nA1,"","1"\nA2,"x",""\n')
        self.assertEqual(find_table(found, 1).cells["B"].to_list(), [None, "x"])
