"""Writes a workbook of settings: it guides its reader, drops down what can be chosen,
and carries what it was made from.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path as FilePath
from typing import Any

from kotrel.core.description.setting import Setting
from kotrel.settings_books.book_model import (
    AS_IT_IS,
    NAME,
    RECORD,
    SHOWN,
    VALUE,
    WHERE,
    WORD,
    BookColumn,
    BookRow,
    BookSheet,
    SettingsBook,
)
from kotrel.settings_books.setting_cells import choices_of
from kotrel.sheets.new_workbook import new_workbook
from kotrel.sheets.print_layout import for_print
from kotrel.sheets.safe_writing import written_whole

GUIDE, LISTS, ORIGIN = "Start here", "Choices", "Kotrel settings"
VERSION = 1
HEADING_ROW = 2
"""The row with the headings, from 0: a sentence and a blank row stand above them."""
SPARE = 60
"""Blank rows below the last one that have drop-downs, too."""
_LINE = 15
"""Points of a line of text."""
_PIECE = 30_000
"""A cell holds no more characters than 32,767."""
_LONGEST_LIST = 255
"""A list of words in a drop-down has no more characters than this."""


def write_settings_book(book: SettingsBook, path: FilePath, prints: Mapping[str, str], command: str) -> None:
    """Writes the workbook.

    Args:
        prints: file → the fingerprint of its text.
        command: what reads it back.
    """
    with written_whole(path) as temporary:
        out = new_workbook(temporary)
        looks = _looks(out)
        guide = out.add_worksheet(GUIDE)
        pages = [out.add_worksheet(sheet.title) for sheet in book.sheets]
        ranges = _write_lists(out, book, looks)
        _write_guide(guide, book, looks, command)
        for page, sheet in zip(pages, book.sheets, strict=True):
            _write_sheet(page, sheet, ranges, looks)
        _write_origin(out, book, prints)
        out.close()


def _looks(out: Any) -> dict[str, Any]:
    top = {"text_wrap": True, "valign": "top"}
    return {
        "title": out.add_format({"bold": True, "font_size": 16, "font_color": "#1F4E5F"}),
        "intro": out.add_format({"italic": True, "font_color": "#44545A"}),
        "must": out.add_format({**top, "bold": True, "bg_color": "#1F4E5F", "font_color": "#FFFFFF", "bottom": 1}),
        "main": out.add_format({**top, "bold": True, "bg_color": "#BFD9DF", "bottom": 1}),
        "more": out.add_format({**top, "bg_color": "#EEF2F3", "bottom": 1}),
        "cell": out.add_format({**top, "num_format": "@", "border": 1, "border_color": "#D5DDE0"}),
        "shown": out.add_format(
            {**top, "font_color": "#5B6A70", "bg_color": "#F6F8F8", "border": 1, "border_color": "#D5DDE0"}
        ),
        "doubt": out.add_format(
            {**top, "num_format": "@", "bg_color": "#FFF0C2", "border": 1, "border_color": "#D5DDE0"}
        ),
        "line": out.add_format({**top}),
        "bold": out.add_format({"bold": True}),
    }


def _write_guide(page: Any, book: SettingsBook, looks: Mapping[str, Any], command: str) -> None:
    for_print(page, None)
    page.hide_gridlines(2)
    page.set_column(0, 0, 4)
    page.set_column(1, 1, 105, looks["line"])
    page.set_row(0, 24)
    page.write_string(0, 0, book.title, looks["title"])
    files = ", ".join(book.files)
    page.write_string(1, 0, f"Made by Kotrel from {files}", looks["intro"])
    lines = [
        *book.guide,
        "What can be chosen drops down; the sheet “Choices” says what each word is. White cells can be changed, grey ones only tell.",
        *(
            ["What is rarely set is folded away: the small 2 at the top left unfolds it."]
            if any(not each.main for sheet in book.sheets for each in sheet.columns)
            else []
        ),
        "Where a cell holds several values, each is on its own line (Alt+Enter); “word = meaning” for each, where there are two sides.",
        f"Save this workbook, then: {command}",
        "Kotrel shows what would change in the settings, and asks, before anything is written.",
    ]
    for index, line in enumerate(lines, start=1):
        page.write_number(index + 2, 0, index)
        page.write_string(index + 2, 1, line, looks["line"])
    if book.left:
        at = len(lines) + 4
        page.write_string(at, 0, "What no cell can show stays as it is in the file:", looks["bold"])
        for index, words in enumerate(book.left, start=1):
            page.write_string(at + index, 1, words, looks["line"])


def _write_lists(out: Any, book: SettingsBook, looks: Mapping[str, Any]) -> dict[str, str]:
    """Writes the sheet with what can be chosen; list → its range."""
    from xlsxwriter.utility import xl_col_to_name

    page = out.add_worksheet(LISTS)
    for_print(page)
    ranges: dict[str, str] = {}
    used = {column.choices for sheet in book.sheets for column in sheet.columns}
    at = 0
    for name, lines in book.lists.items():
        if name not in used or not lines:
            continue
        page.write_string(0, at, name.capitalize(), looks["main"])
        page.write_string(0, at + 1, "what it is", looks["more"])
        for index, (word, what) in enumerate(lines, start=1):
            page.write_string(index, at, word)
            page.write_string(index, at + 1, what)
        page.set_column(at, at, 26)
        page.set_column(at + 1, at + 1, 40)
        letter = xl_col_to_name(at)
        ranges[name] = f"='{LISTS}'!${letter}$2:${letter}${len(lines) + 1}"
        at += 3
    page.freeze_panes(1, 0)
    if not at:
        page.write_string(0, 0, "Nothing in this workbook is chosen from a list.")
    return ranges


def _write_sheet(page: Any, sheet: BookSheet, ranges: Mapping[str, str], looks: Mapping[str, Any]) -> None:
    for_print(page, HEADING_ROW)
    page.set_column(0, 0, None, None, {"hidden": True})
    page.write_string(0, 1, sheet.intro, looks["intro"])
    page.write_string(HEADING_ROW, 0, "row", looks["more"])
    last = HEADING_ROW + len(sheet.rows) + (0 if sheet.kind == "settings" else SPARE)
    seen = [place for place, column in enumerate(sheet.columns) if column.main]
    for index, column in enumerate(sheet.columns, start=1):
        look = "must" if column.key in (NAME, RECORD, VALUE, WORD, WHERE) else "main" if column.main else "more"
        page.write_string(HEADING_ROW, index, column.heading, looks[look])
        if column.setting is not None:
            page.write_comment(HEADING_ROW, index, _note(column.setting), {"x_scale": 2, "y_scale": 1.2})
        body = looks["shown"] if column.key in SHOWN else looks["cell"]
        how = {} if column.main else {"level": 1, "hidden": True}
        page.set_column(index, index, column.width, None, how)
        _drop_down(page, index, HEADING_ROW + 1, last, column, ranges)
        for line in range(HEADING_ROW + 1, last + 1):
            page.write_blank(line, index, None, body)
    if len(seen) < len(sheet.columns):
        page.set_column(len(sheet.columns) + 1, len(sheet.columns) + 1, 12, None, {"collapsed": True})
        page.write_string(0, max(seen) + 2 if seen else 1, "")
    for index, row in enumerate(sheet.rows, start=1):
        _write_row(page, HEADING_ROW + index, index, row, sheet, looks)
    page.set_selection(HEADING_ROW + 1, 1, HEADING_ROW + 1, 1)
    page.freeze_panes(HEADING_ROW + 1, 2 if len(sheet.columns) > 1 else 1)


def _write_row(page: Any, line: int, number: int, row: BookRow, sheet: BookSheet, looks: Mapping[str, Any]) -> None:
    page.write_string(line, 0, str(number))
    page.set_row(line, _LINE * max(_lines(row.texts.get(each.key, ""), each.width) for each in sheet.columns))
    for index, column in enumerate(sheet.columns, start=1):
        text = row.texts.get(column.key, "")
        fixed = column.key in SHOWN or text == AS_IT_IS
        look = looks["shown"] if fixed else looks["doubt"] if row.doubt else looks["cell"]
        if text:
            page.write_string(line, index, text, look)
        else:
            page.write_blank(line, index, None, look)
        if row.setting is not None and column.key == VALUE and (words := choices_of(row.setting)):
            page.data_validation(
                line, index, line, index, {"validate": "list", "source": words, "error_type": "warning"}
            )
        if row.doubt and column.key == NAME:
            page.write_comment(line, index, f"Look at this first: {row.doubt}.", {"x_scale": 2})


def _lines(text: str, width: int) -> int:
    """The lines that a text takes in a cell that is ``width`` characters wide."""
    return max(1, sum(-(-len(line) // max(width - 1, 1)) for line in text.split("\n")))


def _note(setting: Setting) -> str:
    kind = setting.kind if not choices_of(setting) else f"one of: {', '.join(choices_of(setting))}"
    return f"{setting.meaning}\n{kind[0].upper()}{kind[1:]}, such as: {setting.example.partition(' = ')[2] or setting.example}"


def _drop_down(page: Any, index: int, first: int, last: int, column: BookColumn, ranges: Mapping[str, str]) -> None:
    source: str | Sequence[str] | None = ranges.get(column.choices)
    if source is None and "/" in column.choices and len(column.choices) < _LONGEST_LIST:
        source = column.choices.split("/")
    if source is not None and last >= first:
        page.data_validation(
            first,
            index,
            last,
            index,
            {
                "validate": "list",
                "source": source,
                "error_type": "warning",
                "error_title": column.heading[:32],
                "error_message": "This is not among the choices. Use it anyway?",
            },
        )


def _write_origin(out: Any, book: SettingsBook, prints: Mapping[str, str]) -> None:
    """What the workbook was made from: every cell as it was, and the fingerprints of the files."""
    origin = {
        "version": VERSION,
        "what": book.what,
        "name": book.name,
        "files": dict(prints),
        "sheets": [
            {
                "title": sheet.title,
                "columns": [column.key for column in sheet.columns],
                "headings": [column.heading for column in sheet.columns],
                "rows": [
                    {"file": row.file, "path": None if row.path is None else list(row.path), "texts": row.texts}
                    for row in sheet.rows
                ],
            }
            for sheet in book.sheets
        ],
    }
    page = out.add_worksheet(ORIGIN)
    text = json.dumps(origin, ensure_ascii=False)
    for place in range(0, len(text), _PIECE):
        page.write_string(place // _PIECE, 0, text[place : place + _PIECE])
    page.very_hidden()
