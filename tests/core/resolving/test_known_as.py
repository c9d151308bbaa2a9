"""Rows known by other codes, looked up with a system that gives only what it is asked for."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from unittest import mock

import polars as pl
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.description.description_reading import read_description
from kotrel.core.errors import WrongUse
from kotrel.core.resolving import other_codes
from kotrel.core.resolving.other_codes import found_keys, holders, known_as, which_row
from kotrel.core.rows import system_state
from kotrel.core.values.same_writing import form_of
from tests.builders import columns_of, rows_in_sheet, rows_of, system_of, values_of

WRITTEN = st.text("AaBb01-. /éО", min_size=1, max_size=6).filter(lambda text: text.strip() == text)
"""Codes as people write them; the last letter is the Cyrillic one that looks like an O."""

SYSTEM = read_description("""
[record.vendor]
key = ["code"]
[record.vendor.field]
code = { kind = "code", must = "always" }
[record.item]
key = ["code"]
also_known_by = [["barcode"], ["mail"], ["vendor", "number"], ["vendor", "tag"]]
other_codes = ["old.code"]
[record.item.field]
code = { kind = "code", must = "always" }
barcode = { kind = "code", unique = "barcode" }
more = { kind = "list", unique = "barcode" }
mail = { kind = "text" }
vendor = { kind = "reference", to = "vendor" }
number = { kind = "code" }
tag = { kind = "code", unique = "tag" }
tags = { kind = "list", unique = "tag" }
[record.old]
key = ["code"]
[record.old.field]
code = { kind = "code", must = "always" }
from_vendor = { kind = "reference", to = "vendor" }
item = { kind = "reference", to = "item" }
[record.place]
key = ["house", "code"]
also_known_by = [["label"]]
[record.place.field]
house = { kind = "code", must = "always" }
code = { kind = "code", must = "always" }
label = { kind = "code" }
""")
HELD: dict[str, list[dict[str, str]]] = {
    "item": [
        {
            "code": "A",
            "barcode": "1",
            "mail": "a@b.example",
            "vendor": "V",
            "number": "7",
            "tag": "t1",
            "tags": "t8; t9",
        },
        {"code": "B", "barcode": "2", "more": "3; 4", "vendor": "V", "number": "8", "tag": "t2"},
        {"code": "C", "more": "4; 5", "vendor": "W", "number": "7", "mail": "C@B.example"},
        {"code": "D", "vendor": "W", "number": "9"},
        {"code": "E", "vendor": "W", "number": "9"},
    ],
    "old": [{"code": "X", "from_vendor": "V", "item": "D"}],
    "place": [{"house": "Q", "code": "1", "label": "left"}],
}


STATE = system_of(SYSTEM, {record: columns_of(lines) for record, lines in HELD.items()})


def keys(**columns: list[str | None]) -> tuple[list[str | None], dict[int, Sequence[str]]]:
    """The keys found for rows of items, and where there are several."""
    size = len(next(iter(columns.values())))
    values = values_of({"code": [None] * size, **columns})
    found = found_keys(rows_of(SYSTEM.records["item"], values), STATE)
    return found.keys.to_list(), dict(found.several)


class Known(unittest.TestCase):
    def test_the_rows_that_are_known_by_a_value(self) -> None:
        def codes(record: str, *values: str) -> dict[str, set[str]]:
            found = known_as(SYSTEM.records[record], pl.Series(values, dtype=pl.String), STATE)
            return {value: set(there) for value, there in found.items()}

        self.assertEqual(
            codes("item", "1", "3", "4", "7", "X", "zz", "A"),
            {"1": {"A"}, "3": {"B"}, "4": {"B", "C"}, "7": {"A", "C"}, "X": {"D"}},
        )
        # An old code that leads nowhere, and one that is its item's own code.
        held = {**{record: columns_of(lines) for record, lines in HELD.items()}}
        held["old"] = {"code": ["Y", "A"], "from_vendor": ["V", "V"], "item": [None, "A"]}
        found = known_as(SYSTEM.records["item"], pl.Series(["Y", "A", "1"]), system_of(SYSTEM, held))
        self.assertEqual({value: set(there) for value, there in found.items()}, {"1": {"A"}})
        # What nothing is written like is looked for by its letters and digits.
        self.assertEqual(codes("item", "T1", "x", "T9", "zz"), {"T1": {"A"}, "x": {"D"}, "T9": {"A"}})
        self.assertEqual(codes("item"), {})
        self.assertEqual(codes("place", "left"), {}, "a row with a key of two fields has no one code")

    @given(st.lists(WRITTEN, min_size=1, max_size=6), st.lists(WRITTEN, min_size=1, max_size=6))
    def test_very_many_values_find_what_a_few_find(self, asked: list[str], numbers: list[str]) -> None:
        """Whole columns are read for very many: nothing that spellings find is lost by it."""
        size = len(numbers)
        held = {"item": {"code": [f"Z{place}" for place in range(size)], "number": numbers, "barcode": [None] * size}}
        values = pl.Series(asked, dtype=pl.String)
        few = known_as(SYSTEM.records["item"], values, system_of(SYSTEM, held))
        with mock.patch.object(other_codes, "WHOLE", 0), mock.patch.object(system_state, "WHOLE", 0):
            many = known_as(SYSTEM.records["item"], values, system_of(SYSTEM, held))
        self.assertEqual(
            {value: set(many.get(value, {})) & set(codes) for value, codes in few.items()},
            {value: set(codes) for value, codes in few.items()},
        )
        for value, codes in many.items():
            same = {f"Z{place}" for place, number in enumerate(numbers) if form_of(number) == form_of(value)}
            self.assertLessEqual(set(codes), same)

    def test_the_one_row_that_somebody_means(self) -> None:
        item = SYSTEM.records["item"]
        for value, code, how in (
            ("A", "A", ""), ("1", "A", "its barcode"), ("3", "B", "its more"), ("T1", "A", "its tag, written in another way"),
            ("X", "D", "its code"), ("a", "A", "its code, written in another way"), ("7", None, "several items: A, C"),
            ("zz", None, "there is no item zz"),
        ):  # fmt: skip
            with self.subTest(value):
                if code is None:
                    with self.assertRaises(WrongUse) as raised:
                        which_row(item, value, STATE)
                    self.assertIn(how, str(raised.exception))
                else:
                    meant = which_row(item, value, STATE)
                    self.assertEqual((meant.code, meant.how), (code, how))

    def test_the_key_of_a_row_without_one(self) -> None:
        self.assertEqual(keys(barcode=["1", "3", "4", "9", None]), (["A", "B", None, None, None], {2: ["B", "C"]}))
        self.assertEqual(keys(mail=["A@B.example", "C@B.example", "x@b.example"]), (["A", "C", None], {}))
        self.assertEqual(
            keys(vendor=["V", "W", "W", "V"], number=["7", "7", "9", "9"]), (["A", "C", None, None], {2: ["D", "E"]})
        )
        # Of a group of several fields, each is looked up by itself: “t8” is among the tags, and no tag.
        self.assertEqual(keys(vendor=["V", "V"], tag=["t1", "t8"]), (["A", None], {}))
        # Two ways that lead to two rows.
        self.assertEqual(keys(barcode=["1"], vendor=["V"], number=["8"]), ([None], {0: ["A", "B"]}))
        self.assertEqual(keys(code=["N", None], barcode=["1", "1"]), ([None, "A"], {}), "a row with a key keeps it")

    def test_a_number_cell_may_have_lost_the_zeros_of_a_code(self) -> None:
        held = system_of(SYSTEM, {"item": {"code": ["A", "B"], "vendor": ["V", "V"], "number": ["0070", "81"]}})
        sheet = rows_in_sheet(
            SYSTEM.records["item"], {"code": [None] * 3, "vendor": ["V"] * 3, "number": ["70", "70", "81"]}
        )
        kinds = {"C": pl.Series(["number", "text", "number"])}
        sheet = replace(sheet, table=replace(sheet.table, kinds=kinds))
        found = found_keys(sheet, held)
        self.assertEqual((found.keys.to_list(), found.otherwise), (["A", None, "B"], {0: ("number", "0070")}))
        # A text file says nothing of its cells.
        in_text = replace(sheet, table=replace(sheet.table, sheet=""))
        self.assertEqual(found_keys(in_text, held).keys.to_list(), [None, None, "B"])

    def test_only_codes_are_found_by_their_letters_and_digits_alone(self) -> None:
        item = SYSTEM.records["item"]
        for group, asked, expected in (
            (("vendor", "tag"), ("V", "t1"), [("A", "t1", True)]),
            (("vendor", "tag"), ("V", "T1"), [("A", "t1", False)]),
            (("vendor", "tag"), ("W", "T1"), []),
            (("barcode",), ("0-1",), []),
        ):
            wanted = pl.DataFrame({"row place": [0], **{name: [text] for name, text in zip(group, asked, strict=True)}})
            found = holders(item, group, wanted, STATE).select("found code", "held code", "is exact")
            self.assertEqual(found.rows(), expected, (group, asked))
