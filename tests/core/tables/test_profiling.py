"""Looking at columns: kinds, fullness, damage; and how words, lists and choices are tidied."""

import unittest

import polars as pl
from msgspec.structs import replace

from kotrel.core.checking.all_checks import check_rows
from kotrel.core.columns import ROW
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.profiling import kind_of_values, look_at
from kotrel.core.tables.sources import Source, columns_named, letters_by_heading, raw_values
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.formula_guard import unguard
from tests.support import grid, rows, state


class Kinds(unittest.TestCase):
    def test_what_nearly_all_values_are(self):
        cases = {
            "yes/no": ["yes", "no", "Yes"],
            "barcode": ["20123451", "2291441500213"],
            "whole number": ["12", "7", "-3"],
            "code": ["00120", "00121"],
            "number": ["1.234,50", "€ 7", "12 %", "(3.50)"],
            "date": ["2026-01-31", "31.1.2026", "1 March 2026"],
            "text": ["Braided rope", "Anchor chain 8 mm"],
        }
        for kind, values in cases.items():
            self.assertEqual(kind_of_values(pl.Series(values)), kind)
        self.assertEqual(
            kind_of_values(pl.Series(["ROP-40010", "ROP-40020"])), "code", "letters before a dash are no currency"
        )
        self.assertEqual(
            kind_of_values(pl.Series([*map(str, range(95)), *"abcde"])), "whole number", "one in twenty may be odd"
        )

    def test_fullness_uniqueness_and_lengths(self):
        [first, second] = look_at(find_table(grid(("Code", "Note"), ("A", "x"), ("B", ""), ("CCC", "x"))))
        self.assertEqual((first.filled, first.unique, first.shortest, first.longest), (3, 3, 1, 3))
        self.assertEqual((second.filled, second.unique, second.examples), (2, 1, ("x",)))

    def test_damage_is_told_with_counts(self):
        kinds = {"A": pl.Series(["text", "text", "text", "text", "error", "uncalculated"])}
        table = find_table(grid(("Code",), (" A ",), ("4.01E+12",), ("Ã¤",), ("#N/A",), ("f",), kinds=kinds))
        [look] = look_at(table)
        told = " / ".join(look.damage)
        for words in (
            "1 cell with a spreadsheet error",
            "1 cell with a formula",
            "1 cell with spaces",
            "1 cell in exponent form",
            "1 cell with characters from a wrong",
        ):
            self.assertIn(words, told)

    def test_what_a_spreadsheet_may_have_turned_is_told(self):
        kinds = {"A": pl.Series(["text", *["text"] * 5, "date", "yes_no"])}
        table = find_table(
            grid(
                ("Code",),
                *((f"{n:05}",) for n in range(10000, 10004)),
                ("120",),
                ("2026-12-03",),
                ("TRUE",),
                kinds=kinds,
            )
        )
        told = " / ".join(look_at(table)[0].damage)
        for words in ("1 cell with a date", "1 cell with a yes/no value", "1 cell shorter than the usual 5 digits"):
            self.assertIn(words, told)
        plain = find_table(grid(("Quantity",), *((str(n),) for n in (5, 12, 120, 13000))))
        self.assertEqual(look_at(plain)[0].damage, ())


class WordsAndLists(unittest.TestCase):
    HEAD = ("Item code", "Description", "Unit", "Cost", "Condition", "More barcodes")

    def test_words_that_stand_for_a_number_are_told(self):
        tidied = rows(
            self.HEAD,
            ("A", "x", "EA", "Ask", "", ""),
            ("B", "x", "EA", "ON REQUEST", "", ""),
            ("C", "x", "EA", "POA", "", ""),
        )
        self.assertEqual(tidied.values["cost"].to_list()[:2], ["0.00", "0.00"])
        self.assertEqual([repair.kind for repair in tidied.repairs], ["word-for-number"])
        self.assertEqual(
            [(group.kind, group.cells[ROW].to_list()) for group in tidied.findings], [("not-a-number", [4])]
        )

    def test_choices_in_any_case_and_lists_without_doubles(self):
        tidied = rows(self.HEAD, ("A", "x", "EA", "", "NEW", "1;2 ; 1"), ("B", "x", "EA", "", "Used ", "3,4"))
        self.assertEqual(tidied.values["condition"].to_list(), ["new", "used"])
        self.assertEqual(tidied.values["more_barcodes"].to_list(), ["1; 2", "3; 4"])

    def test_per_cent_is_no_amount(self):
        checked = check_rows(rows((*self.HEAD[:4], "Length"), ("A", "x", "EA", "12 %", "12 %")), state())
        kinds = {(group.kind, group.field) for group in checked.findings}
        self.assertLessEqual({("per-cent", "cost"), ("per-cent", "length")}, kinds)

    def test_lost_letters_are_an_error(self):
        checked = check_rows(rows(self.HEAD[:3], ("A", "Gr\ufffd\ufffde", "EA")), state())
        self.assertEqual([(g.severity, g.kind) for g in checked.findings], [("error", "letters-lost")])

    def test_a_guarded_text_loses_its_guard_and_an_apostrophe_stays(self):
        texts = pl.Series(["'=1+1", "'s hook", "'-5", "''=x", "=1", None])
        self.assertEqual(unguard(texts).to_list(), ["=1+1", "'s hook", "-5", "'=x", "=1", None])


class Sources(unittest.TestCase):
    def setUp(self):
        cells = pl.DataFrame(
            {ROW: [2, 3], "A": ["x", None], "B": ["y", " "], "C": ["3 mm/20 m", "z"]},
            schema_overrides={ROW: pl.UInt32},
        )
        self.table = Table("t", "S", 1, tuple(Column(letter, f"head {letter}") for letter in "ABC"), cells, {})

    def raw(self, **source):
        return raw_values(self.table, Source(**source)).to_list()

    def test_every_way_a_field_is_fed(self):
        self.assertEqual(self.raw(columns=("A",)), ["x", None])
        self.assertEqual(self.raw(fixed="EA"), ["EA", "EA"])
        self.assertEqual(self.raw(columns=("A", "B"), between=", "), ["x, y", None])
        self.assertEqual(self.raw(columns=("A", "B"), last=True), ["y", None])
        self.assertEqual(self.raw(columns=("C",), pattern="{d} mm / {l} m", part="l"), ["20", None])
        self.assertEqual(self.raw(columns=("A",), translate={"X": "EA"}), ["EA", None])
        self.assertEqual(self.raw(columns=("A", "B"), last=True, translate={"Y": "EA"}), ["EA", None])
        self.assertEqual(self.raw(columns=("A", "B"), between="", translate={"XY": "EA", "X": "no"}), ["EA", None])
        self.assertEqual(
            self.raw(columns=("A", "B", "C"), parts=True, translate={"X": "EA", "Y": ""}), ["EA; 3 mm/20 m", "z"]
        )

    def test_columns_by_heading_and_by_letter(self):
        self.assertEqual([each.letter for each in columns_named(self.table.columns, "HEAD-B")], ["B"])
        self.assertEqual([each.letter for each in columns_named(self.table.columns, "=c")], ["C"])
        self.assertEqual(columns_named(self.table.columns, "B"), [])
        twice = [*self.table.columns, replace(self.table.columns[1], letter="Z")]
        self.assertEqual([each.letter for each in columns_named(twice, "HEAD-B")], ["B", "Z"])
        self.assertEqual(letters_by_heading(twice)["headb"], ("B", "Z"))
