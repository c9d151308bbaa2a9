"""Checks that look outside the row: files, lists within lists, rows that depend on refused ones,
and the ends of ranges.
"""

from __future__ import annotations

import unittest
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.checking.all_checks import check_rows
from kotrel.core.checking.check_digits import check_codes
from kotrel.core.checking.dependents import with_dependents
from kotrel.core.checking.list_references import check_lists
from kotrel.core.checking.named_files import check_named_files
from kotrel.core.checking.shape import check_shape
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.rows.findings import cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import FileFacts, PendingRows, SystemState
from tests.builders import rows_in_sheet, system_of

SYSTEM = read_description("""
[record.house]
key = ["code"]
called = "name"
[record.house.field]
code = { kind = "code", must = "always" }
name = { kind = "text" }
[record.bin]
key = ["house", "code"]
[record.bin.field]
house = { kind = "reference", to = "house", must = "always" }
code = { kind = "code", must = "always" }
[record.place]
key = ["item", "house"]
[record.place.field]
item = { kind = "reference", to = "item", must = "always" }
house = { kind = "reference", to = "house", must = "always" }
bin = { kind = "reference", to = "bin", within = ["house"] }
[record.item]
key = ["code"]
[record.item.field]
code = { kind = "code", must = "always", length = 4 }
name = { kind = "text", must = "always" }
pictures = { kind = "list", files = "picture" }
photo = { kind = "file", files = "picture" }
barcodes = { kind = "list", check = "gtin" }
base = { kind = "reference", to = "item" }
top = { kind = "reference", to = "item" }
home = { kind = "reference", to = "house" }
weight = { kind = "number", decimals = 1, least = "0.5", most = "2.5" }
pieces = { kind = "quantity", decimals = 0 }
""")
HELD: dict[str, dict[str, list[Any]]] = {
    "house": {"code": ["Q", "L"], "name": ["Quay", None]},
    "bin": {"house": ["Q", "Q", "L"], "code": ["Q-1", "Q-2", "L-1"]},
    "item": {"code": ["OLD"], "name": ["old"]},
    "place": {"item": ["OLD"], "house": ["Q"]},
}


def state(pending: dict[str, PendingRows] | None = None, files: Any = None) -> SystemState:
    return system_of(SYSTEM, HELD, pending=pending, files=files, largest_file=100)


def rows(record: str, marks: dict[str, list[bool]] | None = None, **columns: list[str | None]) -> Rows:
    return rows_in_sheet(SYSTEM.records[record], columns, marks)


def listed(groups: Any) -> list[tuple[Any, ...]]:
    """(kind, field, row, value, message, suggestion) of each finding."""
    return [(group.kind, group.field, *cells) for group in groups for cells in group.cells.rows()]


class Files(unittest.TestCase):
    FACTS = {"ok.png": FileFacts(100, True), "big.png": FileFacts(101, True), "words.png": FileFacts(5, False)}

    def test_each_file_that_a_value_names(self):
        sheet = rows(
            "item",
            code=list("ABC"),
            pictures=["ok.png; big.png", "gone.png; words.png", None],
            photo=["words.png", "ok.png", "gone.png"],
        )
        found = {
            each[:4]
            for each in listed(
                check_named_files(
                    sheet, state(files=lambda names: {name: self.FACTS[name] for name in names if name in self.FACTS})
                )
            )
        }
        self.assertEqual(found, {
            ("file-too-large", "pictures", 2, "big.png"), ("file-missing", "pictures", 3, "gone.png"),
            ("no-picture", "pictures", 3, "words.png"), ("no-picture", "photo", 2, "words.png"),
            ("file-missing", "photo", 4, "gone.png"),
        })  # fmt: skip

    def test_without_a_folder_it_is_noted_once_and_blank_columns_are_not(self):
        sheet = rows("item", code=["A"], pictures=["x.png"], photo=[None])
        self.assertEqual(
            [(group.severity, group.kind, group.letter) for group in check_named_files(sheet, state())],
            [("note", "files-not-looked-at", "B")],
        )


class Lists(unittest.TestCase):
    def test_a_bin_of_its_own_house(self):
        sheet = rows(
            "place", item=["A"] * 5, house=["Q", "L", "Q", None, "L"], bin=["Q-2", "Q-2", "Q-22", "Q-1", "L-1"]
        )
        bad = [each for each in listed(check_lists(sheet, state())) if each[1] == "bin"]
        self.assertEqual([(row, value) for _, _, row, value, _, _ in bad], [(3, "Q-2"), (4, "Q-22")])
        self.assertEqual(bad[0][4], "L has no bin with that code; it belongs to house Q")
        self.assertEqual(bad[1][4], "Q has no bin with that code")
        self.assertEqual(bad[1][5], "Q-2?")
        self.assertEqual(
            listed(check_lists(rows("place", item=["OLD"], bin=["Q-9"]), state())), [], "no house, no list"
        )

    def test_rows_of_the_same_load(self):
        coming = PendingRows(pl.DataFrame({"code": ["N"], "name": ["new"]}), {"BAD": "Houses!A7"})
        sheet = rows("place", item=["OLD", "OLD", "OLD", "OLD"], house=["N", "BAD", "X", "Quay"])
        found = {(each[0], each[2]): each for each in listed(check_lists(sheet, state({"house": coming})))}
        self.assertEqual(set(found), {("refused-in-load", 3), ("not-on-list", 4), ("not-on-list", 5)})
        self.assertIn("Houses!A7", found["refused-in-load", 3][4])
        self.assertEqual(found["not-on-list", 5][5], "Q (Quay)")
        bins = PendingRows(pl.DataFrame({"house": ["L"], "code": ["L-2"]}), {})
        self.assertEqual(
            listed(check_lists(rows("place", item=["OLD"], house=["L"], bin=["L-2"]), state({"bin": bins}))), []
        )


class Dependents(unittest.TestCase):
    @given(
        st.lists(
            st.tuples(st.sampled_from([None, "A", "B", "C", "D", "OLD"]), st.sampled_from([None, "A", "C"])),
            min_size=4,
            max_size=4,
        ),
        st.sets(st.integers(0, 4)),
    )
    def test_whatever_needs_a_new_row_with_an_error_cannot_be_loaded(self, links, wrong):
        codes = ["A", "B", "C", "D", "OLD"]
        sheet = rows(
            "item",
            code=codes,
            name=["n"] * 5,
            base=[*(base for base, _ in links), None],
            top=[*(top for _, top in links), None],
        )
        cells = cells_of([n + 2 for n in sorted(wrong)], None, "x")
        done = with_dependents(
            sheet.with_findings([sheet.group("error", "x", "t", "name", cells)]) if wrong else sheet, state()
        )
        lost = set(wrong)
        while True:
            # OLD is in the system already: what refers to it can be loaded.
            gone = {codes[n] for n in lost} - {"OLD"}
            more = {n for n in range(4) if set(links[n]) & gone} - lost
            if not more:
                break
            lost |= more
        found = {row - 2 for group in done.findings if group.kind == "refused-in-load" for row in group.cells[ROW]}
        self.assertEqual(found, lost - wrong)

    def test_a_warehouse_that_is_called_like_a_lost_row_is_another_thing(self):
        sheet = rows("item", code=["A", "B"], home=["Q", "A"], base=[None, "C"])
        wrong = sheet.group("error", "x", "t", "code", cells_of([2], None, "x"))
        done = with_dependents(sheet.with_findings([wrong]), state())
        self.assertEqual(len(done.findings), 1)

    def test_a_sheet_without_the_key_has_no_rows_to_depend_on(self):
        sheet = rows("item", name=["a"], base=["A"])
        self.assertEqual(with_dependents(sheet, state()).findings, sheet.findings)

    def test_it_says_where_the_error_is(self):
        sheet = rows("item", code=["A", "B"], base=[None, "A"])
        done = with_dependents(
            sheet.with_findings([sheet.group("error", "x", "t", "code", cells_of([2], None, "x"))]), state()
        )
        self.assertIn("at A2 ", done.findings[-1].cells["message"][0])


class Shape(unittest.TestCase):
    def test_both_ends_of_a_range_are_allowed(self):
        sheet = rows(
            "item",
            code=["ABCD", "ABCDE", "ÄÖÜß", "a\tb"],
            weight=["0.5", "2.5", "0.4", "2.6"],
            pieces=["1.5", "-3", "999999999999", "1000000000000"],
        )
        found = {each[:3]: each[5] for each in listed(check_shape(sheet, state()))}
        self.assertEqual(set(found), {
            ("too-long", "code", 3), ("strange-letters", "code", 5), ("too-small", "weight", 4), ("too-big", "weight", 5),
            ("too-many-decimals", "pieces", 2), ("too-large", "pieces", 5),
        })  # fmt: skip
        self.assertEqual(found["too-many-decimals", "pieces", 2], "2", "rounded half away from zero")

    def test_texts_may_have_line_breaks_but_nothing_unprintable(self):
        sheet = rows("item", code=list("ABCD"), name=["a\nb", "a\x07b", "a\ufffdb", "plain"])
        self.assertEqual(
            {each[:3] for each in listed(check_shape(sheet, state()))},
            {("strange-letters", "name", 3), ("letters-lost", "name", 4)},
        )

    def test_each_barcode_of_a_list(self):
        sheet = rows("item", code=["A", "B"], barcodes=["20123451; 20123452", "20123451; 1234567; X"])
        self.assertEqual(
            {each[:4] for each in listed(check_codes(sheet, state()))},
            {
                ("check-digit", "barcodes", 2, "20123452"),
                ("barcode-length", "barcodes", 3, "1234567"),
                ("barcode-with-letters", "barcodes", 3, "X"),
            },
        )


class Present(unittest.TestCase):
    def test_a_field_that_every_row_must_have(self):
        found = check_rows(
            rows("item", {"name": [False, True, False]}, code=["OLD", "OLD2", "N"], name=[None, None, "x"]), state()
        )
        self.assertEqual(
            {each[:3] for each in listed(found.findings)}, {("missing", "name", 2), ("missing", "name", 3)}
        )
        alone = check_rows(rows("item", code=["OLD"]), state())
        self.assertEqual([(each[0], each[2]) for each in listed(alone.findings)], [("column-missing", 0)])

    def test_what_is_not_found_is_not_doubted_besides(self):
        sheet = rows("item", code=["A", "B"], name=[None, None])
        lost = sheet.group("error", "not-found", "t", "code", cells_of([2], None, "m"))
        checked = check_rows(sheet.with_findings([lost]), state())
        self.assertEqual({(each[0], each[2]) for each in listed(checked.findings)}, {("not-found", 2), ("missing", 3)})
