"""An export proves which keys were in it, and which values each of its rows had."""

import unittest

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.columns import ROW
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.resolving.ready_rows import ready_rows
from kotrel.core.resolving.three_way import ExportBase
from kotrel.core.rows.load_options import DEFAULT_OPTIONS
from kotrel.core.tables.detection import find_table
from kotrel.core.values.conventions import Conventions
from tests.support import TODAY, grid, small, state

FIELDS = {"code": "Item code", "description": "Description", "barcode": "Barcode", "cost": "Cost"}
HELD = [
    ("A-1", "rope", "20123451", "1.00"),
    ("A-2", "chain", "20999995", "2.00"),
    ("A-3", "hook", None, "3.00"),
    ("A-4", "ring", None, "4.00"),
]
DANGEROUS = {"not-in-export", "values-of-another"}


def errors(cells, held=HELD, system=HELD, kinds=None):
    """Kind and sheet row of what the export says against a sheet."""
    table = find_table(grid(list(FIELDS.values()), *cells, kinds=kinds), 1)
    rows = understand(table, match_headings(table, small().records["item"]), Conventions(), TODAY)

    def columns(lines):
        return {name: [line[place] for line in lines] for place, name in enumerate(FIELDS)}

    base = pl.DataFrame(columns(held), schema=dict.fromkeys(FIELDS, pl.String))
    done = ready_rows(rows, ExportBase(base), state(item=columns(system)), DEFAULT_OPTIONS, Conventions())
    return {(group.kind, row) for group in done.rows.findings for row in group.cells[ROW] if group.kind in DANGEROUS}


class Witness(unittest.TestCase):
    def test_a_key_that_the_export_lacked_is_not_the_rows_own(self):
        system = [*HELD, ("91", "other", None, "9.00"), ("000091", "mine", None, "8.00")]
        held = [*HELD, ("000091", "mine", None, "8.00")]
        cells = [*HELD, ("91", "mine, edited", None, "8.00")]
        self.assertEqual(errors(cells, held, system), {("not-in-export", 6)})
        self.assertEqual(errors([*HELD, ("NEW-1", "new", None, "5.00")]), set(), "a new row below is new")

    def test_keys_that_were_sorted_alone_are_found_at_each_row(self):
        keys = [line[0] for line in HELD][::-1]
        cells = [(key, *line[1:]) for key, line in zip(keys, HELD, strict=True)]
        self.assertEqual(errors(cells), {("values-of-another", row) for row in (2, 3, 4, 5)})
        # Rows that are all the same prove nothing.
        same = [(line[0], "same", None, None) for line in HELD]
        self.assertEqual(errors([(key, *line[1:]) for key, line in zip(keys, same, strict=True)], same), set())

    def test_a_key_typed_over_another_row_is_found(self):
        cells = [("A-2", *HELD[0][1:]), *HELD[2:]]
        self.assertEqual(errors(cells), {("values-of-another", 2)})
        copied = [*HELD, ("NEW-1", *HELD[1][1:])]
        self.assertEqual(errors(copied), set(), "a copy below, its original unchanged")

    @given(st.permutations(range(4)), st.dictionaries(st.integers(0, 3), st.sampled_from(["x", "y", "z"]), max_size=4))
    def test_whole_rows_in_any_order_with_other_texts_are_fine(self, order, edits):
        cells = [(HELD[n][0], f"{edits[n]} {n}" if n in edits else HELD[n][1], *HELD[n][2:]) for n in order]
        self.assertEqual(errors(cells), set())

    def test_question_marks_for_letters_are_no_edit_and_spoil_other_edits(self):
        held = [
            ("A-1", "Łódź cleat", None, "1.00"),
            ("A-2", "chain", None, "2.00"),
            ("A-3", "hook", None, "3.00"),
        ]
        cells = [
            ("A-1", "?ód? cleat", None, "1.00"),
            ("A-2", "?a?cuch", None, "2.00"),
            ("A-3", None, None, "9.00"),
        ]
        table = find_table(grid(list(FIELDS.values()), *cells), 1)
        rows = understand(table, match_headings(table, small().records["item"]), Conventions(), TODAY)
        columns = {name: [line[place] for line in held] for place, name in enumerate(FIELDS)}
        base = pl.DataFrame(columns, schema=dict.fromkeys(FIELDS, pl.String))
        done = ready_rows(rows, ExportBase(base), state(item=columns), DEFAULT_OPTIONS, Conventions())
        self.assertEqual(
            {(group.kind, row) for group in done.rows.findings for row in group.cells[ROW]}, {("letters-lost", 3)}
        )
        self.assertIsNone(done.rows.values["description"][0], "nothing is loaded of what was only lost")
