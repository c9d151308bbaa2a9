"""Workbooks (.xlsx, .xlsm, .xlsb, .xls, .ods) → grids of texts with the kind of each cell."""

from __future__ import annotations

import gc
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

import polars as pl
from python_calamine import CalamineError, CalamineWorkbook, SheetTypeEnum, SheetVisibleEnum

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.tables.limits import USUAL, Limits
from kotrel.core.tables.table import Grid, letter_of
from kotrel.sheets.archives import damaged, verify
from kotrel.sheets.limits import require_sane
from kotrel.sheets.number_formats import SheetFormats
from kotrel.sheets.sheet_xml import Special
from kotrel.sheets.special_cells import special_cells

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
    with ThreadPoolExecutor(max_workers=1) as pool:
        # Unpacking everything once to prove the checksums costs no time beside reading.
        verified = pool.submit(verify, path) if zipped else None
        grids = _read(path, sheet)
        if verified is not None:
            verified.result()
        return grids


def _read(path: Path, sheet: str | None) -> list[Grid]:
    try:
        book = CalamineWorkbook.from_path(path)
        about = book.sheets_metadata
        names = [each.name for each in about]
        if sheet is not None:
            name = _named(path, sheet, names)
            about = [each for each in about if each.name == name]
        # Chart sheets and the like have no cells.
        return [
            _grid(path, book, each.name, each.visible != SheetVisibleEnum.Visible)
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


def _named(path: Path, sheet: str, names: Sequence[str]) -> str:
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


def _grid(path: Path, book: CalamineWorkbook, name: str, hidden: bool) -> Grid:
    with ThreadPoolExecutor(max_workers=1) as pool, _no_collector():
        # The reader works outside Python's lock, so searching for special cells meanwhile costs no time.
        looking = pool.submit(special_cells, path, name)
        sheet = book.get_sheet_by_name(name)
        rows = sheet.to_python(skip_empty_area=False)
        down = [area for area in sheet.merged_cell_ranges or [] if area[1][0] > area[0][0]]
        columns = list(zip(*rows, strict=True)) if rows else []
        del rows
        found = looking.result()
        special = found.cells
        by_column: dict[int, dict[int, Special]] = {}
        for (row, column), what in special.items():
            by_column.setdefault(column, {})[row] = what
        cells: list[pl.Series] = []
        kinds: dict[str, str | pl.Series] = {}
        width = max(len(columns), max((place for _, place in special), default=-1) + 1)
        height = max(len(columns[0]) if columns else 0, max((row for row, _ in special), default=-1) + 1)
        for place in range(width):
            letter = letter_of(place)
            values: Sequence[Any] = columns[place] if place < len(columns) else ()
            values = _filled_down(values, [area for area in down if area[0][1] <= place <= area[1][1]])
            if len(values) < height:
                values = (*values, *[""] * (height - len(values)))
            series, kind = _column(values)
            if mine := by_column.get(place):
                series, kind = _with_special(series, kind, mine)
            cells.append(series.alias(letter))
            kinds[letter] = kind
    remarks = ["the sheet is hidden"] if hidden else []
    if path.suffix.lower() == ".xlsb":
        remarks.append("errors such as #N/A look like blanks in an .xlsb workbook: check for them, or save it as .xlsx")
    if down:
        where = ", ".join(f"{letter_of(area[0][1])}{area[0][0] + 1}" for area in down[:4]) + (
            " …" if len(down) > 4 else ""
        )
        remarks.append(
            f"{len(down)} cell{'s' if len(down) > 1 else ''} merged over several rows: a text counts for each of them, a number only for the first ({where})"
        )
    if found.hidden:
        few = ", ".join(map(str, found.hidden[:5])) + (" …" if len(found.hidden) > 5 else "")
        remarks.append(f"{len(found.hidden)} hidden row{'s' if len(found.hidden) > 1 else ''} included: {few}")
    formats = SheetFormats(path, name)
    return Grid(str(path), name, pl.DataFrame(cells), kinds, None, hidden, tuple(remarks), formats=formats)


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


def _column(values: Sequence[Any]) -> tuple[pl.Series, str | pl.Series]:
    """One column as text (blank is null), and its kind or kinds."""
    types = set(map(type, values))
    if types <= {str}:
        series = pl.Series(values, dtype=pl.String)
        return series.set(series == "", None), "text"
    if types <= {str, float, int}:
        return _numbers(values)
    series = pl.Series([_text(value) for value in values], dtype=pl.String)
    return series, pl.Series([_kind(type(value)) for value in values], dtype=pl.String)


def _numbers(values: Sequence[Any]) -> tuple[pl.Series, pl.Series]:
    """A column of numbers with some texts among them: the numbers at once, the texts one by one."""
    numbers = pl.Series(values, dtype=pl.Float64, strict=False)
    numbers = numbers.set(pl.Series([type(value) is str for value in values]), None)
    whole = numbers.round(0) == numbers
    # Within these bounds the shortest form has no exponent, and whole numbers are exact.
    plain = (numbers.abs() < EXACT) & ((numbers.abs() >= SMALLEST) | (numbers == 0))
    texts = pl.select(
        pl.when(plain & whole)
        .then(numbers.cast(pl.Int64, strict=False).cast(pl.String))
        .when(plain)
        .then(numbers.cast(pl.String))
    ).to_series()
    rest = texts.is_null().arg_true()
    found = [_text(values[place]) for place in rest]
    texts = texts.scatter(rest, pl.Series(found, dtype=pl.String)) if len(rest) else texts
    kinds = pl.select(pl.when(numbers.is_null()).then(pl.lit("text")).otherwise(pl.lit("number"))).to_series()
    return texts, kinds


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
