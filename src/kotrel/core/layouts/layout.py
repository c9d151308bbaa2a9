"""What a layout says: the form of the file, and what stands in each of its columns."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import Literal

from msgspec import Struct
from msgspec import field as filled

from kotrel.core.tables.table import letter_of

SOURCES = ("field", "fixed", "action", "make", "price_of", "stock_in", "reference", "empty")
"""What a column can be filled from, by the names of its settings; a column that is open has none of them."""


class LayoutColumn(Struct, frozen=True):
    """One column of an upload file. Exactly one of the sources is set; with none, the column stays empty.

    Attributes:
        field: a field of the record.
        fixed: the same word in every row.
        action: what happens to the row (``new``, ``changed``, ``same``, ``withdrawn``) → the word for it.
        reference: True for what names the upload: the program's answer names it again.
        make: an expression over the record's fields; ``made_from`` are those that it reads.
        price_of: a price list: the price in force for one base unit.
        stock_in: a warehouse, or ``all``: what is on hand there.
        at_most: the greatest number that is written.
        name: True to write the name of a code instead of the code.
        decimals: exactly so many, or None for the layout's.
        length: the most characters that the program takes.
        words: a value → the program's word for it.
        must: True where it must not be blank.
        place: which column of the file it is, from 1.
        cell: what its cells are in a workbook.
    """

    heading: str
    field: str | None = None
    fixed: str | None = None
    action: Mapping[str, str] = filled(default_factory=dict)
    make: str | None = None
    made_from: tuple[str, ...] = ()
    price_of: str | None = None
    stock_in: str | None = None
    at_most: Decimal | None = None
    name: bool = False
    decimals: int | None = None
    length: int | None = None
    words: Mapping[str, str] = filled(default_factory=dict)
    must: bool = False
    reference: bool = False
    place: int = 0
    cell: Literal["text", "number", "date"] = "text"

    @property
    def called(self) -> str:
        """How messages call it: its heading, or its letter where it has none."""
        return self.heading.strip() or f"column {letter_of(max(self.place - 1, 0))}"


class Layout(Struct, frozen=True):
    """A whole layout.

    Attributes:
        kind: ``text`` or ``workbook``.
        above: lines above the headings, such as a version, as long as they are.
        below: lines between the headings and the rows, such as types.
        updates: ``whole``: every column of every row; ``changed``: of rows that exist only the key, what changes, and
            what belongs together with it.
        cleared: with ``changed``, what stands where a value is taken away; None where that cannot be told.
        date: the form of dates, with DD, MM, YYYY or YY.
        yes, no: the program's words.
        blank: what stands where there is no value.
        most_rows: the most rows of one file; more go into numbered files.
        template: the other program's own workbook, of which a copy is filled; relative to the workspace, or empty.
        file_ending: of a text file, such as ``txt``.
        book: the workbook that this is one sheet of: layouts with the same book are written into one file. Empty for
            its own file.
    """

    name: str
    record: str
    columns: tuple[LayoutColumn, ...]
    kind: Literal["text", "workbook"] = "text"
    title: str = ""
    headings: bool = True
    above: tuple[tuple[str, ...], ...] = ()
    below: tuple[tuple[str, ...], ...] = ()
    separator: str = ","
    quotes: Literal["needed", "all", "none"] = "needed"
    encoding: str = "utf-8"
    line_end: Literal["\r\n", "\n", "\r"] = "\r\n"
    decimal_mark: Literal[".", ","] = "."
    decimals: int | None = None
    date: str = "YYYY-MM-DD"
    yes: str = "yes"
    no: str = "no"
    blank: str = ""
    one_line: bool = False
    sheet: str = "Sheet1"
    most_rows: int | None = None
    book: str = ""
    template: str = ""
    file_ending: str = "csv"
    updates: Literal["whole", "changed"] = "whole"
    cleared: str | None = None

    @property
    def file(self) -> str:
        """What the file is called after: the book, or the layout itself."""
        return self.book or self.name

    @property
    def ending(self) -> str:
        if self.kind == "text":
            return self.file_ending
        return "xlsm" if self.template.lower().endswith(".xlsm") else "xlsx"

    @property
    def withdraws(self) -> str:
        """How a row that was new is taken back: ``withdrawn`` by its own word, ``archived`` by that field,
        or an empty text.
        """
        if any("withdrawn" in column.action for column in self.columns):
            return "withdrawn"
        return "archived" if "archived" in self.fields else ""

    @property
    def uses(self) -> frozenset[str]:
        """The fields whose values come into the file, also by way of an expression."""
        return frozenset(self.fields).union(*(column.made_from for column in self.columns))

    @property
    def fields(self) -> tuple[str, ...]:
        """The fields that its columns name, in their order."""
        return tuple(dict.fromkeys(column.field for column in self.columns if column.field is not None))
