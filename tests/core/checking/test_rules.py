"""Rules between fields and rows: circles, one of several, order, what the row referred to must have."""

from __future__ import annotations

import itertools
import unittest
from collections.abc import Mapping, Sequence

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.checking.circles import check_circles
from kotrel.core.checking.rules import check_rules
from kotrel.core.checking.unique import check_unique
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.errors import WrongUse
from kotrel.core.resolving.filling import fill_keys, fill_same
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import PendingRows, SystemState
from tests.builders import rows_of, system_of, values_of

TEXT = """
[record.item]
key = ["code"]
unique_together = [["family", "size"]]
[record.item.field]
code = { kind = "code", must = "always" }
unit = { kind = "code" }
tracked = { kind = "yes_no" }
family = { kind = "code" }
size = { kind = "code", differs_from = "family" }
barcode = { kind = "code", unique = "barcode" }

[record.account]
key = ["code"]
[record.account.field]
code = { kind = "code", must = "always" }
use = { kind = "text" }

[record.receipt]
nature = "document"
key = ["number"]
needs = { "account.use" = ["cost of sales"] }
[record.receipt.field]
number = { kind = "code", must = "always" }
account = { kind = "reference", to = "account" }

[record.part]
key = ["parent", "component"]
no_circle = [["parent", "component"]]
[record.part.field]
parent = { kind = "reference", to = "item", must = "always" }
component = { kind = "reference", to = "item", must = "always" }

[record.lot]
key = ["item", "number"]
needs = { "item.tracked" = "yes" }
in_order = [["made", "expires"]]
exactly_one = [["net", "gross"]]
[record.lot.field]
item = { kind = "reference", to = "item", must = "always" }
number = { kind = "code", must = "always", default = "1" }
made = { kind = "date" }
expires = { kind = "date" }
net = { kind = "quantity" }
gross = { kind = "quantity", zero_means = "weigh it" }
unit = { kind = "code", same_as = "item.unit" }

[record.conversion]
key = ["item", "unit"]
[record.conversion.field]
item = { kind = "reference", to = "item", must = "always" }
unit = { kind = "code", must = "always" }

[record.price]
key = ["item", "unit"]
[record.price.field]
item = { kind = "reference", to = "item", must = "always" }
unit = { kind = "code", must = "always", one_of = ["item.unit", "conversion.unit"] }
per = { kind = "code", one_of = ["item.unit"] }

[record.label]
key = ["barcode"]
[record.label.field]
barcode = { kind = "code", must = "always", unique = "barcode" }
item = { kind = "reference", to = "item", must = "new" }
"""
SYSTEM = read_description(TEXT)


def rows(record: str, **columns: Sequence[str | None]) -> Rows:
    return rows_of(SYSTEM.records[record], values_of(columns))


def state(pending: Mapping[str, PendingRows] | None = None, **known: Mapping[str, Sequence[str | None]]) -> SystemState:
    return system_of(SYSTEM, known, pending=pending)


def kinds(groups) -> set[tuple[str, str | None, int]]:
    return {(group.kind, group.field, row) for group in groups for row in group.cells[ROW]}


links = st.lists(st.tuples(st.sampled_from("ABCDEF"), st.sampled_from("ABCDEF")), max_size=10, unique=True)


def reachable(start: str, edges: set[tuple[str, str]]) -> set[str]:
    """All that can be reached from a code, by the plain road: adding until nothing is added."""
    found = {b for a, b in edges if a == start}
    while more := {b for a, b in edges if a in found} - found:
        found |= more
    return found


class Circles(unittest.TestCase):
    @given(links, links)
    def test_a_circle_is_found_where_there_is_one_and_nowhere_else(self, there, sheet):
        edges = set(there) | set(sheet)
        system = {"part": {"parent": [a for a, _ in there], "component": [b for _, b in there]}}
        found = check_circles(
            rows("part", parent=[a for a, _ in sheet], component=[b for _, b in sheet]), state(**system)
        )
        told = {row for _, _, row in kinds(found)}
        looped = {place + 2 for place, (a, b) in enumerate(sheet) if a == b or a in reachable(b, edges)}
        self.assertEqual(told, looped)
        for group in found:
            for message in group.cells["message"]:
                codes = message.split(" → ")
                self.assertEqual(codes[0], codes[-1])
                self.assertTrue(all(pair in edges for pair in itertools.pairwise(codes)), message)

    def test_a_very_long_chain_takes_no_stack(self):
        codes = [f"C{place}" for place in range(30_000)]
        closed = rows("part", parent=codes, component=[*codes[1:], codes[0]])
        [group] = check_circles(closed, state())
        self.assertEqual(group.count, 30_000)
        self.assertEqual(group.cells["message"][0], "C0 → C1 → C2 → C3 → C4 → C5 → … → C29999 → C0")


class BetweenFields(unittest.TestCase):
    ITEMS = {"item": {"code": ["A", "B"], "unit": ["M", "EA"], "tracked": ["yes", "no"]}}

    def test_what_the_system_has_already_counts(self):
        there = {
            "lot": {"item": ["A", "A"], "number": ["1", "2"], "made": ["2026-05-01", None], "net": ["1.000", "1.000"]}
        }
        lots = rows(
            "lot", item=["A", "A"], number=["1", "2"], expires=["2026-04-01", "2026-04-01"], gross=[None, "5.000"]
        )
        self.assertEqual(
            kinds(check_rules(lots, state(**self.ITEMS, **there))),
            {("wrong-order", "expires", 2), ("not-exactly-one", "gross", 3)},
        )

    def test_the_order_counts_whichever_of_the_two_the_sheet_has(self):
        there = {"lot": {"item": ["A"], "number": ["1"], "expires": ["2026-05-01"], "net": ["1.000"]}}
        lots = rows("lot", item=["A"], number=["1"], made=["2026-06-01"])
        self.assertEqual(kinds(check_rules(lots, state(**self.ITEMS, **there))), {("wrong-order", "made", 2)})

    def test_two_fields_that_must_differ(self):
        pairs = rows("item", code=["A", "B", "C", "D"], family=["F", "A", "Z", None], size=["F", "Z", "A", None])
        self.assertEqual(kinds(check_rules(pairs, state())), {("must-differ", "size", 2)})

    def test_behind_a_reference(self):
        lots = rows("lot", item=["A", "B", "A"], number=["1", "2", "3"], net=["1", "1", "1"], unit=["M", None, "EA"])
        found = kinds(check_rules(lots, state(**self.ITEMS)))
        self.assertEqual(found, {("not-as-needed", "item", 3), ("must-match", "unit", 4)})

    def test_an_account_for_another_purpose_is_explained(self):
        there = {"account": {"code": ["OPEN", "COGS", "NEW"], "use": ["opening balance", "cost of sales", None]}}
        receipts = rows("receipt", number=["1", "2", "3"], account=["OPEN", "COGS", "NEW"])
        [group] = check_rules(receipts, state(**there))
        self.assertEqual((group.kind, group.title), ("not-as-needed", "not an account for cost of sales"))
        says = dict(group.cells.select(ROW, "message").iter_rows())
        self.assertEqual(says[2], "Receipt needs an account for cost of sales; this one is for opening balance")
        self.assertEqual((set(says), says[4].split("; ")[1]), ({2, 4}, "this one is for nothing"))

    def test_a_unit_that_the_item_has_is_its_own_or_one_with_a_conversion(self):
        there = {"conversion": {"item": ["A", "B"], "unit": ["COIL", "BOX"]}, "price": {"item": ["B"], "unit": ["OLD"]}}
        coming = PendingRows(pl.DataFrame({"item": ["A"], "unit": ["REEL"]}), {})
        prices = rows(
            "price",
            item=["A", "A", "A", "A", "B", "B", "X"],
            unit=["M", "COIL", "REEL", "BOX", "EA", "OLD", "M"],
            per=["M", "COIL", None, "M", "EA", "EA", "M"],
        )
        found = list(check_rules(prices, state({"conversion": coming}, **self.ITEMS, **there)))
        # OLD is held already; X is no item, which another check says.
        self.assertEqual(kinds(found), {("not-its-own", "unit", 5), ("not-its-own", "per", 3)})
        [unit] = [group for group in found if group.field == "unit"]
        self.assertEqual(
            unit.cells["message"].to_list(), ["A has M, COIL and REEL; use one of them, or load its conversion first"]
        )

    def test_rows_of_the_same_load_count_before_what_the_system_has(self):
        coming = PendingRows(pl.DataFrame({"code": ["B", "N"], "unit": [None, "KG"], "tracked": ["yes", "yes"]}), {})
        lots = rows("lot", item=["B", "N"], number=["1", "1"], net=["1", "1"], unit=["EA", "M"])
        found = kinds(check_rules(lots, state({"item": coming}, **self.ITEMS)))
        self.assertEqual(found, {("must-match", "unit", 3)}, "B is tracked by this load, and keeps its unit")

    def test_keys_with_a_default_and_values_taken_from_behind(self):
        lots = fill_keys(rows("lot", item=["A", "B"]), lambda reference, name: self.fail(reference))
        self.assertEqual(lots.values["number"].to_list(), ["1", "1"])
        new = pl.Series([True, False])
        filled = fill_same(lots, new, lambda reference, name: pl.Series(["M", "EA"]))
        self.assertEqual(filled.values["unit"].to_list(), ["M", None], "a row that is there keeps what it has")
        self.assertEqual([(each.field, each.value, each.source) for each in filled.defaulted],
                         [("number", "1", "system"), ("unit", "M", "item")])  # fmt: skip

    def test_a_zero_is_said(self):
        lots = rows("lot", item=["A", "A"], number=["1", "2"], gross=["0.000", "0.001"])
        self.assertEqual(
            {each for each in kinds(check_rules(lots, state(**self.ITEMS))) if each[0] == "zero"},
            {("zero", "gross", 2)},
        )

    def test_a_barcode_in_two_records_belongs_to_one_item(self):
        known = {"item": {"code": ["A", "B"], "barcode": ["1", "2"]}, "label": {"barcode": ["3"], "item": ["A"]}}
        labels = rows("label", barcode=["1", "2"], item=["A", "A"])
        [group] = check_unique(labels, state(**known))
        self.assertEqual(
            (group.cells[ROW].to_list(), group.cells["message"][0]), ([3], "Item B already has it in the system")
        )
        items = rows("item", code=["A", "B"], barcode=["3", "3"])
        self.assertIn(("taken", "barcode", 3), kinds(check_unique(items, state(**known))))
        self.assertNotIn(("taken", "barcode", 2), kinds(check_unique(items, state(**known))))

    def test_pairs_that_stand_once(self):
        known = {"item": {"code": ["A", "B"], "family": ["F", "F"], "size": ["L", "M"]}}
        # A changes to M, which B has; B is not in the sheet. C and D are alike; E has no size.
        items = rows("item", code=["A", "C", "D", "E"], family=[None, "F", "F", "F"], size=["M", "S", "S", None])
        self.assertEqual(
            kinds(check_unique(items, state(**known))), {("taken", "size", 2), ("shared-in-sheet", "size", 3), ("shared-in-sheet", "size", 4)}
        )  # fmt: skip
        self.assertEqual(
            {group.kind: group.cells["message"].to_list() for group in check_unique(items, state(**known))}[
                "shared-in-sheet"
            ],
            ["also in line 4", "also in line 3"],
        )
        swapped = rows("item", code=["A", "B"], size=["M", "L"])
        self.assertEqual(kinds(check_unique(swapped, state(**known))), set(), "they only change places")


class WrongDescriptions(unittest.TestCase):
    def test_each_is_refused_at_its_line(self):
        for wrong, right, words in (
            ('no_circle = [["parent"]]', 'no_circle = [["parent", "component"]]', "pairs"),
            ('needs = { "item.tracket" = "yes" }', 'needs = { "item.tracked" = "yes" }', "tracket"),
            ('needs = { "number.x" = "yes" }', 'needs = { "item.tracked" = "yes" }', "not a reference"),
            ('same_as = "unit"', 'same_as = "item.unit"', "needs a reference and a field"),
            ('"item.unit", "convers.unit"]', '"item.unit", "conversion.unit"]', "not described"),
            ('"item.unit", "item.code"]', '"item.unit", "conversion.unit"]', "item has no reference to item"),
            ('exactly_one = [["net", "grss"]]', 'exactly_one = [["net", "gross"]]', "grss"),
            ('to = "part", must', 'to = "item", must', "key is parent, component"),
        ):
            with self.subTest(wrong=wrong):
                with self.assertRaises(WrongUse) as caught:
                    read_description(TEXT.replace(right, wrong, 1), "s.toml")
                self.assertRegex(caught.exception.message, r"^s\.toml, line \d+: ")
                self.assertIn(words, caught.exception.message)

    def test_a_number_never_stands_for_a_key_of_several_fields(self):
        bins = '[record.bin]\nkey = ["house", "code"]\nstore = { id = "bin_id" }\n[record.bin.field]\n'
        bins += 'house = { kind = "code", must = "always" }\ncode = { kind = "code", must = "always" }\n'
        place = '[record.place]\nkey = ["house"]\n[record.place.field]\nhouse = { kind = "code", must = "always" }\n'
        place += 'bin = { kind = "reference", to = "bin", within = ["house"] }\n'
        with self.assertRaises(WrongUse) as caught:
            read_description(bins + place)
        self.assertIn("refers to bin, which has an “id”", caught.exception.message)
        read_description(bins.replace('store = { id = "bin_id" }\n', "") + place)

    def test_stores_and_sets_of_defaults(self):
        for more, words in (
            ('[record.item.store]\ncolumns = { cod = "x" }', "cod"),
            ('[record.item.store]\nyes_no = ["Y"]', "two words"),
            ('[defaults.x]\nrecord = "itm"', "itm"),
            ('[defaults.x]\nrecord = "item"\nset = { unti = "M" }', "unti"),
        ):
            with self.subTest(more=more), self.assertRaises(WrongUse) as caught:
                read_description(f"{TEXT}\n{more}\n")
            self.assertIn(words, caught.exception.message)
