"""Columns that say which rows are out of use, under whatever heading: without them, all rows would be in use."""

import unittest
from datetime import date

from kotrel.core.description.description_reading import read_description
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.opposites import status_words
from kotrel.core.matching.row_reading import understand
from kotrel.core.tables.detection import find_table
from kotrel.core.values.conventions import Conventions
from kotrel.practice.installing import description_text
from tests.support import grid

ITEM = read_description(description_text()).records["item"]


def limits(heading: str, *words: str) -> list[str]:
    """What is said of a column of such words that no field reads."""
    lines = [(f"A-{number}", "Thing", word) for number, word in enumerate(words)]
    table = find_table(grid(("Item code", "Description", heading), *lines), 1)
    rows = understand(table, match_headings(table, ITEM), Conventions(), date(2026, 12, 1))
    return [group.cells["message"][0] for group in rows.findings if group.kind == "unread-limit"]


class OutOfUse(unittest.TestCase):
    def test_the_opposite_of_archived_where_some_rows_are(self):
        [said] = limits("Active", "yes", "no", "yes")
        self.assertIn("says the opposite of archived (“no”)", said)
        self.assertEqual(limits("Active", "yes", "yes"), [], "all are in use")

    def test_a_status_with_a_word_for_it(self):
        for word in ("Discontinued", "obsolete", "Inactive", "Auslauf", "inactivo"):
            [said] = limits("Status", "Active", word, "New")
            self.assertIn(f"says which rows are archived (“{word}”)", said)
        self.assertEqual(limits("Status", "Active", "New", "Ordered"), [])
        self.assertEqual(limits("Remark", *(f"note {n}" for n in range(20)), "obsolete"), [], "no status: a text")

    def test_what_a_status_is_read_as(self):
        self.assertEqual(
            status_words(["Active", "Discontinued", "aktiv", "New"]),
            {"Active": "no", "Discontinued": "yes", "aktiv": "no"},
        )
