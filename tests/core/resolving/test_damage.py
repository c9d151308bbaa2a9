"""Damaged sheets with known truth: nothing is repaired wrongly, nothing wrong passes in silence,
sound cells are left alone.
"""

import unittest

from benchmarks.damage.trial import run
from benchmarks.damage.whole_trial import run_whole


class Damaged(unittest.TestCase):
    def test_every_damaged_cell_is_mended_or_told(self):
        tally = run(1_200, rows=160, seed=11)
        bad = {name: examples[:2] for name, examples in tally.examples.items() if not name.startswith("not mended")}
        self.assertEqual(bad, {})
        provable = tally.counts["mended"] + tally.counts["not mended"]
        self.assertGreater(provable, 600)
        self.assertGreaterEqual(tally.counts["mended"], 0.98 * provable, tally.examples)

    def test_whole_sheets_are_mended_or_asked(self):
        tally = run_whole(2, seed=7)
        self.assertEqual({name: examples[:2] for name, examples in tally.examples.items()}, {})
        self.assertGreater(tally.counts["mended"], 150)
        self.assertGreater(tally.counts["told"], 200)
