"""The tables of all kinds of findings and repairs."""

import re
import unittest
from pathlib import Path

from kotrel.core.rows.finding_kinds import KINDS
from kotrel.core.rows.repair_kinds import REPAIRS

SOURCE = "".join(path.read_text("utf-8") for path in (Path(__file__).parents[3] / "src" / "kotrel").rglob("*.py"))


class Kinds(unittest.TestCase):
    def test_every_kind_that_the_source_names_is_declared(self):
        named = set(re.findall(r'"(?:error|warning|note)",\s*"([a-z]+(?:-[a-z0-9]+)+)"', SOURCE))
        self.assertGreater(len(named), 60)
        self.assertEqual(named - KINDS.keys(), set())
        repaired = set(re.findall(r'\bRepair(?:Group)?\(\s*"([a-z-]+)"', SOURCE))
        self.assertGreater(len(repaired), 8)
        self.assertEqual(repaired - REPAIRS.keys(), set())

    def test_every_kind_says_what_to_do_in_a_sentence(self):
        sentences = [(name, words) for name, kind in KINDS.items() for words in (kind.means, kind.to_do)]
        sentences += [(name, repair.proof) for name, repair in REPAIRS.items()]
        for name, words in sentences:
            self.assertRegex(words, r"^[A-Z(].*\.$", name)
            self.assertLessEqual(len(words.split()), 25, name)
