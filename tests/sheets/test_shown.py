"""What cells show: percentages, rounded amounts, days a spreadsheet turned, merged cells,
headings with more in them.
"""

import tempfile
import unittest
import zipfile
from datetime import date
from pathlib import Path

import openpyxl
from msgspec.structs import replace
from openpyxl.styles import Font

from kotrel.core.columns import ROW
from kotrel.core.expressions.compiling import compile_expression
from kotrel.core.expressions.scope import Scope
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_choice import choose_rows
from kotrel.core.matching.row_reading import understand
from kotrel.core.resolving.repairing import repair
from kotrel.core.tables.as_shown import columns_for
from kotrel.core.tables.headings import bare_heading, joined_headings, second_heading_row, technical_row
from kotrel.core.tables.number_display import Shown
from kotrel.core.tables.profiling import look_at
from kotrel.core.tables.sources import Source, raw_values
from kotrel.core.tables.table import Hidden
from kotrel.core.values.conventions import Conventions
from kotrel.core.values.currencies import currency_in
from kotrel.loading.sheets_in.sheet_reading import tables_of
from kotrel.sheets.ooxml.number_formats import SheetFormats, shown_by
from kotrel.sheets.opening_files import open_sheets
from tests.support import TODAY, grid, small, state

ODS = (
    '<r xmlns:table="t" xmlns:style="s" xmlns:office="o" xmlns:text="x"><style:style style:name="cut"><style:text-properties '
    'style:text-line-through-style="solid"/></style:style><style:style style:name="not" style:parent-style-name="cut"><style:text-properties '
    'style:text-line-through-style="none"/></style:style><style:style style:name="own" style:parent-style-name="cut"/>'
    '<table:table table:name="S"><table:table-column/><table:table-column table:default-cell-style-name="cut"/><table:table-row>'
    '<table:table-cell/><table:table-cell/></table:table-row><table:table-row table:number-rows-repeated="2"><table:table-cell '
    'table:style-name="own"/><table:table-cell table:style-name="not"/></table:table-row></table:table></r>'
)
"""A sheet in which B1, by its column, and A2 and A3, by their style's parent, are struck through."""


class Struck(unittest.TestCase):
    def test_what_is_struck_through(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.ods"
            with zipfile.ZipFile(path, "w") as book:
                book.writestr("content.xml", ODS)
            self.assertEqual(SheetFormats(path, "S").struck, {"B": {1}, "A": {2, 3}})
            path = Path(folder) / "x.xlsx"
            book = openpyxl.Workbook()
            book.active.append(["a", "b"])
            book.active["A1"].font = Font(strike=True)
            book.active["B1"].font = Font(strike=False)
            book.save(path)
            self.assertEqual(SheetFormats(path, "Sheet").struck, {"A": {1}})


class Shows(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def book(self, *lines, formats=None, merged=()):
        """A workbook of these lines; ``formats``: cell → its number format."""
        book = openpyxl.Workbook()
        for line in lines:
            book.active.append(line)
        for cell, code in (formats or {}).items():
            book.active[cell].number_format = code
        for area in merged:
            book.active.merge_cells(area)
        book.save(self.folder / "book.xlsx")
        return tables_of(open_sheets(self.folder / "book.xlsx"), None)[0]

    def read(self, table, record=None, **conventions):
        record = record or small().records["item"]
        rows = understand(table, match_headings(table, record), Conventions(currency="EUR", **conventions), TODAY)
        return rows, {(group.kind, row) for group in rows.findings for row in group.cells[ROW]}

    def test_formats_in_words(self):
        for code, shown in (
            ("0.00", Shown(2)), ("#,##0.000", Shown(3)), ("0%", Shown(0, True)), ("0.0 %", Shown(1, True)), ("General", None), ("@", None),
            ('#,##0.00 "% off"', Shown(2)), ("[Red]0.0;(0.0)", Shown(1)), ("0.00E+00", None), ("yyyy-mm-dd", None), ("0,", None), ("[$€-1] #,##0", Shown(0, currency="€")), ('"USD" 0.00', Shown(2, currency="USD")), ("$#,##0.00;-0", Shown(2, currency="$")), ("[$-407]0", Shown(0)),
        ):  # fmt: skip
            with self.subTest(code):
                self.assertEqual(shown_by(code), shown)

    def test_what_is_joined_split_translated_or_compared_is_what_cells_show(self):
        table = self.book(
            ("Art", "Group"), (1234, 10.1), (5, 10.25), formats={"A2": "000000", "A3": "000000", "B2": "0.00", "B3": "0.00"}
        )  # fmt: skip
        for source, values in (
            (Source(("A", "B"), between="/"), ["001234/10.10", "000005/10.25"]),
            (Source(("A", "B"), last=True), ["10.10", "10.25"]),
            (Source(("A",), pattern="00{tail}", part="tail"), ["1234", "0005"]),
            (Source(("A",), translate={"001234": "x", "5": "y"}), ["x", "y"]),
            (Source(("A",), translate={"7": "z"}), ["001234", "000005"]),
            (Source(("A",)), ["1234", "5"]),
        ):
            with self.subTest(source):
                self.assertEqual(raw_values(table, source).to_list(), values)
        scope = Scope({}, {"art": "A", "group": "B"})
        made = compile_expression("[Art] + '-' + [Group]", scope)
        self.assertEqual(made.column(columns_for(table, ["A", "B"])).to_list(), ["001234-10.10", "000005-10.25"])
        spaced = self.book(("Art", "Group"), (" x ", "  "), ("x\u00a0", "y"))
        said = compile_expression("[Art] is 'x' and [Group] is blank", scope, "yes_no")
        self.assertEqual(said.column(columns_for(spaced, ["A", "B"])).to_list(), [True, False])
        picked = compile_expression("[Art] is '001234'", scope, "yes_no")
        self.assertEqual(picked.column(columns_for(table, ["A"])).to_list(), [True, False])

    def test_a_percentage_is_what_the_cell_shows(self):
        lines = [("code", "length", "cost"), ("A", 0.125, 0.2), ("B", 12.5, 3), ("C", 1, 4)]
        table = self.book(*lines, formats={"B2": "0.0%", "B4": "0%", "C2": "0%"})
        rows, found = self.read(table)
        self.assertEqual(rows.values["length"].to_list(), [None, "12.5", None])
        self.assertEqual(found, {("per-cent", 2), ("per-cent", 4)}, "a length is no percentage, and no amount is one")
        item = small().records["item"]
        share = replace(item.fields["length"], title="Length %")
        rows, found = self.read(table, replace(item, fields={**item.fields, "length": share}))
        self.assertEqual(rows.values["length"].to_list(), ["12.5", "12.5", "100.0"])
        self.assertEqual([(each.kind, each.count) for each in rows.repairs], [("percent-as-shown", 2)])
        self.assertEqual(found, {("per-cent", 2)})

    def test_a_condition_reads_what_a_percentage_shows(self):
        lines = [("code", "cost", "Share %", "Ratio"), ("A", 10, 0.4, 0.4), ("B", 10, 0.2, 0.2)]
        table = self.book(*lines, formats=dict.fromkeys(("C2", "C3", "D2", "D3"), "0%"))
        rows, _ = self.read(table)
        picked = choose_rows(rows, "number([Share %]) > 30", (), Conventions(), TODAY)
        self.assertEqual((picked.values["code"].to_list(), picked.refused.to_list()), (["A"], []))
        # Elsewhere, a percentage is no number: whether the row is wanted nobody knows.
        doubted = choose_rows(rows, "number([Ratio]) > 30", (), Conventions(), TODAY)
        self.assertEqual((doubted.values["code"].to_list(), doubted.refused.to_list()), (["A", "B"], [2, 3]))

    def test_a_code_is_what_the_cell_shows(self):
        # By hand: what a spreadsheet program shows of each number. Amounts' formats say nothing about a code.
        for held, code, shown in (
            (1234, "000000", "001234"), (1235, '"IT-"0000', "IT-1235"), (12345, "00-000", "12-345"), (5, "00-000", "00-005"), (1234567, "000", "1234567"),
            (7, r"\A000", "A007"), (42, "[Red]0000", "0042"), (42, "0000;-0000;;@", "0042"), (42, "#", "42"), (1234, "# ##0", "1234"), (70001, "#,##0", "70001"),
            (70001, "#'##0", "70001"), (12, "0%", "12"), (12, "0.00", "12"), (12, "General", "12"), (5551234, "[<=9999999]000-0000;(000) 000-0000", "5551234"),
            (1.1, "0.00", "1.10"), (1.125, "0.00", "1.125"), (12, '0" pcs"', "12 pcs"), (3, "0000;-0000;\"none\"", "3"),
        ):  # fmt: skip
            with self.subTest(code, held=held):
                rows, _ = self.read(self.book(("code", "cost"), (held, 1), ("X", 2), formats={"A2": code}))
                self.assertEqual(rows.values["code"].to_list(), [shown, "X"])
                told = [(each.kind, each.cells.rows()) for each in rows.repairs]
                proof = (2, str(held), shown, f"the cell shows {shown}")
                self.assertEqual(told, [] if shown == str(held) else [("as-shown", [proof])])
        rows, _ = self.read(self.book(("code", "cost"), (1.5, 1), (2, 2), formats={"A2": "0.00", "A3": "0.00"}))
        self.assertEqual(rows.values["code"].to_list(), ["1.50", "2.00"], "where one code has decimals, all have")

    def test_the_first_look_says_what_cells_show(self):
        table = self.book(
            ("code", "cost"), (1234, 1), (5, 2), (77, 3), formats={"A2": "000000", "A3": "000000", "B2": "0.00"}
        )
        self.assertEqual(
            [look.damage for look in look_at(table)],
            [("2 cells shown differently from their value, such as 001234 for 1234",), ()],
        )

    def test_what_is_hidden_is_told_where_it_counts(self):
        table = self.book(("code", "cost", "other"), ("A", 1, 1), ("B", 2, 2))
        hidden = Hidden(True, (1, 3, 9), ("B", "C", "D"))
        _, found = self.read(replace(table, hidden=hidden))
        self.assertEqual(found, {("unknown-heading", 0), ("hidden-sheet", 0), ("hidden-row", 3), ("hidden-column", 0)})

    def test_what_only_the_number_is_on_the_list_stays_a_number(self):
        lines = [("code", "unit"), (1234, 7), (1235, 8), (1236, 9), (" X", "U8")]
        cells = {"A2": "000000", "A3": '"IT-"0', "A4": "000000", "B2": '"U"0', "B3": '"U"0', "B4": '"U"0'}
        rows, _ = self.read(self.book(*lines, formats=cells))
        # The list has the bare number of the first, what is shown of the second, both of the third.
        units = {"code": ["7", "U8", "9", "U9"], "name": ["a", "b", "c", "d"]}
        done = repair(rows, state(item={"code": ["1234", "IT-1235", "1236", "001236"]}, unit=units), {})
        self.assertEqual(done.values["code"].to_list(), ["1234", "IT-1235", "001236", "X"])
        self.assertEqual(done.values["unit"].to_list(), ["7", "U8", "U9", "U8"])
        self.assertEqual([each.cells[ROW].to_list() for each in done.repairs], [[5], [3, 4], [3, 4]])

    def test_amounts_in_another_currency_are_refused(self):
        lines = [("code", "cost", "length"), ("A", 1, 1), ("B", 2, 1), ("C", 3, 1), ("D", "4 EUR", 1)]
        formats = {"B2": "[$\u20ac-407] 0.00", "B3": "[$$-409]0.00", "B5": "[$$-409]0.00", "C2": "[$$-409]0.00"}
        rows, found = self.read(self.book(*lines, formats=formats))
        self.assertEqual(
            (rows.values["cost"].to_list(), found), (["1.00", None, "3.00", "4.00"], {("other-currency", 3)})
        )

    def test_amounts_are_rounded_only_where_that_is_wished(self):
        lines = [("code", "cost"), ("A", 18.3968), ("B", 10.125), ("C", 2.5), ("D", "7.777")]
        table = self.book(*lines, formats={"B2": "0.00", "B3": "#,##0.0"})
        self.assertEqual(self.read(table)[0].values["cost"].to_list(), ["18.3968", "10.125", "2.50", "7.777"])
        rows, _ = self.read(table, rounding="as shown")
        # Half away from zero, by hand: 10.125 shown with one decimal is 10.1; what people type is not rounded.
        self.assertEqual(rows.values["cost"].to_list(), ["18.40", "10.10", "2.50", "7.777"])
        self.assertEqual(
            [each.cells["proof"].to_list() for each in rows.repairs], [["the cell shows 18.40", "the cell shows 10.1"]]
        )
        self.assertEqual(
            self.read(table, rounding="2")[0].values["cost"].to_list(), ["18.40", "10.13", "2.50", "7.777"]
        )

    def test_open_document_and_old_workbooks_say_it_too(self):
        spaces = "".join(
            f' xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
        )
        cells = (
            '<table:table-cell office:value-type="percentage" office:value="0.125"><text:p>12.5%</text:p></table:table-cell>'
            '<table:table-cell office:value-type="float" office:value="18.3968"><text:p>18,40</text:p></table:table-cell>'
            '<table:table-cell office:value-type="float" office:value="1234"><text:p>001234</text:p></table:table-cell>'
            '<table:table-cell office:value-type="float" office:value="1234"><text:p>1 234</text:p></table:table-cell>'
        )
        # Rows that are the same stand there once, with their number; below them a row is as far down as it is.
        alike = '<table:table-row table:number-rows-repeated="3"><table:table-cell/></table:table-row>'
        again = f"{alike}<table:table-row>{cells.split('</table:table-cell>')[0]}</table:table-cell></table:table-row>"
        content = f'<office:document-content{spaces}><office:body><office:spreadsheet><table:table table:name="S"><table:table-row>{cells}</table:table-row>{again}</table:table></office:spreadsheet></office:body></office:document-content>'
        with zipfile.ZipFile(self.folder / "o.ods", "w") as out:
            out.writestr("content.xml", content)
        formats = SheetFormats(self.folder / "o.ods", "S")
        self.assertEqual(
            (formats.of("A"), formats.of("B"), formats.any_percent),
            ({1: Shown(1, True), 5: Shown(1, True)}, {1: Shown(2)}, True),
        )
        self.assertEqual(
            (formats.of("C"), formats.of("D"), formats.any_mask), ({1: Shown(0, text="001234")}, {1: Shown(0)}, True)
        )
        with zipfile.ZipFile(self.folder / "broken.xlsx", "w") as out:
            out.writestr("x", "")
        self.assertEqual(
            (
                SheetFormats(self.folder / "broken.xlsx", "S").of("A"),
                SheetFormats(self.folder / "broken.xlsx", "S").any_percent,
            ),
            ({}, False),
        )

    def test_days_that_a_spreadsheet_turned(self):
        lines = [("code", "since"), ("A", date(2028, 5, 3)), ("B", "25/03/2028"), ("C", date(2028, 4, 4))]
        self.assertEqual(self.read(self.book(*lines))[1], {("turned-date", 2)}, "4 April stays 4 April either way")
        lines[3] = ("C", date(2028, 4, 30))
        self.assertEqual(self.read(self.book(*lines))[1], set(), "a day above 12 in a date cell: nothing was turned")
        lines[2:] = [("B", "5/3/2028")]
        self.assertEqual(self.read(self.book(*lines))[1], {("ambiguous-date", 3)})

    def test_texts_merged_downwards_count_for_each_row(self):
        lines = [("unit", "code", "cost"), ("EA", "A", 5), (None, "B", None), ("M", "C", 6)]
        table = self.book(*lines, merged=("A2:A3", "C2:C3"))
        self.assertEqual(
            (table.cells["A"].to_list(), table.cells["C"].to_list()), (["EA", "EA", "M"], ["5", None, "6"])
        )
        self.assertIn("2 cells merged over several rows", table.remarks[0])


class Headings(unittest.TestCase):
    def test_what_stands_beside_a_heading(self):
        for heading, bare in (
            ("Cost [EUR]", "Cost"),
            ("Description (max. 80)", "Description"),
            ("Unit *", "Unit"),
            ("(m)", "(m)"),
            ("Size (cm) *:", "Size"),
            ("A", "A"),
        ):
            self.assertEqual(bare_heading(heading), bare)
        for heading, said in (
            ("Cost [USD]", "USD"),
            ("Price in $", "$"),
            ("Cost/CHF", "CHF"),
            ("Discount", None),
            ("EUROPE", None),
        ):
            self.assertEqual(currency_in(heading), said)

    def test_another_currency_in_a_heading_is_an_error(self):
        for heading, wrong in (("Cost (USD)", True), ("Cost (€)", False), ("Cost EUR", False)):
            table = tables_of([grid(("Item code", heading), ("A", "1"))], None)[0]
            rows = understand(table, match_headings(table, small().records["item"]), Conventions(currency="EUR"), TODAY)
            self.assertEqual("other-currency" in [group.kind for group in rows.findings], wrong, heading)

    def test_technical_names_below_the_headings(self):
        def below(*lines):
            return technical_row(grid(*lines).cells, 0)

        head = ("Item number", "Item description", "Unit of measure")
        self.assertIsNotNone(below(head, ("ITEM_NO", "ITEM_DESC", "UOM"), ("A", "b", "EA")))
        self.assertIsNotNone(below(head, ("itemNumber", "descr", "unit"), ("A", "b", "EA")))
        for row in (
            ("ROPE", "red rope", "M"),
            ("ROPE", "rope", "M"),
            ("ITEM_NO", "ITEM_NO", "UOM"),
            ("ITEM_1", "ITEM_DESC", "UOM"),
            ("ITEM_NO", "", "UOM"),
            ("ITEM_NO", "red", "M"),
        ):
            self.assertIsNone(below(head, row, ("A", "b", "EA")), row)
        self.assertIsNone(below(("Item number", "Colour"), ("ITEM_NO", "red"), ("A", "b")), "half of them are too few")
        # A second row continues the headings only where rows with digits follow.
        two = (("Item", ""), ("code", "words"))
        self.assertIsNotNone(second_heading_row(grid(*two, ("A1", "b")).cells, 0))
        self.assertIsNone(second_heading_row(grid(*two, ("A", "b")).cells, 0))
        self.assertIsNone(second_heading_row(grid(("Item", ""), ("code", ""), ("A1", "b")).cells, 0))
        three = (("Item", "", ""), ("code", "words", ""), ("A1", "b", "c"))
        self.assertIsNone(second_heading_row(grid(*three).cells, 0), "a column that neither row names")
        top = {"A": "Size", "B": "", "C": "", "D": "Unit"}
        joined = joined_headings(top, {"A": "from", "B": "to", "C": "", "D": "Unit"})
        self.assertEqual(joined, {"A": "Size from", "B": "Size to", "C": "", "D": "Unit"})
        for short in ((), (("Item", "X"),), (("Item", "X"), ("ITEM_NO", "X_Y"))):
            self.assertIsNone(technical_row(grid(*short).cells, 0) if short else None)
            self.assertIsNone(second_heading_row(grid(*short).cells, 0) if short else None)
        # Two of three names must be technical: initials of several words, the beginning of a word, or a name with _.
        for heading, name, technical in (
            ("Unit of measure", "uom", True),
            ("Measure", "M", False),
            ("Colour", "COLOUR", False),
            ("Colour", "zzz", False),
            ("Colour", "colo", True),
            ("Colour", "X_Y", True),
            ("Base colour", "baseColour", True),
            ("Base colour", "co", False),
        ):
            with self.subTest(name):
                found = below(("Item number", heading, "Other"), ("ITEM_NO", name, "xyz"), ("A", "b", "c"))
                self.assertEqual(found is not None, technical)
