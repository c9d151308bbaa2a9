"""Files → rows: read, the table found, the record recognised, matched and tidied."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from datetime import date
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.description.model import Record
from kotrel.core.errors import KotrelError, WrongData
from kotrel.core.matching.by_headings import Matched
from kotrel.core.matching.row_reading import understand
from kotrel.core.matching.second_tables import second_tables
from kotrel.core.pricing.price_rules import OWN_PRICES
from kotrel.core.pricing.price_workbook_checks import PriceBook
from kotrel.core.pricing.price_workbook_columns import (
    BOOK_STAMP,
    FIRST_LOOK,
    calculated_by,
    without_readers_columns,
)
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.reading_limits import Limits
from kotrel.core.tables.table import Grid, Table
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.made_texts import said_of_made
from kotrel.loading.sheets_in.sheet_choice import ChosenSheets, match_tables
from kotrel.loading.sheets_in.unread_sheets import NotRead
from kotrel.sheets.log_lines import table_of_lines
from kotrel.sheets.ooxml.stamps import stamp_of
from kotrel.sheets.opening_files import TEXT_ENDINGS, is_old_text, open_sheets
from kotrel.sheets.textfiles import FIRST_BYTES, read_first_lines
from kotrel.systems.interface import Step
from kotrel.workspace.exports import (
    STAMP,
    RememberedExport,
    export_named,
    export_stamped,
    exports_called,
    remembered_exports,
)
from kotrel.workspace.mapping_reading import map_named, maps_of_system
from kotrel.workspace.mappings import SavedMap
from kotrel.workspace.price_rules_reading import rules_named
from kotrel.workspace.settings import Workspace
from kotrel.workspace.used_settings import remember_used

OWN_SHEETS = ("Kotrel summary", "Kotrel guide", "Kotrel lists", FIRST_LOOK)
"""Sheets that Kotrel itself adds to workbooks; they are never read as data."""

NOT_READ = "a sheet that is not read"


class Understood(Struct, frozen=True):
    """One sheet as rows.

    Attributes:
        remarks: how it was chosen, in words for the user.
        export: the export that the file came from, or None.
        book: what is known of the workbook of new prices that it is of, or None.
    """

    rows: Rows
    remarks: tuple[str, ...]
    export: RememberedExport | None = None
    book: PriceBook | None = None


Expect = Callable[[Record, Sequence[str], int], None]
"""Called with a record, its fields in a sheet and the number of rows, before the rows are read;
more than once if need be.
"""
ReadSheets = Callable[[Path, str | None, str | None, Limits], list[Grid]]
LONG = 20_000_000
"""Bytes of a text file from which its first lines are looked at beforehand."""


def _tell_expected(chosen: Sequence[ChosenSheets], expect: Expect) -> None:
    """Says early which records and fields are coming, so that the system's rows can be read meanwhile."""
    for table, matches, *_ in chosen:
        for matched in matches:
            expect(matched.record, list(matched.sources), table.rows)


def _about_file(blank: Sequence[str]) -> list[str]:
    return [f"sheets without rows: {', '.join(f'“{sheet}”' for sheet in blank)}"] if blank else []


def _which_export(export: RememberedExport | None, since: str | None, workspace: Workspace) -> list[str]:
    """Which of several exports to a file of one name the sheet is compared with."""
    if export is None or since in (None, export.stamp):
        return []
    several = len(exports_called(workspace.hidden, str(since)))
    if several < 2:
        return []
    at = export.at[:16].replace("T", " ")
    return [
        f"compared with the export of {at}, the latest of {several} to a file of that name: --since STAMP names another"
    ]


def understand_file(
    path: Path, workspace: Workspace, wanted: FileOptions, today: date, step: Step, expect: Expect | None = None
) -> list[Understood]:
    """Reads one file and the sheets in it that fit: each as one record, or as several if a saved mapping says so.

    Raises:
        OutOfReach, WrongUse: the file cannot be read, or nothing in it is recognised.
    """
    step(f"reading {path.name}")
    wanted = replace(wanted, limits=workspace.limits)
    with ThreadPoolExecutor(1) as pool:
        begun = pool.submit(_foresee, path, workspace, wanted, expect) if expect is not None else None
        tables, books = _as_price_book(path, _tables_by_match(path, workspace, wanted, open_sheets), workspace)
    if begun is not None:
        begun.result()
    step("matching columns")
    export, forgotten = _export_of(path, workspace, wanted.options.since)
    exported = export is not None or forgotten is not None
    chosen, not_read = match_tables(tables, workspace, wanted, str(path), exported)
    if expect is not None:
        _tell_expected(chosen, expect)
    step("tidying values")
    understood: list[Understood] = []
    for name in dict.fromkeys(each.mapping for each in chosen if each.mapping):
        remember_used(workspace.hidden, f"maps/{name}.toml", path)
    for table, matches, remarks, *_ in chosen:
        understood += _sheet_as_rows(table, matches, remarks, path, workspace, today, export, books.get(table.sheet))
    read = {each.table.sheet for each in chosen}
    said = _about_file([each.sheet for each in tables if not each.rows and each.sheet not in read])
    said += _which_export(export, wanted.options.since, workspace)
    first = understood[0].rows
    understood[0] = replace(understood[0], remarks=(*understood[0].remarks, *said))
    left = _about_unread(first, not_read)
    left += _about_origin(first, path, workspace, export, forgotten, wanted.options.since)
    understood[0] = replace(understood[0], rows=first.with_findings(left))
    return understood


def _about_unread(first: Rows, not_read: Sequence[NotRead]) -> list[FindingGroup]:
    """A finding for the sheets that are not read, those of one kind together."""
    same: dict[tuple[Severity, str], list[str]] = {}
    for each in not_read:
        same.setdefault((each.severity, each.kind), []).append(each.message)
    return [
        replace(
            first.sheet_finding(severity, kind, NOT_READ, messages[0]),
            cells=cells_of([0] * len(messages), None, messages),
        )
        for (severity, kind), messages in same.items()
    ]


def _sheet_as_rows(
    table: Table,
    matches: Sequence[Matched],
    remarks: Sequence[str],
    path: Path,
    workspace: Workspace,
    today: date,
    export: RememberedExport | None,
    book: PriceBook | None,
) -> Iterator[Understood]:
    """One sheet as each record that it has. The first always counts;
    the others only if the sheet has any values for them.
    """
    if not table.rows:
        where = f"sheet “{table.sheet}” of {path}" if table.sheet else str(path)
        raise WrongData(
            f"{where} has headings in row {table.heading_row} but no rows below them",
            "Fill in some rows first.",
            "no-rows",
        )
    for number, matched in enumerate(matches):
        rows = understand(table, matched, workspace.conventions, today)
        if not number:
            rows = rows.with_findings(second_tables(rows, workspace.description.records.values()))
            yield Understood(rows, (*rows.table.remarks, *remarks), export, book)
        elif rows.values.height:
            more = rows.table.remarks[len(table.remarks) :]
            yield Understood(rows, ((f"for {matched.label}",) if matched.label else ()) + more, export)


def _about_origin(
    first: Rows,
    path: Path,
    workspace: Workspace,
    export: RememberedExport | None,
    forgotten: str | None,
    since: str | None,
) -> list[FindingGroup]:
    """What the first sheet's reader should know of where the file comes from."""
    left = []
    if not first.table.sheet:
        left += [
            first.sheet_finding("warning", said.kind, said.title, said.message)
            for said in said_of_made(workspace.hidden, path)
        ]
    if forgotten is not None:
        message = (
            f"it comes from export {forgotten}, which this workspace does not have, so nobody can tell its edits from old "
            "values. Load it in the workspace that exported it, or use every value with --since none"
        )
        left.append(first.sheet_finding("error", "export-not-remembered", "an export of another workspace", message))
    if export is None and forgotten is None and since is None and not first.table.sheet:
        left += _likely_export(first, workspace)
    return left


def sheets_not_read(understood: Sequence[Understood]) -> tuple[str, ...]:
    """Why a sheet of a file is not read, in words, for each that is not."""
    groups = (group for each in understood for group in each.rows.findings if group.title == NOT_READ)
    return tuple(str(message) for group in groups for message in group.cells["message"])


def _foresee(path: Path, workspace: Workspace, wanted: FileOptions, expect: Expect) -> None:
    """Says by the first lines of a long text file what it holds: while it is read, the system can be read too."""

    def first_lines(path: Path, sheet: str | None, encoding: str | None, limits: Limits) -> list[Grid]:
        return [read_first_lines(path, encoding)]

    size = path.stat().st_size if path.is_file() else 0
    if size < LONG or path.suffix.lower() not in TEXT_ENDINGS:
        return
    try:
        tables = _tables_by_match(path, workspace, wanted, first_lines)
        chosen, _ = match_tables(tables, workspace, wanted, str(path), False)
    except (KotrelError, OSError):
        # Whatever is wrong with the file is told when it is read.
        return
    for table, matches, *_ in chosen:
        for matched in matches:
            expect(matched.record, list(matched.sources), table.rows * size // FIRST_BYTES)


def _as_price_book(path: Path, tables: list[Table], workspace: Workspace) -> tuple[list[Table], dict[str, PriceBook]]:
    """The tables without the columns that are there only to be read, and sheet → what is known,
    for a workbook of new prices.
    """
    name = stamp_of(path, BOOK_STAMP)
    items = workspace.description.records.get("item")
    if name is None or items is None:
        return tables, {}
    rules = rules_named(workspace.folder, name, None, workspace.rates)
    titles = {field: items.fields[field].title for field in OWN_PRICES if field in items.fields}
    books: dict[str, PriceBook] = {}
    kept: list[Table] = []
    for table in tables:
        stripped, old = without_readers_columns(table, titles)
        kept.append(replace(stripped, remarks=(*stripped.remarks, calculated_by(rules.name, rules.from_date))))
        books[table.sheet] = PriceBook(rules, old)
    return kept, books


def _likely_export(rows: Rows, workspace: Workspace) -> list[FindingGroup]:
    """A warning where a text file has just the columns of an export: it cannot say itself that it came from one."""
    fields = set(rows.fields)
    likely = [
        each
        for each in remembered_exports(workspace.hidden)
        if set(each.records.get(rows.record.name, ())) == fields and len(fields) > 2
    ]
    if not likely:
        return []
    last = likely[-1]
    message = (
        f"it has the columns of the export to {last.file} of {last.at[:10]}: with --since {last.stamp} only edited cells are "
        "loaded; without it, every value counts, also where the system has changed since"
    )
    return [rows.sheet_finding("warning", "export-likely", "perhaps an export", message)]


def _export_of(path: Path, workspace: Workspace, since: str | None) -> tuple[RememberedExport | None, str | None]:
    """The export that a file came from: the one named, or the one its stamp names;
    or the stamp of one not remembered.
    """
    if since == "none":
        return None, None
    if since is not None:
        return export_named(workspace.hidden, since), None
    stamp = stamp_of(path, STAMP)
    export = export_stamped(workspace.hidden, stamp) if stamp is not None else None
    return export, stamp if export is None else None


def _tables_by_match(path: Path, workspace: Workspace, wanted: FileOptions, read: ReadSheets) -> list[Table]:
    """The tables of a file, read as the user says, else as the saved mapping says that is used for it."""
    if wanted.map_name is not None:
        saved = map_named(workspace.folder, wanted.map_name, workspace.description)
        if saved.lines:
            return [table_of_lines(path, saved.lines, wanted.encoding or saved.encoding)]
        return tables_in(path, _as_saved(wanted, saved), read)
    if wanted.encoding is None and is_old_text(path):
        # A mapping that names an encoding fits only what is read in it: the headings may have letters too.
        for saved in maps_of_system(workspace.folder, workspace.description):
            if saved.encoding is not None and wanted.record in (None, *(part.record for part in saved.parts)):
                try:
                    tables = tables_in(path, _as_saved(wanted, saved), read)
                except KotrelError:
                    continue
                if any(not saved.missing_in(table) for table in tables):
                    return tables
    grids = read(path, wanted.sheet, wanted.encoding, wanted.limits)
    tables = tables_of(grids, wanted.heading_row)
    if wanted.heading_row is None:
        return _under_saved_headings(grids, tables, workspace, wanted)
    return tables


def _under_saved_headings(
    grids: Sequence[Grid], tables: list[Table], workspace: Workspace, wanted: FileOptions
) -> list[Table]:
    """The tables, each under the headings of the row that a saved mapping names,
    where that is what makes the mapping fit.
    """
    maps = maps_of_system(workspace.folder, workspace.description)
    mine = [each for each in maps if wanted.record in (None, *(part.record for part in each.parts)) and each.headings()]
    named = [each for each in mine if each.heading_row]
    if not named or any(not each.missing_in(table) for each in mine for table in tables):
        return tables
    table = next(_fitting_tables(named, grids), None)
    return tables if table is None else [table if each.sheet == table.sheet else each for each in tables]


def _fitting_tables(named: Sequence[SavedMap], grids: Sequence[Grid]) -> Iterator[Table]:
    for saved in named:
        for grid in grids:
            with suppress(KotrelError):
                table = find_table(grid, saved.heading_row)
                if not saved.missing_in(table):
                    yield table


def _as_saved(wanted: FileOptions, saved: SavedMap) -> FileOptions:
    return replace(
        wanted,
        sheet=wanted.sheet or saved.sheet,
        heading_row=saved.heading_row if wanted.heading_row is None else wanted.heading_row,
        encoding=wanted.encoding or saved.encoding,
    )


def tables_in(path: Path, wanted: FileOptions, read: ReadSheets = open_sheets) -> list[Table]:
    """The tables of a file's sheets, read as the user says.

    Args:
        read: reads the sheets, or what is wanted of them.

    Raises:
        OutOfReach, WrongUse: the file cannot be read, or has nothing in it.
    """
    return tables_of(read(path, wanted.sheet, wanted.encoding, wanted.limits), wanted.heading_row)


def tables_of(grids: Sequence[Grid], heading_row: int | None) -> list[Table]:
    """The tables of all sheets, without empty ones and Kotrel's own.

    Raises:
        WrongUse: all of them are empty.
    """
    tables: list[Table] = []
    trouble: KotrelError | None = None
    for grid in grids:
        if grid.name in OWN_SHEETS:
            continue
        try:
            tables.append(find_table(grid, heading_row))
        except KotrelError as error:
            trouble = trouble or error
    if not tables:
        raise trouble or WrongData("the workbook has no sheet with data", "Check that it is the right file.", "empty")
    return tables
