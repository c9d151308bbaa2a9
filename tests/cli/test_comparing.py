"""Two files compared, with the installed program: all their sheets, all their columns, or it is said."""

import openpyxl

from tests.support import Program, workbook_of

ITEMS = ["Item code", "Description", "Unit", "Category", "Cost", "Shade", "Days"]


class Comparing(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()

    def book(self, name, sheets, formats=""):
        """A workbook: name of the sheet → its lines; the first column shows its numbers by that format."""
        book = workbook_of(self.folder / name, sheets)
        for page in book.worksheets if formats else ():
            for cell in page["A"][1:]:
                cell.number_format = formats
        book.save(self.folder / name)

    def changed(self, *words):
        """What is changed and the counts, and what was left out."""
        got = self.json("compare", *words)
        cells = [(each["key"], each["column"], each["before"], each["after"]) for each in got["changed"]]
        return cells, list(got["counts"].values()), got["left_out"]

    def test_two_sheets_compared(self):
        self.write("old.csv", "Article;Price;Old", "A;1,00;x", "B;2,50;x", "C;3,00;x")
        self.write("new.csv", "Item code,Standard price,Fresh", "B,2.50,y", "C,3.10,y", "D,4.00,y")
        got = self.json("compare", "old.csv", "new.csv", "-o", "diff.xlsx")
        self.assertEqual(got["counts"], {"added": 1, "gone": 1, "changed": 1, "same": 1})
        self.assertEqual(
            got["changed"],
            [{"key": "C", "column": "price", "before": "3.00", "after": "3.10", "percent": "3.3", "in_part": 0}],
        )
        book = openpyxl.load_workbook(self.folder / "diff.xlsx")
        self.assertEqual([cell.value for cell in book["Changed"][2]], ["C", "Standard price", "3.00", "3.10", 3.3])
        self.write("x.csv", "foo,bar", "1,a", "2,b")
        self.write("y.csv", "bar,FOO ", "a,1", "c,2")
        self.assertEqual(
            self.json("compare", "x.csv", "y.csv")["changed"],
            [{"key": "2", "column": "bar", "before": "b", "after": "c", "percent": None, "in_part": 0}],
        )

    def test_a_key_that_is_there_twice_is_named_and_all_others_are_compared(self):
        self.write("x.csv", "foo,bar", "1,a", "2,b", "3,c", "3,d")
        self.write("y.csv", "foo,bar", "1,a", "1,b", "2,z", "4,e", ",e")
        refused = self.kotrel("compare", "x.csv", "y.csv", status=2).stderr
        self.assertIn("Both have “foo” and “bar”.", refused)
        self.assertIn(
            "Both have “foo” and “bar”.", self.kotrel("compare", "x.csv", "y.csv", "--key", "no", status=2).stderr
        )
        got = self.json("compare", "x.csv", "y.csv", "--key", "foo", status=1)
        self.assertEqual(got["counts"], {"added": 2, "gone": 0, "changed": 1, "same": 0})
        self.assertEqual([(each["key"], each["after"]) for each in got["changed"]], [("2", "z")])
        self.assertEqual(
            [(each["where"], each["key"], each["rows"]) for each in got["repeated"]],
            [("old", "3", "rows 4 and 5"), ("new", "1", "rows 2 and 3")],
        )
        shown = self.kotrel("compare", "x.csv", "y.csv", "--key", "foo", status=1).stdout
        self.assertIn("2 not compared", shown)
        self.assertIn("more than once in the new sheet and not compared: 1 (rows 2 and 3)", shown)

    def test_a_code_is_one_however_it_is_written(self):
        # 1-12 and 11-2 are two, and so are two rows of one sheet that differ only so.
        self.write("a.csv", "Item code,Barcode,Price", "ke 010,2010000021002,1", "1-12,,2", "AB1,,3", "XY-1,,4")
        self.write(
            "b.csv", "Item code,Barcode,Price", "KE-010,02010000021002,1", "11-2,,2", "AB-1,,3", "A B1,,3", "XY-1,,5"
        )
        got = self.json("compare", "a.csv", "b.csv")
        self.assertEqual(got["counts"], {"added": 3, "gone": 2, "changed": 1, "same": 1})
        self.assertEqual([each["code"] for each in got["gone"]], ["1-12", "AB1"])
        shown = self.kotrel("compare", "a.csv", "b.csv").stdout
        self.assertIn("1 key written in another way in the new sheet: KE-010 is ke 010", shown)

    def test_by_how_many_per_cent_numbers_change(self):
        # 1.20 to 1.26 are 5 %, 4.50 to 45.00 are 900 %, 3.00 to 2.00 a third less; a zero and a text have none.
        self.write("a.csv", "Art,Price,Words", "A1,1.20,x", "A2,4.50,y", "A3,3.00,z", "A4,0.00,w", "4001,2.00,12")
        self.write("b.csv", "Art,Price,Words", "A1,1.26,x2", "A2,45.00,y", "A3,2.00,z", "A4,5.00,w", "4001,2.00,13")
        got = self.json("compare", "a.csv", "b.csv", "--key", "Art")
        told = {(each["key"], each["column"]): each["percent"] for each in got["changed"]}
        self.assertEqual(
            told,
            {("A1", "price"): "5.0", ("A2", "price"): "900.0", ("A3", "price"): "-33.3", ("A4", "price"): None,
             ("A1", "words"): None, ("4001", "words"): None},
        )  # fmt: skip
        shown = self.kotrel("compare", "a.csv", "b.csv", "--key", "Art").stdout
        self.assertIn("Price: 3 changed, -33.3 % (A3) to +900.0 % (A2)", shown)
        # As a record, its numbers are known, whether or not any has decimals.
        self.write("c.csv", "Item code,Price,Barcode", "ROP-00010,10,2000000000015")
        self.write("d.csv", "Item code,Price,Barcode", "ROP-00010,12,2000000000022")
        got = self.json("compare", "c.csv", "d.csv")["changed"]
        self.assertEqual({each["column"]: each["percent"] for each in got}, {"price": "20.0", "barcode": None})

    def test_every_sheet_and_every_column_of_a_record(self):
        chain = ["CHN-00010", "Chain", "M", "CHAIN-LINK", 1.5, "red", 3]
        for name, shade, days, cost in (("a.xlsx", "red", 3, 1.5), ("b.xlsx", "green", 9, 99)):
            self.book(name, {
                "Ropes": [ITEMS, ["ROP-00010", "Rope", "M", "ROPE", 1.5, shade, 3], ["ROP-00020", "Cord", "M", "ROPE", 2, "blue", days]],
                "Chains": [ITEMS, [*chain[:4], cost, *chain[5:]]],
                "Units": [["Unit code", "Name", "Kind", "Decimals"], ["EA", "Each", "count", 0]] if name == "a.xlsx" else [["Words"], ["about this list"]],
            })  # fmt: skip
        cells, counts, left = self.changed("a.xlsx", "b.xlsx")
        self.assertEqual(counts, [0, 0, 3, 0])
        self.assertEqual(cells, [("ROP-00010", "[shade]", "red", "green"), ("ROP-00020", "[days]", "3", "9"), ("CHN-00010", "cost", "1.5000", "99.0000")])  # fmt: skip
        self.assertIn("a.xlsx: sheet “Units” as unit, which the other file has not, is not compared", left)
        self.assertTrue(any(each.startswith("b.xlsx: sheet “Words”") or "“Units”" in each for each in left), left)
        self.assertIn("Shade", self.kotrel("compare", "a.xlsx", "b.xlsx").stdout)
        self.assertEqual(self.changed("a.xlsx", "b.xlsx", "--sheet", "Chains")[1], [0, 0, 1, 0])

    def test_sheets_that_are_no_record_go_by_their_names(self):
        heads = ["Zorp", "Wumm", "Wumm", None]
        self.book("a.xlsx", {"A": [heads, ["Z1", 1, 2, 5], ["Z2", 1, 2, 5]], "B": [heads, ["Y1", 1, 2, 5]], "Old": [["Q"], ["q"]]})  # fmt: skip
        self.book("b.xlsx", {"B": [heads, ["Y1", 1, 2, 7]], "A": [heads, ["Z1", 1, 3, 5], ["Z2", 1, 2, 5], [None, 1, 1, 1]]})  # fmt: skip
        cells, counts, left = self.changed("a.xlsx", "b.xlsx", "--key", "zorp")
        self.assertEqual((sorted(cells), counts), ([("Y1", "column d", "5", "7"), ("Z1", "wumm 2", "2", "3")], [1, 0, 2, 1]))  # fmt: skip
        self.assertEqual(left, ["a.xlsx: sheet “Old”, which the other file has not, is not compared"])
        self.assertIn(
            "without Zorp", self.kotrel("compare", "a.xlsx", "b.xlsx", "--key", "zorp", "-o", "d.xlsx").stdout
        )
        sheets = openpyxl.load_workbook(self.folder / "d.xlsx")
        self.assertEqual(sheets.sheetnames, ["Changed A", "Added A", "Gone A", "Changed B", "Added B", "Gone B", "Left out"])  # fmt: skip
        self.assertEqual(sheets["Changed B"]["D2"].value, "7")

    def test_a_code_is_what_its_cell_shows(self):
        self.book("a.xlsx", {"S": [["Zorp", "Wumm"], [1234, "a"], [1235, "b"]]}, "000000")
        self.book("b.xlsx", {"S": [["Zorp", "Wumm"], ["001234", "a"], ["001235", "c"]]})
        self.assertEqual(self.changed("a.xlsx", "b.xlsx")[:2], ([("001235", "wumm", "b", "c")], [0, 0, 1, 1]))
