"""``kotrel write``: a sheet → the upload files that another program insists on."""

from __future__ import annotations

import argparse
import re
from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import partial
from pathlib import Path

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace
from rich.text import Text

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.layouts.column_sources import values_of
from kotrel.core.layouts.layout import Layout
from kotrel.core.layouts.upload_rows import lay_out, split
from kotrel.core.loading.load_model import Checked
from kotrel.core.loading.pipeline import preview
from kotrel.core.phrases import count, listed_and
from kotrel.exchange.written_files import is_own, remember_written, require_own
from kotrel.loading.file_options import FileOptions
from kotrel.loading.opening import now, workspace_of
from kotrel.loading.options import add_documents, add_reading, add_ways, wanted_of
from kotrel.loading.sheets_in.checking import business_of, parts_of, understand_files
from kotrel.loading.sheets_in.findings_screen import checked_json, show_checked
from kotrel.loading.sheets_in.sheet_reading import Understood
from kotrel.screen.command_lines import quoted
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.upload_files import write_upload
from kotrel.systems.interface import Step
from kotrel.workspace.layout_reading import layouts_for
from kotrel.workspace.settings import Workspace
from kotrel.workspace.used_settings import remember_used


class Written(Struct, frozen=True):
    """What was written, or why nothing was: the checked rows with all findings.

    Attributes:
        left_out: record title → rows that no layout of this file is for.
        former: numbered files of an earlier, longer list, which are no part of this one.
    """

    checked: list[Checked]
    files: tuple[tuple[Path, int], ...] = ()
    left_out: Mapping[str, int] = field(default_factory=dict)
    former: tuple[Path, ...] = ()


def _remember_used(layouts: Sequence[Layout], path: Path, workspace: Workspace) -> None:
    for layout in layouts:
        remember_used(workspace.hidden, f"layouts/{layout.name}.toml", path)


def _targets(out: Path, number: int) -> list[Path]:
    """The files that the rows are written to: one, or as many as there are parts."""
    return [out] if number == 1 else [_numbered_path(out, each) for each in range(1, number + 1)]


def _no_rows_for(layouts: Sequence[Layout], path: Path, workspace: Workspace) -> WrongData:
    titles = listed_and([workspace.description.records[each.record].title.lower() for each in layouts])
    name = layouts[0].name
    return WrongData(f"{path} has no rows of {titles}, for which the layout {name} is", "", "nothing-recognised")


def _left_out(checked: Sequence[Checked], layouts: Sequence[Layout]) -> dict[str, int]:
    """How many rows there are of each record that no layout is for, by its title."""
    written = {layout.record for layout in layouts}
    left: dict[str, int] = {}
    for each in checked:
        if each.consequence is None and each.rows.record.name not in written:
            left[each.rows.record.title] = left.get(each.rows.record.title, 0) + each.rows.values.height
    return left


def write_layout(
    path: Path,
    name: str,
    out: Path | None,
    workspace: Workspace,
    wanted: FileOptions,
    now: datetime,
    step: Step,
    refresh: bool = False,
) -> Written:
    """Writes a sheet's rows in a layout. Nothing is written where a row has an error, or cannot be written.

    Args:
        refresh: a file that this command wrote, and nobody changed, is written anew.

    Raises:
        WrongUse: the layout is wrong, or a file is there already.
        WrongData: the sheet has no rows of the layout's record.
    """
    layouts = layouts_for(workspace.folder, name, workspace.description)
    first = layouts[0]
    out = out or Path(f"{path.stem}-{first.file}.{first.ending}")
    free = partial(require_own, workspace.folder) if refresh else require_new_file
    free(out)
    _require_ending(out, first)
    understood = understand_files(
        [path], workspace, replace(wanted, record=wanted.record or first.record), now.date(), step
    )
    _remember_used(layouts, path, workspace)
    checked, texts, bare = _laid_out(understood, layouts, workspace, wanted, now, step)
    if not texts:
        raise _no_rows_for(layouts, path, workspace)
    if not all(each.ok for each in checked):
        return Written(checked)
    step("writing")
    left = _left_out(checked, layouts)
    sheets = [(each, pl.concat(texts[each.name])) for each in layouts if each.name in texts]
    if first.book:
        write_upload(sheets, out)
        remember_written(workspace.folder, out)
        return Written(checked, ((out, sum(lines.height for _, lines in sheets)),), left)
    parts = split(sheets[0][1], first.most_rows)
    targets = _targets(out, len(parts))
    for target in targets:
        free(target)
    files = list(zip(targets, parts, strict=True))
    for target, part in files:
        write_upload([(first, part)], target, bare)
        remember_written(workspace.folder, target)
    written = tuple((target, part.height) for target, part in files)
    former = _former(workspace.folder, out, targets) if refresh else ()
    return Written(checked, written, left, former)


def _numbered_path(out: Path, number: int) -> Path:
    return out.with_name(f"{out.stem}-{number}{out.suffix}")


def _former(folder: Path, out: Path, targets: Sequence[Path]) -> tuple[Path, ...]:
    """What an earlier list of another length left: the whole file, or numbered ones."""
    numbered = (
        each for each in sorted(out.parent.iterdir()) if re.fullmatch(re.escape(out.stem) + r"-[0-9]+", each.stem)
    )
    return tuple(
        each
        for each in (out, *numbered)
        if each.suffix == out.suffix and each not in targets and each.exists() and is_own(folder, each)
    )


def _require_ending(out: Path, layout: Layout) -> None:
    """Makes sure that a file is what its ending says.

    Raises:
        WrongUse: it would not be.
    """
    if out.suffix.lower().lstrip(".") == layout.ending.lower():
        return
    is_workbook = layout.kind == "workbook"
    other = "." if is_workbook else f'; or set ending = "{out.suffix.lstrip(".") or "csv"}" in the layout.'
    raise WrongUse(
        f"the layout {layout.name} writes {'a workbook' if is_workbook else 'text'}, so “{out.name}” would not be what its ending says",
        f"Use a name that ends in .{layout.ending}{other}",
        "wrong-ending",
    )


def _laid_out(
    understood: Sequence[Understood],
    layouts: Sequence[Layout],
    workspace: Workspace,
    wanted: FileOptions,
    now: datetime,
    step: Step,
) -> tuple[list[Checked], dict[str, list[pl.DataFrame]], bool]:
    """The checked rows, with what cannot be written; layout → its texts; and whether no text needs quotes."""
    texts: dict[str, list[pl.DataFrame]] = {}
    bare = True
    with workspace.system().reading() as reading:
        previewed = preview(parts_of(understood, workspace), business_of(workspace, wanted.options, now), reading, step)
        checked = list(previewed.checked)
        step("laying out")
        for layout in layouts:
            record = workspace.description.records[layout.record]
            for index, part in enumerate(previewed.checked):
                if part.rows.record.name != record.name or part.consequence is not None:
                    continue
                changes = _changes_of(previewed.changes, part, record)
                values = values_of(
                    layout,
                    changes,
                    part.rows.values[ROW],
                    workspace.description,
                    reading,
                    now.date().isoformat(),
                    workspace.rates,
                    together=previewed.changes,
                )
                done = lay_out(layout, record, part.rows, values)
                checked[index] = replace(part, rows=part.rows.with_findings(done.findings))
                texts.setdefault(layout.name, []).append(done.texts)
                bare = bare and done.bare
    return checked, texts, bare


def _changes_of(changes: tuple[RecordChanges, ...], checked: Checked, record: Record) -> RecordChanges:
    table = checked.rows.table
    fitting = [each for each in changes if each.record.name == record.name and (each.file, each.sheet) == table.origin]
    if not fitting:
        raise WrongUse(
            "the rows of this sheet cannot be told apart",
            "Write one sheet at a time: --sheet NAME",
            "wrong-command-line",
        )
    return fitting[0]


EXAMPLE = """\
kotrel write new-items.xlsx --layout till
    the rows as layouts/till.toml says; what cannot be written is a finding at its cell
kotrel write items.xlsx --layout webshop -o upload.csv
    with prices and stock, if the layout asks for them
kotrel write shop-items.csv --layout shop-list -o shop-list.xlsx --refresh
    the same list once more, with the prices and the stock of today
kotrel write items.xlsx --layout webshop --only new
    the options of a load say which rows are written, and how they are read"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", metavar="FILE", help="workbook or text file")
    parser.add_argument("--layout", required=True, metavar="NAME", help="layouts/NAME.toml")
    parser.add_argument(
        "-o", "--output", metavar="FILE", help="where to (default: the file's name and the layout's, in this folder)"
    )
    parser.add_argument(
        "--refresh", action="store_true", help="write a file anew that this command wrote and nobody has changed since"
    )
    add_reading(parser)
    add_ways(parser)
    add_documents(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    out = Path(args.output) if args.output else None
    with screen.progress(6) as step:
        done = write_layout(Path(args.file), args.layout, out, workspace, wanted_of(args), now(), step, args.refresh)
    ok = bool(done.files)
    if screen.as_json:
        screen.json(
            {
                **checked_json([each for each in done.checked if each.consequence is None]),
                "ok": ok,
                "written": [{"file": str(path), "rows": rows} for path, rows in done.files],
                "left_out": dict(done.left_out),
                "former": [str(path) for path in done.former],
            }
        )
        return 0 if ok else 1
    _show(screen, done)
    if ok and workspace.url.startswith("folder:"):
        screen.show(
            f"Kotrel does not know whether the program reads it. Next: {screen.program} load {quoted([args.file])}    sends it and keeps track of it"
        )
    if not ok:
        screen.show(
            f"Nothing was written. Next: fix these cells, then write it again: {screen.program} write {quoted([args.file])} --layout {quoted([args.layout])}"
        )
    return 0 if ok else 1


def _show(screen: Screen, done: Written) -> None:
    for each in done.checked:
        if each.consequence is None and not each.says_nothing:
            show_checked(screen, each, False, False)
    screen.show("")
    for path, rows in done.files:
        screen.show(f"Written: {path}   {count(rows, 'row')}")
    for path in done.former:
        screen.show(Text(f"Left from an earlier list, and no part of this one: {path}", style="bold yellow"))
    for title, rows in done.left_out.items():
        screen.show(
            Text(f"Not written, because the layout is not for it: {title}, {count(rows, 'row')}", style="bold yellow")
        )
