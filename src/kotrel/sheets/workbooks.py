"""Workbooks (.xlsx, .xlsm, .xlsb, .xls, .ods) → grids of texts with the kind of each cell."""

from __future__ import annotations

import gc
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from datetime import date, datetime, time, timedelta
from itertools import groupby, islice
from pathlib import Path
from typing import Any

import polars as pl
from python_calamine import CalamineError, CalamineSheet, CalamineWorkbook, SheetTypeEnum, SheetVisibleEnum

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.phrases import count, listed, listed_and
from kotrel.core.tables.reading_limits import USUAL, Limits
from kotrel.core.tables.table import Grid, Hidden, letter_of
from kotrel.sheets.ooxml.archives import damaged, verify
from kotrel.sheets.ooxml.claimed_sizes import require_sane
from kotrel.sheets.ooxml.number_formats import SheetFormats
from kotrel.sheets.ooxml.sheet_xml import SheetMarkup, Special
from kotrel.sheets.ooxml.special_cells import special_cells


def remarks_on(markup: SheetMarkup, merged: Sequence[tuple[int, int]]) -> list[str]:
    """What was noticed in a sheet, in words.

    Args:
        merged: the first cell of each area that is merged downwards.
    """
    remarks: list[str] = []
    if merged:
        what, where = count(len(merged), "cell"), _places(merged)
        remarks.append(
            f"{what} merged over several rows: a text counts for each of them, a number only for the first ({where})"
        )
    if markup.empty:
        who = "a formula" if len(markup.empty) == 1 else f"{len(markup.empty):,} formulas"
        remarks.append(
            f"{who} gave an empty text ({_places(markup.empty)}): if there should be more, open the workbook in a spreadsheet program and save it"
        )
    if markup.unread:
        remarks.append(
            f"{listed_and(markup.unread)} cannot be read, because the styles of the workbook are missing or damaged: codes, "
            "percentages and currencies are read as bare numbers; open it in a spreadsheet program and save it again"
        )
    return remarks


def hidden_in(markup: SheetMarkup, sheet: bool, height: int, width: int) -> Hidden:
    """What is hidden of a sheet.

    Args:
        sheet: whether it is, as a whole.
        height: rows down to the last filled one, as ``width`` for columns: that those beyond are hidden means nothing.
    """
    rows = tuple(row for row in markup.hidden if row <= height)
    places = [place for place in range(width) if any(first <= place <= last for first, last in markup.columns)]
    return Hidden(sheet, rows, tuple(map(letter_of, places)))


def _places(cells: Sequence[tuple[int, int]]) -> str:
    return listed([f"{letter_of(column)}{row + 1}" for row, column in cells], 4)


_BLOCK = 1_000
"""Rows that are made columns at once."""
EXACT = 10**15
"""Whole numbers below this are exact in a spreadsheet; above, digits may be lost."""
SMALLEST = 1e-4
"""Below this, the shortest form of a number has an exponent."""


def read_workbook(path: Path, sheet: str | None = None, limits: Limits = USUAL) -> list[Grid]:
    """The worksheets of a workbook, in its order; chart sheets are left out.

    Raises:
        OutOfReach: it is damaged, cut off, or protected by a password.
        WrongUse: it has no sheet of that name.
    """
    zipped = path.suffix.lower() in (".xlsx", ".xlsm", ".xlsb", ".ods")
    if zipped:
        require_sane(path, limits)
    searched: set[str] = set()
    with ThreadPoolExecutor(max_workers=1) as pool:
        # Unpacking everything once proves the checksums. The search for special cells does so for the sheets it reads.
        others = pool.submit(verify, path, lambda part: not _has_cells(part)) if zipped else None
        grids = _read(path, sheet, searched)
        if others is not None:
            others.result()
            verify(path, lambda part: _has_cells(part) and part not in searched)
        return grids


def _has_cells(part: str) -> bool:
    """True for the parts of an .xlsx or .xlsm archive that are searched where their sheets are read."""
    return "worksheets/" in part and part.endswith(".xml")


def _read(path: Path, sheet: str | None, searched: set[str]) -> list[Grid]:
    try:
        book = CalamineWorkbook.from_path(path)
        about = book.sheets_metadata
        names = [each.name for each in about]
        if sheet is not None:
            name = _require_sheet(path, sheet, names)
            about = [each for each in about if each.name == name]
        # Chart sheets and the like have no cells.
        return [
            _grid(path, book, each.name, each.visible != SheetVisibleEnum.Visible, searched)
            for each in about
            if each.typ == SheetTypeEnum.WorkSheet
        ]
    except BaseException as error:
        # A reader that gives up on a file (a panic) is no fault of ours, but neither a reason to end in a traceback.
        if not isinstance(error, CalamineError | OSError | ValueError) and type(error).__name__ != "PanicException":
            raise
        words = str(error).lower()
        if "password" in words or "encrypt" in words:
            raise OutOfReach(
                f"{path} is protected by a password",
                "Open it in the spreadsheet program and save it without a password.",
                "password-protected",
            ) from None
        raise damaged(path) from None


def _require_sheet(path: Path, sheet: str, names: Sequence[str]) -> str:
    for fits in (sheet.__eq__, lambda name: name.casefold() == sheet.casefold()):
        if found := [name for name in names if fits(name)]:
            return found[0]
    raise WrongUse(f"{path} has no sheet “{sheet}”", f"Its sheets: {', '.join(names)}.", "no-such-sheet")


@contextmanager
def _no_collector() -> Iterator[None]:
    """Turns off Python's garbage collector: millions of cells form no cycles, and it would visit each of them often."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def _grid(path: Path, book: CalamineWorkbook, name: str, hidden: bool, searched: set[str]) -> Grid:
    """One sheet; the part of the archive that was read to its end is added to ``searched``."""
    with ThreadPoolExecutor(max_workers=1) as pool, _no_collector():
        # The reader works outside Python's lock, so searching for special cells meanwhile costs no time.
        looking = pool.submit(special_cells, path, name)
        sheet = book.get_sheet_by_name(name)
        down = [area for area in sheet.merged_cell_ranges or [] if area[1][0] > area[0][0]]
        columns = _columns(sheet, down)
        looked = looking.result()
        searched.add(looked.part)
        special = looked.cells
        by_column: dict[int, dict[int, Special]] = {}
        for (row, column), what in special.items():
            by_column.setdefault(column, {})[row] = what
        cells: list[pl.Series] = []
        kinds: dict[str, str | pl.Series] = {}
        width = max(len(columns), max((place for _, place in special), default=-1) + 1)
        height = max(len(columns[0][0]) if columns else 0, max((row for row, _ in special), default=-1) + 1)
        for place in range(width):
            letter = letter_of(place)
            series, kind = columns[place] if place < len(columns) else (_blanks(0), "text")
            if len(series) < height:
                kind = _put_together([kind, "text"], [len(series), height - len(series)])
                series = pl.concat([series, _blanks(height - len(series))])
            if mine := by_column.get(place):
                series, kind = _with_special(series, kind, mine)
            cells.append(series.alias(letter))
            kinds[letter] = kind
    remarks = remarks_on(looked, [(area[0][0], area[0][1]) for area in down])
    unseen = hidden_in(looked, hidden, height, width)
    formats = SheetFormats(path, name)
    return Grid(str(path), name, pl.DataFrame(cells), kinds, None, unseen, tuple(remarks), formats=formats)


def _columns(sheet: CalamineSheet, down: Sequence[Any]) -> list[tuple[pl.Series, str | pl.Series]]:
    """Each column of a sheet, from A on, as text (blank is null), and its kind or kinds.

    A thousand rows at a time are handed over and made columns while the processor still has them at hand, which takes a
    third of the time of millions of cells at once. What is merged downwards needs whole columns.
    """
    rows = sheet.iter_rows()
    lead = sheet.start[1] if sheet.start else 0
    parts: list[list[tuple[pl.Series, str | pl.Series]]] = []
    while block := list(islice(rows, None if down else _BLOCK)):
        columns: list[Sequence[Any]] = list(zip(*block, strict=True))
        columns = [("",) * len(block)] * lead + columns
        for index, values in enumerate(columns):
            if index == len(parts):
                parts.append([])
            mine = [area for area in down if area[0][1] <= index <= area[1][1]]
            parts[index].append(_part(_filled_down(values, mine)))
    return [_column(column) for column in parts]


def _column(parts: Sequence[tuple[pl.Series, str | pl.Series]]) -> tuple[pl.Series, str | pl.Series]:
    """A column from its parts: numbers become texts here, all at once."""
    texts: list[pl.Series] = []
    kinds: list[str | pl.Series] = []
    for of_numbers, group in groupby(parts, lambda part: part[0].dtype == pl.Float64):
        run = list(group)
        values = pl.concat([series for series, _ in run])
        if of_numbers:
            texts.append(_number_texts(values))
            kinds.append(_kinds_of_numbers(values) if values.null_count() else "number")
        else:
            texts.append(values.set(values == "", None))
            kinds.append(_put_together([kind for _, kind in run], [len(series) for series, _ in run]))
    return pl.concat(texts), _put_together(kinds, [len(series) for series in texts])


def _put_together(kinds: Sequence[str | pl.Series], lengths: Sequence[int]) -> str | pl.Series:
    """The kind or kinds of a column from those of its parts."""
    first = kinds[0] if kinds else "text"
    if isinstance(first, str) and all(isinstance(kind, str) and kind == first for kind in kinds):
        return first
    return pl.concat(
        pl.Series([kind], dtype=pl.String).new_from_index(0, length) if isinstance(kind, str) else kind
        for kind, length in zip(kinds, lengths, strict=True)
    )


def _blanks(count: int) -> pl.Series:
    return pl.Series([None], dtype=pl.String).new_from_index(0, count)


def _filled_down(values: Sequence[Any], areas: Sequence[Any]) -> Sequence[Any]:
    """A column in which the text of a cell that is merged downwards counts for each of its rows.

    A number does not: three rows that share one quantity do not have it each.
    """
    if not areas:
        return values
    filled = list(values)
    for (top, _), (bottom, _) in areas:
        if top < len(filled) and isinstance(filled[top], str) and filled[top]:
            for row in range(top + 1, min(bottom + 1, len(filled))):
                filled[row] = filled[row] or filled[top]
    return filled


def _part(values: Sequence[Any]) -> tuple[pl.Series, str | pl.Series]:
    """A part of a column: as text with its kind or kinds, or as numbers where it has nothing else."""
    types = set(map(type, values))
    if types <= {str}:
        return pl.Series(values, dtype=pl.String), "text"
    if types <= {str, float}:
        numbers = [None if type(value) is str else value for value in values] if str in types else values
        if str not in types or not any(value for value in values if type(value) is str):
            return pl.Series(numbers, dtype=pl.Float64), "number"
    series = pl.Series([_text(value) for value in values], dtype=pl.String)
    return series, pl.Series([_kind(type(value)) for value in values], dtype=pl.String)


def _number_texts(numbers: pl.Series) -> pl.Series:
    """Each number as the shortest decimal that means it."""
    whole = numbers.round(0) == numbers
    # Within these bounds the shortest form has no exponent, and whole numbers are exact.
    plain = (numbers.abs() < EXACT) & ((numbers.abs() >= SMALLEST) | (numbers == 0))
    texts = pl.select(
        pl.when(plain & whole)
        .then(numbers.cast(pl.Int64, strict=False).cast(pl.String))
        .when(plain)
        .then(numbers.cast(pl.String))
    ).to_series()
    rest = (texts.is_null() & numbers.is_not_null()).arg_true()
    found = [_text(numbers[place]) for place in rest]
    return texts.scatter(rest, pl.Series(found, dtype=pl.String)) if len(rest) else texts


def _kinds_of_numbers(numbers: pl.Series) -> pl.Series:
    return pl.select(pl.when(numbers.is_null()).then(pl.lit("text")).otherwise(pl.lit("number"))).to_series()


def _kind(of: type) -> str:
    if of is bool:
        return "yes_no"
    if of in (int, float):
        return "number"
    if of in (date, datetime, time, timedelta):
        return "date"
    return "text"


def _text(value: Any) -> str | None:
    """A cell as text: numbers as the shortest decimal that means them, dates in ISO."""
    kind = type(value)
    if kind is str:
        return str(value) or None
    if kind is float:
        if value.is_integer() and abs(value) < 1e22:
            return str(int(value))
        return repr(value)
    if kind is bool:
        return "TRUE" if value else "FALSE"
    if kind is datetime:
        moment: datetime = value
        return (
            moment.isoformat(sep=" ")
            if (moment.hour, moment.minute, moment.second) != (0, 0, 0)
            else moment.date().isoformat()
        )
    return str(value)


def _with_special(
    series: pl.Series, kind: str | pl.Series, special: Mapping[int, Special]
) -> tuple[pl.Series, pl.Series]:
    """Adds the cells that the reader gives as blank: errors, and formulas that were never calculated."""
    texts = series.to_list()
    kinds = [kind] * len(texts) if isinstance(kind, str) else kind.to_list()
    for row, what in special.items():
        texts[row], kinds[row] = what.text, what.kind
    return pl.Series(texts, dtype=pl.String), pl.Series(kinds, dtype=pl.String)
