"""A sheet and a record → a proposed mapping, saved for people to edit."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Record
from kotrel.core.documents.families import is_flat, readable_records
from kotrel.core.errors import WrongUse
from kotrel.core.matching.heading_units import conversions_of, proposed_units
from kotrel.core.matching.price_list_habits import NONE, Habits, habits_of
from kotrel.core.matching.proposing import OWN, UNSURE, Proposal, propose
from kotrel.core.matching.quantity_breaks import break_said
from kotrel.core.matching.wide_sheets import VALUES, Wide, find_breaks, find_groups, find_pairs, find_wide
from kotrel.core.tables.table import Column, Table
from kotrel.loading.file_options import FileOptions, record_named
from kotrel.loading.list_reading import names_of
from kotrel.loading.sheets_in.sheet_reading import tables_in
from kotrel.screen.command_lines import quoted
from kotrel.systems.interface import Step
from kotrel.workspace.mapping_reading import FOLDER, READ_BY, with_sheet_records
from kotrel.workspace.mapping_writing import write_map
from kotrel.workspace.settings import Workspace, made_file_name
from kotrel.workspace.used_settings import remember_used


class Mapped(Struct, frozen=True):
    """A proposed mapping and where it was saved; ``others`` are the sheets with rows that it was not made from.

    Attributes:
        fresh: it was saved just now; else it was there before.
        tables: all sheets of the file.
    """

    table: Table
    record: Record
    proposals: tuple[Proposal, ...]
    left: tuple[Column, ...]
    missing: tuple[str, ...]
    path: Path
    wide: Wide | None = None
    others: tuple[str, ...] = ()
    habits: Habits = NONE
    fresh: bool = True
    tables: tuple[Table, ...] = ()

    @property
    def next(self) -> str:
        """The command that reads the sheet."""
        if self.record.name in READ_BY:
            return f"{READ_BY[self.record.name].replace('FILE', quoted([self.table.file]))} --map {self.path.stem}"
        # One that is called otherwise than the file may not be the only one that fits.
        found = self.table.heading_row and self.path.stem in _usual_names(self.table)
        return f"kotrel check {quoted([self.table.file])}" + ("" if found else f" --map {self.path.stem}")


def _usual_names(table: Table) -> tuple[str, str]:
    """What a mapping is called where nobody names it: for the file, and for this sheet of it."""
    stem = Path(table.file).stem
    whole = made_file_name(stem, "mapping")
    return whole, made_file_name(f"{stem}-{table.sheet}", "mapping") if table.sheet else whole


def _names_of_filled(tables: Sequence[Table]) -> list[str]:
    return [each.sheet for each in tables if each.rows]


def _drop_used(columns: Sequence[Column], used: Collection[Column]) -> list[Column]:
    return [column for column in columns if column not in used]


def _drop_proposals(proposals: Sequence[Proposal], used: Collection[Proposal]) -> list[Proposal]:
    return [each for each in proposals if each not in used]


def _in_order(columns: Iterable[Column]) -> list[Column]:
    return sorted(columns, key=lambda each: (len(each.letter), each.letter))


def map_file(
    path: Path,
    record_name: str,
    name: str | None,
    workspace: Workspace,
    wanted: FileOptions,
    step: Step,
    go_on: bool = False,
) -> Mapped:
    """Proposes a mapping for the sheet that fits best, and saves it.

    Args:
        go_on: a mapping that is there already is gone on with: it stays as it is.

    Raises:
        WrongUse: a mapping with that name exists, or nothing in the sheet fits.
    """
    description = with_sheet_records(workspace.description)
    record = record_named(description if record_name in READ_BY else workspace.description, record_name)
    record = readable_records(description).get(record.name, record)
    step(f"reading {path.name}")
    tables = tables_in(path, replace(wanted, limits=workspace.limits))
    step("looking at its columns")
    with workspace.system().reading() as reading:
        names = names_of(workspace, reading)
        table, proposals, left = fitting_table(tables, record, names)
        proposals, left, wide = _laid_out_wide(table, record, proposals, left, names)
        headings = [(each.field, each.column.heading) for each in proposals]
        units, converted = proposed_units(record, headings, names), conversions_of(record, headings, names)
    others = [each for each in tables if each is not table]
    habits = replace(habits_of(table, record, proposals, left, others), units=units, converted=converted)
    left = _drop_used(left, habits.columns)
    if not proposals:
        raise WrongUse(
            f"nothing in {path} looks like {record.title.lower()} rows",
            f"kotrel inspect {quoted([path])} shows what is in it.",
            "nothing-recognised",
        )
    # Each sheet that is named has its own mapping.
    saved_name = made_file_name(name, "mapping") if name else _usual_names(table)[1 if wanted.sheet else 0]
    saved = workspace.folder / FOLDER / f"{saved_name}.toml"
    reading_as = {
        "heading_row": wanted.heading_row,
        "sheet": table.sheet if wanted.sheet else None,
        "encoding": wanted.encoding,
    }
    fresh = not (go_on and saved.is_file())
    if fresh:
        write_map(saved, record, str(path), proposals, left, reading_as, wide, habits)
        remember_used(workspace.hidden, f"{FOLDER}/{saved.name}", path)
    fed = [*(each.field.name for each in proposals), *_also_fed(wide, habits)]
    others_read = tuple(_names_of_filled(others))
    return Mapped(
        table,
        record,
        tuple(proposals),
        tuple(left),
        tuple(_missing_fields(record, fed)),
        saved,
        wide,
        others_read,
        habits,
        fresh,
        tuple(tables),
    )


def _also_fed(wide: Wide | None, habits: Habits) -> list[str]:
    """The fields that something else than one column feeds."""
    fed = [wide.by.name, *(each.field.name for each in wide.values)] if wide is not None else []
    fed += [habits.day[0]] if habits.day is not None else []
    fed += [each.beside for each in habits.converted.values()]
    return fed + [name for name, *_ in habits.units]


def _laid_out_wide(
    table: Table, record: Record, proposals: list[Proposal], left: list[Column], names: Callable[[str], ListNames]
) -> tuple[list[Proposal], list[Column], Wide | None]:
    """The proposals and what is left over beside columns that are there for each row of a list, and these."""
    if (grouped := _in_groups(table, record, proposals, names)) is not None:
        return grouped
    columned = (
        _by_pairs(table, record, proposals)
        or _by_breaks(record, proposals, left)
        or _by_codes(record, proposals, left, names)
    )
    if columned is None:
        return proposals, left, None
    filled = {each.field.name for each in columned.values}
    used = [each for each in proposals if each.column in columned.columns or each.field.name in filled]
    # Beside a price for each list, one without a list is none of them.
    freed = [each.column for each in used if each.column not in columned.columns]
    return _drop_proposals(proposals, used), _in_order([*_drop_used(left, columned.columns), *freed]), columned


def _by_codes(
    record: Record, proposals: Sequence[Proposal], left: Sequence[Column], names: Callable[[str], ListNames]
) -> Wide | None:
    """The columns that are headed with codes of one list; that LOFT resembles “lot” makes it none."""
    own = [each for each in proposals if each.sure > UNSURE]
    columns = _in_order([*left, *(each.column for each in proposals if each not in own)])
    return find_wide(columns, record, [each.field.name for each in own if each.field.name not in VALUES], names)


def _in_groups(
    table: Table, record: Record, proposals: list[Proposal], names: Callable[[str], ListNames]
) -> tuple[list[Proposal], list[Column], Wide] | None:
    """The same where there is a group of columns for each row of a list; None where there is none."""
    keys = [each for each in proposals if each.field.name in record.key]
    referring = [each.field.name for each in proposals if each.field.to is not None]
    groups = find_groups(table.columns, record, referring, names)
    if groups is None:
        return None
    own = [each for each in proposals if not groups.names_one(each.column.heading)]
    used = [*groups.columns, *(each.column for each in own)]
    left = _drop_used([column for column in table.columns if column.heading], used)
    return (own, left, groups) if all(each in own for each in keys) else None


def _by_pairs(table: Table, record: Record, proposals: Sequence[Proposal]) -> Wide | None:
    """The numbered pairs of a quantity and an amount; what was proposed for one of them is none of the others."""
    unsure = [each for each in proposals if each.sure <= UNSURE or each.column.heading[-1:].isdigit()]
    own = _drop_proposals(proposals, unsure)
    return find_pairs(
        _drop_used(table.columns, [each.column for each in own]), record, [each.field.name for each in own]
    )


def _by_breaks(record: Record, proposals: Sequence[Proposal], left: Sequence[Column]) -> Wide | None:
    """The columns that are there for each quantity break, whether or not one of them was taken for the amount."""
    breaks = [each for each in proposals if break_said(each.column.heading) is not None]
    own = [each for each in proposals if each not in breaks]
    amount = next((each for each in own if each.field.name in VALUES and each.sure > UNSURE), None)
    columns = _in_order([*left, *(each.column for each in breaks)])
    fed = [each.field.name for each in own if each is not amount]
    return find_breaks(columns, record, fed, amount.column if amount is not None else None)


def fitting_table(
    tables: Sequence[Table], record: Record, names: Callable[[str], ListNames]
) -> tuple[Table, list[Proposal], list[Column]]:
    """The table that fits the record best, which column has which field in it, and the columns left over."""
    tried: list[tuple[Table, list[Proposal], list[Column]]] = [
        (table, *propose(table, record, names)) for table in tables
    ]

    # Of sheets that fit alike, the longest says most of what its columns hold.
    def fit(tried_: tuple[Table, list[Proposal], list[Column]]) -> tuple[int, int]:
        identified = any(each.field.name in record.key for each in tried_[1])
        return _by_heading(tried_[1]) + OWN * identified, tried_[0].rows

    return max(tried, key=fit)


def _by_heading(proposals: Sequence[Proposal]) -> int:
    """How sure a mapping is in all, without columns that are proposed by what a few rows happen to hold."""
    return sum(each.sure for each in proposals if each.sure > UNSURE) or sum(each.sure for each in proposals)


def _missing_fields(record: Record, fed: Sequence[str]) -> list[str]:
    """Fields that new rows must have and that have no column."""
    # A sheet of documents without a day is posted today, or on the day that an option says.
    given = {*fed, *(["date"] if is_flat(record) else [])}
    needed = [field for field in record.fields.values() if field.must != "may" and field.name not in given]
    return [
        field.name for field in needed if not (field.default or field.default_from or field.same_as or field.numbered)
    ]
