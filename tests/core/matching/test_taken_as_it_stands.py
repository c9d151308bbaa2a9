"""What was once taken as it stands: headings that say more, labels of groups, words for nothing,
texts of other programs.
"""

import tempfile
import unittest
from pathlib import Path

import xlsxwriter

from kotrel.core.checking.meaningless import check_meaningless
from kotrel.core.description.description_reading import read_description
from kotrel.core.description.model import Field
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.heading_meaning import said_by
from kotrel.core.tables.detection import find_table
from kotrel.core.values.meaningless_texts import as_meant, is_error_name
from kotrel.practice.installing import description_text
from kotrel.sheets.opening_files import open_sheets
from tests.support import found, grid, rows, state

COST, WEIGHT, TEXT = (
    Field("cost", "Cost", "money"),
    Field("weight", "Weight", "number"),
    Field("note", "Note", "text"),
)


class Headings(unittest.TestCase):
    def test_what_a_heading_says_beside_its_name(self):
        for heading, field, said in (
            ("Cost (per 100)", COST, ("per", "100")), ("EK je 1.000", COST, ("per", "1000")), ("Price / 100", COST, ("per", "100")), ("Prix pour 10", COST, ("per", "10")),
            ("Cost per doz.", COST, ("per", "12")), ("Price per thousand", COST, ("per", "1000")), ("Cost [cents]", COST, ("cents", "100")), ("Cost, in cents", COST, ("cents", "100")),
            ("Cost (x1000)", COST, ("times", "1000")), ("Cost (in thousands)", COST, ("times", "1000")), ("Price (incl. VAT)", COST, ("tax", "")), ("Preis inkl. MwSt.", COST, ("tax", "")),
            ("Prix TTC", COST, ("tax", "")), ("Price 2019", COST, ("year", "2019")), ("Weight (g)", WEIGHT, ("unit", "g")), ("Weight in lbs", WEIGHT, ("unit", "lb")), ("Gewicht, kg", WEIGHT, ("unit", "kg")),
            ("Cost", COST, None), ("Cost (excl. VAT)", COST, None), ("Cost EUR", COST, None), ("Cost per unit", COST, None), ("Cost price", COST, None), ("Weight", WEIGHT, None),
            ("Preis netto", COST, None), ("Note (per 100)", TEXT, None), ("Cost centre price", COST, None), ("Percentage", WEIGHT, None),
            ("Price %", COST, ("percent", "")), ("% Price", COST, ("percent", "")), ("Weight (%)", WEIGHT, None), ("Rate %", Field("rate", "Rate", "number"), None), ("Tolerance +/-", Field("t", "Tolerance", "number"), None), ("Quantity %", Field("quantity", "Quantity", "quantity"), ("percent", "")), ("Price less 5 %", COST, None), ("Price incl. 20% VAT", COST, ("tax", "")),
            ("Price +/-", COST, ("change", "")), ("± Cost", COST, ("change", "")), ("Cost (-)", COST, ("change", "")), ("Price +", COST, ("change", "")), ("Price + tax", COST, None), ("Cost - net", COST, None),
            ("Cost (100 pcs)", COST, ("per", "100")), ("Price [12 Stk.]", COST, ("per", "12")), ("Cost (1000)", COST, ("per", "1000")), ("Cost (1 pc)", COST, None), ("Cost (2 decimals)", COST, None), ("Preis (4 Nachkommastellen)", COST, None), ("Price (30 days)", COST, None), ("Price (2)", COST, None),
            ("Price (2027)", COST, ("year", "2027")), ("Price (20 % off)", COST, None),
            ("Qty (doz.)", WEIGHT, ("times", "12")), ("Quantity in dozens", WEIGHT, ("times", "12")), ("Cost (dozen)", COST, ("per", "12")), ("Menge [Dtz]", WEIGHT, ("times", "12")),
            ("Price (old)", COST, ("other", "old")), ("Cost [avg]", COST, ("other", "avg")), ("Price (RRP)", COST, ("other", "RRP")), ("Preis (bisher)", COST, ("other", "bisher")), ("Price (Précédent)", COST, ("other", "Précédent")),
            ("Note (max. 80)", TEXT, None), ("Note (mandatory)", TEXT, None), ("Price (net)", COST, None), ("Reorder at (min)", Field("reorder_point", "Reorder point", "number", synonyms=("min",)), None),
            ("Price %", Field("rise", "Rise", "number", synonyms=("Price %",)), None), ("Cost (avg)", Field("mean", "Mean cost", "money", synonyms=("x", "cost (avg)")), None),
            ("Discount %", Field("discount_percent", "Discount %", "number"), None),
        ):  # fmt: skip
            says = said_by(heading, field)
            self.assertEqual(says and (says.what, says.value), said, heading)

    def test_a_column_is_not_taken_as_it_stands(self):
        lines = (("A1", "Thing", "EA", "184"), ("A2", "Thing", "EA", "24"))
        checked = rows(("code", "description", "unit", "Cost (per 100)"), *lines)
        self.assertIn(("heading-says", None, 0), found(checked))
        self.assertNotIn(("heading-says", None, 0), found(rows(("code", "description", "unit", "Cost"), *lines)))

    def test_a_column_of_changes_feeds_no_field(self):
        line = ("A1", "Thing", "EA", "184", "5", "+4")
        for headings, fed in ((("Cost", "Cost %", "Cost +/-"), "D"), (("Cost %", "Cost", "Cost +/-"), "E"), (("Cost %", "Cost +", "x"), None)):  # fmt: skip
            self.assertEqual(rows(("code", "description", "unit", *headings), line).letters.get("cost"), fed, headings)
        item = read_description(description_text()).records["item"]
        table = find_table(grid(("Item code", "Description (long)", "Description (printed)"), line[:3]), heading_row=1)
        self.assertEqual(match_headings(table, item).letters, {"code": "A", "description": "C"})

    def test_labels_of_groups_are_asked(self):
        head = ("code", "description", "unit")

        def kinds(labels):
            return {
                kind
                for kind, _, _ in found(rows(head, *((f"A{n}", f"Thing {n}", label) for n, label in enumerate(labels))))
            }

        grouped = ["EA", *[""] * 6, "M", *[""] * 6]
        self.assertIn("labels-of-groups", kinds(grouped))
        for others in (
            ["EA"] * 14,
            ["", *grouped[1:]],
            ["EA", "", "M", *[""] * 11],
            [*grouped[:7], "EA", *[""] * 6],
            ["EA", *[""] * 13],
        ):
            self.assertNotIn("labels-of-groups", kinds(others), others)


class Texts(unittest.TestCase):
    def test_error_names_of_other_languages(self):
        for text in ("#NV", "#BEZUG!", "#¡VALOR!", "#valeur!", "Err:502", "#####", " #N/A "):
            self.assertTrue(is_error_name(text), text)
        for text in ("#1", "No. #4", "#A", "Err", "##", "ERR-502"):
            self.assertFalse(is_error_name(text), text)

    def test_what_a_programs_own_writing_means(self):
        for text, meant in (("Salt &amp; pepper", "Salt & pepper"), ("Rye<br/>flour", "Rye flour"), ("Caf\\u00e9", "Café"), ("Caf=C3=A9", "Café"),
                            ("Rye_x000D_\nflour", "Rye flour"), ("Schnee\u00adbesen", "Schneebesen"), ("a\u2028b", "a b"), ("5 < 6 & 7", "5 < 6 & 7")):  # fmt: skip
            self.assertEqual(as_meant(text), meant)

    def test_ditto_marks_words_for_nothing_and_escapes_at_their_cells(self):
        checked = rows(
            ("code", "description", "unit", "barcode"),
            ("A1", "Salt &amp; pepper", "EA", "NULL"),
            ("A2", "ditto", "EA", ""),
            ("A3", "H2O & more", "EA", "-"),
        )
        kinds = {(group.kind, row) for group in check_meaningless(checked, state()) for row in group.cells["sheet row"]}
        self.assertEqual(kinds, {("written-otherwise", 2), ("ditto", 3), ("no-value-word", 2), ("no-value-word", 4)})
        # What the system has as a code is one.
        held = state(item={"code": ["X"], "barcode": ["-"]})
        kinds = {(group.kind, row) for group in check_meaningless(checked, held) for row in group.cells["sheet row"]}
        self.assertNotIn(("no-value-word", 4), kinds)


class Shown(unittest.TestCase):
    def test_what_a_cell_shows_beside_what_it_holds(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "s.xlsx"
            with xlsxwriter.Workbook(path) as book:
                sheet, raised, struck = (
                    book.add_worksheet("S"),
                    book.add_format({"font_script": 1}),
                    book.add_format({"font_strikeout": 1}),
                )
                sheet.write_row(0, 0, ["code", "cost"])
                for row, form in enumerate(
                    ('0" per 100"', ";;;", '"on request"', "0,", '0.00" €"', '0.0" kg"', "0.00", '"A-"0000'), start=1
                ):
                    sheet.write_number(row, 1, 12, book.add_format({"num_format": form}))
                sheet.write_rich_string(1, 0, "74", raised, "4")
                sheet.write_rich_string(2, 0, struck, "56", "53")
                sheet.write_string(3, 0, "whole", struck)
                sheet.write_rich_string(4, 0, "plain ", book.add_format({"bold": 1}), "bold")
            [grid] = open_sheets(path)
            assert grid.formats is not None
            self.assertEqual(
                dict(grid.formats.otherwise["B"]), {2: " per 100", 3: "", 4: "on request", 5: " (in thousands)"}
            )
            self.assertEqual(dict(grid.formats.apart["A"]), {2: "raised", 3: "struck"})
