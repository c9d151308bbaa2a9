"""What was exported and not touched is no edit, whatever a database holds;
renamed headings are known by what they hold.
"""

import unittest
from datetime import date

import polars as pl
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.resolving.exported_sheets import find_changed_names, find_renamed
from kotrel.core.resolving.ready_rows import ready_rows
from kotrel.core.resolving.three_way import ExportBase
from kotrel.core.rows.load_options import DEFAULT_OPTIONS, LoadOptions
from kotrel.core.tables.detection import find_table
from kotrel.core.values.conventions import Conventions
from tests.support import grid, small, state

FIELDS = {"code": "Item code", "description": "Description", "unit": "Unit", "barcode": "Barcode", "cost": "Cost",
          "lot_tracked": "Lot tracked", "condition": "Condition", "since": "Since", "more_barcodes": "More barcodes"}  # fmt: skip
anything = st.one_of(
    st.none(), st.text(max_size=6),
    st.sampled_from(["(clear)", "#N/A", "12,5", "1E5", " x", "3-Jan", "yes", "0012", "a;b", "\u00a0", "Ã©", "'=1", "2026-13-45"]),
)  # fmt: skip
lines = st.lists(st.tuples(st.text(min_size=1, max_size=5).filter(str.strip), *[anything] * (len(FIELDS) - 1)), min_size=1, max_size=4,
                 unique_by=lambda line: line[0])  # fmt: skip


def ready(held, cells, headings=None, options=DEFAULT_OPTIONS):
    """Rows of cells that were exported with what the system still holds."""
    table = find_table(grid(headings or list(FIELDS.values()), *cells), 1)
    rows = understand(table, match_headings(table, small().records["item"]), Conventions(), date(2026, 11, 26))
    columns = {name: [line[place] for line in held] for place, name in enumerate(FIELDS)}
    base = pl.DataFrame(columns, schema=dict.fromkeys(FIELDS, pl.String))
    return ready_rows(rows, ExportBase(base), state(item=columns), options, Conventions())


class Names(unittest.TestCase):
    def test_a_name_beside_a_code_is_that_codes_name(self):
        units = {"code": ["EA", "M", "X"], "name": ["each", "metre", None]}
        head = ("Item code", "Unit", "Name of Unit")
        table = find_table(
            grid(head, ("A", "EA", "Each "), ("B", "M", "each"), ("C", "EA", ""), ("D", "zz", "each"), ("E", "X", "x")),
            1,
        )
        sheet = understand(table, match_headings(table, small().records["item"]), Conventions(), date(2026, 11, 26))
        [group] = find_changed_names(sheet, state(unit=units), exported=False)
        self.assertEqual(
            (group.kind, group.severity, group.cells.select(ROW, "value").rows()),
            ("name-only", "warning", [(3, "each")]),
        )
        self.assertIn("only the code counts, and M is “metre”", group.cells["message"][0])
        # Of an export, the cells that were not edited are blank: there a name was changed, and its code was not.
        blank = replace(sheet, values=sheet.values.with_columns(unit=pl.Series("unit", [None, None, "EA", "zz", "X"])))
        self.assertEqual(
            [each.cells.height for each in find_changed_names(blank, state(unit=units), exported=True)], [1]
        )
        self.assertEqual(find_changed_names(sheet, state(unit=units), exported=True), [], "a code that was edited")


class Untouched(unittest.TestCase):
    @given(lines)
    def test_whatever_was_exported_is_no_edit(self, held):
        # A row of blanks but for its key could be a note below the table, and one as full as the headings is not.
        held = [(line[0], *(value if n else value or "x" for n, value in enumerate(line[1:]))) for line in held]
        done = ready(held, held)
        fields = [name for name in done.rows.fields if name not in ("code",)]
        for name in fields:
            self.assertEqual(done.rows.values[name].null_count(), done.rows.values.height, name)
            if clearing(name) in done.rows.values.columns:
                self.assertFalse(done.rows.values[clearing(name)].any())
        self.assertEqual([group.kind for group in done.rows.findings if group.field], [])
        self.assertEqual(done.rows.repairs, ())

    def test_a_number_in_another_form_is_no_edit(self):
        held = [
            ("A", "thing", "EA", None, "12.50", "no", "new", None, None),
            ("B", "thing", "EA", None, "3.00", "no", "new", None, None),
        ]
        cells = [[*held[0][:4], "12.5", *held[0][5:]], [*held[1][:4], "3.01", *held[1][5:]]]
        done = ready(held, cells)
        self.assertEqual(done.rows.values["cost"].to_list(), [None, "3.01"])

    def test_a_column_that_was_not_exported_is_read_as_it_is(self):
        table = find_table(grid(("Item code", "Description", "Cost"), ("A", "thing", "12.5"), ("B", "", "3")), 1)
        rows = understand(table, match_headings(table, small().records["item"]), Conventions(), date(2026, 11, 26))
        base = pl.DataFrame({"code": ["A", "B"], "description": ["thing", "other"]})
        done = ready_rows(
            rows,
            ExportBase(base),
            state(item={"code": ["A", "B"], "description": ["thing", "other"]}),
            DEFAULT_OPTIONS,
            Conventions(),
        )
        self.assertEqual(done.rows.values.select("description", "cost").rows(), [(None, "12.50"), (None, "3.00")])

    def test_a_renamed_heading_is_known_by_what_it_holds(self):
        held = [(f"A{n}", f"thing {n}", "EA", None, f"{n}.50", "no", "new", None, None) for n in range(1, 6)]
        headings = ["Preis neu" if title == "Cost" else title for title in FIELDS.values()]
        cells = [[*line[:4], "9.99" if line[0] == "A3" else line[4].removesuffix("0"), *line[5:]] for line in held]
        done = ready(held, cells, headings)
        [finding] = [group for group in done.rows.findings if group.kind == "renamed-heading"]
        self.assertEqual((finding.severity, finding.letter), ("error", "E"))
        self.assertIn("“Cost”", finding.cells["message"][0])
        none = ready(held, cells, ["" if title == "Cost" else title for title in FIELDS.values()])
        [finding] = [group for group in none.rows.findings if group.kind == "renamed-heading"]
        self.assertIn("column E without a heading", finding.cells["message"][0])
        table = find_table(grid(headings, *cells), 1)
        rows = understand(table, match_headings(table, small().records["item"]), Conventions(), date(2026, 11, 26))
        base = pl.DataFrame(held, list(FIELDS), orient="row")
        self.assertEqual([each.kind for each in find_renamed(rows, base)], ["renamed-heading"])
        # What a mapping skips is left out on purpose.
        self.assertEqual(find_renamed(replace(rows, skipped=frozenset(["E"])), base), [])
        # Other figures are another column, and one value all the way down proves nothing.
        cells = [[*line[:4], "7", *line[5:]] for line in held]
        self.assertNotIn("renamed-heading", [group.kind for group in ready(held, cells, headings).rows.findings])

    def test_a_field_that_the_system_no_longer_has_was_not_renamed(self):
        held = [(f"A{n}", f"thing {n}", "EA", None, f"{n}.50", "no", "new", None, None) for n in range(1, 6)]
        headings = ["Preis neu" if title == "Cost" else title for title in FIELDS.values()]
        table = find_table(grid(headings, *held), 1)
        rows = understand(table, match_headings(table, small().records["item"]), Conventions(), date(2026, 11, 26))
        base = pl.DataFrame({"code": [line[0] for line in held], "gone": [line[4] for line in held]})
        self.assertEqual(find_renamed(rows, base), [])

    def test_an_empty_field_is_not_taken_for_a_new_column(self):
        # Nobody had filled in “Since”: a column of remarks in its place says nothing about it.
        held = [(f"A{n}", f"thing {n}", "EA", None, f"{n}.50", "no", "new", None, None) for n in range(1, 6)]
        headings = ["Remarks" if title == "Since" else title for title in FIELDS.values()]
        cells = [[*line[:7], "check", line[8]] for line in held]
        self.assertNotIn("renamed-heading", [group.kind for group in ready(held, cells, headings).rows.findings])

    def test_which_columns_are_taken_for_renamed(self):
        held = [(f"A{n}", f"thing {n}", "EA", None, f"{n}.50", "no", "new", None, None) for n in range(1, 6)]
        same = [(*line[:4], "1.50", *line[5:]) for line in held]
        titles = list(FIELDS.values())
        renamed = ["Preis" if title == "Cost" else title for title in titles]

        def found(held, headings, more=()):
            cells = [[*line, *(line[4] for _ in more)] for line in held]
            done = ready(held, cells, [*headings, *more])
            return [group.letter for group in done.rows.findings if group.kind == "renamed-heading"]

        self.assertEqual(found(held[:1], renamed), ["E"], "one row is all there is")
        self.assertEqual(found(same, renamed), [], "one value all the way down")
        self.assertEqual(found(held, renamed, ["Copy"]), ["E"], "each field is missed once")
        self.assertEqual(found(held, titles, ["Copy"]), [], "nothing is missing")

    def test_a_renamed_heading_is_known_although_rows_were_added(self):
        held = [(f"A{n}", f"thing {n}", "EA", None, f"{n}.50", "no", "new", None, None) for n in range(1, 6)]
        headings = ["Preis neu" if title == "Cost" else title for title in FIELDS.values()]
        added = ("A0", "another", "EA", None, "7.00", "no", "new", None, None)
        done = ready(held, [added, *held], headings)
        self.assertIn("renamed-heading", [group.kind for group in done.rows.findings])

    def test_a_blank_that_the_system_has_as_spaces_is_no_edit(self):
        held = [("A1", " ", "EA", None, "1.50", "no", "new", None, None)]
        cells = [["A1", "\u00a0", *held[0][2:]]]
        done = ready(held, cells, options=LoadOptions(blanks="clear"))
        self.assertFalse(
            clearing("description") in done.rows.values.columns and done.rows.values[clearing("description")].any()
        )
