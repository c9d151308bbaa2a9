"""Settings as workbooks: any sound settings come back as they are, and any single edit changes exactly that."""

import tempfile
import tomllib
import unittest
from datetime import date
from pathlib import Path

import openpyxl
from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.settings_books.book_building import layout_book, mapping_book, prices_book, workspace_book
from kotrel.settings_books.book_changes import applied
from kotrel.settings_books.book_model import SHOWN, VALUE, comes_back
from kotrel.settings_books.book_reading import read_settings_book
from kotrel.settings_books.book_writing import HEADING_ROW, write_settings_book
from kotrel.settings_books.setting_cells import cell_text, setting_value, shape_of
from kotrel.settings_books.settings_files import text_fingerprint
from kotrel.settings_books.sheet_edits import edits_of
from kotrel.settings_books.spelling_sheets import spellings_book
from kotrel.workspace.setting_tables import (
    LAYOUT,
    LAYOUT_COLUMN,
    MAPPING,
    MAPPING_FIELD,
    PRICE_GUARDS,
    PRICE_STEP,
    WORKSPACE,
)
from kotrel.workspace.toml_editing import written
from tests.support import small

WORDS = st.text("abÄ x9'\"[]*%", min_size=1, max_size=8).map(str.strip).filter(bool)
OF_SHAPE = {
    "text": WORDS, "any": WORDS, "yes or no": st.booleans(), "whole number": st.integers(0, 999),
    "number": st.one_of(st.integers(0, 99), st.decimals("0.01", "99", places=2).map(str).filter(lambda text: "." in text)),
    "day": st.dates(date(2020, 1, 1), date(2030, 1, 1)), "texts": st.lists(WORDS, min_size=1, max_size=3),
    "groups": st.lists(st.lists(st.text("abc", min_size=1, max_size=3), min_size=1, max_size=2), min_size=1, max_size=2),
    "table": st.dictionaries(st.text("abc ", min_size=1, max_size=4).map(str.strip).filter(bool), WORDS, min_size=1, max_size=3),
}  # fmt: skip


@st.composite
def tables(draw, section):
    """Some settings of a section, each as its kind says."""
    keys = [key for key, setting in section.items() if setting.kind not in ("tables", "a table") and key != "record"]
    chosen = draw(st.lists(st.sampled_from(keys), max_size=4, unique=True))
    found = {key: draw(OF_SHAPE[shape_of(section[key])]) for key in chosen}
    return {key: value for key, value in found.items() if comes_back(value, section[key])}


def lines_of(table):
    return "".join(f"{key} = {written(value)}\n" for key, value in table.items())


@st.composite
def mappings(draw):
    text = 'record = "item"\n' + lines_of(draw(tables(MAPPING)))
    for name in draw(st.lists(st.sampled_from(["code", "name", "unit", "cost"]), unique=True)):
        text += f"\n# about {name}\n[field.{name}]\n{lines_of(draw(tables(MAPPING_FIELD)))}"
    return text


@st.composite
def price_rules(draw):
    text = 'title = "Rules"\n'
    for place in range(draw(st.integers(0, 3))):
        text += f'\n# step {place}\n[[step]]\nname = "s{place}"\n{lines_of(draw(tables({key: each for key, each in PRICE_STEP.items() if key != "name"})))}'
    return text + f"\n[guards]\n{lines_of(draw(tables(PRICE_GUARDS)))}"


@st.composite
def layouts(draw):
    text = 'record = "item"\n' + lines_of(draw(tables(LAYOUT)))
    for place in range(draw(st.integers(0, 3))):
        text += f'\n[[column]] # column {place}\nheading = "h{place}"\n{lines_of(draw(tables({key: each for key, each in LAYOUT_COLUMN.items() if key != "heading"})))}'
    return text


@st.composite
def workspaces(draw):
    text = ""
    for name in draw(st.lists(st.sampled_from(["sheets", "stock", "count", "limits"]), unique=True)):
        text += f"[{name}]\n{lines_of(draw(tables(WORKSPACE[name])))}\n"
    return text + '[spellings.unit]\nstk = "EA"\n"Stück" = "EA"\n'


def book_of(what, text):
    description = small()
    if what == "mapping":
        return mapping_book(
            "m", "maps/m.toml", text, description, description.records, [("Net", ["1", "2"]), ("Gross", [])], "s.xlsx"
        )
    if what == "prices":
        return prices_book("p", "prices/p.toml", text, description, [])
    if what == "layout":
        return layout_book("l", "layouts/l.toml", text, description.records["item"])
    return workspace_book("kotrel.toml", text) if what == "workspace" else spellings_book({"kotrel.toml": text})


KINDS = {"mapping": mappings(), "prices": price_rules(), "layout": layouts(), "workspace": workspaces()}


class Laws(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "book.xlsx"

    def back(self, book, change=lambda workbook: None):
        """What comes back of a workbook: the edits, and the files that they change."""
        write_settings_book(
            book, self.path, {file: text_fingerprint(text) for file, text in book.files.items()}, "kotrel settings"
        )
        workbook = openpyxl.load_workbook(self.path)
        change(workbook)
        workbook.save(self.path)
        edits = edits_of(read_settings_book(self.path), book)
        return edits, applied(edits.changes, book.files)

    @settings(deadline=None, max_examples=8)
    @given(st.data())
    def test_untouched_it_changes_nothing(self, data):
        for what, texts in KINDS.items():
            text = data.draw(texts)
            edits, files = self.back(book_of(what, text))
            self.assertEqual((edits.problems, edits.clashes, edits.changes, files), ([], [], [], {}), text)

    @settings(deadline=None, max_examples=8)
    @given(st.data())
    def test_one_edit_changes_exactly_that(self, data):
        for what, texts in KINDS.items():
            text = data.draw(texts)
            book = book_of(what, text)
            cells = [
                (sheet, place, row, column)
                for sheet in book.sheets
                for place, row in enumerate(sheet.rows)
                for column in sheet.columns
                if row.path is not None and column.key not in SHOWN and (row.setting or column.setting) is not None
            ]
            if not cells:
                continue
            sheet, place, row, column = data.draw(st.sampled_from(cells))
            setting = row.setting or column.setting
            value = data.draw(OF_SHAPE[shape_of(setting)])
            path = row.path if column.key == VALUE else (*row.path, column.key)
            if not comes_back(value, setting) or cell_text(value, setting) == row.texts.get(column.key, ""):
                continue
            at = 2 + list(sheet.columns).index(column)

            said = cell_text(value, setting)

            def change(workbook, title=sheet.title, line=HEADING_ROW + 2 + place, at=at, said=said):
                workbook[title].cell(line, at).value = said
                workbook[title].cell(line, at).data_type = "s"

            edits, files = self.back(book, change)
            if edits.problems:
                # Such as an expression that is none: nothing is changed then.
                continue
            wanted = with_value(
                tomllib.loads(text), path, setting_value(cell_text(value, setting), setting, row.values.get(column.key))
            )
            [only] = files.values()
            self.assertEqual(tomllib.loads(only), wanted)
            self.assertEqual(
                [line for line in only.splitlines() if line.startswith("#")],
                [line for line in text.splitlines() if line.startswith("#")],
            )


def with_value(data, path, value):
    name, _, place = path[0].partition("\x00")
    if place:
        rows = list(data[name])
        rows[int(place) - 1] = with_value(rows[int(place) - 1], path[1:], value)
        return {**data, name: rows}
    return {**data, name: value if len(path) == 1 else with_value(data.get(name, {}), path[1:], value)}


class Cells(unittest.TestCase):
    def test_what_people_write_into_cells(self):
        for section, key, text, value in (
            (MAPPING_FIELD, "per", "100", 100), (MAPPING_FIELD, "per", "Pack", "Pack"), (MAPPING_FIELD, "repeat", "QUAY\nLOFT", ["QUAY", "LOFT"]),
            (MAPPING_FIELD, "repeat", "QUAY = Quay\nLOFT = Loft", {"QUAY": "Quay", "LOFT": "Loft"}), (MAPPING_FIELD, "rounding", "2", 2),
            (MAPPING_FIELD, "rounding", "as shown", "as shown"), (MAPPING, "skip", "A\n\nB", ["A", "B"]), (MAPPING, "once_per", "code", "code"),
            (PRICE_GUARDS, "not_above", "YARD + SHOP", ["YARD", "SHOP"]), (PRICE_GUARDS, "not_above", "A + B\nB + C", [["A", "B"], ["B", "C"]]),
            (PRICE_GUARDS, "least_margin", "SHOP = 15%\nYARD = 8%", {"SHOP": "15%", "YARD": "8%"}), (LAYOUT, "headings", "Ja", True),
            (WORKSPACE["stock"], "closed_until", "2026-12-31", date(2026, 12, 31)), (WORKSPACE["count"], "tolerance_percent", "0,5", "0.5"),
        ):  # fmt: skip
            with self.subTest(f"{key}: {text}"):
                self.assertEqual(setting_value(text, section[key], None), value)

    def test_what_nobody_can_mean_is_told(self):
        for section, key, text, said in (
            (LAYOUT, "headings", "perhaps", "yes or no"), (LAYOUT, "decimals", "two", "a whole number"), (MAPPING_FIELD, "translate", "Stk EA", "has no “ = ”"),
            (PRICE_GUARDS, "not_above", "YARD", "two lists"), (WORKSPACE["stock"], "closed_until", "soon", "a day"),
        ):  # fmt: skip
            with self.subTest(f"{key}: {text}"), self.assertRaisesRegex(ValueError, said):
                setting_value(text, section[key], None)
