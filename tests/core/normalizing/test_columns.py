"""Whole columns tidied: the convention is decided from all values, and what is in doubt stays as it was."""

import unicodedata
import unittest
from datetime import date
from decimal import Decimal

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field
from kotrel.core.normalizing.amounts import number_evidence, number_witnesses, tidy_number
from kotrel.core.normalizing.column import ColumnSetting
from kotrel.core.values.conventions import Conventions
from tests.support import rows

HEAD = ("Item code", "Cost")
MARKS = {"point": (",", "."), "comma": (".", ","), "blank": (" ", ",")}

amounts = st.lists(st.decimals(-(10**6), 10**6, places=2), min_size=1, max_size=12)


def written(value: Decimal, thousands: str, mark: str) -> str:
    return f"{value:,.2f}".replace(",", "T").replace(".", mark).replace("T", thousands)


def column(values, heading="Cost", **conventions):
    """Tidied values, kinds of trouble, kinds of mend."""
    lines = [(f"N{place}", value) for place, value in enumerate(values)]
    tidied = rows(("Item code", heading), *lines, **conventions)
    name = next(name for name in tidied.fields if name != "code")
    return (
        tidied.values[name].to_list(),
        {group.kind for group in tidied.findings},
        {repair.kind for repair in tidied.repairs},
    )


class Wrapped(unittest.TestCase):
    def test_a_text_in_a_formula_is_that_text(self):
        told = {"text-in-formula"}
        self.assertEqual(
            column(['="00123"', '=" 5 ""A"" "', '="', "=1+1", '=""', "x"], "Description"),
            (["00123", '5 "A"', '="', "=1+1", None, "x"], set(), told | {"stray-spaces"}),
        )
        self.assertEqual(column(['="1,50"', "2.000,00"]), (["1.50", "2000.00"], set(), told | {"number-as-typed"}))
        self.assertEqual(
            column(['="A"'] * 50 + ["A"] * 50, "Description")[0], ["A"] * 100, "a few values, often repeated"
        )


class Amounts(unittest.TestCase):
    @given(amounts, st.sampled_from(sorted(MARKS)))
    def test_a_column_in_one_convention_is_read_exactly(self, values, convention):
        # Two decimals after the mark prove which mark it is.
        got, troubles, _ = column([written(value, *MARKS[convention]) for value in values])
        self.assertEqual(troubles, set())
        self.assertEqual([Decimal(text) for text in got], values)
        self.assertTrue(all(text.split(".")[1] == text[-2:] for text in got))

    @given(
        st.lists(
            st.one_of(st.none(), st.from_regex(r"-?[0-9]{0,5}([.,][0-9]{0,5}){0,2}( ?EUR|%)?", fullmatch=True)),
            max_size=8,
        ),
        st.booleans(),
    )
    def test_a_few_of_its_numbers_decide_how_a_column_is_read(self, texts, often):
        # Of a large file, only these are kept.
        values = pl.Series(texts * 600 if often else texts, dtype=pl.String)
        few = number_witnesses(values)
        self.assertEqual(number_evidence(few), number_evidence(values))
        self.assertLessEqual(len(few), len(set(texts)))

    @given(amounts)
    def test_what_is_canonical_stays_and_nothing_is_told(self, values):
        texts = [f"{value + 0:.2f}".replace("-0.00", "0.00") for value in values]
        self.assertEqual(column(texts), (texts, set(), set()))

    def test_two_clear_values_settle_the_doubtful_ones(self):
        self.assertEqual(column(["1,234", "5,5", "2,75"])[0], ["1.234", "5.50", "2.75"])
        self.assertEqual(column(["1,234", "5.5", "2.75"])[0], ["1234.00", "5.50", "2.75"])
        # One value alone may be the slip itself.
        self.assertEqual(column(["1,234", "5,5"])[:2], (["1,234", "5.50"], {"ambiguous-number"}))
        self.assertEqual(column(["1,234"]), (["1,234"], {"ambiguous-number"}, set()))
        self.assertEqual(column(["1,234"], decimal_mark=".")[0], ["1234.00"])

    def test_another_column_of_the_sheet_may_settle_it(self):
        tidied = rows(("Item code", "Cost", "Length"), ("A", "1,234", "2,5"), ("B", "", "3,5"))
        self.assertEqual((tidied.values["cost"][0], tidied.values["length"][0]), ("1.234", "2.5"))

    def test_number_cells_say_how_large_a_text_can_be(self):
        # By hand: with a comma in two texts, 1.836 could be 1836; beside number cells up to 24.5 it is no such number.
        cells = ["1.5", "24.5", "9.0", "0,5", "7,25", "1.836", "2.450"]
        kinds = ["text", *["number"] * 3, *["text"] * 4]
        tidied = rows(
            ("Item code", "Length"), *((f"N{n}", cell) for n, cell in enumerate(cells)), kinds={"B": pl.Series(kinds)}
        )
        found = {(group.kind, row) for group in tidied.findings for row in group.cells["sheet row"]}
        self.assertEqual(found, {("ambiguous-number", 7), ("ambiguous-number", 8)})

    def test_an_exponent_has_no_thousands(self):
        self.assertEqual(column(["1,50", "2,75", "3.464E-1"])[:2], (["1.50", "2.75", "3.464E-1"], {"mixed-marks"}))
        self.assertEqual(column(["3.464E+1"])[0], ["34.64"])

    def test_the_word_that_the_field_counts_may_be_behind_its_number(self):
        about = Field(name="terms", title="Terms in days", kind="number", decimals=0)
        texts = pl.Series(["30 days", "14 Days", "1 day", "7days", "net 14", "30 weeks", "30", "3 d"])
        numbers = pl.Series(range(2, 10), dtype=pl.UInt32)
        read = tidy_number(
            numbers, texts, pl.Series([False] * 8), about, ColumnSetting(Conventions(), date(2026, 1, 1))
        )
        self.assertEqual(read.values.to_list(), ["30", "14", "1", "7", "net 14", "30 weeks", "30", "3 d"])
        self.assertEqual([row for trouble in read.troubles for row in trouble.cells[ROW]], [6, 7, 9])

    def test_both_marks_in_one_column_prove_nothing(self):
        got, troubles, _ = column(["1.50", "2,75", "1,234", "1.234"])
        self.assertEqual((got, troubles), (["1.50", "2.75", "1,234", "1.234"], {"ambiguous-number"}))
        got, troubles, _ = column(["1.50", "2.75", "3,25"], decimal_mark=".")
        self.assertEqual((got, troubles), (["1.50", "2.75", "3,25"], {"mixed-marks"}))

    def test_digits_apart_are_a_number_only_in_groups_of_three(self):
        for text, wanted in (
            ("1 250", "1250.00"),
            ("1'234'567,5", "1234567.50"),
            ("€ 12", "12.00"),
            ("1\u202f250 kr", "1250.00"),
        ):
            self.assertEqual(column([text])[0], [wanted], text)
        for text in ("12 50", "12'50", "1 25", "1 2345", "1\n250", "1 234'567", "1,5 000", "0 12 345"):
            self.assertEqual(column([text])[1], {"not-a-number"}, text)

    def test_numbers_of_every_size_and_sign(self):
        for text, wanted in (
            ("0", "0.00"), ("-0", "0.00"), ("007", "7.00"), ("+5", "5.00"), (".5", "0.50"), ("5.", "5.00"), ("1e3", "1000.00"),
            ("$1,000.00", "1000.00"), ("12 345 678,90", "12345678.90"), ("1'234.50", "1234.50"), ("−3.50", "-3.50"), ("CHF 12.-", "12.00"), ("12,–", "12.00"), ("12-", "-12.00"), ("1.200,-", "1200.00"), ("--1", None),
        ):  # fmt: skip
            got, troubles, _ = column([text])
            if wanted is None:
                self.assertEqual(troubles, {"not-a-number"}, text)
            else:
                self.assertEqual((got, troubles), ([wanted], set()), text)

    @given(st.text(max_size=8))
    def test_no_text_is_lost_whatever_it_is(self, text):
        got, troubles, repairs = column([text, "1.50"])
        if "unusual-characters" in repairs:
            text = unicodedata.normalize("NFKC", text)
        if troubles and "error-value" not in troubles:
            # What could not be read stands as it was, but for blanks at its ends.
            self.assertIn(got[0], text)
            self.assertTrue(
                text.replace(got[0], "", 1).strip(" \t\r\n\u00a0\u2007\u202f\u200b\ufeff\u2009\u3000") == ""
            )


class Days(unittest.TestCase):
    def test_a_day_with_a_time_and_a_year_of_two_digits(self):
        got, troubles, mends = column(["2027-01-09 14:30", "31.01.99", "2027-01-10", "25.12.2026 08:00"], "Since")
        self.assertEqual(got, ["2027-01-09", "1999-01-31", "2027-01-10", "2026-12-25"])
        self.assertEqual((troubles, mends), (set(), {"time-left-out", "two-digit-year"}))

    @given(
        st.lists(st.dates(date(1990, 1, 1), date(2040, 12, 31)), min_size=1, max_size=10),
        st.sampled_from(["day", "month"]),
    )
    def test_a_column_with_one_clear_date_is_read_whole(self, days, order):
        shape = "%d.%m.%Y" if order == "day" else "%m/%d/%Y"
        clear = date(2026, 12, 31)
        got, troubles, _ = column([day.strftime(shape) for day in [*days, clear]], "Since")
        self.assertEqual((got, troubles), ([day.isoformat() for day in [*days, clear]], set()))

    def test_doubt_stays_doubt(self):
        self.assertEqual(
            column(["3/4/2026", "4/4/2026"], "Since"),
            (["3/4/2026", "2026-04-04"], {"ambiguous-date"}, {"date-as-typed"}),
        )
        # A contradiction proves nothing: what reads one way is read, what reads two ways is an error.
        self.assertEqual(
            column(["13/4/2026", "4/14/2026", "3/4/2026"], "Since")[:2],
            (["2026-04-13", "2026-04-14", "3/4/2026"], {"ambiguous-date"}),
        )
        self.assertEqual(column(["13/4/2026"], "Since", dates="month")[1], {"mixed-dates"})
        self.assertEqual(column(["1.2.26"], "Since", dates="day"), (["2026-02-01"], set(), {"two-digit-year"}))


class Ends(unittest.TestCase):
    @given(
        st.text(st.sampled_from(" \t\u00a0\u200b\ufeff\n"), max_size=3), st.text(st.sampled_from(" \u00a0"), max_size=3)
    )
    def test_blanks_at_the_ends_go_and_are_told(self, before, after):
        tidied = rows(("Item code", "Description"), ("A", f"{before}a b{after}"), ("B", before))
        self.assertEqual(tidied.values["description"].to_list(), ["a b", None])
        told = {(repair.kind, row) for repair in tidied.repairs for row in repair.cells[ROW]}
        self.assertEqual(
            told,
            {
                ("stray-spaces", row)
                for row, text in ((2, before + after), (3, before))
                if text and row in tidied.values[ROW].to_list()
            },
        )


class Rounding(unittest.TestCase):
    def test_number_cells_are_rounded_half_away_from_zero_and_texts_stay(self):
        lines = [("A", "1.005"), ("B", "-2.675"), ("C", "3.10"), ("D", "4"), ("E", "0.005")]
        kinds = {"B": pl.Series(["text", "number", "number", "number", "number", "text"])}
        tidied = rows(("Item code", "Cost"), *lines, kinds=kinds, rounding="2")
        self.assertEqual(tidied.values["cost"].to_list(), ["1.01", "-2.68", "3.10", "4.00", "0.005"])
        [repair] = tidied.repairs
        self.assertEqual((repair.kind, repair.cells["before"].to_list(), repair.cells["after"].to_list()),
                         ("rounded", ["1.005", "-2.675"], ["1.01", "-2.68"]))  # fmt: skip
