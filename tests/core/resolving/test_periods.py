"""Periods: whatever a sheet says, no two rows of one thing hold on the same day, or it is an error."""

from __future__ import annotations

import unittest
from datetime import date, timedelta
from itertools import pairwise
from typing import Any

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing
from kotrel.core.description.description_reading import read_description
from kotrel.core.resolving.periods import follow_periods
from kotrel.core.rows.rows import Defaulted
from tests.builders import rows_of, system_of, values_of

PRICES = read_description("""
[record.price]
key = ["item", "from_date"]
period = ["from_date", "to_date"]
[record.price.field]
item = { kind = "code", must = "always" }
from_date = { kind = "date", must = "always" }
to_date = { kind = "date" }
note = { kind = "text" }
""")
DAYS = [(date(2027, 1, 1) + timedelta(10 * n)).isoformat() for n in range(8)]
LETTERS = {"item": "A", "from_date": "B", "to_date": "C"}
Ends = dict[tuple[str, str], str | None]


def follow(held: Ends, sheet: dict[tuple[str, str], str | None], after_end: Any = "resume") -> tuple[Ends, list[str]]:
    """What stands after the load, and the kinds of its errors; ``(clear)`` takes an end away."""
    after, errors = load(held, sheet, after_end)
    return {key: end for key, (end, _) in after.items()}, errors


def load(
    held: Ends, sheet: dict[tuple[str, str], str | None], after_end: Any
) -> tuple[dict[tuple[str, str], tuple[str | None, str]], list[str]]:
    """Key → end and note. The note of a row is its first day, and whether the sheet or the system had it."""

    stands = {"item": [k[0] for k in held], "from_date": [k[1] for k in held], "to_date": list(held.values()),
              "note": [f"{k[1]} system" for k in held]}  # fmt: skip
    keys, ends = list(sheet), list(sheet.values())
    numbers = pl.Series(ROW, range(2, len(keys) + 2), dtype=pl.UInt32)
    values = pl.DataFrame(
        [
            numbers,
            pl.Series("item", [key[0] for key in keys], dtype=pl.String),
            pl.Series("from_date", [key[1] for key in keys], dtype=pl.String),
            pl.Series("to_date", [None if end == "(clear)" else end for end in ends], dtype=pl.String),
            pl.Series(clearing("to_date"), [end == "(clear)" for end in ends], dtype=pl.Boolean),
            pl.Series("note", [f"{key[1]} {'system' if key in held else 'sheet'}" for key in keys], dtype=pl.String),
        ]
    )
    rows = rows_of(PRICES.records["price"], values, LETTERS)
    new = pl.Series([key not in held for key in keys], dtype=pl.Boolean)
    done, ended, _ = follow_periods(rows, system_of(PRICES, {"price": stands}), lambda: new, after_end)
    after = {(item, start): (end, f"{start} system") for (item, start), end in held.items()}
    for item, start, end, cleared, note in done.values.select(
        "item", "from_date", "to_date", clearing("to_date"), "note"
    ).iter_rows():
        if end is not None or cleared or (item, start) not in held:
            after[item, start] = (end, note)
    for each in ended:
        again = each.kind == "resumed"
        for row in each.rows.values.iter_rows(named=True):
            key = row["item"], row["from_date"]
            assert again == (key not in after), key
            after[key] = (row["to_date"], row["note"] if again else after[key][1])
    return after, [group.kind for group in done.findings if group.severity == "error"]


def in_force(rows: list[tuple[str, str, str, str]], item: str, day: str, resumes: bool) -> str | None:
    """The note of what is in force, by looking at all rows (item, first day, last day,
    note) of the system and the sheet as written.
    """
    begun = sorted((start, end, note) for its, start, end, note in rows if its == item and start <= day)
    reaching = [note for _, end, note in begun if end >= day]
    if resumes:
        return reaching[-1] if reaching else None
    return begun[-1][2] if begun and begun[-1][1] >= day else None


def overlap(ends: Ends) -> bool:
    found = sorted((item, start, end or "9999") for (item, start), end in ends.items())
    return any(one[0] == two[0] and one[2] >= two[1] for one, two in pairwise(found))


KEYS = st.tuples(st.sampled_from("AB"), st.sampled_from(DAYS))
LAST_DAYS = st.sampled_from(DAYS).map(lambda day: (date.fromisoformat(day) + timedelta(9)).isoformat())
ENDS = st.one_of(st.none(), LAST_DAYS)


class Periods(unittest.TestCase):
    @settings(deadline=None, max_examples=60)
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

    @settings(deadline=None, max_examples=100)
    @given(st.dictionaries(KEYS, ENDS, max_size=5), st.dictionaries(KEYS, LAST_DAYS, min_size=1, max_size=4))
    def test_what_is_in_force_each_day_is_the_last_that_reaches_it(self, held: Ends, sheet: Ends) -> None:
        held = {key: end for key, end in held.items() if end is None or end >= key[1]}
        sheet = {key: end for key, end in sheet.items() if end and end >= key[1] and key not in held}
        if not sheet or overlap(held):
            return
        rows = [(item, start, end or "9999", f"{start} system") for (item, start), end in held.items()]
        rows += [(item, start, end or "9999", f"{start} sheet") for (item, start), end in sheet.items()]
        days = [(item, (date(2027, 1, 1) + timedelta(n)).isoformat()) for item in "AB" for n in range(0, 120, 3)]
        says = {how: [in_force(rows, *each, how == "resume") for each in days] for how in ("resume", "nothing")}
        for how, wanted in says.items():
            after, errors = load(held, sheet, how)
            if errors:
                self.assertEqual(set(errors), {"overlaps"})
                return
            self.assertFalse(overlap({key: end for key, (end, _) in after.items()}))
            stands = [(item, start, end or "9999", note) for (item, start), (end, note) in after.items()]
            self.assertEqual([in_force(stands, *each, True) for each in days], wanted, how)
        # Where the two are not the same, somebody has to say which it is to be.
        asked = load(held, sheet, None)[1]
        if says["resume"] != says["nothing"]:
            self.assertEqual(asked, ["nothing-follows"])

    def test_a_promotion_ends_and_the_former_price_begins_again(self) -> None:
        held: Ends = {("A", "2027-01-01"): None, ("A", "2027-03-02"): "2027-03-10", ("B", "2027-01-01"): "2027-12-31"}
        held |= {("A", "2027-01-01"): "2027-03-01"}
        sheet = {("B", "2027-01-21"): "2027-01-30", ("B", "2027-02-10"): "2027-02-19"}
        after, errors = follow(held, sheet)
        self.assertEqual(errors, [])
        # Between the two promotions, and after the second, until the day on which it ended anyway. Item A is nobody's
        # business.
        self.assertEqual(
            {key: end for key, end in after.items() if key not in held or key[0] == "B"},
            {("B", "2027-01-01"): "2027-01-20", ("B", "2027-01-21"): "2027-01-30", ("B", "2027-01-31"): "2027-02-09",
             ("B", "2027-02-10"): "2027-02-19", ("B", "2027-02-20"): "2027-12-31"},
        )  # fmt: skip
        self.assertEqual(follow(held, sheet, None)[1], ["nothing-follows"])
        self.assertEqual(len(follow(held, sheet, "nothing")[0]), len(held) + 2)

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

    def test_a_first_day_that_nobody_gave_is_none_that_is_over_already(self) -> None:
        # The default makes every row begin in 2000; the system's begin in March and in June.
        values = values_of(
            {"item": ["A", "B", "C", "C"], "from_date": ["2000-01-01"] * 3 + ["2026-01-01"], "to_date": [None] * 4}
        )
        given = Defaulted("from_date", "2000-01-01", "system", values[ROW].head(3))
        held = {"item": ["A", "B", "C"], "from_date": ["2027-03-01", "2027-06-01", "2027-03-01"], "to_date": [None] * 3}
        for today, source, wrong in ((date(2027, 5, 1), "system", ["A"]), (date(2027, 2, 28), "system", []), (date(2027, 5, 1), "mapping", []), (None, "system", [])):  # fmt: skip
            rows = replace(
                rows_of(PRICES.records["price"], values, LETTERS), defaulted=(replace(given, source=source),)
            )
            new = pl.Series([True] * 4)
            done, _, _ = follow_periods(rows, system_of(PRICES, {"price": held}), lambda new=new: new, today=today)
            errors = [row for each in done.findings if each.severity == "error" for row in each.cells[ROW]]
            items = dict(values.select(ROW, "item").iter_rows())
            self.assertEqual(sorted(items[row] for row in errors), wrong, (today, source))

    def test_nothing_follows_from_a_day_that_could_not_be_read(self) -> None:
        held: Ends = {("A", "2027-01-01"): None}
        for start, end in (("2027-03-01", "01.12.2026"), ("2027-02-30", None), ("0000-01-01", None), ("-", "x")):
            after, errors = follow(held, {("A", start): end})
            self.assertEqual((after["A", "2027-01-01"], errors), (None, []), (start, end))
        self.assertEqual(follow({("A", "2027-01-01"): "2027-12-31"}, {("A", "2027-01-01"): "12.13.14"})[1], [])

    def test_a_row_that_is_twice_gets_one_end(self) -> None:
        keys = [("A", "2027-01-01"), ("A", "2027-01-01"), ("A", "2027-06-01")]
        columns = {"item": [key[0] for key in keys], "from_date": [key[1] for key in keys], "to_date": [None] * 3}
        rows = rows_of(PRICES.records["price"], values_of(columns), LETTERS)
        done, _, _ = follow_periods(rows, system_of(PRICES, {}), lambda: pl.Series([True] * 3))
        self.assertEqual(done.values["to_date"].to_list(), ["2027-05-31", "2027-05-31", None])
