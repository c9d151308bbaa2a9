"""Defaults and made values, names of lists, tables as people lay them out, and texts that mean columns."""

import unittest

import polars as pl
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import DefaultSet
from kotrel.core.errors import WrongUse
from kotrel.core.expressions.parsing import ExpressionError
from kotrel.core.matching.by_headings import Matched, match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.parallel import map_parallel
from kotrel.core.resolving.filling import fill_keys, make_values
from kotrel.core.similarity import folded, nearest
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.sources import Source
from kotrel.core.values.conventions import Conventions
from tests.support import TODAY, grid, small

ITEM = small().records["item"]


def made(lines, taken=(), new=True, **sources):
    """The values of a sheet with columns A, B, C … after defaults and made values."""
    table = find_table(grid(("Head A", "Head B", "Head C"), *lines), 1)
    rows = understand(table, Matched(ITEM, sources, {}, ()), Conventions(), TODAY)
    names = {"unit": {"EA": "each", "M": "metre"}}
    everywhere = pl.Series([new]).new_from_index(0, len(lines))
    return make_values(
        rows, lambda record: names[record], lambda field: pl.Series(field, taken, dtype=pl.String), lambda: everywhere
    ).values


class Making(unittest.TestCase):
    def test_defaults_fill_blank_cells_only(self):
        lines = (("A", "EA", "1"), ("B", "", ""), ("C", "M", ""))
        got = made(
            lines,
            code=Source(("A",)),
            unit=Source(("B",), default="M"),
            cost=Source(("C",), default_by="unit", defaults={"M": "2.5"}, default="9"),
            lot_tracked=Source(fixed="ja"),
        )
        self.assertEqual(
            got.drop(ROW).rows(), [("A", "EA", "1.00", "yes"), ("B", "M", "2.50", "yes"), ("C", "M", "2.50", "yes")]
        )

    def test_the_descriptions_own_defaults_fill_what_is_still_blank_in_new_rows(self):
        record = replace(ITEM, fields={**ITEM.fields, "cost": replace(ITEM.fields["cost"], default="3.5")})
        table = find_table(grid(("Head A", "Head B"), ("A", ""), ("B", "1")), 1)
        sheet = understand(
            table, Matched(record, {"code": Source(("A",)), "cost": Source(("B",))}, {}, ()), Conventions(), TODAY
        )
        new = pl.Series([True, True])
        done = make_values(sheet, lambda record: {}, lambda field: pl.Series(field, [], dtype=pl.String), lambda: new)
        self.assertEqual(done.values["cost"].to_list(), ["3.50", "1.00"])
        self.assertEqual(
            [(each.field, each.value, each.source) for each in done.defaulted], [("cost", "3.50", "system")]
        )

    def test_existing_rows_get_none_unless_the_match_says_so(self):
        lines = (("A", "", "1"),)
        for source in (
            Source(("B",), default="M"),
            Source(("B",), default_by="code", defaults={"A": "M"}),
            Source(("B",), make="'M'"),
        ):
            self.assertEqual(made(lines, new=False, code=Source(("A",)), unit=source)["unit"].to_list(), [None])
            for_all = replace(source, for_all=True)
            self.assertEqual(made(lines, new=False, code=Source(("A",)), unit=for_all)["unit"].to_list(), ["M"])

    def test_the_defaults_of_a_key_in_their_order(self):
        fields = {
            **ITEM.fields,
            "unit": replace(ITEM.fields["unit"], default="EA", default_from=("parent", "unit")),
        }
        record = replace(ITEM, key=("code", "unit"), fields=fields)
        table = find_table(grid(("A", "B", "C"), ("X", "KG", "P"), ("Y", "", "P"), ("Z", "", "")), 1)
        behind = {("parent", "unit"): pl.Series(["L", "L", None])}
        for source, sets, wanted, by in (
            (Source(("B",)), (), ["KG", "L", "EA"], ["parent", "system"]),
            (Source(("B",), default="M"), (), ["KG", "M", "M"], ["mapping"]),
            (Source(("B",), default_by="code", defaults={"Y": "M"}), (), ["KG", "M", "EA"], ["mapping", "system"]),
            (Source(("B",)), (("z", "code is 'Z'"),), ["KG", "L", "CM"], ["z", "parent"]),
            (Source(("B",)), (("all", None),), ["KG", "CM", "CM"], ["all"]),
        ):
            sources = {"code": Source(("A",)), "unit": source, "parent": Source(("C",))}
            sheet = understand(table, Matched(record, sources, {}, ()), Conventions(), TODAY)
            chosen = [DefaultSet(name, "item", where, {"unit": "CM"}) for name, where in sets]
            done = fill_keys(sheet, lambda *asked: behind[asked], sets=chosen)
            self.assertEqual(done.values["unit"].to_list(), wanted)
            self.assertEqual(list(dict.fromkeys(each.source for each in done.defaulted)), by)

    def test_what_is_filled_in_is_read_as_cells_are(self):
        table = find_table(grid(("Head A", "Head B"), ("A", ""), ("B", "x")), 1)
        for field, text, wanted, kind in (
            ("cost", "1,5", "1.50", None), ("cost", "abc", "abc", "not-a-number"), ("cost", "1,234", "1,234", "ambiguous-number"),
            ("lot_tracked", "ja", "yes", None), ("lot_tracked", "maybe", "maybe", "not-yes-or-no"),
            ("condition", "NEW", "new", None), ("since", "2.3.27", "2027-03-02", "ambiguous-date"), ("since", "2027-03-02", "2027-03-02", None),
        ):  # fmt: skip
            for source in (Source((), default=text), Source(make=f"'{text}'")):
                read = understand(
                    table, Matched(ITEM, {"code": Source(("A",)), field: source}, {}, ()), Conventions(), TODAY
                )
                done = make_values(
                    read, lambda _: {}, lambda _: pl.Series([], dtype=pl.String), lambda: pl.Series([True, True])
                )
                found = {(group.kind, row) for group in done.findings for row in group.cells[ROW]}
                if kind != "ambiguous-date":
                    self.assertEqual(done.values[field].to_list(), [wanted] * 2, (field, text))
                self.assertEqual(
                    {each for each in found if each[0] == kind},
                    {(kind, 2), (kind, 3)} if kind else set(),
                    (field, text),
                )
                if kind is None:
                    self.assertEqual({each for each in found if each[0] != "unknown-heading"}, set())

    def test_what_is_rounded_is_noted(self):
        table = find_table(grid(("Head A", "Head B"), ("A", "1.25"), ("B", "2.00"), ("C", "")), 1)
        sources = {"code": Source(("A",)), "length": Source(make="number([Head B]) * 1.5"), "cost": Source(("B",))}
        sheet = understand(table, Matched(ITEM, sources, {}, ()), Conventions(), TODAY)
        nothing = pl.Series([], dtype=pl.String)
        done = make_values(sheet, lambda _: {}, lambda _: nothing, lambda: pl.Series([True] * 3))
        self.assertEqual(done.values["length"].to_list(), ["1.9", "3.0", None])
        [note] = [group for group in done.findings if group.kind == "made-rounded"]
        self.assertEqual(
            (note.severity, note.cells.select(ROW, "message").rows()), ("note", [(2, "1.875 is rounded to 1.9")])
        )

    def test_made_values_are_rounded_to_the_fields_decimals(self):
        got = made(
            (("A", "x", "1.25"), ("B", "y", "0.335")), code=Source(("A",)), cost=Source(make="number([Head C]) * 3")
        )
        # 3.75 and 1.005: half away from zero makes 1.01 of it.
        self.assertEqual(got["cost"].to_list(), ["3.75", "1.01"])
        got = made(
            (("A", "x", "5"),),
            code=Source(("A",)),
            description=Source(make="name of unit + ' ' + [Head B]"),
            unit=Source(fixed="M"),
        )
        self.assertEqual(got["description"].to_list(), ["metre x"])
        got = made((("A", "x", "5"),), code=Source(("A",)), lot_tracked=Source(make="[Head B] is 'x'"))
        self.assertEqual(got["lot_tracked"].to_list(), ["yes"])

    def test_codes_go_on_and_typed_ones_stay(self):
        lines = (("", "M", ""), ("T-004", "M", ""), ("", "EA", ""), ("", "M", ""))
        got = made(
            lines, taken=["M-007", "EA-1", "M-x"], code=Source(("A",), make="unit + '-' + next(3)"), unit=Source(("B",))
        )
        self.assertEqual(got["code"].to_list(), ["M-008", "T-004", "EA-002", "M-009"])

    def test_a_code_made_from_a_blank_is_no_code(self):
        got = made(
            (("", "M", "x"), ("", "", "x")), code=Source(("A",), make="unit + '-' + next(3)"), unit=Source(("B",))
        )
        self.assertEqual(got["code"].to_list(), ["M-001", None])

    def test_an_expression_knows_only_what_is_fed(self):
        with self.assertRaises(ExpressionError):
            made((("A", "x", "5"),), code=Source(("A",)), cost=Source(make="length * 2"))
        with self.assertRaises(ExpressionError):
            made((("A", "x", "5"),), code=Source(("A",)), cost=Source(("C",), make="cost * 2"))

    @given(st.lists(st.sampled_from(["EA", "M"]), min_size=1, max_size=12), st.lists(st.integers(0, 40), max_size=6))
    def test_numbers_have_no_gaps_and_follow_the_rows(self, units, taken):
        got = made(
            [("", unit, "") for unit in units],
            taken=[f"EA-{n:03}" for n in taken],
            code=Source(make="unit + '-' + next(3)"),
            unit=Source(("B",)),
        )
        numbers = {
            unit: [int(code.split("-")[1]) for code in got["code"] if code.startswith(unit + "-")]
            for unit in ("EA", "M")
        }
        start = {"EA": max(taken, default=0) + 1, "M": 1}
        for unit, made_numbers in numbers.items():
            self.assertEqual(made_numbers, list(range(start[unit], start[unit] + units.count(unit))))


class Names(unittest.TestCase):
    def setUp(self):
        rows = pl.DataFrame(
            {
                "code": ["ROPE", "ROPE-BRAID", "CHAIN", "ODD", "LOOP-A", "LOOP-B"],
                "name": ["Rope", "Braided", "Chain", "Braided", None, None],
                "parent": [None, "ROPE", None, "CHAIN", "LOOP-B", "LOOP-A"],
            }
        )
        from kotrel.core.description.description_reading import read_description

        text = '[record.c]\nkey = ["code"]\ncalled = "name"\npath = "parent"\n[record.c.field]\ncode = { kind = "code" }\nname = { kind = "text" }\nparent = { kind = "reference", to = "c" }'
        self.names = ListNames(rows, read_description(text).records["c"])

    def test_codes_names_and_paths(self):
        for words, code in (
            ("rope", "ROPE"),
            ("Rope > Braided", "ROPE-BRAID"),
            ("CHAIN/ODD", "ODD"),
            ("Chain > Braided", "ODD"),
            ("loop a", "LOOP-A"),
        ):
            self.assertEqual(self.names.code_of(words), code, words)

    def test_a_name_that_two_codes_share_names_none(self):
        self.assertIsNone(self.names.code_of("Braided"))

    def test_suggestions_are_near_or_nothing(self):
        self.assertEqual(self.names.suggestion("ROPE-BRAD"), "ROPE-BRAID?")
        self.assertEqual(self.names.suggestion("Chian"), "CHAIN?")
        self.assertIsNone(self.names.suggestion("zzzzzz"))
        self.assertEqual(self.names.likely("Chian"), "CHAIN")

    def test_nearness(self):
        self.assertEqual((folded(" Item-Code:\n"), folded("Größe")), ("itemcode", "grösse"))
        self.assertEqual(
            (nearest("decimal_marc", ["decimal_mark", "dates"]), nearest("xyz", ["decimal_mark"])),
            ("decimal_mark", None),
        )


class Layouts(unittest.TestCase):
    def table(self, *lines):
        return find_table(grid(*lines))

    def test_totals_and_notes_below_are_left_out_and_said(self):
        table = self.table(
            ("Item code", "Description", "Cost"),
            ("A", "x", "1"),
            ("B", "y", "2"),
            ("Total", "", "3"),
            ("", "", ""),
            ("Prices without tax", "", ""),
        )
        self.assertEqual(table.cells["A"].to_list(), ["A", "B"])
        self.assertEqual(len([remark for remark in table.remarks if "left out: row" in remark]), 2)

    def test_what_only_looks_like_a_total_stays(self):
        for last in (("Total control", "rope", "3"), ("TOTAL-1", "", "3"), ("C", "", "")):
            table = self.table(("Item code", "Description", "Cost"), ("A", "x", "1"), ("B", "y", "2"), last)
            self.assertEqual(table.rows, 3 if last[0] != "TOTAL-1" else 2, last)

    def test_headings_over_two_rows(self):
        table = self.table(
            ("Item", "Prices", "", "Stock", ""), ("", "cost", "shop", "Quay", "Loft"), ("A1", "1", "2", "3", "4")
        )
        self.assertEqual(
            [column.heading for column in table.columns],
            ["Item", "Prices cost", "Prices shop", "Stock Quay", "Stock Loft"],
        )
        self.assertEqual((table.first_row, [column.lower for column in table.columns][1]), (3, "cost"))

    def test_a_first_row_of_words_is_no_second_heading(self):
        table = self.table(("Item", "Name", ""), ("rope", "white", "x"), ("chain", "grey", "y"))
        self.assertEqual(table.rows, 2)

    def test_columns_of_an_exports_names_are_no_unknown_columns(self):
        matched = match_headings(
            self.table(("Item code", "Unit", "Name of unit", "Kotrel findings", "Other"), ("A", "M", "metre", "", "x")),
            ITEM,
        )
        self.assertEqual([column.heading for column in matched.unknown], ["Other"])

    def test_addresses(self):
        table = self.table(("a", "b"), ("1", "2"))
        self.assertEqual(
            (table.address(2, "B"), table.address(2, None), table.place(2, "B")), ("Sheet1!B2", "Sheet1, row 2", "B2")
        )
        text = find_table(grid(("a", "b"), ("1", "2"), name=""))
        self.assertEqual(
            (text.address(2, "B"), text.place(2, "B"), text.address(2, None)), ("line 2, column 2", "line 2", "line 2")
        )


class AtOnce(unittest.TestCase):
    @given(st.lists(st.integers()), st.sampled_from([0, 1_000_000]))
    def test_results_come_in_order_and_errors_come_out(self, numbers, rows):
        self.assertEqual(map_parallel(lambda number: number * 2, numbers, rows), [number * 2 for number in numbers])
        with self.assertRaises(WrongUse):
            map_parallel(self.fail_clearly, [*numbers, 1], rows)

    @staticmethod
    def fail_clearly(number):
        raise WrongUse("no")
