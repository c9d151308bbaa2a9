"""Damaged codes and names: mended where the list proves it, and only there."""

import unittest

import polars as pl
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.changes.comparison import compare_tables
from kotrel.core.description.list_names import ListNames
from kotrel.core.matching.by_headings import Matched, match_headings
from kotrel.core.matching.proposing import propose
from kotrel.core.matching.row_reading import understand
from kotrel.core.resolving.repairing import repair
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.sources import Source, part_pattern
from kotrel.core.values.code_pages import perhaps_meant, right_code_page
from kotrel.core.values.conventions import Conventions
from tests.support import TODAY, grid, rows, small, state

NUMBER = pl.Series(["text", "number"])
CODES = ["00120", "1E5", "3-12", "TRUE", "ROP-10", "M", "0007", "07"]
SYSTEM = {"unit": {"code": CODES, "name": ["one-twenty", "expo", "dated", "truth", "rope", "metre", "seven", "other"]}}


def repaired(*values, kinds=None, field="Unit", system=None, spellings=None):
    """Values after mending, kinds of repair, kinds of finding."""
    sheet = rows(
        ("Item code", field),
        *((f"N{place}", value) for place, value in enumerate(values)),
        kinds={"B": kinds} if kinds is not None else None,
    )
    done = repair(sheet, system or state(**SYSTEM), spellings or {})
    name = next(name for name in done.fields if name != "code")
    return (
        done.values[name].to_list(),
        [repair.kind for repair in done.repairs],
        [group.kind for group in done.findings],
    )


class Lists(unittest.TestCase):
    def test_number_cells_that_were_codes_are_codes_again(self):
        for value, code, kind in (("120", "00120", "leading-zeros"), ("100000", "1E5", "number-for-code")):
            with self.subTest(value):
                held = state(unit={"code": ["00120", "1E5", "ROP-10"], "name": [None] * 3})
                self.assertEqual(repaired(value, kinds=NUMBER, system=held)[:2], ([code], [kind]))
                self.assertEqual(
                    repaired(value, system=held)[:2], ([value], []), "nobody's program makes texts of codes"
                )

    def test_a_date_in_a_text_that_is_a_whole_cell(self):
        table = find_table(
            grid(("Code", "Words", "Day"), ("A", "x", "2026-01-03"), kinds={"C": pl.Series(["text", "date"])}), 1
        )
        for source, told in (
            (Source(("C",)), ["became-date"]),
            (Source(("B", "C"), between=" "), []),
            (Source(fixed="x"), []),
        ):
            matched = Matched(small().records["item"], {"code": Source(("A",)), "description": source}, {}, ())
            done = repair(understand(table, matched, Conventions(), TODAY), state(), {})
            self.assertEqual([each.kind for each in done.findings if each.field == "description"], told)

    def test_only_the_fields_that_are_named(self):
        sheet = rows(("Item code", "Unit", "Parent"), ("A", "metre", "b"))
        held = state(**SYSTEM, item={"code": ["B"]})
        for only, wanted in (
            (None, ("M", "B")),
            (["unit"], ("M", "b")),
            (["parent"], ("metre", "B")),
            ([], ("metre", "b")),
        ):
            done = repair(sheet, held, {}, only)
            self.assertEqual(done.values.select("unit", "parent").row(0), wanted)

    def test_a_bare_number_of_the_lists_own_shape_is_asked(self):
        # 07 and 123456 show that short codes, and codes of six digits, are nothing odd there.
        for codes, value in ((["00120", "07"], "120"), (["1E5", "123456"], "100000"), (["00120", "0120"], "120")):
            held = state(unit={"code": codes, "name": [None] * len(codes)})
            self.assertEqual(repaired(value, kinds=NUMBER, system=held)[:2], ([value], []), codes)

    def test_a_text_file_shows_its_damage_by_the_whole_column(self):
        held = state(unit={"code": ["00120", "00121", "00122", "00200"], "name": [None] * 4})

        def of_text_file(*values):
            sheet = grid(("Item code", "Unit"), *((f"N{n}", value) for n, value in enumerate(values)))
            table = find_table(replace(sheet, name=""), heading_row=1)
            read = understand(table, match_headings(table, small().records["item"]), Conventions(), TODAY)
            return repair(read, held, {}).values["unit"].to_list()

        self.assertEqual(of_text_file("120", "121", "200"), ["00120", "00121", "00200"])
        self.assertEqual(of_text_file("120", "121"), ["120", "121"], "two may be slips")
        self.assertEqual(of_text_file("120", "121", "200", "00122")[:3], ["120", "121", "200"], "one has its zeros")
        self.assertEqual(of_text_file("120", "121", "200", "999")[:3], ["120", "121", "200"], "one is no code")

    def test_what_people_write_for_codes_is_read(self):
        for value, code, kind in (
            ("rop-10", "ROP-10", "other-case"),
            ("RОР‑10", "ROP-10", "look-alike"),
            ("R0P-1O", "ROP-10", "look-alike"),
            ("ROP\u200b-10", "ROP-10", "look-alike"),
            ("metre", "M", "name-for-code"),
            ("Metre.", "M", "name-for-code"),
        ):
            with self.subTest(value):
                self.assertEqual(repaired(value)[:2], ([code], [kind]))

    def test_a_date_goes_back_to_the_only_code_it_can_have_been(self):
        self.assertEqual(repaired("2026-12-03", kinds=pl.Series(["text", "date"])), (["3-12"], ["date-for-code"], []))
        self.assertEqual(
            repaired("2026-12-04", kinds=pl.Series(["text", "date"])), (["2026-12-04"], [], ["became-date"])
        )

    def test_two_codes_that_could_have_become_it_prove_nothing(self):
        self.assertEqual(repaired("7"), (["7"], [], []))

    def test_spellings_of_the_workspace_come_first(self):
        self.assertEqual(repaired("Meter", spellings={"unit": {"METER": "M"}}), (["M"], ["name-for-code"], []))
        self.assertEqual(repaired("Meter", spellings={"unit": {"METER": "GONE"}})[0], ["Meter"])

    def test_digits_that_are_lost_are_never_guessed(self):
        self.assertEqual(repaired("4.01234E+12")[2], ["digits-lost"])
        self.assertEqual(repaired("3-Jan", field="Barcode")[2], ["became-date"])
        self.assertEqual(repaired("3-Jan", field="Description")[2], [], "a text may be a date")
        self.assertEqual(repaired("3-JAN", field="Barcode")[2], [], "nobody's spreadsheet writes it so")
        self.assertEqual(repaired("1234567890123456000", kinds="number")[2], ["digits-lost"])
        self.assertEqual(repaired("TRUE2", kinds=pl.Series(["text", "yes_no"]))[2], ["became-yes-no"])

    @given(st.sampled_from(CODES))
    def test_a_code_of_the_list_is_never_touched(self, code):
        self.assertEqual(repaired(code), ([code], [], []))


class Words(unittest.TestCase):
    def test_a_word_that_is_a_name_and_another_code_means_neither(self):
        system = state(unit={"code": ["M", "MTR"], "name": ["month", "m"]})
        self.assertEqual(repaired("m", system=system)[0], ["m"])
        self.assertEqual(repaired("Month", system=system)[0], ["M"])
        both = state(unit={"code": ["M", "MTR"], "name": ["metre", "metre"]})
        self.assertEqual(repaired("metre", system=both)[0], ["metre"])


class Keys(unittest.TestCase):
    def key(self, value, kinds=None):
        system = state(item={"code": ["00120", "ROP-10"], "barcode": [None, None]})
        done = repair(
            rows(("Item code", "Description"), (value, "x"), kinds={"A": kinds} if kinds is not None else None),
            system,
            {},
        )
        return done.values["code"][0]

    def test_keys_in_the_system_get_their_zeros_back_and_new_ones_stay(self):
        self.assertEqual(self.key("120", NUMBER), "00120")
        self.assertEqual(self.key("120"), "120", "typed as a text")
        self.assertEqual(self.key("121", NUMBER), "121")
        untouched = repair(rows(("Item code",), ("121",), ("Ä1",)), state(item={"code": ["00120"]}), {})
        self.assertEqual(untouched.repairs, ())
        self.assertEqual(self.key("RОР-10"), "ROP-10")
        self.assertEqual(self.key("rope"), "rope", "a new code may be like anything")

    def test_a_code_with_its_name_in_one_cell_must_mean_one(self):
        held = state(unit={"code": ["EA", "M"], "name": ["each", "metre"]})
        for value, code in (("EA - each", "EA"), ("each (EA)", "EA"), ("EA - metre", "EA - metre"), ("M: metre", "M")):
            with self.subTest(value):
                done = repair(rows(("Item code", "Unit"), ("A", value)), held, {}).values
                self.assertEqual(done["unit"][0], code)

    def test_dates_in_a_text_file_go_back_where_the_whole_column_shows_it(self):
        held = state(item={"code": ["3-12", "1-2003", "MAR-5", "4-11"]})

        def keys(*values):
            sheet = replace(grid(("Item code", "Description"), *((value, "x") for value in values)), name="")
            table = find_table(sheet, heading_row=1)
            read = understand(table, match_headings(table, small().records["item"]), Conventions(), TODAY)
            return repair(read, held, {}).values["code"].to_list()

        self.assertEqual(keys("3-Dec", "04. Nov", "Jan-03"), ["3-12", "4-11", "1-2003"])
        self.assertEqual(keys("3-Dec", "04. Nov"), ["3-Dec", "04. Nov"])
        self.assertEqual(self.key("3-Dec"), "3-Dec", "a text in a workbook was typed")

    def test_a_key_that_became_a_date_goes_back(self):
        sheet = rows(("Item code", "Description"), ("2026-12-03", "x"), kinds={"A": pl.Series(["text", "date"])})
        self.assertEqual(repair(sheet, state(item={"code": ["3-12"]}), {}).values["code"].to_list(), ["3-12"])

    def test_new_keys_are_cleaned_but_never_turned_half_into_another_alphabet(self):
        def keys(*values):
            sheet = rows(("Item code", "Description"), *((value, "x") for value in values))
            return repair(sheet, state(), {}).values["code"].to_list()

        latin = ["ROPE-1", "CHAIN-2"]
        self.assertEqual(
            keys(*latin, "АВ-1\u200b")[2], "AB-1", "every letter looks like a Latin one, and the others are"
        )
        self.assertEqual(keys(*latin, "АЖ-1\u200b")[2], "АЖ-1", "only what nobody sees goes")
        self.assertEqual(keys("НОС-1", "ЯКОРЬ-2"), ["НОС-1", "ЯКОРЬ-2"], "a column in Cyrillic")


class Letters(unittest.TestCase):
    def test_a_wrong_code_page_is_reversed_where_it_reverses_cleanly(self):
        for text in ("Größe", "1.5 mm²", "naïve café", "Жук", "rope 🚤"):
            broken = text.encode().decode("cp1252", errors="ignore")
            if broken.encode("cp1252", errors="ignore") == text.encode():
                self.assertEqual(right_code_page(broken), text)
        for text in ("Größe", "Ärmel", "São Paulo", "Â", "plain"):
            self.assertIsNone(right_code_page(text), text)
        for page in ("latin-1", "cp850", "cp437"):
            for text in ("Größe 8 mm", "Señal roja", "Łódź"):
                with self.subTest(text, page=page):
                    self.assertEqual(right_code_page(text.encode().decode(page)), text)

    def test_letters_exchanged_one_by_one_are_only_asked(self):
        for text in ("Größe 8 mm", "Señal roja", "Cône léger"):
            for read, written in (("cp1252", "cp850"), ("cp850", "cp1252")):
                with self.subTest(text, read=read):
                    self.assertEqual(perhaps_meant(text.encode(written).decode(read)), text)
        for text in ("don’t", "5”x3", "A·B", "Größe", "3 m³/h", "«Prix»net", "Rohr 1/2”"):
            self.assertIsNone(perhaps_meant(text), text)


class Proposals(unittest.TestCase):
    def propose(self, *lines):
        names = ListNames(pl.DataFrame({"code": ["EA", "M"], "name": ["each", "metre"]}), small().records["unit"])
        proposals, left = propose(find_table(grid(*lines), 1), small().records["item"], lambda record: names)
        return {each.field.name: each.column.letter for each in proposals}, [column.heading for column in left]

    def test_by_heading_by_spelling_and_by_content(self):
        fed, left = self.propose(
            ("Artikle", "Descripton", "Einheit", "Strichcode", "Anything"),
            ("A1", "Rope red", "metre", "20123451", "x y"),
            ("A2", "Chain long", "EA", "229144150021" + "3", "z w"),
        )
        self.assertEqual(fed, {"code": "A", "description": "B", "unit": "C", "barcode": "D"})
        self.assertEqual(left, ["Anything"])

    def test_content_speaks_against_a_heading(self):
        fed, _ = self.propose(("Item code", "Costs"), ("A1", "rather dear"), ("A2", "very cheap"))
        self.assertEqual(fed, {"code": "A"})
        fed, _ = self.propose(("Item code", "Cost"), ("A1", "rather dear"), ("A2", "very cheap"))
        self.assertEqual(fed, {"code": "A", "cost": "B"}, "the right heading counts: the check then finds the values")

    def test_never_two_columns_for_one_field(self):
        fed, left = self.propose(("Item code", "Article"), ("A1", "A1"), ("A2", "A2"))
        self.assertEqual((fed["code"], left), ("A", ["Article"]))


class Parts(unittest.TestCase):
    def test_named_parts_of_a_value(self):
        cells = pl.DataFrame({"x": ["3 mm / 200 m", "12mm/50 m", "long"]})
        for part, wanted in (("d", ["3", "12", None]), ("l", ["200", "50", None])):
            self.assertEqual(cells["x"].str.extract(part_pattern("{d} mm / {l} m", part)).to_list(), wanted)
        with self.assertRaises(ValueError):
            part_pattern("{d} mm", "x")


keyed = st.dictionaries(
    st.sampled_from("abcdef"), st.tuples(st.sampled_from("123"), st.sampled_from("xyz")), max_size=6
)


class Comparisons(unittest.TestCase):
    @staticmethod
    def table(lines):
        return pl.DataFrame(
            [(key, *rest) for key, rest in lines.items()],
            schema=dict.fromkeys(("k", "p", "q"), pl.String),
            orient="row",
        )

    @given(keyed, keyed)
    def test_old_and_difference_give_new(self, old, new):
        difference = compare_tables(self.table(old), self.table(new), ("k",))
        self.assertEqual(set(difference.added["k"]), new.keys() - old.keys())
        self.assertEqual(set(difference.gone["k"]), old.keys() - new.keys())
        changed = {(key, column): (before, after) for key, column, before, after in difference.changed.iter_rows()}
        by_hand = {
            (key, "pq"[n]): (old[key][n], new[key][n])
            for key in old.keys() & new.keys()
            for n in (0, 1)
            if old[key][n] != new[key][n]
        }
        self.assertEqual(changed, by_hand)
        self.assertEqual(difference.same + difference.changed_rows, len(old.keys() & new.keys()))


class Evidence(unittest.TestCase):
    """A repair needs one candidate; its rows, values and proofs are all recorded."""

    def test_every_cell_is_recorded_with_what_stood_there(self):
        kinds = {"B": pl.Series(["text", "text", "text", "text", "number", "text"])}
        sheet = rows(
            ("Item code", "Unit"), ("A", "metre"), ("B", "EA"), ("C", " METRE "), ("D", "120"), ("E", ""), kinds=kinds
        )
        done = repair(sheet, state(unit={"code": ["00120", "M", "EA"], "name": ["one-twenty", "metre", "each"]}), {})
        self.assertEqual(done.values["unit"].to_list(), ["M", "EA", "M", "00120", None])
        recorded = {
            (group.kind, *cells)
            for group in done.repairs
            for cells in group.cells.rows()
            if group.kind != "stray-spaces"
        }
        self.assertEqual(recorded, {
            ("name-for-code", 2, "metre", "M", "metre is its name on the unit list"),
            ("name-for-code", 4, " METRE ", "M", "metre is its name on the unit list"),
            ("leading-zeros", 5, "120", "00120", "the only code on the unit list that is this number"),
        })  # fmt: skip
        self.assertEqual({(group.field, group.letter) for group in done.repairs}, {("unit", "B")})

    def test_one_candidate_is_proof_and_two_are_none(self):
        for codes, value, wanted in (
            (["0012"], "12", "0012"), (["0012", "012"], "12", "12"), (["ab", "AB"], "Ab", "Ab"), (["AB"], "ab", "AB"),
            (["RO1"], "R01", "RO1"), (["RO1", "ROI"], "R01", "R01"), (["L"], "1", "1"), (["0012", "012", "1-2"], "12", "12"), (["1E5", "100000.0"], "100000", "100000"),
        ):  # fmt: skip
            system = state(unit={"code": codes, "name": [None] * len(codes)})
            kinds = NUMBER if value.isdigit() else None
            self.assertEqual(repaired(value, system=system, kinds=kinds)[0], [wanted], (codes, value))

    def test_a_row_of_the_same_sheet_is_no_damage(self):
        kinds = {"B": pl.Series(["text", "text", "text", "number"])}
        sheet = rows(("Item code", "Parent"), ("0012", "0007"), ("0007", ""), ("X", "12"), kinds=kinds)
        done = repair(sheet, state(item={"code": ["CHAIN"]}), {})
        # What the sheet itself adds is on the list too.
        self.assertEqual(done.values["parent"].to_list(), ["0007", None, "0012"])

    def test_new_keys_lose_only_what_is_never_part_of_a_code(self):
        system = state(item={"code": ["00120", "00007", "00070"], "barcode": [None] * 3})
        sheet = rows(
            ("Item code", "Description"),
            ("NEW\u200b1", "x"),
            ("7", "x"),
            ("120", "x"),
            ("2026-12-03", "x"),
            kinds={"A": pl.Series(["text", "text", "number", "number", "date"])},
        )
        done = repair(sheet, system, {})
        self.assertEqual(done.values["code"].to_list(), ["NEW1", "00007", "00120", "2026-12-03"])
        self.assertEqual([group.kind for group in done.findings], ["became-date"])

    def test_an_apostrophe_before_a_code_is_none_of_it(self):
        done = repair(
            rows(("Item code", "Unit"), ("'00125", "'EA"), ("'B'2", "?x"), ("'T", "M")),
            state(item={"code": ["'T"]}),
            {},
        )
        self.assertEqual(done.values["code"].to_list(), ["00125", "'B'2", "'T"], "unless the system has it so")
        self.assertEqual(done.values["unit"].to_list(), ["EA", "?x", "M"])

    def test_texts_from_a_wrong_code_page(self):
        values, kinds, _ = repaired("GrÃ¶ÃŸe", "Größe", "plain", field="Description")
        self.assertEqual((values, kinds), (["Größe", "Größe", "plain"], ["wrong-code-page"]))
