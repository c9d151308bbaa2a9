"""Decision tables: one cell in its column, as a person or a spreadsheet wrote it, and what becomes of it."""

from __future__ import annotations

import unittest

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.conventions import Conventions
from tests.support import TODAY, rows, small


def read(field: str, *values: str, kinds: list[str] | None = None, text_file: bool = False, **conventions: str):
    """(values, {(kind of finding, row)}, {(kind of repair, row, before, after, proof)}); rows count from 2."""
    cells = {"A": [f"N{n}" for n in range(len(values))], "B": [value or None for value in values]}
    numbers = pl.Series(ROW, range(2, len(values) + 2), dtype=pl.UInt32)
    frame = pl.DataFrame([numbers, *(pl.Series(letter, column, dtype=pl.String) for letter, column in cells.items())])
    of_b = pl.Series(kinds) if kinds else "text"
    table = Table(
        "t", "" if text_file else "S", 1, (Column("A", "code"), Column("B", field)), frame, {"A": "text", "B": of_b}
    )
    done = understand(table, match_headings(table, small().records["item"]), Conventions(**conventions), TODAY)  # type: ignore[arg-type]
    name = next(name for name in done.fields if name != "code")
    return (
        done.values[name].to_list(),
        {(group.kind, row) for group in done.findings for row in group.cells[ROW]},
        {(group.kind, *cells) for group in done.repairs for cells in group.cells.rows()},
    )


def kinds_of(repairs) -> set[tuple[str, int]]:
    return {(kind, row) for kind, row, *_ in repairs}


class Amounts(unittest.TestCase):
    def test_number_cells_are_exact_whatever_marks_the_column_uses(self):
        got, wrong, repairs = read(
            "cost",
            "18.400000000000002",
            "1.234",
            "1,50",
            "1E2",
            "18.3968",
            kinds=["number", "number", "text", "number", "number"],
        )
        self.assertEqual((got, wrong), (["18.40", "1.234", "1.50", "100.00", "18.3968"], set()))
        self.assertEqual(kinds_of(repairs), {("binary-rounding", 2), ("number-as-typed", 4)})
        # Rounding noise is taken away only where the field has room for what is left.
        self.assertEqual(read("cost", "1.2345000000000002", kinds=["number"])[0], ["1.2345000000000002"])

    def test_three_decimals_can_be_thousands(self):
        self.assertEqual(read("on hand", "1.234")[:2], (["1.234"], {("ambiguous-number", 2)}))
        self.assertEqual(read("on hand", "1.234", "0.5")[:2], (["1.234", "0.500"], set()))
        self.assertEqual(read("on hand", "1.234", kinds=["number"])[:2], (["1.234"], set()))
        self.assertEqual(read("on hand", "1.234", decimal_mark=".")[:2], (["1.234"], set()))
        self.assertEqual(read("on hand", "1.234", decimal_mark=",")[:2], (["1234.000"], set()))
        self.assertEqual(read("on hand", "1.50", decimal_mark=",")[1], {("mixed-marks", 2)})
        self.assertEqual(read("on hand", "0.250", "12.000")[:2], (["0.250", "12.000"], set()), "0.250 is clear")

    def test_words_and_per_cents(self):
        got, wrong, repairs = read("cost", "ask", "On Request", "12 %", "1,50")
        self.assertEqual((got, wrong), (["0.00", "0.00", "12 %", "1.50"], {("per-cent", 4)}))
        self.assertEqual(kinds_of(repairs), {("word-for-number", 2), ("word-for-number", 3), ("number-as-typed", 5)})
        self.assertEqual(read("length", "12 %", "$ 5")[1], {("per-cent", 2), ("sign-not-meant", 3)})

    def test_each_repair_says_how_it_was_read(self):
        proofs = {before: proof for _, _, before, _, proof in read("cost", "1.000,50", "€ 7", "(3,5)")[2]}
        self.assertEqual(proofs["1.000,50"], "decimals after the comma, as in the rest of the column")
        self.assertEqual(proofs["€ 7"], "can be read in only one way")
        self.assertEqual(read("cost", "(3,5)")[0], ["-3.50"])
        self.assertEqual(
            read("cost", "1,000.50")[2],
            {("number-as-typed", 2, "1,000.50", "1000.50", "decimals after the point, as in the rest of the column")},
        )

    def test_amounts_in_another_currency(self):
        got, wrong, repairs = read("cost", "€ 1,50", "2,50 EUR", "$ 3,50", "CHF 4", "5,00 kr", "6,00 ¤", currency="EUR")
        self.assertEqual(got, ["1.50", "2.50", "$ 3,50", "CHF 4", "5,00 kr", "6.00"])
        self.assertEqual(wrong, {("other-currency", 4), ("other-currency", 5), ("other-currency", 6)})
        self.assertTrue(all("the currency here" in proof for *_, proof in repairs))
        [(*_, proof)] = read("cost", "1,5", currency="EUR")[2]
        self.assertNotIn("currency", proof, "no sign, nothing to say about it")
        self.assertEqual(
            read("cost", "$ 3", "US$ 4", "A$ 5", "€ 6", currency="USD")[1],
            {("other-currency", 4), ("other-currency", 5)},
        )
        self.assertEqual(read("cost", "$ 3", "€ 6")[1], set(), "where no currency is set, any may stand")

    def test_what_the_two_readings_are(self):
        table = rows(("Item code", "Cost"), ("A", "1,234"))
        [group] = table.findings
        self.assertEqual(group.cells["suggestion"][0], "1234 or 1.234")


class Days(unittest.TestCase):
    def test_dates_in_many_clothes(self):
        got, wrong, repairs = read(
            "since", "2026-02-28", "28.2.2026", "2026-02-28 00:00:00", "28 Feb 2026", "2.3.27", "30.2.2026", "soon"
        )
        self.assertEqual(got[:5], ["2026-02-28"] * 4 + ["2027-03-02"])
        self.assertEqual(wrong, {("impossible-date", 7), ("not-a-date", 8)})
        self.assertEqual(
            kinds_of(repairs), {("date-as-typed", 3), ("date-as-typed", 4), ("date-as-typed", 5), ("two-digit-year", 6)}
        )
        self.assertEqual(
            {proof for kind, row, _, _, proof in repairs if row == 3}, {"day first, as in the rest of the column"}
        )
        self.assertEqual(
            read("since", "4/4/2026")[2],
            {("date-as-typed", 2, "4/4/2026", "2026-04-04", "can be read in only one way")},
        )

    def test_day_numbers_are_no_dates(self):
        self.assertEqual(
            read("since", "46000", "2026-01-01", kinds=["number", "date"])[:2],
            (["46000", "2026-01-01"], {("date-as-number", 2)}),
        )
        self.assertEqual(read("since", "3/4/2026", dates="day")[0], ["2026-04-03"])
        self.assertEqual(read("since", "3/4/2026", dates="month")[0], ["2026-03-04"])
        self.assertEqual(read("since", "2026-02-30")[1], {("impossible-date", 2)})


class Terms(unittest.TestCase):
    def test_yes_no_choices_and_lists(self):
        self.assertEqual(
            read("lot tracked", "Yes", "NEIN", "x", "perhaps", "")[:2],
            (["yes", "no", "yes", "perhaps", None], {("not-yes-or-no", 5)}),
        )
        got, wrong, _ = read("condition", "new", "NEW", "Usd", "used")
        self.assertEqual((got, wrong), (["new", "new", "Usd", "used"], {("not-a-choice", 4)}))
        # With a Cyrillic е and a full-width letter.
        self.assertEqual(read("condition", "nеw", "ｕsed")[:2], (["new", "used"], set()))
        self.assertEqual(read("more barcodes", "1; 2 ;1", "1,2", "1\n2,3", " ; ")[0], ["1; 2", "1; 2", "1; 2,3", None])

    def test_spreadsheet_errors_are_never_blanks(self):
        got, wrong, _ = read("cost", "#N/A", "=A1", "5", kinds=["error", "uncalculated", "number"])
        self.assertEqual((got, wrong), ([None, None, "5.00"], {("error-value", 2), ("not-calculated", 3)}))

    def test_ends_are_told_for_texts_and_not_for_numbers(self):
        self.assertEqual(
            kinds_of(read("description", " a", "b", "c\u200b")[2]), {("stray-spaces", 2), ("stray-spaces", 4)}
        )
        self.assertEqual(read("cost", " 5 ", "6")[2], set())
        self.assertEqual(read("description", "\u00a0", "b")[0], [None, "b"])

    def test_formulas_that_were_kept_from_being_ones(self):
        self.assertEqual(
            read("description", "'=1+1", "''+x", "'abc", "=x", text_file=True)[0], ["=1+1", "'+x", "'abc", "=x"]
        )
        self.assertEqual(read("description", "'=1+1")[0], ["'=1+1"], "in a workbook nothing was put before it")
