"""The table of all kinds of findings, and the page made of it."""

import unittest
from pathlib import Path

from kotrel.core.rows.finding_kinds import KINDS, reference

DOCS = Path(__file__).parents[3] / "docs"


class Reference(unittest.TestCase):
    def test_the_page_is_that_of_the_table(self):
        page = (DOCS / "findings.md").read_text(encoding="utf-8")
        self.assertEqual(page, reference(), "make docs writes it")

    def test_every_kind_says_what_to_do_in_a_sentence(self):
        for name, kind in KINDS.items():
            for words in (kind.means, kind.to_do):
                self.assertRegex(words, r"^[A-Z(].*\.$", name)
                self.assertLessEqual(len(words.split()), 25, name)
