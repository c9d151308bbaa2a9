"""The table of all kinds of findings, and the page made of it."""

import re
import unittest
from pathlib import Path

from kotrel.core.rows.finding_kinds import KINDS, reference

DOCS = Path(__file__).parents[3] / "docs"


class Reference(unittest.TestCase):
    def test_the_page_is_that_of_the_table(self):
        page = (DOCS / "findings.md").read_text(encoding="utf-8")
        self.assertEqual(page, reference(), "make docs writes it")

    def test_every_kind_that_the_source_names_is_declared(self):
        source = "".join(path.read_text("utf-8") for path in (DOCS.parent / "src" / "kotrel").rglob("*.py"))
        named = set(re.findall(r'"(?:error|warning|note)",\s*"([a-z]+(?:-[a-z0-9]+)+)"', source))
        self.assertGreater(len(named), 60)
        self.assertEqual(named - KINDS.keys(), set())

    def test_every_kind_says_what_to_do_in_a_sentence(self):
        for name, kind in KINDS.items():
            for words in (kind.means, kind.to_do):
                self.assertRegex(words, r"^[A-Z(].*\.$", name)
                self.assertLessEqual(len(words.split()), 25, name)
