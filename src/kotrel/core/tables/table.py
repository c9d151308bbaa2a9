"""A sheet as it is, and the table found in it. Everything is text; the kind of each cell is kept beside it."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.phrases import count, listed
from kotrel.core.tables.number_display import Formats


class Hidden(Struct, frozen=True):
    """What is hidden of a sheet.

    Attributes:
        sheet: whether it is hidden as a whole.
        rows: the hidden ones among its rows, from 1.
        columns: the letters of the hidden ones among its columns.
    """

    sheet: bool = False
    rows: tuple[int, ...] = ()
    columns: tuple[str, ...] = ()

    @property
    def any(self) -> bool:
        return self.sheet or bool(self.rows or self.columns)

    def in_words(self) -> list[str]:
        """One sentence for each."""
        said = ["the sheet is hidden"] if self.sheet else []
        if self.rows:
            said.append(f"{count(len(self.rows), 'hidden row')} included: {listed([str(row) for row in self.rows], 5)}")
        if self.columns:
            said.append(f"{count(len(self.columns), 'hidden column')} included: {listed(self.columns, 5)}")
        return said


SEEN = Hidden()
"""Nothing is hidden."""


CellKinds = Mapping[str, "str | pl.Series"]
"""Column letter → the kind of all its filled cells, or a series of kinds in the order of the rows.

Kinds: ``text``, ``number``, ``date``, ``yes_no``, ``error`` (``#N/A`` and its like), ``uncalculated`` (a formula that
no program has calculated yet).
"""


def letter_of(index: int) -> str:
    """Column letters from an index: 0 is A, 25 is Z, 26 is AA."""
    letters = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        letters = chr(ord("A") + rest) + letters
    return letters


def index_of(letters: str) -> int:
    """The index of column letters: A is 0, AA is 26."""
    place = 0
    for letter in letters.upper():
        place = place * 26 + ord(letter) - ord("A") + 1
    return place - 1


class Grid(Struct, frozen=True):
    """One whole sheet, before the table in it is found.

    Attributes:
        file: the file's name as the user gave it.
        name: the sheet's name; empty for text files.
        cells: String columns A, B, …; blank cells are null.
        kinds: see :data:`CellKinds`.
        lines: the row in the sheet of each row of ``cells`` (the line in a text file), or None for 1, 2, 3 …
        hidden: what people do not see of it.
        remarks: what was noticed on reading, in words.
        ragged: (line, number of columns) for the lines of a text file without ``usual_width`` columns.
        swallowed: (line, number of lines) where a quote in a text file takes further lines into its cell that look like
            rows.
        formats: how cells show their numbers, or None for a text file.
        unquoted: the separator of a text file without quotes and carriage returns: no cell has one of them, a line
            break or the separator. Empty where that is not so, or nobody looked.
    """

    file: str
    name: str
    cells: pl.DataFrame
    kinds: CellKinds
    lines: pl.Series | None = None
    hidden: Hidden = SEEN
    remarks: tuple[str, ...] = ()
    ragged: tuple[tuple[int, int], ...] = ()
    usual_width: int = 0
    swallowed: tuple[tuple[int, int], ...] = ()
    formats: Formats | None = None
    unquoted: str = ""


class Column(Struct, frozen=True):
    """One column of a table: its letter, its heading on one line, and the heading as it is in the cell.

    Where headings have two rows, ``heading`` joins both, and ``lower`` is the lower row alone.
    """

    letter: str
    heading: str
    raw: str = ""
    lower: str = ""


ABOVE = "above the headings left out"
"""In the remark on rows above the headings."""


class Table(Struct, frozen=True):
    """A table found in a sheet.

    Attributes:
        heading_row: the sheet's row with the headings, from 1; 0 if there is none.
        columns: in the order of the sheet; columns without heading and without cells are left out.
        cells: ``ROW`` (UInt32, the row in the sheet) and a String column for each letter; blank rows are left out.
        kinds: see :data:`CellKinds`, in the order of ``cells``.
        remarks: what was left out, in words.
        ragged, usual_width, swallowed, formats, hidden, unquoted: see :class:`Grid`.
        aside: further columns, which are there only to be read: they are handed back with rows, and never loaded.
        looked_up: further columns whose values come from another table (:mod:`kotrel.core.tables.lookups`), under
            letters beyond those of the sheet; ``origins``: each of these letters → the column of the sheet that was
            looked up.
        above: address → text of the filled cells above the headings.
    """

    file: str
    sheet: str
    heading_row: int
    columns: tuple[Column, ...]
    cells: pl.DataFrame
    kinds: CellKinds
    remarks: tuple[str, ...] = ()
    ragged: tuple[tuple[int, int], ...] = ()
    usual_width: int = 0
    swallowed: tuple[tuple[int, int], ...] = ()
    formats: Formats | None = None
    hidden: Hidden = SEEN
    unquoted: str = ""
    aside: tuple[Column, ...] = ()
    looked_up: tuple[Column, ...] = ()
    origins: Mapping[str, str] = field(default_factory=dict)

    @property
    def remarks_below(self) -> tuple[str, ...]:
        """What was left out below the headings: every printed sheet has a title above them."""
        return tuple(remark for remark in self.remarks if ABOVE not in remark)

    above: Mapping[str, str] = field(default_factory=dict)

    @property
    def readable(self) -> tuple[Column, ...]:
        """The columns that a mapping can name."""
        return (*self.columns, *self.looked_up)

    @property
    def every_column(self) -> tuple[Column, ...]:
        """The columns with those aside, in the order of the sheet."""
        return tuple(sorted((*self.columns, *self.aside), key=lambda column: index_of(column.letter)))

    @property
    def origin(self) -> tuple[str, str]:
        """The file and the sheet."""
        return self.file, self.sheet

    @property
    def rows(self) -> int:
        return self.cells.height

    @property
    def first_row(self) -> int:
        return int(self.cells[ROW][0]) if self.rows else 0

    @property
    def last_row(self) -> int:
        return int(self.cells[ROW][-1]) if self.rows else 0

    def only(self, wanted: pl.Series) -> Table:
        """Only the wanted rows of the table (Boolean for each)."""
        kinds = {letter: kind if isinstance(kind, str) else kind.filter(wanted) for letter, kind in self.kinds.items()}
        return replace(self, cells=self.cells.filter(wanted), kinds=kinds)

    def kind_is(self, letter: str, kind: str) -> pl.Series:
        """Boolean for each row: whether the cell in that column is of that kind."""
        kinds = self.kinds.get(letter, "text")
        if isinstance(kinds, str):
            return pl.Series([kinds == kind], dtype=pl.Boolean).new_from_index(0, self.rows)
        return kinds == kind

    def address(self, row: int, letter: str | None) -> str:
        """A cell's address in its file: ``Stock!D17``, or ``line 17, column 4``."""
        letter = self.origins.get(letter or "", letter)
        if row == 0:
            return f"column {letter}" if letter else ""
        if self.sheet:
            return f"{self.sheet}!{letter or ''}{row}" if letter else f"{self.sheet}, row {row}"
        return f"line {row}, column {index_of(letter) + 1}" if letter else f"line {row}"

    def place(self, row: int, letter: str | None) -> str:
        """A cell's address within its sheet, as short as possible: ``D17``, or ``line 17``."""
        letter = self.origins.get(letter or "", letter)
        if self.sheet:
            return f"{letter}{row}" if letter else f"row {row}"
        return f"line {row}"
