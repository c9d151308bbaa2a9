"""One sheet of settings that came back: each cell held against what it was,
and against the settings file as it is now.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from kotrel.core.description.setting import Setting
from kotrel.core.expressions.parsing import ExpressionError, parse
from kotrel.settings_books.book_model import (
    AS_IT_IS,
    NAME,
    RECORD,
    SHOWN,
    VALUE,
    WHERE,
    WORD,
    BookRow,
    BookSheet,
    SettingsBook,
)
from kotrel.settings_books.book_reading import EditedBook, EditedRow, EditedSheet, OriginRow
from kotrel.settings_books.edit_model import Change, Clash, Edits, SettingProblem, sentence
from kotrel.settings_books.setting_cells import cell_text, setting_value
from kotrel.workspace.toml_editing import Path, TomlText


def edits_of(edited: EditedBook, book: SettingsBook) -> Edits:
    """Compares an edited workbook with what it was made from, and with the files as they are now.

    Args:
        book: what a workbook made now would hold.
    """
    edits = Edits()
    for sheet in book.sheets:
        mine = edited.sheets.get(sheet.title)
        if mine is None:
            continue
        reading = _Sheet(sheet, mine, book, edits)
        {"settings": reading.settings, "tables": reading.tables, "list": reading.listed, "words": reading.words}[
            sheet.kind
        ]()
    return edits


class _Sheet:
    """One sheet that came back."""

    def __init__(self, sheet: BookSheet, edited: EditedSheet, book: SettingsBook, found: Edits) -> None:
        self.sheet, self.edited, self.found = sheet, edited, found
        self.now = {(row.file, row.path): row for row in sheet.rows}
        self.data = {file: TomlText(text) for file, text in book.files.items()}
        self.declared = {column.key: column.setting for column in sheet.columns}

    def problem(self, row: int, key: str, value: str, message: str) -> None:
        self.found.problems.append(SettingProblem(self.edited.cell(row, key), value, message))

    def change(
        self,
        row: int,
        key: str,
        file: str,
        setting: str,
        before: str,
        after: str,
        path: Path,
        apply: Callable[[TomlText], None],
        late: bool = False,
    ) -> None:
        self.found.changes.append(Change(self.edited.cell(row, key), file, setting, before, after, path, apply, late))

    def current(self, origin: OriginRow) -> BookRow | None:
        return self.now.get((origin.file, origin.path))

    def is_settled(self, row: int, key: str, origin: OriginRow, setting: str, wanted: str) -> bool:
        """True where there is nothing to change: the file already has the value, or somebody else has changed it,
        which is a clash.
        """
        current = self.current(origin)
        was, now = origin.texts.get(key, ""), current.texts.get(key, "") if current is not None else ""
        if now != wanted and now != was:
            self.found.clashes.append(Clash(self.edited.cell(row, key), setting, was, now, wanted))
        return now != was or now == wanted

    def value(self, row: int, key: str, text: str, setting: Setting | None, was: Any) -> tuple[bool, Any]:
        """Whether a cell can be read, and what it means."""
        if setting is None:
            return True, text.strip() or None
        try:
            value = setting_value(text, setting, was)
            for expression in _expressions(value, setting):
                parse(expression)
            return True, value
        except ExpressionError as error:
            at = f", at “{error.text_there}”" if error.text_there else ""
            self.problem(row, key, text, sentence(f"{error.trouble}{at}", error.hint))
            return False, None
        except ValueError as error:
            self.problem(row, key, text, str(error))
            return False, None

    # --- a row for each setting

    def settings(self) -> None:
        for row in self.edited.rows:
            if row.origin is None or row.origin.path is None:
                if not row.is_blank:
                    self.problem(
                        row.row,
                        VALUE,
                        row.texts.get(VALUE, ""),
                        "this sheet has a row for each setting there is: write the value beside its name",
                    )
                continue
            current = self.current(row.origin)
            before, after = row.origin.texts.get(VALUE, ""), row.texts.get(VALUE, "").strip("\n")
            if before == after:
                continue
            called = _place_in_words(row.origin.path)
            if AS_IT_IS in (before, current.texts.get(VALUE) if current is not None else ""):
                self.problem(row.row, VALUE, after, f"no cell can hold this setting: change it in {row.origin.file}")
                continue
            fits, value = self.value(
                row.row,
                VALUE,
                after,
                current.setting if current is not None else None,
                self.data[row.origin.file].value(row.origin.path),
            )
            if fits and not self.is_settled(row.row, VALUE, row.origin, called, after):
                path = row.origin.path
                self.change(row.row, VALUE, row.origin.file, called, before, after, path, _setter(path, value))
        for gone in self.edited.gone:
            if gone.texts.get(VALUE):
                self.problem(
                    1,
                    VALUE,
                    "",
                    f"the row of {_place_in_words(gone.path or ())} was deleted: make its value blank instead",
                )

    # --- a row for each table with a name

    def tables(self) -> None:
        names: dict[Path, int] = {}
        for row in self.edited.rows:
            if row.is_blank and (row.origin is None or row.origin.path is None):
                continue
            if row.origin is not None and row.origin.path is not None:
                kept = self._known_table(row, row.origin)
            else:
                kept = self._new_table(row)
            if kept is not None:
                if kept in names:
                    self.problem(row.row, NAME, row.texts.get(NAME, ""), f"row {names[kept]} has this name, too")
                names[kept] = row.row
        for gone in self.edited.gone:
            if gone.path is not None:
                self._remove(gone, 1)

    def _path_of(self, row: EditedRow) -> Path:
        """Where a row with this name, and record, is in the file."""
        name = row.texts.get(NAME, "").strip()
        if RECORD in row.texts and NAME in row.texts:
            return (*self.sheet.parent, row.texts[RECORD].strip(), "field", name)
        return (*self.sheet.parent, name)

    def _known_table(self, row: EditedRow, origin: OriginRow) -> Path | None:
        path = origin.path
        assert path is not None
        if self.sheet.unnamed:
            if row.texts.get(RECORD, "") != origin.texts.get(RECORD, ""):
                self.problem(row.row, RECORD, row.texts.get(RECORD, ""), "a row of this sheet stays with its record")
            self._cells(row, origin, path)
            return path
        if not row.texts.get(NAME, "").strip():
            # Who takes the name away means that it feeds nothing; the other cells of the row do not count.
            self._remove(origin, row.row)
            return None
        new = self._path_of(row)
        if new != path and self.current(origin) is None and self._says(row, self.now.get((origin.file, new))):
            # It has its new name already.
            return new
        self._cells(row, origin, path)
        if new[:-1] != path[:-1]:
            self.problem(
                row.row,
                RECORD,
                row.texts.get(RECORD, ""),
                "a field stays in its record: delete this row, and add one there",
            )
            return path
        if new != path and not self.is_settled(row.row, NAME, origin, _place_in_words(path), new[-1]):
            self.change(
                row.row,
                NAME,
                origin.file,
                _place_in_words(path),
                path[-1],
                new[-1],
                path,
                _renamer(path, new[-1]),
                late=True,
            )
        return new

    def _says(self, row: EditedRow, there: BookRow | None) -> bool:
        """True where a row of the file is as the workbook wants it."""
        return there is not None and all(
            there.texts.get(key, "") == text.strip("\n") for key, text in row.texts.items() if key not in SHOWN
        )

    def _cells(self, row: EditedRow, origin: OriginRow, path: Path) -> None:
        for key, setting in self.declared.items():
            if key in SHOWN or key in (NAME, RECORD):
                continue
            before, after = origin.texts.get(key, ""), row.texts.get(key, "").strip("\n")
            if before == after:
                continue
            called = f"{_place_in_words(path)}: {key}"
            if before == AS_IT_IS:
                self.problem(row.row, key, after, f"no cell can hold this setting: change it in {origin.file}")
                continue
            fits, value = self.value(row.row, key, after, setting, self.data[origin.file].value((*path, key)))
            if fits and not self.is_settled(row.row, key, origin, called, after):
                self.change(
                    row.row, key, origin.file, called, before, after, (*path, key), _setter((*path, key), value)
                )

    def _has_own_texts(self, row: EditedRow) -> bool:
        """Whether somebody wrote into a row; a column of the last sheet that feeds nothing is only listed."""
        own = any(text for key, text in row.texts.items() if key not in SHOWN)
        listed = row.origin is not None and dict(row.texts) == {**dict.fromkeys(row.texts, ""), **row.origin.texts}
        return own and not listed

    def _clash_with(self, row: EditedRow, path: Path, there: Mapping[str, str]) -> None:
        for key, text in row.texts.items():
            now = there.get(key, "")
            if key not in SHOWN and now != text.strip("\n"):
                cell = self.edited.cell(row.row, key)
                self.found.clashes.append(Clash(cell, f"{_place_in_words(path)}: {key}", "", now, text))

    def _new_table(self, row: EditedRow) -> Path | None:
        name = row.texts.get(NAME, "").strip()
        if not name or (RECORD in row.texts and not row.texts[RECORD].strip()):
            if self._has_own_texts(row):
                self.problem(row.row, NAME, "", f"name it: {self.sheet.column(NAME).heading.lower()}")
            return None
        if self.sheet.unnamed:
            self.problem(row.row, RECORD, row.texts.get(RECORD, ""), "new rows are not possible on this sheet")
            return None
        path = self._path_of(row)
        values = self._values(row)
        file = self.sheet.file
        there = self.now.get((file, path))
        if there is not None and all(each.origin is None or each.origin.path != path for each in self.edited.rows):
            # Somebody else has added it since; or this workbook itself, read back before.
            self._clash_with(row, path, there.texts)
            return path
        shown = ", ".join(f"{key} = {cell_text(value)}" for key, value in values.items())
        self.change(
            row.row,
            NAME,
            file,
            _place_in_words(path),
            "",
            shown or "(blank)",
            path,
            lambda text: text.add(path, values),
            late=True,
        )
        return path

    def _values(self, row: EditedRow) -> dict[str, Any]:
        values = {}
        for key, setting in self.declared.items():
            text = row.texts.get(key, "").strip("\n")
            if key in SHOWN or key in (NAME, RECORD) or not text.strip():
                continue
            fits, value = self.value(row.row, key, text, setting, None)
            if fits and value is not None:
                values[key] = value
        return values

    def _remove(self, origin: OriginRow, row: int) -> None:
        path = origin.path
        assert path is not None
        current = self.current(origin)
        if current is None:
            return
        changed = [
            key for key in self.declared if key not in SHOWN and current.texts.get(key, "") != origin.texts.get(key, "")
        ]
        for key in changed:
            self.found.clashes.append(
                Clash(
                    self.edited.cell(row, key),
                    f"{_place_in_words(path)}: {key}",
                    origin.texts.get(key, ""),
                    current.texts.get(key, ""),
                    "the row was deleted",
                )
            )
        if not changed:
            shown = ", ".join(
                f"{key} = {text}"
                for key, text in origin.texts.items()
                if key not in SHOWN and key not in (NAME, RECORD) and text
            )
            self.change(
                row,
                NAME,
                origin.file,
                _place_in_words(path),
                shown or "(blank)",
                "",
                path,
                lambda text: text.remove(path),
            )

    # --- a row for each table of a list

    def listed(self) -> None:
        rows = [row for row in self.edited.rows if not row.is_blank]
        known = [row.origin for row in self.edited.rows if row.origin is not None] + list(self.edited.gone)
        order: list[int | Mapping[str, Any]] = []
        shown = []
        for row in rows:
            if row.origin is None or row.origin.path is None:
                values = self._values(row)
                order.append(values)
                shown.append(f"new: {', '.join(f'{key} = {cell_text(value)}' for key, value in values.items())}")
            else:
                place = int(row.origin.path[-1].partition("\x00")[2])
                order.append(place)
                shown.append(str(place))
                self._cells(row, row.origin, row.origin.path)
        if order == list(range(1, len(known) + 1)):
            return
        first = next(
            (row.row for place, (row, each) in enumerate(zip(rows, order, strict=True), start=1) if each != place),
            rows[-1].row if rows else 1,
        )
        key, name = next(iter(self.declared)), self.sheet.parent[-1]
        if self._differs_from(known):
            if [_filled_cells(row.texts) for row in rows] != [_filled_cells(row.texts) for row in self.sheet.rows]:
                called = f"the order of {self.sheet.title.lower()}"
                self.found.clashes.append(
                    Clash(self.edited.cell(first, key), called, "as it was", "changed in the file", "another order")
                )
            return
        before = ", ".join(map(str, range(1, len(known) + 1))) or "none"
        self.change(
            first,
            key,
            self.sheet.file,
            f"{self.sheet.title.lower()}, in order",
            before,
            ", ".join(shown) or "none",
            self.sheet.parent,
            lambda text: text.arrange((name,), order),
            late=True,
        )

    def _differs_from(self, known: Sequence[OriginRow]) -> bool:
        """True where the list in the file is not what it was when the workbook was made."""
        now = [self.current(origin) for origin in known]
        return len(self.sheet.rows) != len(known) or any(
            row is None or _filled_cells(row.texts) != _filled_cells(origin.texts)
            for row, origin in zip(now, known, strict=True)
        )

    # --- a row for each word

    def _written_rows(self) -> list[EditedRow]:
        """The rows that were there, and new ones that are not blank."""
        return [row for row in self.edited.rows if row.origin is not None or not row.is_blank]

    def _one_word(self, row: EditedRow, at: tuple[str, Path], text: str, taken: dict[tuple[str, Path], int]) -> None:
        """What a word means. ``taken``: the words of the rows above, and their rows."""
        first = taken.setdefault(at, row.row)
        if first != row.row:
            self.problem(row.row, WORD, at[1][-1], f"row {first} has this word, too")
        else:
            self._word(row, *at, text)

    def words(self) -> None:
        tables = {
            row.texts[WHERE]: (row.file, row.path[:-1]) for row in self.sheet.rows if WHERE in row.texts and row.path
        }
        taken: dict[tuple[str, Path], int] = {}
        for row in self._written_rows():
            word, text = row.texts.get(WORD, "").strip(), row.texts.get(VALUE, "").strip()
            if row.origin is not None and not word and not text:
                self._remove(row.origin, row.row)
                continue
            cell = self._place_of(row, tables)
            if cell is None:
                said = "choose one of the places that drop down, or write kotrel.toml: and a record, such as kotrel.toml: unit"
                self.problem(row.row, WHERE, row.texts.get(WHERE, ""), said)
            elif not word or not text:
                self.problem(row.row, VALUE if word else WORD, "", "write both the word and what it means")
            else:
                self._one_word(row, (cell[0], (*cell[1], word)), text, taken)
        for gone in self.edited.gone:
            self._remove(gone, 1)

    def _place_of(self, row: EditedRow, tables: Mapping[str, tuple[str, Path]]) -> tuple[str, Path] | None:
        """The file and the table of a word; None where nobody can tell."""
        if WHERE not in self.declared:
            return self.sheet.file, self.sheet.parent
        where = row.texts.get(WHERE, "").strip()
        if where in tables:
            return tables[where]
        if row.origin is not None and row.origin.path is not None and row.origin.texts.get(WHERE) == where:
            return row.origin.file, row.origin.path[:-1]
        return _place_named(where)

    def _word(self, row: EditedRow, file: str, path: Path, text: str) -> None:
        origin = row.origin
        if origin is not None and (origin.file, origin.path) == (file, path) and origin.texts.get(VALUE, "") == text:
            return
        fits, value = self.value(row.row, VALUE, text, self.declared.get(VALUE), None)
        if not fits:
            return
        if origin is not None and (origin.file, origin.path) != (file, path):
            self._remove(origin, row.row)
            origin = None
        before = origin.texts.get(VALUE, "") if origin is not None else ""
        base = origin if origin is not None else OriginRow(file, path, {})
        if not self.is_settled(row.row, VALUE, base, _place_in_words(path), text):
            self.change(row.row, VALUE, file, _place_in_words(path), before, text, path, _setter(path, value))


def _filled_cells(texts: Mapping[str, str]) -> dict[str, str]:
    """The cells that say something."""
    return {key: text.strip("\n") for key, text in texts.items() if text and key not in SHOWN}


def _place_named(where: str) -> tuple[str, Path] | None:
    file, _, record = where.partition(":")
    return (file.strip(), ("spellings", record.strip())) if file.strip() == "kotrel.toml" and record.strip() else None


def _setter(path: Path, value: Any) -> Callable[[TomlText], None]:
    return lambda text: text.set(path, value)


def _renamer(path: Path, name: str) -> Callable[[TomlText], None]:
    return lambda text: text.rename(path, name)


def _place_in_words(path: Path) -> str:
    """A place in a settings file in words: “field cost”, “step 2”."""
    return " ".join(part.replace("\x00", " ") for part in path)


def _expressions(value: Any, setting: Setting) -> list[str]:
    """The expressions in a value."""
    if setting.kind == "an expression" and isinstance(value, str):
        return [value]
    return (
        [str(each) for each in value.values()]
        if setting.kind == "list = expression" and isinstance(value, dict)
        else []
    )
