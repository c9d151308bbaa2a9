"""Sources: where a field's values come from, such as a column, several columns, a fixed value or an expression."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Literal

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.similarity import folded
from kotrel.core.tables.as_shown import as_shown, cells_as_shown
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.same_writing import form_of


class PriceUnit(Struct, frozen=True):
    """For how many an amount is: the same in every row, or what a column says.

    Attributes:
        number: the same in every row, else None.
        letter: the column that says it.
        words: what the column's cells mean that are no numbers (by their form).
        default: for blank cells; None where that is an error.
    """

    number: Decimal | None = None
    letter: str = ""
    words: Mapping[str, Decimal] = field(default_factory=dict)
    default: Decimal | None = None


class Source(Struct, frozen=True):
    """Where one field's values come from. Columns are letters of the table.

    Attributes:
        columns: one column; several where they are joined or make a list.
        between: the text between joined columns, or None for a single column.
        parts: the columns are the parts of a list.
        last: use the last filled one of several columns (levels of a path).
        pattern: a pattern with parts in braces, like ``{diameter} mm / {length} m``; ``part`` is the one used.
        found_by: fields of the record referred to, one for each column: the row there that has these values is meant.
        translate: the form of the cell's text → what it means.
        fixed: the same value in every row.
        default: the value where the cell is blank.
        default_by: a field; ``defaults`` has the value for blank cells for each of its values.
        of_record, of_field: the record and field whose value in the same row of the sheet is used, made codes too.
        make: an expression that makes the value.
        for_all: whether defaults and made values are for existing rows too, not only for new ones.
        rounding: how numbers are rounded, ``as shown`` or to a number of decimals; an empty text for what the settings
            say.
        cell: the address of the cell above the headings that ``fixed`` comes from, or an empty text.
        per: for how many an amount is, where that is not one.
        fill_down: a blank cell has what stands in the nearest filled one above it.
        how: what a list does to the existing list: ``replace`` it, ``add`` to it, or ``take`` from it.
    """

    columns: tuple[str, ...] = ()
    between: str | None = None
    parts: bool = False
    last: bool = False
    pattern: str | None = None
    part: str | None = None
    found_by: tuple[str, ...] = ()
    translate: Mapping[str, str] = field(default_factory=dict)
    fixed: str | None = None
    default: str | None = None
    default_by: str | None = None
    defaults: Mapping[str, str] = field(default_factory=dict)
    of_record: str | None = None
    of_field: str | None = None
    make: str | None = None
    for_all: bool = False
    how: Literal["replace", "add", "take"] = "replace"
    rounding: str = ""
    cell: str = ""
    per: PriceUnit | None = None
    fill_down: bool = False

    @property
    def letter(self) -> str | None:
        """The first column: where findings on the field are shown."""
        return self.columns[0] if self.columns else None

    @property
    def is_plain(self) -> bool:
        """True where the cells of one column are used as they are, so that their kinds matter."""
        return len(self.columns) == 1 and self.pattern is None and not self.translate and not self.last


def raw_values(table: Table, source: Source) -> pl.Series:
    """The values of a field before tidying, as texts; blank is null.
    What is not used as it is, is read as people see it.
    """
    if source.fill_down:
        values = raw_values(table, replace(source, fill_down=False))
        return values.set(values.str.strip_chars() == "", None).fill_null(strategy="forward")
    if not source.columns:
        return pl.Series([source.fixed], dtype=pl.String).new_from_index(0, table.rows)
    if source.last:
        levels = [_blank_as_null(pl.col(letter)) for letter in reversed(source.columns)]
        values = cells_as_shown(table, source.columns).select(pl.coalesce(levels)).to_series()
        return values.replace(_translations(values, source)) if source.translate else values
    if len(source.columns) > 1:
        return _put_together(table, source)
    if source.is_plain:
        return table.cells[source.columns[0]]
    values = as_shown(table, source.columns[0])
    if source.pattern is not None:
        values = values.str.extract(part_pattern(source.pattern, source.part or ""))
    if not source.translate:
        return values
    if source.pattern is None:
        # A number may be meant as it is shown or as it is held.
        held = table.cells[source.columns[0]]
        known = values.is_in(list(_translations(values, source)))
        values = values.zip_with(known | ~held.is_in(list(_translations(held, source))), held)
    return values.replace(_translations(values, source))


def _put_together(table: Table, source: Source) -> pl.Series:
    """What several columns hold as one value. Of a list, each part is translated; of a text, the whole."""
    cells = cells_as_shown(table, source.columns).select(_blank_as_null(pl.col(letter)) for letter in source.columns)
    if source.translate and source.parts:
        cells = cells.select(column.replace(_translations(column, source)) for column in cells)
    between = source.between if source.between is not None else "; "
    joined = cells.select(pl.concat_str(pl.all(), separator=between, ignore_nulls=True)).to_series()
    joined = joined.set(joined == "", None)
    return joined.replace(_translations(joined, source)) if source.translate and not source.parts else joined


def _translations(values: pl.Series, source: Source) -> dict[str, str | None]:
    """Value → what it is translated into, for those that are. What is translated into nothing is blank."""
    distinct = values.unique().drop_nulls().to_list()
    return {value: source.translate[form_of(value)] or None for value in distinct if form_of(value) in source.translate}


def _blank_as_null(column: pl.Expr) -> pl.Expr:
    stripped = column.str.strip_chars()
    return pl.when(stripped != "").then(stripped)


def part_pattern(pattern: str, part: str) -> str:
    """A pattern of named parts → a regular expression that extracts one of them.

    A space matches any number of spaces; a part matches as little as possible.

    Raises:
        ValueError: the pattern does not have the part.
    """
    pieces = re.split(r"\{(\w+)\}", pattern.strip())
    names = pieces[1::2]
    if part not in names:
        raise ValueError(f"the pattern has no part {{{part}}}; its parts are: {', '.join(names) or 'none'}")
    out = ["^\\s*"]
    for index, piece in enumerate(pieces):
        if index % 2:
            out.append("(.+?)" if piece == part else "(?:.+?)")
        else:
            out.append("\\s*".join(re.escape(word) for word in re.split(r"\s+", piece)))
    return "".join(out) + "\\s*$"


def parts_of_pattern(pattern: str) -> re.Pattern[str]:
    """A pattern such as ``{when} {outcome} {key}: {message}`` → a regular expression with these parts as its groups.

    Raises:
        ValueError: it has no part, or one twice.
    """
    pieces = re.split(r"\{(\w+)\}", pattern.strip())
    names = pieces[1::2]
    if not names or len(set(names)) < len(names):
        raise ValueError("a pattern has parts in braces, each once")
    out = ["^\\s*"]
    for index, piece in enumerate(pieces):
        out.append(
            f"(?P<{piece}>.+?)" if index % 2 else "\\s+".join(re.escape(word) for word in re.split(r"\s+", piece))
        )
    return re.compile("".join(out) + "\\s*$")


def columns_named(columns: Sequence[Column], name: str) -> list[Column]:
    """The columns with a heading, or the one with a letter written like ``=C``."""
    if re.fullmatch(r"=[A-Za-z]{1,3}", name):
        return [column for column in columns if column.letter == name[1:].upper()]
    return [column for column in columns if folded(column.heading) == folded(name)]


def letters_by_heading(columns: Sequence[Column]) -> dict[str, tuple[str, ...]]:
    """What an expression may call a column, its heading (folded) or its letter like ``=C`` → the letters
    that this means.
    """
    found: dict[str, tuple[str, ...]] = {f"={column.letter}": (column.letter,) for column in columns}
    for column in columns:
        if word := folded(column.heading):
            found[word] = (*found.get(word, ()), column.letter)
    return found
