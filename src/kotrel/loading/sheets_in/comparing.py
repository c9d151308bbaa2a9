"""Two files → what differs between them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from datetime import date
from pathlib import Path

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.changes.comparison import TableDifference, compare_tables, in_percent
from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.errors import KotrelError, OutOfReach, WrongUse
from kotrel.core.phrases import count, listed, listed_and
from kotrel.core.resolving.repairing import repair
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import did_you_mean, folded
from kotrel.core.tables.table import Table
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.comparable import Comparable, by_heading, by_record
from kotrel.loading.sheets_in.sheet_reading import Understood, tables_in, understand_file
from kotrel.systems.interface import Step
from kotrel.workspace.settings import Workspace

_COMPARED = ("unknown-heading", "no-heading", "hidden-sheet", "hidden-row", "hidden-column")
"""Findings on columns and rows that a load would leave out, or that nobody sees: they are compared as all others."""


class SheetComparison(Struct, frozen=True):
    """One sheet of each file, or all sheets of one record, compared.

    Attributes:
        sheets: the sheets of the old and of the new file.
        titles: column → how people know it.
        record: None where they were compared by heading.
        repeated: keys that one of the sheets has more than once: ``where``, ``key``, and in ``rows`` the words that name
            the rows.
    """

    sheets: tuple[tuple[str, ...], tuple[str, ...]]
    difference: TableDifference
    titles: Mapping[str, str]
    record: Record | None
    repeated: pl.DataFrame

    @property
    def name(self) -> str:
        """The record, or the sheet as the new file has it."""
        return self.record.name if self.record else self.sheets[1][0]

    @property
    def percent(self) -> pl.Series:
        """By how many per cent each changed value is another number (see :func:`in_percent`)."""
        fields = self.record.fields if self.record else None
        numbers = None if fields is None else [name for name, field in fields.items() if field.is_decimal]
        return in_percent(self.difference.changed, numbers)

    @property
    def left_out(self) -> list[str]:
        """The columns that only one of the files has, and rows that cannot be found again, in words."""
        said = []
        if (pairs := self.difference.otherwise).height:
            keys = listed([f"{new} is {old}" for old, new in pairs.iter_rows()], 4)
            said.append(f"{count(pairs.height, 'key')} written in another way in the new sheet: {keys}")
        without = [
            f"{count(there, 'row')} of the {where} sheet"
            for rows, where in ((self.difference.gone, "old"), (self.difference.added, "new"))
            if (there := rows.filter(pl.any_horizontal(pl.col(self.difference.key).is_null())).height)
        ]
        if without:
            key = listed_and([self.titles.get(name, name) for name in self.difference.key])
            said.append(f"without {key}, so they cannot be compared: {listed_and(without)}")
        for where in ("old", "new"):
            if (twice := self.repeated.filter(pl.col("where") == where)).height:
                keys = listed([f"{key} ({rows})" for key, rows in twice.select("key", "rows").iter_rows()], 6)
                said.append(f"more than once in the {where} sheet and not compared: {keys}")
        for names, where in ((self.difference.only_old, "old"), (self.difference.only_new, "new")):
            if names:
                titles = [self.titles.get(name, name) for name in names]
                said.append(f"only in the {where} sheet and not compared: {listed(titles, 6)}")
        return said


class Compared(Struct, frozen=True):
    """Two compared files; ``remarks`` say what was left out, in words."""

    old: Path
    new: Path
    parts: tuple[SheetComparison, ...]
    remarks: tuple[str, ...]

    @property
    def left_out(self) -> list[str]:
        """The remarks, and the columns that only one of the files has."""
        several = len(self.parts) > 1
        own = [f"{part.name}: {said}" if several else said for part in self.parts for said in part.left_out]
        return [*self.remarks, *own]


def compare_files(
    old: Path, new: Path, key: str | None, workspace: Workspace | None, wanted: FileOptions, today: date, step: Step
) -> Compared:
    """Compares all sheets of two files: as rows of a record if both are recognised as the same one, otherwise by
    heading.

    Raises:
        WrongUse: no key was named and none can be found.
    """
    files = (old, new)
    understood = _understood(files, workspace, wanted, today, step) if workspace is not None else None
    compared = _by_record(files, understood, key) if understood is not None else None
    if compared is None:
        step("reading both")
        compared = _by_heading(files, key, wanted)
    return compared


def _understood(
    files: tuple[Path, Path], workspace: Workspace, wanted: FileOptions, today: date, step: Step
) -> list[list[Understood]] | None:
    """Both files as rows of records, or None where one of them fits none."""
    try:
        understood = [understand_file(path, workspace, wanted, today, step) for path in files]
    except KotrelError:
        if wanted.record or wanted.map_name:
            raise
        return None
    return _with_codes(understood, workspace)


def _with_codes(understood: list[list[Understood]], workspace: Workspace) -> list[list[Understood]]:
    """The rows with codes where a cell has a name or another spelling, as a preview reads them:
    two spellings are no change.
    """
    try:
        with workspace.system().reading() as reading:
            state = SystemState(workspace.description, reading.read)
            spellings = workspace.conventions.spellings
            return [[replace(each, rows=repair(each.rows, state, spellings)) for each in file] for file in understood]
    except OutOfReach:
        # Two files can be compared without the system; then a name and its code are two texts.
        return understood


def _not_in_other(path: Path, mine: Mapping[str, tuple[Record, Comparable]], others: Collection[str]) -> list[str]:
    return [
        f"{path.name}: {_sheets(part.sheets)} as {name}, which the other file has not, is not compared"
        for name, (_, part) in mine.items()
        if name not in others
    ]


def _left_out(records: Sequence[str], parts: Sequence[SheetComparison]) -> list[str]:
    compared = {part.record.name for part in parts if part.record is not None}
    return [name for name in records if name not in compared]


def _compared(record: Record, first: Comparable, second: Comparable, key: str | None) -> SheetComparison | None:
    """The rows of a record in two files; None where neither has a column of that name."""
    columns = record.key if key is None else _named_key(record, key, first, second)
    return None if columns is None else _part(first, second, columns, record)


def _have_keys(understood: Sequence[Sequence[Understood]], records: Collection[str]) -> bool:
    """Whether every sheet with rows of these records has their key."""
    return all(each.rows.has_key for file in understood for each in file if each.rows.record.name in records)


def _by_record(files: tuple[Path, Path], understood: list[list[Understood]], key: str | None) -> Compared | None:
    """None where the files have no record in common, or a sheet lacks its key,
    or the key is in none of them as a field.
    """
    old, new = (by_record(each) for each in understood)
    shared = [name for name in old if name in new]
    if not shared or not _have_keys(understood, shared):
        return None
    # Where a mapping makes the codes, they are not in the sheet.
    if key is None and any(_is_blank(each, each[0].key) for name in shared for each in (old[name], new[name])):
        return None
    compared = (_compared(*old[name], new[name][1], key) for name in shared)
    parts = [each for each in compared if each is not None]
    if not parts:
        return None
    remarks = _of_files(files, [_remarks(each) for each in understood])
    remarks += [*_not_in_other(files[0], old, new), *_not_in_other(files[1], new, old)]
    remarks += [f"as {name}, nothing has “{key}”: it is not compared" for name in _left_out(shared, parts)]
    return Compared(*files, tuple(parts), tuple(dict.fromkeys(remarks)))


def _is_blank(side: tuple[Record, Comparable], key: Sequence[str]) -> bool:
    return any(side[1].rows[name].null_count() == side[1].rows.height for name in key)


def _of_files(files: tuple[Path, Path], said: Sequence[Sequence[str]]) -> list[str]:
    """What is said of the old and of the new file; once where it is said of both."""
    both = [remark for remark in dict.fromkeys(said[0]) if remark in said[1]]
    file_remarks = [
        f"{path.name}: {remark}"
        for path, mine in zip(files, said, strict=True)
        for remark in mine
        if remark not in both
    ]
    return [*(f"both: {remark}" for remark in both), *file_remarks]


def _remarks(understood: Sequence[Understood]) -> list[str]:
    """What of a file is not compared, or may stand in the wrong place."""
    remarks: list[str] = []
    for part in understood:
        remarks += part.rows.table.remarks
        for group in part.rows.findings:
            if group.field is None and group.kind not in _COMPARED:
                more = f" ({count(group.cells.height - 1, 'more line')} like it)" if group.cells.height > 1 else ""
                place = part.rows.table.address(int(group.cells[ROW][0]), None)
                remarks.append(f"{f'{place}: ' if place else ''}{group.cells['message'][0]}{more}")
    return remarks


def _named_key(record: Record, key: str, first: Comparable, second: Comparable) -> tuple[str, ...] | None:
    """The column that the user means: a field by its name or title, or a heading of both; None where it is neither."""
    asked = folded(key)
    names = [name for name, field in record.fields.items() if asked in (folded(name), folded(field.title))]
    names += [each.headings[asked] for each in (first, second) if asked in each.headings]
    return next(((name,) for name in names if name in first.rows.columns and name in second.rows.columns), None)


def _pairs(old: Sequence[Table], new: Sequence[Table]) -> list[tuple[Table, Table]]:
    """The sheets of one name, and where each file has one more, those two."""
    pairs = [(each, other) for each in old for other in new if folded(each.sheet) == folded(other.sheet)]
    lone_old = [table for table in old if table.sheet not in {first.sheet for first, _ in pairs}]
    lone_new = [table for table in new if table.sheet not in {second.sheet for _, second in pairs}]
    if len(lone_old) == len(lone_new) == 1:
        pairs.append((lone_old[0], lone_new[0]))
    return pairs


def _by_heading(files: tuple[Path, Path], key: str | None, wanted: FileOptions) -> Compared:
    """Sheets of the same name, and the only other one of each file."""
    old, new = (tables_in(path, wanted) for path in files)
    pairs = _pairs(old, new)
    if not pairs:
        raise WrongUse(
            f"{files[0]} has {_sheets([each.sheet for each in old])}, {files[1]} has {_sheets([each.sheet for each in new])}",
            "Give the sheets to compare the same name.",
            "no-such-sheet",
        )
    said: tuple[list[str], list[str]] = ([], [])
    for index, tables in enumerate((old, new)):
        read = [pair[index].sheet for pair in pairs]
        for table in tables:
            left = f"{_sheets([table.sheet])}, which the other file has not, is not compared"
            said[index].extend(table.remarks if table.sheet in read else [left])
    remarks = _of_files(files, said)
    parts: list[SheetComparison] = []
    trouble: list[WrongUse] = []
    for one, other in pairs:
        first, second = by_heading(one), by_heading(other)
        try:
            parts.append(_part(first, second, (_key_column(key, first, second),), None))
        except WrongUse as error:
            trouble.append(error)
            remarks.append(f"{_sheets([one.sheet])} is not compared: {error.message}")
    if not parts:
        raise trouble[0]
    return Compared(*files, tuple(parts), tuple(remarks))


def _part(first: Comparable, second: Comparable, key: tuple[str, ...], record: Record | None) -> SheetComparison:
    barcodes = [name for name, field in record.fields.items() if field.check == "gtin"] if record else []
    difference = compare_tables(first.rows, second.rows, key, barcodes)
    rows = [
        _rows_in(first if where == "old" else second, places)
        for where, places in difference.repeated.select("where", "places").iter_rows()
    ]
    repeated = difference.repeated.select("where", "key", pl.Series("rows", rows, pl.String))
    return SheetComparison((first.sheets, second.sheets), difference, first.titles | second.titles, record, repeated)


def _rows_in(side: Comparable, places: Sequence[int]) -> str:
    """Rows by their numbers, and by their sheets where there are several: ``rows 8 and 9``."""
    found = side.places[list(places)]
    names = [f"{f'{sheet}!' if len(side.sheets) > 1 else ''}{row}" for sheet, row in found.iter_rows()]
    return f"rows {listed_and(names)}" if len(names) <= 4 else f"{len(names)} rows, the first in row {names[0]}"


def _sheets(names: Sequence[str]) -> str:
    if not any(names):
        return "a text file's rows"
    return f"sheet{'s' if len(names) > 1 else ''} {listed_and([f'“{name}”' for name in names])}"


def _key_column(key: str | None, first: Comparable, second: Comparable) -> str:
    shared = [name for name in first.rows.columns if name in second.rows.columns]
    if key is not None:
        if folded(key) in shared:
            return folded(key)
        raise WrongUse(
            f"the sheets have no column “{key}” in common",
            did_you_mean(key, [first.titles[name] for name in shared], _shared_columns(first, shared)),
            "no-such-field",
        )
    for name in shared:
        frames = (first.rows, second.rows)
        if all(frame[name].null_count() == 0 and frame[name].n_unique() == frame.height for frame in frames):
            return name
    raise WrongUse(
        "no column in both sheets is filled and different in every row",
        f"{_shared_columns(first, shared)} Name the one that identifies a row: --key HEADING",
        "no-key-column",
    )


def _shared_columns(side: Comparable, shared: Sequence[str]) -> str:
    """Which columns both sheets have, and what to do where the same column has two headings."""
    both = (
        f"Both have {listed_and([f'“{side.titles[name]}”' for name in shared])}."
        if shared
        else "They share no heading."
    )
    return f"{both} If a heading differs, say of both files which column is which: kotrel map FILE RECORD."
