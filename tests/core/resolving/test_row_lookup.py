"""Rows found by another field, and the rows that are loaded: against a plain model."""

from __future__ import annotations

import unittest

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.errors import WrongUse
from kotrel.core.resolving.filling import fill_keys, fill_same, make_values
from kotrel.core.resolving.ready_rows import require_known_options
from kotrel.core.resolving.row_lookup import choose_rows, clear_blanks, match_group, match_own_codes, match_rows
from kotrel.core.rows.load_options import LoadOptions
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from tests.builders import rows_in_sheet, system_of

SYSTEM = read_description("""
[record.item]
key = ["code"]
also_known_by = [["barcode"], ["vendor", "number"]]
[record.item.field]
code = { kind = "code", must = "always" }
name = { kind = "text", must = "new", default = "unnamed" }
barcode = { kind = "code", unique = "barcode" }
more = { kind = "list", unique = "barcode" }
vendor = { kind = "code" }
number = { kind = "code" }
stock = { kind = "quantity", kept_by = "system" }
[record.bin]
key = ["house", "code"]
[record.bin.field]
house = { kind = "code", must = "always", default = "Q" }
code = { kind = "code", must = "always" }
note = { kind = "text" }
item = { kind = "reference", to = "item" }
label = { kind = "text", same_as = "item.name" }
[defaults.dry]
record = "bin"
where = "house is 'Q'"
set = { note = "dry" }
[defaults.any]
record = "bin"
set = { note = "any" }
""")
HELD = {
    "item": {
        "code": ["A", "B", "C", "D"], "name": ["a", "b", "c", "d"], "barcode": ["1", "2", None, "9"],
        "more": [None, "3; 4", "5", "4"], "vendor": ["V", "V", "W", None], "number": ["1", "1", "1", "1"],
    },
    "bin": {"house": ["Q", "L"], "code": ["1", "1"], "note": ["n", None]},
}  # fmt: skip


def state() -> SystemState:
    return system_of(SYSTEM, HELD)


def rows(record: str, **columns: list[str | None]) -> Rows:
    return rows_in_sheet(SYSTEM.records[record], columns)


def found(done: Rows) -> set[tuple[str, str | None, int]]:
    return {(group.kind, group.field, row) for group in done.findings for row in group.cells[ROW]}


barcodes = st.lists(
    st.tuples(st.sampled_from(["1", "2", "3", "4", "5", "7", None]), st.sampled_from(["A", "B", "N", None])),
    min_size=1,
    max_size=6,
)


class Matching(unittest.TestCase):
    @given(barcodes, st.booleans())
    def test_by_barcode_wherever_the_item_has_it(self, lines, with_key):
        sheet = rows(
            "item", barcode=[code for code, _ in lines], **({"code": [key for _, key in lines]} if with_key else {})
        )
        done = match_rows(sheet, "barcode", state())
        owners = {"1": ["A"], "2": ["B"], "3": ["B"], "4": ["B", "D"], "5": ["C"]}
        wanted: set[tuple[str, str | None, int]] = set()
        for at, (barcode, key) in enumerate(lines, start=2):
            own, holders = key if with_key else None, owners.get(barcode or "", [])
            if len(holders) > 1:
                wanted.add(("not-unique", "barcode", at))
            elif not holders and own is None:
                wanted.add(("missing" if barcode is None else "not-found", "barcode", at))
            elif holders and own and own != holders[0]:
                wanted.add(("other-key", "code", at))
            if len(holders) == 1:
                self.assertEqual(done.values["code"][at - 2], own or holders[0])
        self.assertEqual(found(done), wanted)

    def test_a_vendors_code_needs_the_vendor(self):
        done = match_rows(rows("item", vendor=["V", "W", None, "X"], number=["1", "1", "1", "1"]), "number", state())
        self.assertEqual(
            found(done), {("not-unique", "number", 2), ("not-found", "number", 4), ("not-found", "number", 5)}
        )
        self.assertEqual(done.values["code"][1], "C")
        # Where two rows have it in other forms, nothing is read as another code.
        held = {"item": {"code": ["A", "B", "C"], "vendor": ["V", "V", "W"], "number": ["x 1", "X-1", "y 2"]}}
        done = match_rows(rows("item", vendor=["V", "W"], number=["x.1", "Y-2"]), "number", system_of(SYSTEM, held))
        self.assertEqual(
            (found(done), done.values["code"][1]),
            ({("not-unique", "number", 2), ("found-otherwise", "number", 3)}, "C"),
        )
        alone = match_rows(rows("item", number=["1"]), "number", state())
        [group] = alone.findings
        self.assertEqual((group.kind, group.field), ("no-key-column", None))
        self.assertIn("“Vendor”", group.cells["message"][0])
        self.assertNotIn("“Number”", group.cells["message"][0])
        twice = match_rows(rows("item", barcode=["4"]), "barcode", state()).findings[0].cells["message"][0]
        self.assertEqual(twice, "B and D both have it")

    def test_by_their_own_code_however_it_is_written(self):
        held = {"item": {"code": ["AB-1", "A.7", "A 7", "007", "XY"]}}
        sheet = rows("item", code=["ab1", "AB-1", "a7", "A 7", None, "7", "new", "x y"])
        done = match_own_codes(sheet, system_of(SYSTEM, held))
        self.assertEqual(done.values["code"].to_list(), ["AB-1", "AB-1", "a7", "A 7", None, "7", "new", "XY"])
        self.assertEqual(found(done), {("not-unique", "code", 4)})
        [repaired] = done.repairs
        self.assertEqual(repaired.cells.select(ROW, "before", "after").rows(), [(2, "ab1", "AB-1"), (9, "x y", "XY")])
        # Within a house, only its own shelves count.
        held = {"bin": {"house": ["Q", "L"], "code": ["A-1", "B-1"]}}
        done = match_own_codes(rows("bin", house=["Q", "Q"], code=["a1", "b1"]), system_of(SYSTEM, held))
        self.assertEqual(done.values["code"].to_list(), ["A-1", "b1"])

    def test_fields_that_cannot_be_matched_on(self):
        with self.assertRaises(WrongUse) as caught:
            match_group(SYSTEM.records["item"], "nothing")
        self.assertIn("no field", caught.exception.message)
        self.assertEqual(match_group(SYSTEM.records["item"], "number"), ("vendor", "number"))
        self.assertEqual(match_group(SYSTEM.records["item"], "name"), ("name",))


keys = st.lists(st.tuples(st.sampled_from(["Q", "L", None]), st.sampled_from(["1", "2", None])), min_size=1, max_size=7)


class Choosing(unittest.TestCase):
    @given(keys, st.sampled_from(["error", "first", "last"]), st.sampled_from([None, "new", "changes"]))
    def test_the_rows_that_are_loaded(self, lines, duplicates, only):
        sheet = rows("bin", house=[house for house, _ in lines], code=[code for _, code in lines])
        done, remarks = choose_rows(sheet, LoadOptions(only=only, duplicates=duplicates), state())
        kept = list(range(len(lines)))
        if duplicates != "error":
            same = {n: [m for m in kept if lines[m] == lines[n] and None not in lines[n]] or [n] for n in kept}
            kept = [n for n in kept if n == (same[n][0] if duplicates == "first" else same[n][-1])]
        doubles = len(lines) - len(kept)
        if only:
            kept = [n for n in kept if (lines[n] in [("Q", "1"), ("L", "1")]) == (only == "changes")]
        self.assertEqual(done.values[ROW].to_list(), [n + 2 for n in kept])
        self.assertEqual(done.table.cells[ROW].to_list(), [n + 2 for n in kept])
        left = [doubles, len(lines) - doubles - len(kept)]
        self.assertEqual([int(remark.split()[0]) for remark in remarks], [number for number in left if number])

    def test_without_a_key_nothing_is_chosen(self):
        sheet = rows("bin", house=["Q"])
        self.assertEqual(choose_rows(sheet, LoadOptions(only="new"), state()), (sheet, []))

    def test_blanks_that_clear_only_what_may_be_blank(self):
        sheet = rows("item", code=["A", "B"], name=[None, "x"], stock=[None, None], vendor=["v", "w"])
        self.assertEqual(clear_blanks(sheet).cleared, ("name",))
        self.assertEqual(clear_blanks(sheet, pl.Series([False, True])).cleared, ())
        both = rows("item", code=["A", "B"], name=[None, None])
        first = clear_blanks(both, pl.Series([True, False]))
        self.assertEqual(first.values["clear name"].to_list(), [True, False])
        self.assertEqual(clear_blanks(first, pl.Series([False, True])).values["clear name"].to_list(), [True, True])

    def test_options_that_name_nothing_known(self):
        for options, words in (
            (LoadOptions(create=("itm",)), "Did you mean item"), (LoadOptions(create=("bin",)), "several fields"),
            (LoadOptions(defaults=("dryy",)), "Did you mean dry"), (LoadOptions(match_on="weight"), "no field"),
        ):  # fmt: skip
            with self.assertRaises(WrongUse) as caught:
                require_known_options(options, SYSTEM, ["item", "bin"])
            self.assertIn(words, f"{caught.exception.message} {caught.exception.hint}")
        require_known_options(
            LoadOptions(create=("item",), defaults=("dry",), match_on="note"), SYSTEM, ["item", "bin"]
        )


class Filling(unittest.TestCase):
    def filled(self, sets, new, **columns):
        return make_values(
            rows("bin", **columns), lambda record: {}, lambda field: pl.Series([], dtype=pl.String),
            lambda: pl.Series(new, dtype=pl.Boolean), [SYSTEM.defaults[name] for name in sets],
        )  # fmt: skip

    def test_sets_fill_blank_cells_of_new_rows_in_their_order(self):
        columns = {"house": ["Q", "L", "Q", "Q"], "code": list("1234"), "note": [None, None, "own", None]}
        done = self.filled(["dry", "any"], [True, True, True, False], **columns)
        self.assertEqual(done.values["note"].to_list(), ["dry", "any", "own", None])
        self.assertEqual(
            [(each.field, each.value, each.source, each.rows.to_list()) for each in done.defaulted],
            [("note", "dry", "dry", [2]), ("note", "any", "any", [3])],
        )

    def test_a_set_may_fill_a_field_that_the_sheet_does_not_have(self):
        done = self.filled(["dry"], [True, False, True], house=["Q", "Q", "L"], code=list("123"))
        self.assertEqual(done.values["note"].to_list(), ["dry", None, None])
        self.assertNotIn("note", self.filled(["dry"], [False], house=["Q"], code=["1"]).fields)

    def test_keys_are_filled_before_rows_are_looked_for(self):
        done = fill_keys(rows("bin", code=["1", "2"]), lambda reference, name: self.fail(reference))
        self.assertEqual(done.values["house"].to_list(), ["Q", "Q"])
        self.assertEqual([(each.field, each.source) for each in done.defaulted], [("house", "system")])
        self.assertEqual(
            fill_keys(rows("bin", code=["1", "2"], house=["L", None]), lambda reference, name: self.fail(reference))
            .values["house"]
            .to_list(),
            ["L", "Q"],
        )
        self.assertEqual(
            fill_keys(rows("bin", note=["x"]), lambda reference, name: self.fail(reference)).fields,
            ("note",),
            "without the rest of the key, nothing is",
        )

    def test_new_rows_get_what_the_row_they_refer_to_has(self):
        sheet = rows("bin", house=list("QQQ"), code=list("123"), item=["A", "B", "C"], label=[None, "own", None])
        done = fill_same(sheet, pl.Series([True, True, False]), lambda reference, name: pl.Series(["a", "b", "c"]))
        self.assertEqual(done.values["label"].to_list(), ["a", "own", None])
        self.assertEqual(
            [(each.value, each.source, each.rows.to_list()) for each in done.defaulted], [("a", "item", [2])]
        )
        self.assertEqual(
            fill_same(rows("bin", code=["1"]), pl.Series([True]), lambda *_: pl.Series(["a"])).fields, ("code",)
        )
