"""Count sheets in another program's shape: read through saved matches."""

from __future__ import annotations

from pathlib import Path

from kotrel.core.counting.sheet_record import NAME
from kotrel.core.errors import WrongUse
from kotrel.core.tables.table import Table
from kotrel.core.understanding.matching import Matched
from kotrel.stages.file_options import Wanted
from kotrel.stages.understanding import tables_in
from kotrel.workspace.map_reading import map_named, read_maps
from kotrel.workspace.maps import apply_map
from kotrel.workspace.settings import Workspace
from kotrel.workspace.sheet_records import with_sheet_records


def by_saved_match(
    path: Path, tables: list[Table], workspace: Workspace, name: str | None
) -> list[tuple[Table, Matched]]:
    """The tables that a saved match for count sheets reads, the one that needs the most headings first.

    Raises:
        WrongUse: the match that the user names is not for count sheets, or does not fit.
    """
    description = with_sheet_records(workspace.description)
    if name is not None:
        saved = [map_named(workspace.folder, name, workspace.description)]
        if saved[0].record != NAME:
            raise WrongUse(
                f"the saved match {name} is not for count sheets, but for {saved[0].record}",
                f"kotrel map {path} {NAME} --name NAME makes one.",
                "other-map",
            )
        if saved[0].sheet is not None or saved[0].heading_row is not None or saved[0].encoding is not None:
            wanted = Wanted(
                sheet=saved[0].sheet,
                heading_row=saved[0].heading_row,
                encoding=saved[0].encoding,
                limits=workspace.limits,
            )
            tables[:] = tables_in(path, wanted)
    else:
        saved = [each for each in read_maps(workspace.folder, workspace.description) if each.record == NAME]
        saved.sort(key=lambda each: -len(each.headings()))
    for each in saved:
        fitting = [table for table in tables if not each.missing_in(table)]
        if name is not None and not fitting and tables:
            # What is missing is told of the sheet that comes nearest.
            fitting = [min(tables, key=lambda table: len(each.missing_in(table)))]
        if fitting:
            return [(table, apply_map(each, table, description)[0]) for table in fitting]
    return []
