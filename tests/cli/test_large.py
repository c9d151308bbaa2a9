"""A large text file checked in parts finds what checking it whole finds."""

import unittest
from datetime import date
from unittest.mock import patch

from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.columns import ROW
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in import large_files as streaming
from kotrel.loading.sheets_in.checking import check_files
from kotrel.loading.sheets_in.large_files import check_large
from kotrel.sheets.textfiles import read_in_parts
from kotrel.workspace.settings import open_workspace
from tests.support import Program

TODAY = date(2026, 11, 23)


def told(checked):
    rows = checked.rows
    found = {
        (group.kind, group.field, row, value)
        for group in rows.findings
        for row, value in group.cells.select(ROW, "value").iter_rows()
    }
    repairs = {(repair.kind, row, after) for repair in rows.repairs for row, _, after, _ in repair.cells.iter_rows()}
    return found, repairs, rows.values.height


class InParts(Program):
    def test_the_same_is_found_whatever_the_size_of_the_parts(self):
        self.start_shop()
        lines = ["Item code;Description;Unit;Category;Price;Barcode;Colour no"]
        for number in range(400):
            code = f"ROP-{41000 + number % 390}"
            price = "x" if number == 77 else f"{1 + number % 2}.{number:03},50" if number > 200 else f"{3 * number},5"
            unit = "Metre" if number % 50 == 3 else "EE" if number in (11, 333) else "M"
            text = '"two\nlines; and a mark"' if number % 60 == 5 else "Rope"
            lines.append(f"{code};{text};{unit};ROPE;{price};{'20123451' if number in (1, 399) else ''};red")
        lines.insert(200, ";;;;;;")
        lines[300:300] = [";;;;;;", "Unit;Price;Category;;;;"]
        path = self.write("many.csv", *lines)
        workspace = open_workspace(self.folder)

        [whole] = check_files([path], workspace, FileOptions(), TODAY, lambda step: None)
        self.assertEqual(told(whole)[2], 401)
        self.assertIn("second-table", {kind for kind, *_ in told(whole)[0]})
        for size in (700, 3000, 1 << 20):
            with workspace.system().reading() as reading:
                [parts] = check_large(path, workspace, FileOptions(), TODAY, reading, lambda step: None, size)
            self.assertEqual(told(parts), told(whole), size)

    def test_periods_follow_each_other_across_all_parts(self):
        self.start_shop()
        lines = ["Price list,Item,Unit,From quantity,From date,To date,Price"]
        # Of each item two prices, far from each other in the file: ROP-00010 overlaps, of ROP-00020 nothing follows for
        # a month, the others follow.
        ends = {1: "2027-06-30", 2: "2027-02-01"}
        items = [n for n in range(1, 30) if n % 4]
        lines += [f"SHOP,ROP-{n:04}0,M,0,2027-01-01,{ends.get(n, '')},5.00" for n in items]
        lines += [f"SHOP,ROP-{n:04}0,M,0,2027-03-01,,6.00" for n in items]
        # Those of CHN-00350 and CHN-00360 are there: one gets an end that runs into the row from March, of the other it
        # is taken away.
        held = [
            f"SHOP,CHN-003{n}0,EA,0,2027-{month}-01,{end},5.00"
            for n in (5, 6)
            for month, end in (("01", "2027-02-28"), ("03", ""))
        ]
        self.write("held.csv", lines[0], *held)
        self.kotrel("load", "held.csv", "--yes")
        lines[5:5] = ["SHOP,CHN-00350,EA,0,2027-01-01,2027-03-31,5.00"]
        lines.append("SHOP,CHN-00360,EA,0,2027-01-01,(clear),5.00")
        path = self.write("prices.csv", *lines)
        workspace = open_workspace(self.folder)
        whole = check_files([path], workspace, FileOptions(), TODAY, lambda step: None)
        over = {row for kind, _, row, _ in told(whole[-1])[0] if kind == "overlaps"}
        self.assertLessEqual({6, len(lines)}, over)
        kinds = {kind for kind, *_ in told(whole[-1])[0]}
        self.assertLessEqual({"overlaps", "nothing-follows"}, kinds)
        for size in (300, 900):
            with workspace.system().reading() as reading, patch.object(streaming, "FILE", 400):
                parts = check_large(path, workspace, FileOptions(), TODAY, reading, lambda step: None, size)
            self.assertEqual([told(each) for each in parts], [told(each) for each in whole], size)
            self.assertEqual([each.consequence for each in parts], ["ended", None])
            ended = [each.rows.values.sort("item").select("item", "to_date").rows() for each in (parts[0], whole[0])]
            self.assertEqual(*ended)
        self.assertEqual(list((self.folder / ".kotrel").glob("parts-*")), [])

    def test_a_file_that_this_machine_has_no_room_for_is_checked_in_parts_and_read_no_other_way(self):
        self.start_shop()
        lines = ["Item code,Description,Unit,Category", *(f"N-{n:03},Rope,M,ROPE" for n in range(60))]
        path = self.write("many.csv", *lines)
        workspace = open_workspace(self.folder)
        size = path.stat().st_size
        for memory, reads in ((4 * size, True), (4 * size - 4, False)):
            with patch("kotrel.sheets.room._installed", lambda memory=memory: memory):
                self.assertEqual(streaming.is_large(path), not reads)
                [checked] = streaming.check_any([path], workspace, FileOptions(), TODAY, lambda step: None)
                self.assertEqual(checked.rows.table.rows, 60)
                if not reads:
                    with self.assertRaises(OutOfReach) as caught:
                        check_files([path], workspace, FileOptions(), TODAY, lambda step: None)
                    self.assertEqual(caught.exception.kind, "too-large")

    def test_documents_are_not_checked_in_parts(self):
        self.start_shop()
        path = self.write("o.csv", "Item,Warehouse,Quantity,Unit cost", *("ROP-00020,QUAY,1,4" for _ in range(50)))
        workspace = open_workspace(self.folder)
        with workspace.system().reading() as reading, self.assertRaises(WrongUse) as caught:
            check_large(path, workspace, FileOptions(record="opening_stock"), TODAY, reading, lambda step: None, 200)
        self.assertEqual(caught.exception.kind, "too-large-for-documents")

    def test_irregular_lines_are_told(self):
        self.start_shop()
        path = self.write("wild.csv", "Item code,Price", *(f"A{n},1" for n in range(200)), "A,1,2,3")
        workspace = open_workspace(self.folder)
        with workspace.system().reading() as reading, self.assertRaises(OutOfReach):
            check_large(path, workspace, FileOptions(record="item"), TODAY, reading, lambda step: None, 300)

    def test_a_match_that_needs_all_rows_at_once_is_refused(self):
        self.start_shop()
        path = self.write("big.csv", "Article,Words,Group,Min QUAY", *(f"N-{n},Rope,ROPE,{n}" for n in range(50)))
        fields = '[field.description]\ncolumn = "Words"\n[field.category]\ncolumn = "Group"'
        several = '[field.code]\ncolumn = "Article"\n[[also]]\nrecord = "item_warehouse"\n[also.field.item]\ncolumn = "Article"'
        for text in (f"{fields}\n[field.code]\nmake = \"'N-' + NEXT(4)\"", f"{fields}\n{several}"):
            self.write("maps/m.toml", 'record = "item"', text)
            workspace = open_workspace(self.folder)
            with workspace.system().reading() as reading, self.assertRaises(WrongUse) as caught:
                check_large(path, workspace, FileOptions(map_name="m"), TODAY, reading, lambda step: None, 200)
            self.assertEqual(caught.exception.kind, "too-large-for-mapping")


class Parts(Program):
    @settings(max_examples=40)
    @given(
        st.lists(st.tuples(st.text('ab\n"; é', max_size=6), st.text("xy\n", max_size=4)), min_size=1, max_size=30),
        st.integers(20, 200),
    )
    def test_parts_are_cut_between_rows(self, rows, size):
        import csv
        import io

        out = io.StringIO()
        csv.writer(out, delimiter=";", lineterminator="\n", quoting=csv.QUOTE_ALL).writerows([("one", "two"), *rows])
        path = self.folder / "p.csv"
        path.write_bytes(out.getvalue().encode())
        got = [row for part in read_in_parts(path, size) for row in part.cells.rows()]
        self.assertEqual([tuple(value or "" for value in row) for row in got], [("one", "two"), *rows])
        lines = [line for part in read_in_parts(path, size) for line in part.lines]
        first = [1]
        for row in [("one", "two"), *rows][:-1]:
            first.append(first[-1] + 1 + sum(value.count("\n") for value in row))
        self.assertEqual(lines, first)


if __name__ == "__main__":
    unittest.main()
