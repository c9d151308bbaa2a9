"""Finding the table in a sheet and matching its headings."""

import unittest

from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.toml_reading import line_of, numbered
from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.matching.by_headings import likely_record, match_headings, rivals_of
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.headings import joined_headings
from kotrel.core.tables.table import index_of, letter_of
from tests.support import grid, small


class Tables(unittest.TestCase):
    def test_titles_above_and_blank_rows_are_left_out_and_said(self):
        table = find_table(
            grid(
                ["Price list", "", ""],
                ["", "", ""],
                ["Item code", "Name", "Cost"],
                ["A", "b", "1"],
                ["", " ", ""],
                ["C", "d", "2"],
                ["", "", ""],
            )
        )
        self.assertEqual(table.heading_row, 3)
        self.assertEqual(table.cells[ROW].to_list(), [4, 6])
        self.assertEqual(table.remarks, ("rows above the headings left out: 1 to 2", "1 blank row left out"))

    def test_headings_that_stand_again_are_no_rows(self):
        head = ("Item\ncode", "Cost ", "")
        table = find_table(
            grid(
                head,
                ("A", "1"),
                ("Item\ncode", "Cost"),
                ("Cost", "Item code"),
                ("B", "2"),
                ("Item code", ""),
                ("Item code", "Cost", "x"),
                head,
            )
        )
        self.assertEqual(table.cells["A"].to_list(), ["A", "Cost", "B", "Item code", "Item code"])
        self.assertEqual(table.remarks, ("the headings again, left out: 2 rows: 3, 8",))
        # A heading of spaces is none: one word alone is left, and may be a value.
        table = find_table(grid(("Item code", " "), ("A", "1"), ("Item code", ""), ("B", "2")), 1)
        self.assertEqual((table.cells["A"].to_list(), table.remarks), (["A", "Item code", "B"], ()))
        two = (("Size", "", "Unit"), ("from", "to", "Unit"))
        table = find_table(grid(*two, ("1", "2", "m"), *two, ("3", "4", "m"), two[1]))
        self.assertEqual((table.rows, table.remarks[-1]), (2, "the headings again, left out: 3 rows: 4, 5, 7"))
        self.assertEqual(find_table(grid(("Cost",), ("Cost",), ("1",))).rows, 2, "one word alone may be a value")

    def test_a_heading_over_two_rows(self):
        top = {"A": "Item", "B": "Price", "C": "", "D": "Note"}
        below = {"A": "Item", "B": "SHOP", "C": "YARD", "D": ""}
        self.assertEqual(joined_headings(top, below), {"A": "Item", "B": "Price SHOP", "C": "Price YARD", "D": "Note"})

    def test_two_rows_alone_are_a_heading_and_a_row(self):
        table = find_table(grid(("Item", None), ("code", "price")), 1)
        self.assertEqual((table.rows, [column.heading for column in table.columns]), (1, ["Item", ""]))

    def test_lines_about_the_columns_and_around_the_rows_are_left_out_and_said(self):
        head, rows = (
            ("Item code", "Description", "Unit", "Cost"),
            [(f"A-{n}", f"Hook {n}", "EA", f"{n}") for n in range(1, 6)],
        )
        for name, lines, taken, said in (
            ("a second language", [head, ("Artikelnummer", "Bezeichnung", "Einheit", "Einkaufspreis"), *rows], range(3, 8), "second language in row 2"),
            ("must and may", [head, ("mandatory", "optional", "optional", "optional"), *rows], range(3, 8), "row 2 says what must be filled"),
            ("numbers", [head, ("1", "2", "3", "4"), *rows], range(3, 8), "numbers of the columns in row 2"),
            ("an example", [head, ("Example: A-0", "Hook", "EA", "1"), *rows], range(3, 8), "the example in row 2"),
            ("a currency", [head, ("", "", "", "EUR"), *rows], range(3, 8), "row 2 read with the headings: EUR"),
            ("an address above", [("Vane Ltd", "Quay 4", "Date", "1.2.2027"), head, *rows], range(3, 8), "row 1 above the headings left out"),
            ("titles of groups", [head, ("Group: hooks",), *rows[:2], ("RINGS",), *rows[2:]], [3, 4, 6, 7, 8], "titles of groups left out: rows 2 “Group: hooks”, 5"),
            ("the total first", [head, ("Total", "", "", "15"), *rows], range(3, 8), "totals within the table left out: row 2"),
            ("notes", [head, *rows, ("",), ("Notes",), ("Prices hold until May.",)], range(2, 7), "note left out: row 8"),
            ("a signature", [head, *rows, ("",), ("", "Checked by", "", "M. Vane")], range(2, 7), "note left out: row 8"),
        ):  # fmt: skip
            with self.subTest(name):
                table = find_table(grid(*[[*line, *[""] * (4 - len(line))] for line in lines]))
                self.assertEqual(table.cells[ROW].to_list(), list(taken))
                self.assertIn(said, " | ".join(table.remarks))

    def test_what_may_be_a_row_stays_one(self):
        head, rows = (
            ("Item code", "Description", "Unit", "Cost"),
            [(f"A-{n}", f"Hook {n}", "EA", f"{n}") for n in range(1, 6)],
        )
        for name, line in (
            ("a code alone", ("B-7", "", "", "")), ("a total of something else", ("Total", "", "", "14")), ("words", ("CODE", "Name tag", "EA", "4")),
            ("no first cell", ("", "with thimble", "", "")), ("numbers", ("1", "2", "3", "5")), ("a unit and no number", ("", "", "M", "")),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertIn(2, find_table(grid(head, line, *rows)).cells[ROW])

    def test_headings_are_put_on_one_line(self):
        table = find_table(grid([" Item\n code ", "Cost\u00a0price"], ["A", "1"]))
        self.assertEqual([column.heading for column in table.columns], ["Item code", "Cost price"])

    def test_an_empty_sheet_and_a_wrong_heading_row_are_told(self):
        with self.assertRaises(WrongData):
            find_table(grid(["", ""], [" ", ""]))
        with self.assertRaises(WrongUse):
            find_table(grid(["a"], ["b"]), heading_row=9)

    def test_letters(self):
        self.assertEqual([letter_of(place) for place in (0, 25, 26, 701, 702)], ["A", "Z", "AA", "ZZ", "AAA"])
        self.assertTrue(all(index_of(letter_of(place)) == place for place in range(2000)))


class TotalsWithin(unittest.TestCase):
    HEAD = ("Item code", "Name", "Unit", "Cost")

    def left(self, *lines):
        table = find_table(grid(self.HEAD, *lines))
        return table.cells[ROW].to_list(), [remark for remark in table.remarks if "total" in remark]

    def test_rows_that_say_so_or_add_up_are_left_out_and_said(self):
        rope = [("R1", "Rope", "M", "10.50"), ("R2", "Rope", "M", "4.50")]
        chain = [("C1", "Chain", "M", "1"), ("C2", "Chain", "M", "2"), ("C3", "Chain", "M", "3")]
        for first, second in (
            (("Subtotal rope", "", "", "15"), ("Chain, total:", "", "", "6")),
            (("", "", "", "15.00"), ("", "", "", "6")),
            (("", "Summe", "", "99"), ("", "", "", "6")),
        ):
            with self.subTest(first):
                kept, said = self.left(*rope, first, *chain, second, ("X", "Last", "M", "7"))
                self.assertEqual(kept, [2, 3, 5, 6, 7, 9])
                self.assertEqual(said, ["totals within the table left out: rows 4, 8"])

    def test_what_may_be_data_stays(self):
        rows = [("R1", "Rope", "M", "10"), ("R2", "Rope", "M", "5")]
        for line in (
            ("TOTAL-5", "", "", "15"), ("", "", "", "14"), ("R3", "", "", "15"), ("", "Total cover", "EA", "15"),
            ("", "Total", "", ""),
        ):  # fmt: skip
            with self.subTest(line):
                self.assertEqual(self.left(*rows, line, ("X", "y", "M", "1"))[0], [2, 3, 4, 5])


class WithoutHeadings(unittest.TestCase):
    def test_the_first_row_is_a_row(self):
        table = find_table(grid(("A", "1", ""), ("", "", ""), ("B", "", "")), 0)
        self.assertEqual((table.heading_row, table.cells.rows()), (0, [(1, "A", "1"), (3, "B", None)]))
        self.assertEqual([(column.letter, column.heading) for column in table.columns], [("A", ""), ("B", "")])
        self.assertEqual(table.remarks, ("1 blank row left out",))

    def test_spaces_are_no_value(self):
        table = find_table(grid(("A", "1"), ("  ", " "), (" ", "2"), ("B", "3")), 0)
        self.assertEqual([row[0] for row in table.cells.rows()], [1, 3, 4])
        self.assertEqual(table.remarks, ("1 blank row left out",))


class Matching(unittest.TestCase):
    def match(self, *headings):
        return match_headings(find_table(grid(headings, ["x"] * len(headings)), 1), small().records["item"])

    def test_case_blanks_and_punctuation_do_not_count(self):
        matched = self.match("ITEM-CODE", " descrip\ntion", "Lot tracked?", "Colour")
        self.assertEqual(matched.letters, {"code": "A", "description": "B", "lot_tracked": "C"})
        self.assertEqual([column.heading for column in matched.unknown], ["Colour"])

    def test_two_headings_for_one_field_are_never_matched_silently(self):
        self.assertEqual([column.letter for column in self.match("Item code", "Article").doubled["code"]], ["A", "B"])

    def test_the_likely_record_has_its_key_and_most_fields(self):
        table = find_table(grid(["Code", "Name", "Cost"], ["x", "y", "1"]))
        likely = likely_record(table, list(small().records.values()))
        self.assertEqual(likely.record.name, "item")
        self.assertIsNone(likely_record(find_table(grid(["foo", "bar"], ["1", "2"])), list(small().records.values())))

    def test_a_sheet_named_like_one_record_and_headed_like_another(self):
        records = list(small().records.values())
        headed = ["Code", "Description", "Barcode", "Cost", "Since", "Condition"]
        table = find_table(grid(headed, ["x", "y", "1", "2", "", "new"], name="Units"))
        self.assertEqual(likely_record(table, records).record.name, "item")
        plain = find_table(grid(["Code", "Name"], ["x", "y"], name="Units"))
        self.assertEqual(likely_record(plain, records).record.name, "unit")

    def test_headings_of_two_records_are_ambiguous_unless_the_sheet_is_named_like_one(self):
        unit = small().records["unit"]
        records = [unit, replace(unit, name="brand", title="Brand")]
        records.append(replace(unit, name="category", title="Category"))
        for sheet, named, rivals in (
            ("Sheet1", {"brand", "unit", "category"}, 2),
            ("Units", {"unit"}, 0),
            ("Categories", {"category"}, 0),
        ):
            table = find_table(grid(["Code", "Name"], ["x", "y"], name=sheet))
            likely = likely_record(table, records)
            others = rivals_of(likely, table, records)
            self.assertEqual(({likely.record.name, *(other.name for other in others)}, len(others)), (named, rivals))


class TomlLines(unittest.TestCase):
    def test_lines_of_tables_keys_and_inline_fields(self):
        text = 'a = 1\n[x.y]\n# k\nk = 2\n[x."z w"]\nk = 3\n'
        self.assertEqual(
            [
                line_of(text, *path)
                for path in (("a",), ("x", "y"), ("x", "y", "k"), ("x", "z w", "k"), ("x", "y", "gone"))
            ],
            [1, 2, 4, 6, 2],
        )

    def test_lines_of_tables_that_repeat(self):
        text = "[[also]]\nk = 1\n[also.field.x]\nk = 2\n[[also]]\nk = 3\n[also.field.x]\nk = 4\n"
        second = numbered("also", 2)
        paths = (
            ("also", "k"),
            (second,),
            (second, "k"),
            (second, "field", "x"),
            (second, "field", "x", "k"),
            (second, "gone"),
        )
        self.assertEqual([line_of(text, *path) for path in paths], [2, 5, 6, 7, 8, 5])
