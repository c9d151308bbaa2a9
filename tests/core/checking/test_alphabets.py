"""Letters that a code page exchanged, and letters that only look like those of other codes."""

import unittest

from kotrel.core.checking.alphabets import check_alphabets
from kotrel.core.columns import ROW
from tests.support import rows, state


def found(*lines):
    sheet = rows(("Item code", "Description", "Barcode"), *lines)
    return [
        (group.kind, group.field, *cells)
        for group in check_alphabets(sheet, state())
        for cells in group.cells.select(ROW, "value", "suggestion").iter_rows()
    ]


class Alphabets(unittest.TestCase):
    def test_words_with_signs_in_them(self):
        lines = ("A", "Tau f\u00b3r Boote", "1"), ("B", "Tau für Boote", "2"), ("C", "10 m\u00b2 Tuch", "3")
        self.assertEqual(found(*lines), [("signs-in-words", "description", 2, "Tau f\u00b3r Boote", "Tau für Boote")])

    def test_a_letter_of_another_alphabet_among_codes(self):
        cyrillic = "\u0410"
        lines = ("A", "x", f"{cyrillic}-12"), ("B", "y", "B-12"), ("C", "z", "C-12")
        self.assertEqual(found(*lines), [("other-alphabet", "barcode", 2, f"{cyrillic}-12", "A-12")])
        # Codes that are all of that alphabet are its own; a key is held against its list elsewhere.
        self.assertEqual(found(("A", "x", "КАНАТ"), ("B", "y", "ЯКОРЬ")), [])
        self.assertEqual(found((f"{cyrillic}-12", "x", "1"), ("B-12", "y", "2"), ("C-12", "z", "3")), [])
        # A description may be in any.
        self.assertEqual(found(("A", "канат", "1"), ("B", "rope", "2"), ("C", "line", "3")), [])


if __name__ == "__main__":
    unittest.main()
