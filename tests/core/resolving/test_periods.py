"""Periods: whatever a sheet says, no two rows of one thing hold on the same day, or it is an error."""

from __future__ import annotations

import unittest
from datetime import date, timedelta
from itertools import pairwise
from typing import Any

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.columns import ROW, clearing
from kotrel.core.description.description_reading import read_description
from kotrel.core.resolving.periods import follow_periods
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.table import Table

PRICES = read_description("""
[record.price]
key = ["item", "from_date"]
period = ["from_date", "to_date"]
[record.price.field]
item = { kind = "code", must = "always" }
from_date = { kind = "date", must = "always" }
to_date = { kind = "date" }
""")
DAYS = [(date(2027, 1, 1) + timedelta(10 * n)).isoformat() for n in range(8)]
Ends = dict[tuple[str, str], str | None]


def follow(held: Ends, sheet: dict[tuple[str, str], str | None]) -> tuple[Ends, list[str]]:
    """What stands after the load, and the kinds of its errors; ``(clear)`` takes an end away."""

    def read(record: str, fields: Any, among: Any = None, filled: Any = None) -> pl.DataFrame:
        columns = {"item": [k[0] for k in held], "from_date": [k[1] for k in held], "to_date": list(held.values())}
        return pl.DataFrame(columns, schema=dict.fromkeys(columns, pl.String)).select(fields)

    keys, ends = list(sheet), list(sheet.values())
    numbers = pl.Series(ROW, range(2, len(keys) + 2), dtype=pl.UInt32)
    values = pl.DataFrame(
        [
            numbers,
            pl.Series("item", [key[0] for key in keys], dtype=pl.String),
            pl.Series("from_date", [key[1] for key in keys], dtype=pl.String),
            pl.Series("to_date", [None if end == "(clear)" else end for end in ends], dtype=pl.String),
            pl.Series(clearing("to_date"), [end == "(clear)" for end in ends], dtype=pl.Boolean),
        ]
    )
    table = Table("p.csv", "", 1, (), pl.DataFrame([numbers]), {})
    rows = Rows(table, PRICES.records["price"], {"item": "A", "from_date": "B", "to_date": "C"}, values)
    new = pl.Series([key not in held for key in keys], dtype=pl.Boolean)
    done, ended, _ = follow_periods(rows, SystemState(PRICES, read), lambda: new)
    after = dict(held)
    for item, start, end, cleared in done.values.select(
        "item", "from_date", "to_date", clearing("to_date")
    ).iter_rows():
        if end is not None or cleared or (item, start) not in held:
            after[item, start] = end
    for each in ended:
        after |= {
            (item, start): end
            for item, start, end in each.rows.values.select("item", "from_date", "to_date").iter_rows()
        }
    return after, [group.kind for group in done.findings if group.severity == "error"]


def overlap(ends: Ends) -> bool:
    found = sorted((item, start, end or "9999") for (item, start), end in ends.items())
    return any(one[0] == two[0] and one[2] >= two[1] for one, two in pairwise(found))


KEYS = st.tuples(st.sampled_from("AB"), st.sampled_from(DAYS))
ENDS = st.one_of(st.none(), st.sampled_from(DAYS).map(lambda day: (date.fromisoformat(day) + timedelta(9)).isoformat()))


class Periods(unittest.TestCase):
    @settings(deadline=None, max_examples=200)
    @given(st.dictionaries(KEYS, ENDS, max_size=6), st.data())
    def test_no_two_hold_on_one_day_or_it_is_an_error(self, held: Ends, data: Any) -> None:
        keys = st.one_of(KEYS, st.sampled_from(sorted(held))) if held else KEYS
        sheet = data.draw(st.dictionaries(keys, st.one_of(ENDS, st.just("(clear)")), min_size=1, max_size=5))
        held = {key: end for key, end in held.items() if end is None or end >= key[1]}
        sheet = {
            key: end
            for key, end in sheet.items()
            if (end is None or end >= key[1]) and (end != "(clear)" or key in held)
        }
        if not sheet or overlap(held):
            return
        after, errors = follow(held, sheet)
        if not errors:
            self.assertFalse(overlap(after), after)
        # What a sheet says, it gets; the end that stands there already is nothing said, and a new row may cut it.
        for key, end in sheet.items():
            if end is not None and end != held.get(key) and not errors:
                self.assertEqual(after[key], None if end == "(clear)" else end)

    def test_an_end_given_to_a_row_that_is_there_may_not_run_into_the_next(self) -> None:
        held: Ends = {("A", "2027-03-01"): "2027-08-31", ("A", "2027-09-01"): None}
        for end, errors in (
            ("2027-09-21", ["overlaps"]),
            ("(clear)", ["overlaps"]),
            ("2027-08-31", []),
            ("2027-08-01", []),
            (None, []),
        ):
            with self.subTest(end):
                self.assertEqual(follow(held, {("A", "2027-03-01"): end})[1], errors)
        # Nor may it run into a new row of the same sheet, which would cut what the sheet says.
        self.assertEqual(
            follow({("A", "2027-03-01"): None}, {("A", "2027-03-01"): "2027-06-30", ("A", "2027-06-01"): None})[1],
            ["overlaps"],
        )

    def test_a_new_row_ends_the_one_in_force_and_takes_its_end_over(self) -> None:
        after, errors = follow(
            {("A", "2027-01-01"): "2027-12-31", ("B", "2027-01-01"): None},
            {("A", "2027-03-01"): None, ("B", "2027-05-01"): None},
        )
        self.assertEqual(errors, [])
        self.assertEqual(
            after,
            {("A", "2027-01-01"): "2027-02-28", ("A", "2027-03-01"): "2027-12-31", ("B", "2027-01-01"): "2027-04-30", ("B", "2027-05-01"): None},
        )  # fmt: skip
