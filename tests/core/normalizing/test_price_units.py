"""Amounts for more than one, and moments, whole columns of them."""

import unittest
from datetime import date
from decimal import Decimal

import polars as pl

from kotrel.core.normalizing.column import ColumnSetting, Tidied, Trouble
from kotrel.core.normalizing.date_columns import tidy_moment
from kotrel.core.normalizing.price_units import number_said, per_one
from kotrel.core.rows.findings import cells_of
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.sources import PriceUnit
from kotrel.core.values.conventions import Conventions
from tests.support import TODAY, grid, small

COST = small().records["item"].fields["cost"]


def one(amounts, units=(), unit=PriceUnit(number=Decimal(100)), rounding="", unread=()):  # noqa: B008
    """Amounts for one, problems and repairs."""
    lines = [(amount or "", said or "") for amount, said in zip(amounts, units or [None] * len(amounts), strict=True)]
    table = find_table(grid(("Cost", "Per"), *lines), 1)
    rows = pl.Series(range(2, len(lines) + 2), dtype=pl.UInt32)
    troubles = [Trouble("error", "not-a-number", "t", cells_of(list(unread), None, "m"))] if unread else []
    tidied = Tidied(pl.Series("cost", amounts, dtype=pl.String), troubles)
    setting = ColumnSetting(Conventions(), TODAY, rounding=rounding)
    done = per_one(rows, tidied, table, unit, COST, setting)
    return (
        done.values.to_list(),
        [(each.kind, *cell) for each in done.troubles for cell in each.cells.select(pl.first(), "value").iter_rows()],
        [cell for each in done.repairs for cell in each.cells.rows()],
    )


class PerOne(unittest.TestCase):
    def test_for_how_many_an_amount_is(self):
        column = PriceUnit(letter="B", words={"DOZEN": Decimal(12)}, default=Decimal(1))
        for said, number in (
            ("100", 100), ("per 100", 100), ("1.000 pcs", None), ("Dozen", 12), ("", 1), (" ", 1), (None, 1), ("0", None), ("-5", 5),
            ("pack", None), ("10 x 5", None),
        ):  # fmt: skip
            with self.subTest(said):
                self.assertEqual(number_said(said, column)[0], number and Decimal(number))
        number, trouble = number_said("", PriceUnit(letter="B"))
        self.assertEqual((number, trouble[:5]), (None, "blank"))
        self.assertEqual(number_said("7", PriceUnit(number=Decimal(100)))[0], Decimal(100), "the same in every row")

    def test_amounts_become_amounts_for_one(self):
        proof = "the amount is for 100, as the mapping says"
        self.assertEqual(
            one(["1234.00", None, "5.00"]),
            (["12.34", None, "0.05"], [], [(2, "1234", "12.34", proof), (4, "5", "0.05", proof)]),
        )
        self.assertEqual(one(["3.00"], unit=PriceUnit(number=Decimal(1))), (["3.00"], [], []), "for one already")

    def test_what_does_not_come_out_is_an_error_or_rounded_where_that_is_said(self):
        self.assertEqual(one(["12.35"]), (["12.35"], [("per-uneven", 2, "12.35")], []))
        self.assertEqual(one(["12.35", "12.45"], rounding="2")[:2], (["0.12", "0.12"], []))
        self.assertEqual(one(["12.50"], rounding="1")[0], ["0.10"])
        self.assertEqual(one(["12.50"], rounding="as shown")[1], [("per-uneven", 2, "12.5")])

    def test_each_row_by_its_own_unit(self):
        column = PriceUnit(letter="B")
        values, troubles, _ = one(["12.00", "12.00", "x", "8.00"], ["12", "few", "12", "2 pcs"], column, unread=[4])
        self.assertEqual(values, ["1.00", "12.00", "x", "4.00"])
        self.assertEqual(troubles, [("not-a-number", 4, None), ("per-unreadable", 3, "few")])


class Moments(unittest.TestCase):
    def tidied(self, *values, zoned=False):
        rows = pl.Series(range(2, len(values) + 2), dtype=pl.UInt32)
        done = tidy_moment(rows, pl.Series("at", values, dtype=pl.String), zoned)
        return (
            done.values.to_list(),
            [(each.kind, *each.cells[each.cells.columns[0]]) for each in done.troubles],
            [each.kind for each in done.repairs],
        )

    def test_what_is_written_as_it_is_kept_stays(self):
        self.assertEqual(self.tidied("2027-01-09 14:30:00", None), (["2027-01-09 14:30:00", None], [], []))
        self.assertEqual(self.tidied("2027-01-09 14:30:00.5Z", zoned=True), (["2027-01-09 14:30:00.5Z"], [], []))

    def test_other_forms_are_read_and_what_is_none_is_said(self):
        day = date(2027, 1, 9).isoformat()
        self.assertEqual(
            self.tidied(f"{day}T14:30", day), ([f"{day} 14:30:00", f"{day} 00:00:00"], [], ["midnight-added"])
        )
        self.assertEqual(self.tidied(f"{day} 14:30+02:00", zoned=True)[0], [f"{day} 12:30:00Z"])
        self.assertEqual(
            self.tidied("soon", "2027-02-30 10:00:00", f"{day} 14:30Z")[1],
            [("not-a-moment", 2), ("impossible-date", 3), ("needless-zone", 4)],
        )
        self.assertEqual(self.tidied(f"{day} 14:30", zoned=True)[1], [("no-zone", 2)])


if __name__ == "__main__":
    unittest.main()
