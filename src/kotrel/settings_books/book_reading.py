"""Reads a workbook of settings back: its cells as they are now, and as they were when it was made."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from datetime import date, datetime
from pathlib import Path as FilePath
from typing import Any

from msgspec import Struct

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.tables.table import letter_of
from kotrel.settings_books.book_model import SHOWN
from kotrel.settings_books.book_writing import HEADING_ROW, ORIGIN, VERSION
from kotrel.workspace.toml_editing import Path


class OriginRow(Struct, frozen=True):
    """A row as it was when the workbook was made."""

    file: str
    path: Path | None
    texts: Mapping[str, str]


class EditedRow(Struct, frozen=True):
    """A row as it is now.

    Attributes:
        row: its row in the sheet, from 1.
        texts: column → text.
        origin: what it was; None for a new one.
    """

    row: int
    texts: Mapping[str, str]
    origin: OriginRow | None

    @property
    def is_blank(self) -> bool:
        return not any(text for key, text in self.texts.items() if key not in SHOWN)


class EditedSheet(Struct, frozen=True):
    """A sheet as it is now.

    Attributes:
        letters: column → its letter.
        gone: rows that were there, and have been deleted.
    """

    title: str
    letters: Mapping[str, str]
    rows: Sequence[EditedRow]
    gone: Sequence[OriginRow]

    def cell(self, row: int, key: str) -> str:
        """The address of a cell."""
        return f"{self.title}!{self.letters.get(key, 'B')}{row}"


class EditedBook(Struct, frozen=True):
    """A workbook as it came back."""

    what: str
    name: str
    prints: Mapping[str, str]
    sheets: Mapping[str, EditedSheet]


def is_settings_book(path: FilePath) -> bool:
    """True for a workbook that ``kotrel settings`` wrote."""
    import openpyxl

    try:
        book = openpyxl.load_workbook(path, read_only=True)
    except Exception:
        return False
    found = ORIGIN in book.sheetnames
    book.close()
    return found


def read_settings_book(path: FilePath) -> EditedBook:
    """Reads a workbook of settings.

    Raises:
        WrongUse: Kotrel did not write it, or its own notes, a sheet or a heading are gone.
        OutOfReach: it cannot be read.
    """
    import openpyxl

    try:
        book = openpyxl.load_workbook(path, data_only=True)
    except FileNotFoundError:
        raise WrongUse(f"there is no file {path}", "Check its name and folder.", "no-file") from None
    except OSError as error:
        raise OutOfReach(
            f"{path} cannot be read: {error.strerror or error}", "Close it in other programs.", "file-not-readable"
        ) from None
    except Exception:
        # Whatever the library says of a file that is no workbook.
        raise WrongUse(f"{path} is not an .xlsx workbook", "Save it as .xlsx, as it was.", "not-a-workbook") from None
    origin = _origin(book, path)
    sheets: dict[str, EditedSheet] = {}
    for sheet_origin in origin["sheets"]:
        if sheet_origin["title"] not in book.sheetnames:
            raise WrongUse(
                f"{path} has no sheet “{sheet_origin['title']}” any more",
                "Make the workbook again: its sheets keep their names.",
                "sheet-missing",
            )
        sheets[sheet_origin["title"]] = _sheet(book[sheet_origin["title"]], sheet_origin, path)
    return EditedBook(origin["what"], origin["name"], origin["files"], sheets)


def _origin(book: Any, path: FilePath) -> dict[str, Any]:
    if ORIGIN not in book.sheetnames:
        hint = "kotrel settings mapping NAME -o FILE.xlsx makes one; kotrel check reads sheets of rows."
        raise WrongUse(f"{path} is no workbook of settings: Kotrel did not write it", hint, "not-settings")
    try:
        text = "".join(str(value or "") for (value,) in book[ORIGIN].iter_rows(max_col=1, values_only=True))
        origin: dict[str, Any] = json.loads(text)
        version = origin["version"]
    except (ValueError, KeyError, TypeError):
        raise WrongUse(
            f"{path}: Kotrel's own notes in it are damaged",
            "Make the workbook again, and enter the changes there.",
            "damaged-note",
        ) from None
    if version != VERSION:
        raise WrongUse(
            f"{path} was made by another version of Kotrel", "Make the workbook again with this one.", "other-version"
        )
    return origin


def _origin_row(row: Mapping[str, Any]) -> OriginRow:
    return OriginRow(row["file"], None if row["path"] is None else tuple(row["path"]), row["texts"])


def _columns_at(lines: Sequence[Sequence[Any]], origin: Mapping[str, Any], path: FilePath) -> dict[str, int]:
    """Setting → the index of its column.

    Raises:
        WrongUse: a heading is gone.
    """
    head = [_text(value) for line in lines[HEADING_ROW : HEADING_ROW + 1] for value in line]
    at: dict[str, int] = {}
    for key, heading in zip(origin["columns"], origin["headings"], strict=True):
        if heading not in head:
            raise WrongUse(
                f"{path}, sheet “{origin['title']}”: the heading “{heading}” is gone",
                f"Write it into row {HEADING_ROW + 1} again, above its column.",
                "column-missing",
            )
        at[key] = head.index(heading)
    return at


def _sheet(page: Any, origin: Mapping[str, Any], path: FilePath) -> EditedSheet:
    lines = list(page.iter_rows(values_only=True))
    at = _columns_at(lines, origin, path)
    known = list(map(_origin_row, origin["rows"]))
    rows, seen = [], set()
    for number, line in enumerate(lines[HEADING_ROW + 1 :], start=HEADING_ROW + 2):
        texts = {key: _text(line[place]) if place < len(line) else "" for key, place in at.items()}
        mark = _text(line[0]) if line else ""
        place = int(mark) if mark.isdigit() and 0 < int(mark) <= len(known) and int(mark) not in seen else 0
        seen |= {place} - {0}
        if place or any(texts.values()):
            rows.append(EditedRow(number, texts, known[place - 1] if place else None))
    gone = [row for place, row in enumerate(known, start=1) if place not in seen]
    letters = {key: letter_of(place) for key, place in at.items()}
    return EditedSheet(origin["title"], letters, rows, gone)


def _text(value: Any) -> str:
    """A cell as it was typed, in Kotrel's own form of it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.date().isoformat() if value.time() == datetime.min.time() else value.isoformat(" ")
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value).replace("\r\n", "\n").replace("_x000D_\n", "\n")
