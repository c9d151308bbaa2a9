"""Of movements with the same quantity, the one that a count posted is the one from its posting on."""

import unittest

import polars as pl

from kotrel.core.stock.sums import PLACE
from kotrel.counting.other_counts import CORRECTED, without_corrections

HERE = ("ROPE", "QUAY", "Q-01", None, None)


def left(moved, corrected):
    """When the movements happened that are left."""
    since = pl.DataFrame(
        [(*HERE, quantity, at) for at, quantity in moved],
        schema=dict.fromkeys((*PLACE, "quantity", "posted_at"), pl.String), orient="row",
    )  # fmt: skip
    posted = pl.DataFrame(
        [(*HERE, at, quantity, "other") for at, quantity in corrected],
        schema=dict.fromkeys(CORRECTED, pl.String), orient="row",
    )  # fmt: skip
    return without_corrections(since, posted)["posted_at"].to_list()


class Corrections(unittest.TestCase):
    def test_a_sale_of_the_same_quantity_before_the_posting_stays_a_movement(self):
        moved = [("2026-11-27 09:17", "1.000000"), ("2026-11-27 09:40", "1.000000"), ("2026-11-27 09:41", "-1.000000")]
        self.assertEqual(left(moved, [("2026-11-27 09:40", "1")]), ["2026-11-27 09:17", "2026-11-27 09:41"])
        # What was taken back since is there both ways.
        both = [("2026-11-27 09:40", "1"), ("2026-11-27 09:40", "-1")]
        self.assertEqual(left(moved, both), ["2026-11-27 09:17"])

    def test_one_movement_for_each_correction(self):
        moved = [("2026-11-27 09:00", "2"), ("2026-11-27 09:10", "2"), ("2026-11-27 09:20", "3")]
        self.assertEqual(left(moved, [("2026-11-27 08:50", "2")]), ["2026-11-27 09:10", "2026-11-27 09:20"])
        # The clock of a server may be behind.
        self.assertEqual(left(moved, [("2026-11-27 09:11", "2")]), ["2026-11-27 09:00", "2026-11-27 09:20"])
        self.assertEqual(left(moved, [("2026-11-27 08:50", "5")]), [at for at, _ in moved])
