"""Sheets with a row for each word: other spellings of codes, and rates of currencies."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from kotrel.core.description.setting import Setting
from kotrel.core.description.toml_reading import numbered, parsed
from kotrel.settings_books.book_model import (
    VALUE,
    WHERE,
    WORD,
    BookColumn,
    BookRow,
    BookSheet,
    SettingsBook,
)
from kotrel.workspace.toml_editing import Path, value_at


def spellings_book(texts: Mapping[str, str]) -> SettingsBook:
    """All other spellings that were ever learned, of the workspace and of its mappings.

    Args:
        texts: file → its text; ``kotrel.toml`` and the mappings.
    """
    sheet = spellings_sheet({file: parsed(text) for file, text in texts.items()})
    places = dict.fromkeys(row.texts[WHERE] for row in sheet.rows)
    guide = [
        "Each row: a word that a sheet had, and the code that it means.",
        "Correct a code, or delete a row: then that word is asked again.",
        "In new rows, choose in “Where” which list it is for.",
    ]
    return SettingsBook(
        "spellings", "", "All other spellings", texts, [sheet], {"places": [(each, "") for each in places]}, guide
    )


def spellings_sheet(files: Mapping[str, Mapping[str, Any]]) -> BookSheet:
    """The other spellings of these files: in ``[spellings]``, and as ``translate`` of a mapping's fields."""
    rows = []
    for file, data in files.items():
        for table, words in _spellings(data):
            for word, code in words.items():
                row = BookRow(file, (*table, word), {WHERE: place_of(file, table), WORD: word})
                row.put(VALUE, code)
                rows.append(row)
    columns = [
        BookColumn(WHERE, "Where", None, "places", True, 36),
        BookColumn(WORD, "Word in the sheet", None, "", True, 30),
        BookColumn(VALUE, "Code it means", None, "", True, 30),
    ]
    return BookSheet(
        "Other spellings",
        "words",
        "Words of sheets, and the codes that they mean.",
        columns,
        rows,
        next(iter(files), ""),
    )


def _spellings(data: Mapping[str, Any]) -> Iterator[tuple[Path, Mapping[str, Any]]]:
    for name, words in (data.get("spellings") or {}).items():
        if isinstance(words, dict):
            yield ("spellings", name), words
    parts = [
        ((), data),
        *(((numbered("also", place),), each) for place, each in enumerate(data.get("also", []), start=1)),
    ]
    for at, part in parts:
        for name, settings in (part.get("field") or {}).items():
            if isinstance(settings, dict) and isinstance(settings.get("translate"), dict):
                yield (*at, "field", name, "translate"), settings["translate"]


def place_of(file: str, table: Path) -> str:
    """How the sheet calls the table of a spelling."""
    words = [part.replace("\x00", " ") for part in table if part not in ("spellings", "field", "translate")]
    return f"{file}: {' '.join(words)}"


def words_sheet(
    title: str, intro: str, file: str, data: Mapping[str, Any], table: Path, word: str, meaning: str, kind: str
) -> BookSheet:
    rows = []
    for name, value in (value_at(data, table) or {}).items():
        row = BookRow(file, (*table, name), {WORD: name})
        row.put(VALUE, value)
        rows.append(row)
    setting = Setting("a number" if kind == "number" else "text", "", "", "")
    columns = [BookColumn(WORD, word), BookColumn(VALUE, meaning, setting)]
    return BookSheet(title, "words", intro, columns, rows, file, table)
