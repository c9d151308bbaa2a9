"""New rows with what identifies an existing row, or another new one: against a plain model."""

from __future__ import annotations

import unittest
from unittest.mock import patch

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.columns import ROW
from kotrel.core.resolving import other_codes
from kotrel.core.resolving.taken_identities import find_taken_identities
from kotrel.core.rows.load_options import ALL
from kotrel.core.rows.system_state import is_new
from kotrel.core.values.near_codes import surely_differ
from kotrel.core.values.same_writing import form_of, same_form
from tests.builders import rows_in_sheet, system_of
from tests.core.resolving.test_known_as import SYSTEM
from tests.core.resolving.test_known_otherwise import HELD

Line = tuple[str, str | None, str | None]


def found(*lines: Line, really_new: tuple[str, ...] = ()) -> list[tuple[str, str, int, str | None]]:
    """Kind, severity, row and suggestion of each finding."""
    names = ("code", "vendor", "number")
    sheet = rows_in_sheet(SYSTEM.records["item"], {name: [line[n] for line in lines] for n, name in enumerate(names)})
    state = system_of(SYSTEM, HELD)
    groups = find_taken_identities(sheet, state, lambda: is_new(sheet, state), really_new)
    return sorted(
        (group.kind.removeprefix("other-codes-"), group.severity, row, suggestion)
        for group in groups
        for row, suggestion in group.cells.select(ROW, "suggestion").iter_rows()
    )


class TakenIdentities(unittest.TestCase):
    def test_a_vendors_code_of_an_existing_row_is_asked_about(self):
        others: list[Line] = [("X1", "V", "Z1"), ("X2", "V", "Z2"), ("X3", None, "N-1")]
        self.assertEqual(found(("N", "V", "n 1"), *others), [("taken", "warning", 2, "A")])
        self.assertEqual(found(("N", "V", "N-2"), ("A", "V", "N-2"), *others), [("taken", "warning", 2, "B")])
        self.assertEqual(found(("N", "W", "N-1"), *others), [], "another vendor's code is another one")
        # Most new rows are existing ones: the range was loaded before, under other codes.
        self.assertEqual(
            found(("N", "V", "N-1"), ("M", "W", "N2"), ("X", "V", "Z")),
            [("taken", "error", 2, "A"), ("taken", "error", 3, "C")],
        )
        for new in (("N",), (ALL,)):
            self.assertEqual(found(("N", "V", "N-1"), *others, really_new=new), [])

    def test_two_new_rows_with_one_vendors_code_are_asked_about(self):
        self.assertEqual(
            found(("X", "V", "Z-1"), ("Y", "V", "z1"), ("Z", "W", "Z-1")),
            [("twice", "warning", 2, None), ("twice", "warning", 3, None)],
        )

    @given(
        st.lists(
            st.tuples(st.sampled_from("VW"), st.sampled_from(["N-1", "n1", "N-2", "N_3", "N-3", "1-1", "11"])),
            max_size=6,
        )
    )
    def test_however_many_rows_there_are(self, pairs):
        lines: list[Line] = [(f"NEW{number}", *pair) for number, pair in enumerate(pairs)]
        taken = {("V", "N1"), ("V", "N2"), ("W", "N2")}
        same = [(vendor, form_of(code)) for vendor, code in pairs]
        wanted = {("taken", n + 2) for n, each in enumerate(same) if each in taken}
        wanted |= {("twice", n + 2) for n, each in enumerate(same) if each not in taken and same.count(each) > 1}
        self.assertEqual({(kind, row) for kind, _, row, _ in found(*lines)}, wanted)
        with patch.object(other_codes, "WHOLE", 0):
            self.assertEqual({(kind, row) for kind, _, row, _ in found(*lines)}, wanted)

    @given(st.lists(st.text("Kk01-_ \u00e9\u0410", max_size=4), min_size=1, max_size=6))
    def test_codes_that_surely_differ_have_no_form_in_common(self, codes):
        series = pl.Series(codes)
        if surely_differ(series):
            self.assertEqual(same_form(series).n_unique(), len(codes))


if __name__ == "__main__":
    unittest.main()
