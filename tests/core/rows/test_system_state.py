"""What the system holds, with what comes earlier in the same load."""

import unittest

import polars as pl

from kotrel.core.columns import clearing
from kotrel.core.rows.system_state import PendingRows, SystemState
from tests.support import small


class Behind(unittest.TestCase):
    def test_what_the_same_load_clears_is_not_there(self):
        held = {"code": ["A", "B", "C"], "unit": ["M", "EA", "L"], "cost": ["1.00"] * 3}
        values = {"code": ["A", "B", "N"], "unit": [None, None, "KG"], clearing("unit"): [True, False, None]}
        state = SystemState(
            small(),
            lambda record, fields, *given: pl.DataFrame(held).select(fields),
            {"item": PendingRows(pl.DataFrame(values), {})},
        )
        found = state.behind(small().records["item"], pl.Series(["A", "B", "C", "N"]), ["unit", "cost"]).sort("code")
        self.assertEqual(found["unit"].to_list(), [None, "EA", "L", "KG"])
        self.assertEqual(found["cost"].to_list(), ["1.00", "1.00", "1.00", None])


if __name__ == "__main__":
    unittest.main()
