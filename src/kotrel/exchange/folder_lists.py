"""Reads what a program gave out: every file of its folder as the record that it is, through saved mappings and headings."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.errors import KotrelError, OutOfReach
from kotrel.core.rows.rows import Rows
from kotrel.loading.file_options import Wanted
from kotrel.loading.sheets_in.sheet_reading import sheets_not_read, understand_file
from kotrel.systems.folder.mirror import GivenOut, counted_rows, read_about, write_mirror
from kotrel.workspace.mapping_reading import maps_of_system
from kotrel.workspace.settings import FILE, Workspace

ENDINGS = (".csv", ".tsv", ".txt", ".xlsx", ".xlsm", ".xls", ".xlsb", ".ods")


def folder_of(workspace: Workspace) -> Path:
    """The folder with the program's lists."""
    return workspace.folder / workspace.url.removeprefix("folder:")


def list_files(folder: Path) -> list[Path]:
    """The files that a program gave out.

    Raises:
        OutOfReach: the folder cannot be read.
    """
    try:
        found = sorted(
            path
            for path in folder.iterdir()
            if path.suffix.lower() in ENDINGS and not path.name.startswith(("~$", "."))
        )
    except OSError as error:
        raise OutOfReach(
            f"{folder} cannot be read: {error.strerror or error}",
            "It is the folder with the program's lists.",
            "no-folder",
        ) from None
    return [path for path in found if path.is_file()]


def refresh(workspace: Workspace, today: datetime) -> list[GivenOut]:
    """Reads the lists again if one of them, or how they are understood, has changed; returns what is known of each."""
    files = list_files(folder_of(workspace))
    signature = _signature(workspace, files)
    known, lists = read_about(workspace.hidden)
    if known == signature:
        return lists
    # A saved mapping that cannot be read would leave every list unread: that is said once, and nothing is answered.
    maps_of_system(workspace.folder, workspace.description)
    frames: dict[str, list[pl.DataFrame]] = {}
    lists = []
    for path in files:
        at = datetime.fromtimestamp(path.stat().st_mtime).isoformat(sep=" ", timespec="seconds")
        try:
            understood = understand_file(path, workspace, Wanted(), today.date(), lambda title: None)
        except KotrelError as error:
            lists.append(GivenOut(path.name, "", 0, at, trouble=error.message))
            continue
        lists += [GivenOut(path.name, "", 0, at, trouble=why) for why in sheets_not_read(understood)]
        for each in understood:
            rows, unread = _readable(each.rows)
            if not rows.has_key:
                title = rows.record.title.lower()
                lists.append(
                    GivenOut(path.name, rows.record.name, 0, at, trouble=f"it has no column for the key of {title}")
                )
                continue
            stored = [name for name in rows.fields if rows.record.fields[name].from_ledger is None]
            frames.setdefault(rows.record.name, []).append(rows.values.select(stored))
            lost = rows.values.height - counted_rows(rows.values, rows.record).height
            left = tuple(group.heading for group in rows.findings if group.kind == "unknown-heading" and group.heading)
            lists.append(GivenOut(path.name, rows.record.name, rows.values.height, at, lost, unread, left))
    workspace.hidden.mkdir(parents=True, exist_ok=True)
    write_mirror(workspace.hidden, workspace.description, frames, lists, signature)
    return lists


def _signature(workspace: Workspace, files: list[Path]) -> str:
    """Changes with every file, with the description and with the saved mappings."""
    digest = hashlib.sha256()
    own = [workspace.folder / FILE, *workspace.folder.glob("*.toml"), *(workspace.folder / "maps").glob("*.toml")]
    for path in [*files, *sorted(set(own))]:
        about = path.stat()
        digest.update(f"{path}|{about.st_mtime_ns}|{about.st_size}|".encode())
    return digest.hexdigest()


def _readable(rows: Rows) -> tuple[Rows, int]:
    """The rows with blanks where a cell could not be read, and how many those are."""
    unread = 0
    values = rows.values
    for name in rows.fields:
        bad = rows.unread(name)
        if len(bad):
            wrong = values[ROW].is_in(bad.implode())
            unread += int(wrong.sum())
            values = values.with_columns(pl.when(~wrong).then(pl.col(name)).alias(name))
    return replace(rows, values=values), unread
