"""Another program's file and a record → a drafted layout, saved in the workspace."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.toml_reading import NotToml, parsed
from kotrel.core.errors import OutOfReach, WrongData, WrongUse
from kotrel.core.layouts.draft_model import Draft
from kotrel.core.layouts.layout import SOURCES, Layout
from kotrel.core.layouts.layout_drafting import draft
from kotrel.core.layouts.sample import Sample
from kotrel.core.layouts.sample_parts import Parts, sample_parts_of
from kotrel.core.matching.proposing import propose
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.headings import one_line
from kotrel.core.tables.table import Column, Grid, Table
from kotrel.exchange.layout_proof import LayoutProof, prove
from kotrel.loading.file_options import FileOptions, record_named
from kotrel.loading.list_reading import names_of
from kotrel.loading.sheets_in.mapping_proposals import fitting_table
from kotrel.loading.sheets_in.sheet_reading import tables_of
from kotrel.screen.command_lines import quoted
from kotrel.sheets.lost_in_copies import lost_in_copy
from kotrel.sheets.opening_files import open_sheets
from kotrel.sheets.safe_writing import written_whole
from kotrel.sheets.sample_reading import WORKBOOKS, read_sample
from kotrel.systems.interface import Step
from kotrel.workspace.layout_reading import FOLDER, layout_of
from kotrel.workspace.layout_writing import layout_text
from kotrel.workspace.settings import Workspace, made_file_name


class LaidDown(Struct, frozen=True):
    """A draft and where it was saved.

    Attributes:
        fresh: it was saved just now; else it was there before.
        lost: what a filled copy of the workbook would lose: it is written as a plain one then.
    """

    draft: Draft
    path: Path
    fresh: bool
    lost: tuple[str, ...] = ()


def draft_layout(
    file: Path, record_name: str, name: str | None, workspace: Workspace, wanted: FileOptions, step: Step
) -> LaidDown:
    """Drafts the layout, and saves it; one that is there already stays as it is.

    Raises:
        WrongUse: nothing in the file fits, or the layout that is there is for another record.
        OutOfReach: the file cannot be read.
    """
    record = record_named(workspace.description, record_name)
    path = workspace.folder / FOLDER / f"{made_file_name(name or file.stem, 'layout')}.toml"
    if path.exists() and (theirs := _record_of(path)) != record.name:
        raise WrongUse(
            f"{path} already exists, and is for {theirs}",
            "Delete it, or use another name: --name NAME",
            "layout-exists",
        )
    step(f"reading {file.name}")
    grids = open_sheets(file, wanted.sheet, wanted.encoding, workspace.limits)
    tables = tables_of(grids, wanted.heading_row)
    step("looking at its columns")
    with workspace.system().reading() as reading:
        names = names_of(workspace, reading)
        table, _, _ = fitting_table(tables, record, names)
        sample = read_sample(file, table.sheet, wanted.encoding)
        if not sample.lines:
            raise WrongData(f"{file} is empty", "Check that it is the right file.", "empty")
        parts = sample_parts_of(sample, wanted.heading_row, table.heading_row)
        grid = next(each for each in grids if each.name == table.sheet)
        proposals, _ = propose(_rows_alone(grid, table, parts), record, names)
        if not proposals:
            raise WrongUse(
                f"nothing in {file} looks like {record.title.lower()} rows",
                f"kotrel inspect {quoted([file])} shows what is in it.",
                "nothing-recognised",
            )
        lost = tuple(sorted(lost_in_copy(file))) if file.suffix.lower() in WORKBOOKS else ()
        template = _template(file, path)
        done = draft(
            sample, parts, record, proposals, names, "" if lost else f"{FOLDER}/{template.name}", _book(sample, file)
        )
    if lost:
        done = replace(done, settings={key: value for key, value in done.settings.items() if key != "template"})
    if path.exists():
        return LaidDown(done, path, False, lost)
    _save(done, path, file, template)
    return LaidDown(done, path, True, lost)


def _save(done: Draft, path: Path, file: Path, template: Path) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        if "template" in done.settings and template.resolve() != file.resolve():
            shutil.copyfile(file, template)
        with written_whole(path) as temporary:
            temporary.write_text(layout_text(done), "utf-8", newline="\n")
    except OSError as error:
        raise OutOfReach(f"{path} cannot be written: {error}", "", "file-not-writable") from None


def _record_of(path: Path) -> str:
    """The record that a saved layout is for."""
    try:
        return str(parsed(saved_text(path)).get("record", ""))
    except (OSError, UnicodeDecodeError, NotToml) as error:
        raise WrongUse(f"{path}: {error}", "Correct that line.", "wrong-layout") from None


def _template(file: Path, path: Path) -> Path:
    """Where a copy of the workbook lies: layouts of its other sheets fill the same one."""
    shared = path.with_name(f"{made_file_name(file.stem, 'template')}{file.suffix.lower()}")
    if not shared.exists() or shared.read_bytes() == file.read_bytes():
        return shared
    named_alike = path.with_suffix(file.suffix.lower())
    if named_alike.exists() and named_alike.read_bytes() != file.read_bytes():
        raise WrongUse(
            f"{named_alike} already exists, and is not this workbook", "Use another name: --name NAME", "layout-exists"
        )
    return named_alike


def _book(sample: Sample, file: Path) -> str:
    """What the sheets of a workbook are written as, if it has several."""
    return made_file_name(file.stem, "book").replace(".", "-") if len(sample.sheets) > 1 else ""


def _rows_alone(grid: Grid, table: Table, parts: Parts) -> Table:
    """The table without the lines that are about its columns."""
    if parts.headings is None:
        return find_table(grid, 0)
    if not parts.why:
        return table
    kept = table.cells[ROW] > parts.rows
    columns = tuple(Column(each.letter, one_line(each.raw), each.raw) for each in table.columns)
    kinds = {letter: kind if isinstance(kind, str) else kind.filter(kept) for letter, kind in table.kinds.items()}
    return replace(table, cells=table.cells.filter(kept), columns=columns, kinds=kinds)


def open_columns(data: Any) -> list[int]:
    """The places of the columns, from 0, that nothing feeds yet."""
    columns = data.get("column", [])
    if not isinstance(columns, list) or not all(isinstance(column, dict) for column in columns):
        return []
    return [place for place, column in enumerate(columns) if not any(key in column for key in SOURCES)]


def saved_text(path: Path) -> str:
    """The text of a saved layout; some editors put a mark before it."""
    return path.read_text("utf-8-sig")


def as_far_as_said(text: str, path: Path, workspace: Workspace) -> Layout:
    """The layout with its open columns empty.

    Raises:
        WrongUse: a setting is wrong.
    """
    data = parsed(text)
    for place in open_columns(data):
        data["column"][place] = {"heading": data["column"][place].get("heading", ""), "empty": True}
    return layout_of(text, data, path, workspace.folder, workspace.description)


def proof_of(laid: LaidDown, workspace: Workspace) -> LayoutProof | None:
    """Writes the file's own rows again with the saved layout; None where it has none."""
    text = saved_text(laid.path)
    layout = as_far_as_said(text, laid.path, workspace)
    missing = dict.fromkeys(open_columns(parsed(text)), "nothing feeds it yet")
    return prove(layout, laid.draft.record, laid.draft.sample, laid.draft.parts.rows, missing)
