"""References that a sheet gives by several fields, and the rows that are made where nothing has them."""

from __future__ import annotations

import unittest
from unittest.mock import patch

from kotrel.core.columns import ROW
from kotrel.core.resolving.repairing import repair
from kotrel.core.rows.load_options import LoadOptions
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.sources import Source
from tests.core.resolving import test_other_codes as goods

HEAD = ("Name", "No", "Min")


def found(*lines: tuple[str, str, str]) -> tuple[list[str | None], list[tuple[str, str, int]]]:
    """The items found by vendor's name-like words and number, and the findings."""
    item = Source(("A", "B"), between=", ", found_by=("words", "number"))
    [done] = goods.checked(goods.part("level", {"item": item, "least": Source(("C",))}, HEAD, *lines))
    return done.rows.values["item"].to_list(), goods.kinds(done.rows)


class KeysFoundBy(unittest.TestCase):
    def test_a_key_that_is_found_and_one_that_is_not(self) -> None:
        key = Source(("A", "B"), between=", ", found_by=("words", "number"))
        for second, wanted in (("blue", []), ("pink", [("not-found", "code", 3)])):
            rows = goods.part(
                "item", {"code": key, "vendor": Source(("C",))}, HEAD, ("red", "10", "KEL"), (second, "10", "KEL")
            )
            done = repair(rows.rows, SystemState(goods.GOODS, goods.Goods().read), {})
            told = [(each.kind, each.field, *each.cells[ROW]) for each in done.findings if each.field == "code"]
            self.assertEqual((told, done.values["code"][0]), (wanted, "R-1"))


class FoundBy(unittest.TestCase):
    def setUp(self) -> None:
        # Two items are called “green” and have the number 12.
        more = {"code": "R-9", "words": "Green", "group": "ROPE", "vendor": "BRA", "number": "12", "barcode": None}
        for name, value in more.items():
            goods.HELD["item"][name].append(value)
            self.addCleanup(goods.HELD["item"][name].pop)

    def test_all_values_must_be_those_of_one_row(self) -> None:
        cases = [
            (("red", "10", "1"), "R-1"),
            (("RED ", "10", "1"), "R-1"),
            (("blue", "10", "1"), "R-2"),
            (("blue", "12", "1"), None),
            (("red", "", "1"), None),
            (("green", "12", "1"), None),
            (("R-1", "", "1"), None),
        ]
        for line, code in cases:
            with self.subTest(line):
                values, kinds = found(line)
                if code is not None:
                    self.assertEqual((values, kinds), ([code], []))
                elif line == ("R-1", "", "1"):
                    # What stands there is itself a code of the list.
                    self.assertEqual((values, kinds), (["R-1"], []))
                else:
                    self.assertEqual(kinds, [("not-on-list", "error", 2)])

    def test_a_reference_is_given_by_its_name_too(self) -> None:
        item = Source(("A", "B"), between=", ", found_by=("vendor", "number"))
        lines = [HEAD, ("Keldrift", "12", "1"), ("KEL", "10", "1"), ("brannoch", "10", "1"), ("Kelldrift", "10", "1")]
        [done] = goods.checked(goods.part("level", {"item": item, "least": Source(("C",))}, *lines))
        self.assertEqual(done.rows.values["item"].to_list()[:3], ["R-3", "R-1", "R-2"])
        self.assertEqual(goods.kinds(done.rows), [("not-on-list", "error", 5)])

    def test_a_code_on_two_rows_of_its_list_is_never_taken_for_one(self) -> None:
        lists = {"code": ["ROPE", "ROPE", "WIRE"], "name": ["Rope", "Ropes", "Wire"], "above": [None] * 3}
        code, words, group = goods.columns("A", "B", "C")
        lines = [("Code", "Words", "Group"), ("N-1", "one", "ROPE"), ("N-2", "two", "WIRE")]
        with patch.dict(goods.HELD, group=lists):
            [done] = goods.checked(goods.part("item", {"code": code, "words": words, "group": group}, *lines))
        self.assertEqual(goods.kinds(done.rows), [("twice-in-system", "error", 2)])
        [found] = [each for each in done.rows.findings if each.kind == "twice-in-system"]
        self.assertIn("(“Rope”, “Ropes”)", found.cells["message"][0])

    def test_a_blank_cell_is_a_blank_there(self) -> None:
        item = Source(("A", "B"), between=", ", found_by=("words", "barcode"))
        lines = [HEAD, ("blue", "", "1"), ("red", "", "1"), ("red", "2010000000014", "1")]
        [done] = goods.checked(goods.part("level", {"item": item, "least": Source(("C",))}, *lines))
        self.assertEqual(done.rows.values["item"].to_list(), ["R-2", "red", "R-1"])

    def test_rows_of_the_same_load_are_found_and_what_is_there_is_not_made_again(self) -> None:
        lines = [("W", "N", "Min"), ("Red", "10", "5"), ("new", "99", "6"), ("NEW", "99", "7")]
        code = Source(make="'N-' + next(1)")
        main = goods.part(
            "item",
            {"code": code, "words": Source(("A",)), "number": Source(("B",))},
            *lines,
            once_per=("words", "number"),
        )
        self.assertEqual(main.rows.values[ROW].to_list(), [2, 3, 4], "once for each of both values together")
        twice = goods.part(
            "item", {"code": code, "words": Source(("A",)), "number": Source(("B",))}, *lines, ("new", "99", "8"),
            once_per=("words", "number"),
        )  # fmt: skip
        self.assertEqual(twice.rows.values[ROW].to_list(), [2, 3, 4])

    def test_a_code_that_leads_to_several_rows_leads_to_none(self) -> None:
        shared = {
            **goods.HELD["old"],
            "code": [*goods.HELD["old"]["code"], "X9", "X9"],
            "item": [*goods.HELD["old"]["item"], "R-1", "R-3"],
        }
        code, words = goods.columns("A", "B")
        lines = [("Code", "Words"), ("X9", "a"), ("77", "b")]
        with patch.dict(goods.HELD, old=shared):
            found = goods.checked(
                goods.part("item", {"code": code, "words": words}, *lines), options=LoadOptions(match_on="old")
            )
        self.assertEqual(found[0].rows.values["code"].to_list(), ["X9", "R-1"])
        [group] = [each for each in found[0].rows.findings if each.kind == "not-unique"]
        self.assertEqual(group.cells["message"].to_list(), ["R-1 and R-3 all have it: say which is meant"])

    def test_only_a_new_row_repeats_another(self) -> None:
        goods.HELD["item"]["words"][-1], goods.HELD["item"]["vendor"][-1], goods.HELD["item"]["number"][-1] = (
            "red",
            "KEL",
            "10",
        )
        names = ("code", "words", "group", "vendor", "number")
        sources = {name: Source((letter,)) for name, letter in zip(names, "ABCDE", strict=True)}
        lines = [names, ("R-1", "red", "ROPE", "KEL", "10"), ("N-1", "red", "ROPE", "KEL", "10")]
        [done] = goods.checked(goods.part("item", sources, *lines))
        self.assertEqual([row for kind, _, row in goods.kinds(done.rows) if kind == "repeats"], [3])

    def test_a_list_without_levels_takes_the_last_of_several_columns(self) -> None:
        sources = {"code": Source(("A",)), "vendor": Source(("B", "C"), last=True)}
        lines = [("C", "V1", "V2"), ("A1", "Old", "Skerry"), ("A2", "Tide", "")]
        done = goods.checked(goods.part("item", sources, *lines), options=LoadOptions(create=("vendor",)))
        [made] = [each.rows.values for each in done if each.consequence]
        self.assertEqual(made["code"].to_list(), ["Skerry", "Tide"])

    def test_lists_grow_only_by_what_is_new_and_used(self) -> None:
        lines = [("C", "V"), ("A1", "KEL"), ("A2", "")]
        done = goods.checked(
            goods.part("item", {"code": Source(("A",)), "vendor": Source(("B",))}, *lines),
            options=LoadOptions(create=("vendor", "group")),
        )
        self.assertEqual([each for each in done if each.consequence], [])
        # Short words are not shortened: “Gas” is no plural of “Ga”; “Oars” and “Oar” are one.
        for values, made in ((("Gas", "Ga"), ["Ga", "Gas"]), (("Oars", "Oar"), ["Oars"])):
            lines = [("C", "V"), *((f"A{n}", value) for n, value in enumerate(values))]
            done = goods.checked(
                goods.part("item", {"code": Source(("A",)), "vendor": Source(("B",))}, *lines),
                options=LoadOptions(create=("vendor",)),
            )
            [new] = [each.rows.values["code"].sort().to_list() for each in done if each.consequence]
            self.assertEqual(new, made)

    def test_a_name_in_other_capitals_is_the_same_where_it_identifies_a_row(self) -> None:
        sources = {
            "code": Source(make="'R-' + next(1)"),
            "vendor": Source(("A",)),
            "number": Source(("B",)),
            "words": Source(("C",)),
        }
        lines = [("V", "N", "W"), ("KEL", "12", "greener"), ("kel", "12", "greenest")]
        [done] = goods.checked(goods.part("item", sources, *lines))
        # A vendor is a code: other capitals are another one, unless a repair proves it.
        self.assertEqual(done.rows.values["code"][0], "R-3")
