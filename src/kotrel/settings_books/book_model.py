"""A workbook of settings: its sheets, their rows, and what each cell stands for in a settings file."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from msgspec import Struct, field

from kotrel.core.description.setting import Setting
from kotrel.settings_books.setting_cells import cell_text, setting_value
from kotrel.workspace.toml_editing import Path

NAME, VALUE, WORD, WHERE, RECORD = "(name)", "(value)", "(word)", "(where)", "(record)"
"""Columns that stand for no setting: a table's name, the value beside a setting, a word, the table it is of,
and a record.
"""
PART, SETTING, USUAL, MEANING, EXAMPLE, SOME = (
    "(part)",
    "(setting)",
    "(usual)",
    "(meaning)",
    "(example)",
    "(some values)",
)
"""Columns that only show something."""
SHOWN = frozenset((PART, SETTING, USUAL, MEANING, EXAMPLE, SOME))
AS_IT_IS = "(as it is in the file)"
"""What a cell shows whose value no cell can."""

SheetKind = Literal["settings", "tables", "list", "words"]
"""A row is one setting; a table with a name; a table of a list, whose order counts; or a word and what it means."""


class BookColumn(Struct, frozen=True):
    """A column.

    Attributes:
        key: the setting, or one of the names above.
        heading: as the sheet has it.
        setting: its declaration, where it has one.
        choices: what drops down, by name of a list in the workbook (see :class:`SettingsBook`).
        main: it is always seen; others only where they are used.
        width: in characters.
    """

    key: str
    heading: str
    setting: Setting | None = None
    choices: str = ""
    main: bool = True
    width: int = 18


class BookRow(Struct):
    """A row.

    Attributes:
        file: the settings file that it is of, seen from the workspace.
        path: where in it the row's table or setting is; None for one that is not there yet.
        texts: column → what its cell shows.
        values: column → the value in the file, None where there is none.
        doubt: why it should be looked at first, or an empty text.
        setting: the setting that the whole row is, where it is one.
    """

    file: str
    path: Path | None
    texts: dict[str, str] = field(default_factory=dict)
    values: dict[str, Any] = field(default_factory=dict)
    doubt: str = ""
    setting: Setting | None = None

    def put(self, key: str, value: Any, setting: Setting | None = None) -> None:
        """Shows a value in a column."""
        if value is not None:
            self.values[key] = value
            self.texts[key] = cell_text(value, setting)


class BookSheet(Struct):
    """A sheet.

    Attributes:
        parent: of ``tables`` and ``list``: where they are; of ``words``: where new ones of a file go.
        intro: a sentence above the headings.
    """

    title: str
    kind: SheetKind
    intro: str
    columns: Sequence[BookColumn]
    rows: list[BookRow]
    file: str = ""
    parent: Path = ()
    unnamed: bool = False

    def column(self, key: str) -> BookColumn:
        return next(each for each in self.columns if each.key == key)


class SettingsBook(Struct):
    """A workbook.

    Attributes:
        what: mapping, prices, layout, system, workspace, spellings.
        name: of a mapping, of price rules, or of a layout.
        lists: what drops down: name of the list → its lines, each a word and what it is.
        left: what the workbook cannot show, in words.
    """

    what: str
    name: str
    title: str
    files: Mapping[str, str]
    sheets: Sequence[BookSheet]
    lists: Mapping[str, Sequence[tuple[str, str]]]
    guide: Sequence[str] = ()
    left: Sequence[str] = ()


def comes_back(value: Any, setting: Setting) -> bool:
    """True where the text of a cell means just this value: only then can it be changed in a workbook."""
    try:
        return bool(setting_value(cell_text(value, setting), setting, value) == value) and type(value) is not float
    except ValueError:
        return False
