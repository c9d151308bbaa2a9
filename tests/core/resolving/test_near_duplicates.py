"""New keys that are nearly one the system has: named, with what is likely meant."""

import unittest
from types import SimpleNamespace
from unittest.mock import patch

import polars as pl
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.loading.load_model import Business, SheetRows
from kotrel.core.loading.pipeline import check_parts
from kotrel.core.resolving import near_duplicates
from kotrel.core.resolving.near_duplicates import find_near_keys
from kotrel.core.rows.distinct_values import is_plain
from kotrel.core.rows.load_options import LoadOptions
from kotrel.core.rows.system_state import SystemState, is_new
from kotrel.core.values.conventions import Conventions
from kotrel.core.values.near_codes import bare_form, may_be_near, near_form
from tests.builders import rows_of
from tests.support import SMALL, rows, small, state

HELD = ["ROPE-010", "BOLT-10", "1-12", "KELDRIFT-5", "0012", "012", "SHIRT-XL", "ANCHORCHAIN", "BLUE-1", "BLUE-2"]


def near(*codes, known=("ROPE-010", "BOLT-10", "BLUE-1"), new_codes=()):
    """Code → severity and what it may be, of those that are found."""
    sheet = rows(("Item code", "Cost"), *((code, "1") for code in [*codes, *known]))
    system = state(item={"code": HELD})
    return {
        value: (group.severity, suggestion or message.split("has ")[1].split(",")[0])
        for group in find_near_keys(sheet, system, lambda: is_new(sheet, system), new_codes)
        for value, message, suggestion in group.cells.select("value", "message", "suggestion").iter_rows()
    }


codes = st.lists(
    st.text("AaOoIlL015-_. /'\t\u00a0\x0b\u00df\uff21\u0410\u00e9\u0301", max_size=5), min_size=1, max_size=8
)


class NearKeys(unittest.TestCase):
    @given(codes, codes)
    def test_what_surely_differs_has_no_form_in_common(self, mine, held):
        mine, held = pl.Series(mine, dtype=pl.String), pl.Series(held, dtype=pl.String)
        likely = may_be_near(mine, held, is_plain(mine))
        forms = (lambda values: near_form(values).str.replace_all("-", "", literal=True)), bare_form
        for code, maybe in zip(mine, likely, strict=True):
            alone = pl.Series([code])
            alike = any(set(form(alone)) & set(form(held)) - {""} for form in forms)
            self.assertTrue(maybe or not alike, code)

    def test_what_only_looks_otherwise_is_an_error_among_existing_keys(self):
        for code, meant in (
            ("rope-010", "ROPE-010"), ("ROPE 010", "ROPE-010"), ("ROPE--010", "ROPE-010"), ("ROPE010", "ROPE-010"),
            ("ROPE-10", "ROPE-010"), ("R0PE-O10", "ROPE-010"), ("'ROPE-010'", "ROPE-010"), ("ROPE_010", "ROPE-010"),
            ("B0LT-I0", "BOLT-10"), ("BOLT-1O", "BOLT-10"), ("112", "1-12"), ("12", "0012 and 012"),
        ):  # fmt: skip
            with self.subTest(code):
                self.assertEqual(near(code), {code: ("error", meant)})

    def test_other_codes_of_a_family_are_new(self):
        # BLT is no BOLT, 11-2 is not 1-12, and sizes and numbers differ by one character.
        family = ("ROPE-011", "ROPE-100", "BLT-10", "11-2", "SHIRT-XXL", "SHIRT-L", "BLUE-3", "BLUE-10", "COLT-10")
        for code in family[:-1]:
            with self.subTest(code):
                self.assertEqual(near(code), {})
        self.assertEqual(near(family[-1]), {"COLT-10": ("warning", "BOLT-10")}, "a slip within a word is never sure")

    def test_typing_errors_and_cuts_are_warnings_and_only_in_updates(self):
        self.assertEqual(
            near("KELDRFIT-5", "ANCHORCH"),
            {"KELDRFIT-5": ("warning", "KELDRIFT-5"), "ANCHORCH": ("warning", "ANCHORCHAIN")},
        )
        self.assertEqual(near("KELDRFIT-5", known=()), {}, "among new items only")
        # Among many new codes nobody's fingers slipped: a new range has come.
        for most, wanted in ((2, {"KELDRFIT-5": ("warning", "KELDRIFT-5")}), (1, {})):
            with patch.object(near_duplicates, "MOST_SLIPS", most):
                self.assertEqual(near("KELDRFIT-5", "N1"), wanted)

    def test_a_warning_among_new_keys(self):
        self.assertEqual(near("ROPE 10", known=()), {"ROPE 10": ("warning", "ROPE-010")}, "alone, it is no update")
        self.assertEqual(near("ROPE 10", "NEW-1", known=()), {"ROPE 10": ("warning", "ROPE-010")})
        self.assertEqual(near("ROPE 10", *(f"N{n}" for n in range(4))), {"ROPE 10": ("warning", "ROPE-010")})
        self.assertEqual(
            near("ROPE 10", *(f"N{n}" for n in range(3))), {"ROPE 10": ("error", "ROPE-010")}, "half are there"
        )

    def test_other_capitals_and_separators_are_an_error_in_every_sheet(self):
        for code in ("rope-010", "ROPE010", "Rope_010", "ROPE 010"):
            for others in ((), [f"N{number}" for number in range(9)]):
                with self.subTest(code, others=others):
                    self.assertEqual(near(code, *others, known=()), {code: ("error", "ROPE-010")})
        self.assertEqual(near("rope-010", known=(), new_codes=("rope-010",)), {})
        self.assertEqual(near("rope-010", known=(), new_codes=("all",)), {"rope-010": ("warning", "ROPE-010")})
        # Such rows are existing ones: among them, other slips are errors, too.
        self.assertEqual(near("rope-010", "BOLT-1O", known=())["BOLT-1O"], ("error", "BOLT-10"))

    def test_one_option_settles_them_where_they_are_most_of_the_sheet(self):
        def option(*codes, held=HELD):
            sheet = rows(("Item code", "Cost"), *((code, "1") for code in codes))
            system = state(item={"code": held})
            [group] = find_near_keys(sheet, system, lambda: is_new(sheet, system), ())
            return group.option

        self.assertEqual(option("rope-010", "blue-1", "NEW-9"), ("--match-on", "code"))
        self.assertEqual(option("rope-010", "NEW-9"), (), "half of them are not most")
        self.assertEqual(option("rope-010", held=("ROPE-010", "ROPE 010")), (), "nobody can say which")

    def test_new_keys_that_look_like_dates(self):
        def dated(*codes, held=("A",), kinds="text", new_codes=()):
            sheet = rows(("Item code", "Cost"), *((code, "1") for code in codes), kinds={"A": kinds})
            system = state(item={"code": held})
            found = find_near_keys(sheet, system, lambda: is_new(sheet, system), new_codes)
            return {(group.kind, group.severity, value) for group in found for value in group.cells["value"]}

        self.assertEqual(
            dated("3-Jan", "01-Mar", "01.03.2026", "ROP-10"),
            {("became-date", "error", "3-Jan"), ("became-date", "error", "01-Mar"), ("became-date", "warning", "01.03.2026")},
        )  # fmt: skip
        self.assertEqual(dated("3-Jan", new_codes=("all",)), {("became-date", "warning", "3-Jan")})
        self.assertEqual(dated("3-Jan", new_codes=("3-Jan",)), set())
        self.assertEqual(dated("MAR-12", held=("MAR-10",)), set(), "the system's codes look so")
        self.assertEqual(dated("2026-01-03", kinds="date"), set(), "the cell has its own finding")
        self.assertEqual(dated("3-Jan", held=()), {("became-date", "error", "3-Jan")})

    def test_only_keys_that_were_typed_are_looked_at(self):
        sheet = rows(("Item code", "Cost"), ("ROPE 10", "1"), ("BLUE-1", "1"))
        system = state(item={"code": HELD})
        made = replace(sheet, letters={"cost": "B"})
        self.assertEqual(find_near_keys(made, system, lambda: is_new(made, system), ()), [])

    def test_keys_within_another_are_compared_there_only(self):
        house = read_description(
            '[record.item]\nkey = ["house", "code"]\n[record.item.field]\nhouse = { kind = "code", must = "always" }\n'
            'code = { kind = "code", must = "always" }\n'
        ).records["item"]
        values = pl.DataFrame(
            {ROW: [2, 3, 4], "house": ["A", "B", "A"], "code": ["R 1", "R 1", "X"]}, schema_overrides={ROW: pl.UInt32}
        )
        sheet = rows_of(house, values, {"house": "A", "code": "B"})
        system = SystemState(
            read_description(SMALL), lambda *more: pl.DataFrame({"house": ["A", "A"], "code": ["R-1", "X"]})
        )
        [found] = find_near_keys(sheet, system, lambda: pl.Series([True, True, False]), ())
        self.assertEqual(found.cells.select(ROW, "suggestion").rows(), [(2, "R-1")])
        every = replace(
            sheet, record=replace(house, fields={**house.fields, "code": replace(house.fields["code"], to="unit")})
        )
        self.assertEqual(
            find_near_keys(every, system, lambda: pl.Series([True, True, False]), ()), [], "a reference has its list"
        )

    def test_so_many_are_named(self):
        def said(*held):
            sheet = rows(("Item code", "Cost"), ("A1", "1"), ("X", "1"))
            system = state(item={"code": [*held, "X"]})
            [group] = find_near_keys(sheet, system, lambda: is_new(sheet, system), ())
            return group.cells["message"][0]

        self.assertIn("has A 1, A-1 and A.1, written", said("A.1", "A-1", "A 1"))
        self.assertIn("has A 1, A-1, A.1 and 2 more, written", said("A.1", "A-1", "A 1", "A_1", "A/1"))
        self.assertIn("has A-001 and A-01, which look like it", said("A-01", "A-001"))

    def test_codes_that_are_said_to_be_new(self):
        self.assertEqual(near("ROPE 10", "BOLT10", new_codes=("ROPE 10",)), {"BOLT10": ("error", "BOLT-10")})
        self.assertEqual(near("ROPE 10", new_codes=("all",)), {"ROPE 10": ("warning", "ROPE-010")})

    def test_the_cause_is_named_and_not_what_follows_from_it(self):
        system = state(item={"code": HELD, "description": ["x"] * 10, "unit": ["M"] * 10})
        look = SimpleNamespace(read=system._reader, require=lambda record: None)
        sheet = rows(("Item code", "Description", "Unit"), ("ROPE-010", "x", "M"), ("ROPE 010", "", ""))
        [done] = check_parts(
            [SheetRows(sheet)], Business(small(), Conventions(), LoadOptions()), look, lambda step: None
        )
        found = [(group.kind, group.cells[ROW].to_list()) for group in done.rows.findings]
        self.assertEqual(found, [("nearly-there", [3])])
        # A warning hides nothing: without its columns the row is no new item, whatever its code.
        sheet = rows(("Item code", "Cost"), ("ROPE-010", "1"), ("ROPE 010", "1"))
        anyway = Business(small(), Conventions(), LoadOptions(new_codes=("all",)))
        [done] = check_parts([SheetRows(sheet)], anyway, look, lambda step: None)
        found = {(group.kind, group.severity) for group in done.rows.findings}
        self.assertEqual(found, {("nearly-there", "warning"), ("not-there-yet", "error")})
