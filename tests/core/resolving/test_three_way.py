"""What was exported, what the system has now, what the sheet says."""

from __future__ import annotations

import unittest

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.resolving.three_way import ExportBase, effective_base, only_edited
from kotrel.core.values.spreadsheet_damage import could_become
from tests.support import found, rows, small

ITEM = small().records["item"]
FIELDS = ("code", "description", "cost", "on_hand")


def system(*lines: tuple[str | None, ...]) -> pl.DataFrame:
    return pl.DataFrame(lines, schema=dict.fromkeys(FIELDS, pl.String), orient="row")


def sheet(*lines: tuple[str, ...]):
    return rows(("Item code", "Description", "Cost", "On hand"), *lines)


class OneCell(unittest.TestCase):
    """Every way in which export, system and sheet can agree or not, for one cell."""

    def outcome(self, was: str, now: str, says: str, **how) -> tuple[str | None, set[str]]:
        done = only_edited(
            sheet(("A", "", says)), system(("A", None, was, None)), system(("A", None, now, None)), **how
        )
        return done.rows.values["cost"].to_list()[0], {kind for kind, _, _ in found(done.rows)}

    def test_each_case(self):
        for was, now, says, loads, finds in (
            ("1.00", "1.00", "1.00", None, set()),  # nobody touched it
            ("1.00", "2.00", "1.00", None, set()),  # moved there, not edited here: left alone
            ("1.00", "1.00", "3.00", "3.00", set()),  # edited here
            ("1.00", "3.00", "3.00", "3.00", set()),  # both made the same change
            ("1.00", "2.00", "3.00", "3.00", {"clash"}),  # nobody's to lose
            ("1.00", "2.00", "", None, set()),  # a blank changes nothing
        ):
            with self.subTest(was=was, now=now, says=says):
                self.assertEqual(self.outcome(was, now, says), (loads, finds))

    def test_a_clash_is_decided(self):
        self.assertEqual(self.outcome("1.00", "2.00", "3.00", clash="sheet"), ("3.00", set()))
        self.assertEqual(self.outcome("1.00", "2.00", "3.00", clash="system"), (None, set()))
        # An emptied cell loses like any other; what is cleared in words clashes also where it was blank.
        base, now = system(("A", None, "1.00", None), ("B", None, None, None)), system(("A", None, "2.00", None), ("B", None, "2.00", None))  # fmt: skip
        lines = sheet(("A", "", ""), ("B", "", "(clear)"))
        lost = only_edited(lines, base, now, "system", clear=True)
        self.assertEqual(lost.rows.values["clear cost"].to_list(), [False, False])
        self.assertIn(
            "2 values changed here and in the system since the export: the system's value stays", lost.remarks
        )
        self.assertEqual(
            found(only_edited(lines, base, now, clear=True).rows), {("clash", "cost", 2), ("clash", "cost", 3)}
        )

    def test_the_clash_names_all_three_values(self):
        done = only_edited(sheet(("A", "", "3")), system(("A", None, "1.00", None)), system(("A", None, "2.00", None)))
        [group] = [group for group in done.rows.findings if group.kind == "clash"]
        for value in ("1.00 at the export", "2.00 now", "3.00 in the sheet"):
            self.assertIn(value, group.cells["message"][0])

    def test_a_clash_decides_nothing_about_other_rows(self):
        # A: a clash; B: untouched; C: moved in the system only; D: edited here only.
        cells = (
            ("A", "1.00", "2.00", "3"),
            ("B", "1.00", "1.00", "1"),
            ("C", "1.00", "2.00", "1"),
            ("D", "1.00", "1.00", "4"),
        )
        given_rows = sheet(*((code, "", says) for code, _, _, says in cells))
        base, now = (system(*((cell[0], None, cell[at], None) for cell in cells)) for at in (1, 2))
        for clash, costs in ((None, ["3.00", None, None, "4.00"]), ("system", [None, None, None, "4.00"])):
            done = only_edited(given_rows, base, now, clash)
            self.assertEqual(done.rows.values["cost"].to_list(), costs)
            self.assertIn("1 value changed in the system since the export and not edited here", " ".join(done.remarks))


class WholeRows(unittest.TestCase):
    def test_rows_added_missing_and_gone(self):
        base = system(
            ("A", "a", "1.00", None), ("B", "b", "1.00", None), ("C", "c", "1.00", None), ("D", "d", "1.00", None)
        )
        now = system(("A", "a", "1.00", None), ("B", "b", "1.00", None))
        # B was deleted from the sheet; C and D are gone from the system, D was edited; E is new.
        given_rows = sheet(("A", "a", "1"), ("C", "c", "1"), ("D", "d", "2"), ("E", "e", "5"))
        done = only_edited(given_rows, base, now)
        self.assertEqual(done.rows.values["code"].to_list(), ["A", "D", "E"])
        self.assertEqual(found(done.rows), {("gone", "code", 4)})
        told = " ".join(done.remarks)
        self.assertIn("1 exported row not in the sheet (B)", told)
        self.assertIn("1 row gone from the system", told)
        again = only_edited(given_rows, base, now, "sheet").rows.values.filter(pl.col("code") == "D")
        self.assertEqual(again.select("description", "cost").row(0), ("d", "2.00"), "a row that comes back is whole")
        self.assertEqual(only_edited(given_rows, base, now, "system").rows.values["code"].to_list(), ["A", "E"])

    def test_a_kept_figure_that_moved_on_is_no_edit(self):
        base, now = system(("A", "a", "1.00", "10.000")), system(("A", "a", "1.00", "7.000"))
        held = system(("A", "a", "1.00", None), ("B", "b", "2.00", None))
        twice = only_edited(sheet(("A", "a", "1"), ("A", "a", "1")), held, held)
        self.assertEqual(twice.remarks[0].split(";")[0], "compared with its export: 1 of its 2 rows are here")
        moved = only_edited(sheet(("A", "a", "1")), system(("A", "a", "1.00", None)), system(("A", "z", "9.00", None)))
        self.assertIn("2 values changed in the system since the export and not edited here", " ".join(moved.remarks))
        self.assertIsNone(only_edited(sheet(("A", "a", "1", "10")), base, now).rows.values["on_hand"][0])
        self.assertEqual(only_edited(sheet(("A", "a", "1", "12")), base, now).rows.values["on_hand"][0], "12.000")

    def test_emptied_cells_wipe_only_when_told(self):
        base = now = system(("A", "a", "1.00", None), ("B", None, None, None))
        kept = only_edited(sheet(("A", "a", ""), ("B", "", "")), base, now)
        self.assertEqual(kept.rows.cleared, ())
        self.assertIn("1 emptied cell", " ".join(kept.remarks))
        wiped = only_edited(sheet(("A", "a", ""), ("B", "", "")), base, now, clear=True).rows
        self.assertEqual(wiped.values["clear cost"].to_list(), [True, False])


class OwnLoads(unittest.TestCase):
    """A sheet that is edited and loaded twice counts from its own first load."""

    def base(self, now: str) -> str:
        loaded = pl.DataFrame({"code": ["A"], "cost": ["2.00"], "loaded cost": [True]})
        base = effective_base(ITEM, ExportBase(system(("A", "a", "1.00", None)), loaded), system(("A", "a", now, None)))
        return base["cost"].to_list()[0]

    def test_without_a_load_it_is_the_export(self):
        exported = system(("A", "a", "1.00", None))
        self.assertIs(effective_base(ITEM, ExportBase(exported), exported), exported)

    def test_what_is_gone_from_the_system_keeps_its_base(self):
        loaded = pl.DataFrame({"code": ["A"], "cost": ["2.00"], "loaded cost": [True]})
        exported = system(("A", "a", "1.00", None), ("B", "b", "5.00", None))
        base = effective_base(ITEM, ExportBase(exported, loaded), system(("A", "a", "2.00", None)))
        self.assertEqual(dict(base.select("code", "cost").iter_rows()), {"A": "2.00", "B": "5.00"})

    def test_a_field_that_is_not_read_now_or_was_not_exported_stays_out(self):
        loaded = pl.DataFrame(
            {"code": ["A"], "cost": ["2.00"], "loaded cost": [True], "unit": ["M"], "loaded unit": [True]}
        )
        exported, now = system(("A", "a", "1.00", None)), system(("A", "a", "2.00", None))
        base = effective_base(ITEM, ExportBase(exported, loaded), now.drop("cost"))
        self.assertEqual(base["cost"].to_list(), ["1.00"])
        self.assertEqual(
            effective_base(ITEM, ExportBase(exported.drop("cost"), loaded), now).columns, exported.drop("cost").columns
        )

    def test_the_base_follows(self):
        self.assertEqual(self.base("2.00"), "2.00", "it stands as it was loaded")
        self.assertEqual(self.base("1.00"), "1.00", "the load was undone")
        self.assertEqual(self.base("9.00"), "2.00", "somebody moved it since")


class Damage(unittest.TestCase):
    def test_what_a_spreadsheet_makes_of_codes_is_no_edit(self):
        for code, shown in (
            ("00120", "120"), ("1E5", "100000"), ("3-12", "2026-03-12"), ("2012345678901", "2.01235E+12"),
            ("12345678901234567890", "12345678901234500000"), ("TRUE", "yes"), ("a\nb", "a b"),
            ("Größe", "Gr\ufffd\ufffd\ufffd\ufffde"), ("Caf\u00e9 (2)", "Caf\ufffd (2)"),
        ):  # fmt: skip
            with self.subTest(code=code):
                self.assertTrue(could_become(code, shown))

    def test_another_value_is_an_edit(self):
        for code, shown in (
            ("00120", "121"),
            ("ABC", "abc"),
            ("3-12", "2026-04-12"),
            ("2012345678901", "4.5E+12"),
            ("a b", "ab"),
            ("a b", "a  b"),
            ("Größe", "Kl\ufffd\ufffde"),
            ("Café au lait", "Caf\ufffd"),
        ):
            with self.subTest(code=code):
                self.assertFalse(could_become(code, shown))

    def test_it_is_told_as_a_repair_and_changes_nothing(self):
        base = now = system(("A", "00012", "1.00", None))
        done = only_edited(sheet(("A", "12", "1")), base, now)
        self.assertIsNone(done.rows.values["description"][0])
        kept = only_edited(sheet(("A", "12", "x"), ("B", "b", "y")), base, now).rows
        self.assertEqual(found(kept), {("not-a-number", "cost", 2), ("not-a-number", "cost", 3)}, "other findings stay")
        three = system(("A", "00012", "1.00", None), ("B", "x", "1.00", None), ("C", "y", "1.00", None))
        mixed = only_edited(sheet(("A", "12", "1"), ("B", "z", "1"), ("C", "y", "1")), three, three).rows
        self.assertEqual(mixed.values["description"].to_list(), [None, "z", None])
        [group] = done.rows.repairs
        self.assertEqual(
            (group.kind, group.cells["before"][0], group.cells["after"][0]), ("as-exported", "12", "00012")
        )


one = st.sampled_from(["1.00", "2.00", None])
word = st.sampled_from(["a", "b", None])
row_cases = st.lists(
    st.tuples(st.booleans(), st.booleans(), one, one, st.one_of(one, st.just("(clear)")), word, word, word, st.sampled_from(["5.000", "6.000", None])),
    min_size=1, max_size=5,
)  # fmt: skip


class Model(unittest.TestCase):
    """Whole rows, cell by cell, against a plain model of what a round trip does."""

    @given(row_cases, st.sampled_from([None, "sheet", "system"]), st.booleans())
    def test_round_trips(self, cases, clash, clear):
        """Each case: exported, still there, cost (was, now, says), description (was, now, says),
        stock in the sheet (was 5).
        """
        base = system(*((f"K{n}", case[5], case[2], "5.000") for n, case in enumerate(cases) if case[0]))
        now = system(*((f"K{n}", case[6], case[3], "7.000") for n, case in enumerate(cases) if case[1]))
        given_rows = sheet(
            *(
                (f"K{n}", case[7] or "", (case[4] or "").removesuffix(".00"), (case[8] or "").removesuffix(".000"))
                for n, case in enumerate(cases)
            )
        )
        done = only_edited(given_rows, base, now, clash, clear)
        loads: dict[str, tuple[str | None, ...]] = {}
        finds: set[tuple[str, str, int]] = set()
        for n, (exported, there, *cells) in enumerate(cases):
            says = (cells[5], None if cells[2] == "(clear)" else cells[2], cells[6])
            if not exported:
                loads[f"K{n}"] = (*says, cells[2] == "(clear)", False)
                continue
            was, stands = (cells[3], cells[0], "5.000"), (cells[4], cells[1], "7.000")
            wipes = [False, cells[2] == "(clear)", False]
            edited = [wipes[k] or (says[k] != was[k] and (says[k] is not None or (clear and k < 2))) for k in range(3)]
            cleared = [wipes[k] or (clear and k < 2 and says[k] is None and was[k] is not None) for k in range(3)]
            gone = not there
            if gone and (clash == "system" or not any(edited)):
                continue
            kept = list(edited)
            for k in (0, 1):
                both = there and edited[k] and stands[k] != was[k] and says[k] != stands[k]
                if both and clash is None:
                    finds.add(("clash", ("description", "cost")[k], n + 2))
                elif both and clash == "system":
                    kept[k] = cleared[k] = False
            if gone and clash is None:
                finds.add(("gone", "code", n + 2))
            whole = gone and clash == "sheet"
            loads[f"K{n}"] = (*(says[k] if kept[k] or whole else None for k in range(3)), cleared[1], cleared[0])
        frame = done.rows.values
        got = {
            row["code"]: (row["description"], row["cost"], row["on_hand"], bool(row.get("clear cost")), bool(row.get("clear description")))
            for row in frame.iter_rows(named=True)
        }  # fmt: skip
        self.assertEqual(
            {code: cells[:3] for code, cells in got.items()}, {code: cells[:3] for code, cells in loads.items()}
        )
        self.assertEqual(
            {code: cells[3:] for code, cells in got.items()}, {code: cells[3:] for code, cells in loads.items()}
        )
        self.assertEqual(found(done.rows), finds)


@given(st.lists(st.tuples(st.sampled_from("12"), st.sampled_from("12"), st.sampled_from("12")), min_size=1, max_size=8))
def unedited_cells_never_load(cells: list[tuple[str, str, str]]) -> None:
    """Law: whatever is loaded was edited, and whatever was edited is loaded or named as a clash."""
    codes = [f"C{place}" for place in range(len(cells))]
    base = system(*((code, None, f"{was}.00", None) for code, (was, _, _) in zip(codes, cells, strict=True)))
    now = system(*((code, None, f"{stands}.00", None) for code, (_, stands, _) in zip(codes, cells, strict=True)))
    done = only_edited(sheet(*((code, "", says) for code, (_, _, says) in zip(codes, cells, strict=True))), base, now)
    clashes = {row for kind, _, row in found(done.rows) if kind == "clash"}
    for place, (was, stands, says) in enumerate(cells):
        loaded = done.rows.values["cost"][place] is not None
        assert loaded == (says != was)
        assert (place + 2 in clashes) == (says != was and stands not in (was, says))


class Law(unittest.TestCase):
    def test_unedited_cells_never_load(self):
        unedited_cells_never_load()
