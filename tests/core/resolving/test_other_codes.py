"""Rows known by other codes, lists that grow, rows of several records:
what a mapping can say, and what follows from it.
"""

import unittest
from unittest import mock

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.description.list_names import ListNames
from kotrel.core.loading.joint_rows import whole_rows
from kotrel.core.loading.load_model import Business, SheetRows
from kotrel.core.loading.pipeline import check_parts
from kotrel.core.matching.by_headings import Matched
from kotrel.core.matching.row_reading import understand
from kotrel.core.resolving import near_duplicates
from kotrel.core.rows.load_options import DEFAULT_OPTIONS, LoadOptions
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.sources import Source
from kotrel.core.values.conventions import Conventions
from tests.support import TODAY, grid

GOODS = read_description(
    """
[system]
title = "Goods"
[record.group]
key = ["code"]
called = "name"
path = "above"
[record.group.field]
code = { kind = "code", length = 20, must = "always" }
name = { kind = "text" }
above = { kind = "reference", to = "group" }
[record.vendor]
key = ["code"]
called = "name"
[record.vendor.field]
code = { kind = "code", length = 20, must = "always" }
name = { kind = "text", length = 40 }
[record.colour]
key = ["code"]
[record.colour.field]
code = { kind = "code", length = 20, must = "always" }
tone = { kind = "code", default = "dark" }
[record.item]
key = ["code"]
called = "words"
also_known_by = [["barcode"], ["vendor", "number"]]
other_codes = ["old.code"]
[record.item.field]
code = { kind = "code", length = 12, must = "always" }
words = { kind = "text" }
group = { kind = "reference", to = "group" }
vendor = { kind = "reference", to = "vendor" }
colour = { kind = "reference", to = "colour" }
second_group = { kind = "reference", to = "group" }
number = { kind = "code" }
barcode = { kind = "code" }
[record.old]
key = ["code"]
[record.old.field]
code = { kind = "code", must = "always" }
item = { kind = "reference", to = "item", must = "new" }
[record.level]
key = ["item"]
[record.level.field]
item = { kind = "reference", to = "item", must = "always" }
least = { kind = "number", decimals = 0, most = 99 }
""",
    "goods.toml",
)
HELD = {
    "group": {"code": ["ROPE"], "name": ["Rope"], "above": [None]},
    "vendor": {"code": ["KEL", "BRA"], "name": ["Keldrift", "Brannoch"]},
    "item": {"code": ["R-1", "R-2", "R-3", "0077"], "words": ["red", "blue", "green", "four"], "group": ["ROPE"] * 4, "vendor": ["KEL", "BRA", "KEL", None],
             "number": ["10", "10", "12", "77"], "barcode": ["2010000000014", None, None, None]},
    "colour": {"code": ["red"], "tone": ["dark"]},
    "old": {"code": ["X9", "77"], "item": ["R-3", "R-1"]},
    "level": {"item": [], "least": []},
}  # fmt: skip


class Goods:
    """The system, in memory."""

    def require(self, record):
        pass

    def replaced_otherwise(self, changes):
        return []

    def read(self, record, fields, among=None, filled=None):
        held = HELD[record]
        size = len(next(iter(held.values())))
        frame = pl.DataFrame({name: pl.Series(held.get(name, [None] * size), dtype=pl.String) for name in fields})
        return frame.filter(pl.col(filled).is_not_null()) if isinstance(filled, str) else frame


def part(record, sources, *lines, **more):
    table = find_table(grid(*lines), 1)
    matched = Matched(GOODS.records[record], sources, {}, (), **more)
    return SheetRows(understand(table, matched, Conventions(), TODAY))


def checked(*parts, options: LoadOptions = DEFAULT_OPTIONS):
    return check_parts(parts, Business(GOODS, Conventions(), options), Goods(), lambda step: None)


def kinds(rows):
    return sorted((group.kind, group.severity, row) for group in rows.findings for row in group.cells[ROW])


def columns(*letters):
    return [Source((letter,)) for letter in letters]


class OtherCodes(unittest.TestCase):
    def test_a_reference_finds_its_row_by_any_code(self):
        least, code = columns("B", "A")
        lines = [
            ("Item", "Min"),
            ("2010000000014", "1"),
            ("X9", "2"),
            ("12", "3"),
            ("10", "4"),
            ("77", "5"),
            ("zz", "6"),
        ]
        [done] = checked(part("level", {"item": code, "least": least}, *lines))
        # 10 is the number of two items, and 77 another's old code, a number and a code that lost its zeros: nothing
        # proves them.
        self.assertEqual(done.rows.values["item"].to_list(), ["R-1", "R-3", "R-3", "10", "77", "zz"])
        self.assertEqual([row for kind, _, row in kinds(done.rows) if kind == "not-on-list"], [5, 6, 7])
        self.assertEqual({each.kind for each in done.rows.repairs}, {"other-code"})

    def test_no_code_is_made_for_what_is_there(self):
        code = Source(make="'R-' + next(1)")
        vendor, number, words = columns("A", "B", "C")
        sources = {"code": code, "vendor": vendor, "number": number, "words": words}
        lines = [
            ("V", "N", "W"),
            ("KEL", "12", "greener"),
            ("KEL", "13", "new"),
            ("BRA", "12", "new too"),
            ("BRA", "12", "new too"),
        ]
        [done] = checked(part("item", sources, *lines))
        self.assertEqual(done.rows.values["code"].to_list()[:1], ["R-3"])
        self.assertEqual([row for kind, _, row in kinds(done.rows) if kind == "twice-in-sheet"], [4, 5])
        [twice] = [group for group in done.rows.findings if group.kind == "twice-in-sheet"]
        self.assertEqual([message.split(" has the same")[0] for message in twice.cells["message"]], ["row 5", "row 4"])
        self.assertIn("1 row found by other codes: no code is made for it", done.remarks)
        [done] = checked(part("item", sources, *lines), options=LoadOptions(duplicates="first"))
        self.assertEqual(done.rows.values["code"].to_list(), ["R-3", "R-4", "R-5"])
        [done] = checked(part("item", sources, *lines[:2], lines[1]), options=LoadOptions(duplicates="first"))
        self.assertIn("2 rows found by other codes: no code is made for them", done.remarks)

    def test_the_same_but_for_its_key_is_doubted(self):
        names = ("code", "words", "group", "vendor", "number")
        sources = dict(zip(names, columns(*"ABCDE"), strict=True))
        lines = [
            names,
            ("N-1", "red", "ROPE", "KEL", "10"),
            ("N-2", "red", "ROPE", "BRA", "10"),
            ("R-1", "red", "ROPE", "KEL", "10"),
        ]
        [done] = checked(part("item", sources, *lines))
        self.assertEqual([each for each in kinds(done.rows) if each[0] == "repeats"], [("repeats", "warning", 2)])
        # Nothing follows from a name that very many have.
        with mock.patch.object(near_duplicates, "TOO_MANY", 0):
            [done] = checked(part("item", sources, *lines))
        self.assertEqual([each for each in kinds(done.rows) if each[0] == "repeats"], [])

    def test_a_sheet_whose_codes_are_made_is_not_loaded_twice(self):
        # Without the system's other codes, the name alone says that a row is there: are red.
        sources = {
            "code": Source(make="'R-' + next(1)"),
            **dict(zip(("words", "group"), columns("A", "B"), strict=True)),
        }
        named = [("W", "G"), ("red", "ROPE"), ("green", "CHAIN"), ("amber", "ROPE")]
        [done] = checked(part("item", sources, *named))
        self.assertEqual(
            [each for each in kinds(done.rows) if each[0] == "repeats"],
            [("repeats", "error", 2), ("repeats", "error", 3)],
        )
        self.assertEqual(
            {group.option for group in done.rows.findings if group.kind == "repeats"}, {("--match-on", "words")}
        )
        [done] = checked(part("item", sources, *named), options=LoadOptions(new_codes=("all",)))
        self.assertEqual({each[1] for each in kinds(done.rows) if each[0] == "repeats"}, {"warning"})
        [done] = checked(part("item", sources, *named, ("pink", "ROPE"), ("white", "ROPE")))
        self.assertEqual(
            {each[1] for each in kinds(done.rows) if each[0] == "repeats"}, {"warning"}, "not most of them"
        )

    def test_three_fields_that_agree_are_enough_to_doubt(self):
        names = ("code", "words", "vendor", "number")
        sources = dict(zip(names, columns(*"ABCD"), strict=True))
        lines = [
            names,
            ("N-1", "red", "KEL", "10"),
            ("N-2", "red", "", "10"),
            ("N-3", "red", "KEL", "11"),
            ("N-4", "", "KEL", "10"),
        ]
        [done] = checked(part("item", sources, *lines))
        self.assertEqual([each for each in kinds(done.rows) if each[0] == "repeats"], [("repeats", "warning", 2)])
        few = [line[:1] + line[2:] for line in lines]
        [done] = checked(part("item", dict(zip(("code", "vendor", "number"), columns(*"ABC"), strict=True)), *few))
        self.assertNotIn("repeats", [each[0] for each in kinds(done.rows)])

    def test_a_key_that_the_match_makes_is_not_missing(self):
        code, number, words = Source(make="'R-' + next(1)"), Source(("A",)), Source(("B",))
        lines = [("N", "W"), ("77", "five"), ("99", "new")]
        options = LoadOptions(match_on="barcode")
        [done] = checked(part("item", {"code": code, "barcode": number, "words": words}, *lines), options=options)
        self.assertEqual(kinds(done.rows), [])
        self.assertEqual(done.rows.values["code"].n_unique(), 2)
        [done] = checked(part("item", {"barcode": number, "words": words}, *lines), options=options)
        self.assertEqual([each[0] for each in kinds(done.rows)], ["not-found", "not-found"])

    def test_what_is_out_of_use_is_never_suggested(self):
        record = replace(GOODS.records["vendor"], out_of_use="gone")
        rows = pl.DataFrame(
            {"code": ["KEL", "KEL2", "BRA"], "name": ["Keldrift", "Keldrift", "Brannoch"], "gone": ["yes", "no", "yes"]}
        )
        names = ListNames(rows, record)
        self.assertEqual(
            (names.suggestion("keldrift"), names.suggestion("Branoch"), names.code_of("keldrift")),
            ("KEL2?", None, None),
        )

    def test_matching_on_alternative_codes(self):
        code, words = columns("A", "B")
        lines = [("Code", "Words"), ("X9", "grass green"), ("R-1", "x")]
        [done] = checked(part("item", {"code": code, "words": words}, *lines), options=LoadOptions(match_on="old"))
        self.assertEqual(done.rows.values["code"].to_list(), ["R-3", "R-1"])
        self.assertEqual([each for each in kinds(done.rows) if each[0] == "not-found"], [("not-found", "error", 3)])


class Matches(unittest.TestCase):
    def test_where_and_once_for_each_value(self):
        code, name = columns("A", "B")
        lines = [
            ("V", "Name", "State"),
            ("NEW", "", "on"),
            ("NEW", "New Ltd", "on"),
            ("", "x", "on"),
            ("NEW", "Newer", "on"),
            ("OFF", "Off", "off"),
            ("TWO", "Two Ltd", "on"),
            ("TWO", "Two Ltd", "on"),
        ]
        one = part("vendor", {"code": code, "name": name}, *lines, where="[State] is 'on'", once_per=("code",))
        self.assertEqual(
            one.rows.values.select(ROW, "code", "name").rows(), [(2, "NEW", "New Ltd"), (7, "TWO", "Two Ltd")]
        )
        self.assertEqual(kinds(one.rows), [("differs-in-sheet", "warning", 2)])
        self.assertEqual(one.rows.table.remarks[-1], "1 row left out by the mapping: [State] is 'on'")

    def test_dependents_follow_the_code_that_was_made_and_a_row_is_whole(self):
        lines = [("W", "Min"), ("one", "5"), ("two", "500"), ("two", "7"), ("two", "")]
        main = part("item", {"code": Source(make="'N-' + next(1)"), "words": Source(("A",))}, *lines)
        level = part(
            "level", {"item": Source(of_record="item", of_field="code"), "least": Source(("B",))}, *lines, optional=True
        )
        item, levels = checked(main, level)
        self.assertEqual(
            levels.rows.values.select("item", "least").rows(), [("N-1", "5"), ("N-2", "500"), ("N-3", "7")]
        )
        again = whole_rows([main, level], [item, levels])
        self.assertIsNotNone(again)
        item, levels = checked(*again)
        self.assertEqual(kinds(item.rows), [("row-refused", "error", 3)])
        self.assertIsNone(whole_rows(again, [item, levels]))

    def test_a_list_grows_by_one_spelling_and_its_levels(self):
        lines = [("C", "L1", "L2", "V"), ("A1", "Boats", "Kayaks", "Skerry"), ("A2", "boats", "kayak", "SKERRY"), ("A3", "Rope", "Hemp", "skerry "),
                 ("A4", "Boats", "Kayaks", "KEL")]  # fmt: skip
        sources = {"code": Source(("A",)), "group": Source(("B", "C"), last=True), "vendor": Source(("D",))}
        done = checked(part("item", sources, *lines), options=LoadOptions(create=("group", "vendor")))
        made = {(each.rows.record.name): each.rows.values for each in done if each.consequence}
        self.assertEqual(
            made["group"].select("code", "above").sort("code").rows(),
            [("Boats", None), ("Hemp", "ROPE"), ("Kayaks", "Boats")],
        )
        self.assertEqual(made["vendor"]["code"].to_list(), ["Skerry"])
        items = done[-1].rows
        self.assertEqual(items.values["group"].to_list(), ["Kayaks", "Kayaks", "Hemp", "Kayaks"])
        self.assertEqual(items.values["vendor"].to_list(), ["Skerry", "Skerry", "Skerry", "KEL"])
        self.assertEqual([row for kind, _, row in kinds(items) if kind == "other-spelling"], [3, 3, 4])

    def test_a_value_without_levels_is_added_at_the_top(self):
        sources = {"code": Source(("A",)), "group": Source(("B", "C"), last=True), "second_group": Source(("D",))}
        lines = [("C", "L1", "L2", "Other"), ("A1", "Boats", "Kayaks", "Nets"), ("A2", "Boats", "Kayaks", "Boats")]
        done = checked(part("item", sources, *lines), options=LoadOptions(create=("group",)))
        [made] = [each.rows.values for each in done if each.consequence]
        self.assertEqual(
            made.select("code", "above").sort("code").rows(), [("Boats", None), ("Kayaks", "Boats"), ("Nets", None)]
        )

    def test_a_list_without_names_grows_with_its_defaults(self):
        sources = {"code": Source(("A",)), "colour": Source(("B",))}
        lines = [("C", "Colour"), ("A1", "navy"), ("A2", "red"), ("A3", "")]
        done = checked(part("item", sources, *lines), options=LoadOptions(create=("colour",)))
        [made] = [each.rows.values for each in done if each.consequence]
        self.assertEqual(made.select("code", "tone").rows(), [("navy", "dark")])

    def test_findings_stand_at_the_cell_the_value_came_from(self):
        sources = {"code": Source(("A",)), "group": Source(("B", "C"), last=True)}
        [done] = checked(part("item", sources, ("C", "L1", "L2"), ("A1", "Boats", ""), ("A2", "Rope", "Hemp")))
        self.assertEqual([(group.letter, group.cells[ROW].to_list()) for group in done.rows.findings if group.kind == "not-on-list"],
                         [("B", [2]), ("C", [3])])  # fmt: skip

    def test_names_of_the_same_load_are_known(self):
        items = part("item", {"code": Source(("A",)), "words": Source(("B",))}, ("C", "W"), ("N-7", "seventh"))
        levels = part("level", {"item": Source(("A",)), "least": Source(("B",))}, ("I", "M"), ("Seventh", "1"))
        done = checked(
            items, replace(levels, rows=replace(levels.rows, table=replace(levels.rows.table, sheet="Levels")))
        )
        self.assertEqual(done[1].rows.values["item"].to_list(), ["N-7"])
        self.assertEqual(SystemState(GOODS, Goods().read).listed(GOODS.records["item"]).height, 4)
