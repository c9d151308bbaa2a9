"""Reads what a program gave out: every file of its folder as the record that it is,
through saved mappings and headings.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping
from datetime import datetime
from pathlib import Path

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.canonical import out_of_form
from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.errors import KotrelError, OutOfReach
from kotrel.core.phrases import count, listed
from kotrel.core.rows.findings import rows_with
from kotrel.core.rows.rows import Rows
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.sheet_reading import sheets_not_read, understand_file
from kotrel.sheets.safe_writing import make_folder
from kotrel.systems.folder.mirror import GivenOut, counted_rows, read_about, write_mirror
from kotrel.workspace.mapping_reading import maps_of_system
from kotrel.workspace.settings import FILE, Workspace

_LIST = "list of it"
"""The column with the list that a row is from."""
_NO_LIST = "its name says that it is a template, so its rows are examples (rename it if it is a list)"
_READING = b"templates are no lists"
"""Another one where lists are understood in another way than before: they are read again then."""
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
        files = sorted(
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
    return [path for path in files if path.is_file()]


_TEMPLATE = re.compile(
    r"(?<![a-z])(?:template|sample|example|vorlage|muster|beispiel|mod[eè]le|exemple|plantilla|ejemplo|sjabloon|voorbeeld|szablon|mall|skabelon)s?(?![a-z])",
    re.IGNORECASE,
)
"""In the name of a file that is to be filled, and not a list of what the program holds."""


def is_template(path: Path) -> bool:
    """True for a file whose name says that it is to be filled:
    its rows are examples, and nothing that the program holds.
    """
    return _TEMPLATE.search(path.stem) is not None


def _given_out(path: Path, at: str, read: Rows) -> tuple[GivenOut, pl.DataFrame | None]:
    """What is known of a sheet of a list, and its rows: the fields that the system stores. None where it has no key."""
    rows, unread, damaged = _readable(read)
    record = rows.record
    if not rows.has_key:
        trouble = f"it has no column for the key of {record.title.lower()}"
        return GivenOut(path.name, record.name, 0, at, trouble=trouble), None
    stored = [name for name in rows.fields if record.fields[name].from_ledger is None]
    unmapped = [group for group in rows.findings if group.kind == "unknown-heading"]
    limits = tuple(group.heading for group in rows.findings if group.kind == "unread-limit")
    left_out = (*limits, *(heading for group in unmapped for heading in group.cells["value"]))
    height = rows.values.height
    lost = height - counted_rows(rows.values, record).height
    about = GivenOut(
        path.name, record.name, height, at, lost, unread, left_out, limits, damaged=damaged, fields=tuple(stored)
    )
    return about, rows.values.select(stored)


def refresh(workspace: Workspace, today: datetime) -> list[GivenOut]:
    """Reads the lists again if one of them, or how they are understood, has changed; returns what is known of each."""
    files = list_files(folder_of(workspace))
    signature = _signature(workspace, files)
    known, lists = read_about(workspace.hidden)
    if known == signature:
        return lists
    # A saved mapping that cannot be read would leave every list unread: Kotrel reports that once, and answers nothing.
    maps_of_system(workspace.folder, workspace.description)
    frames: dict[str, dict[str, pl.DataFrame]] = {}
    lists = []
    for path in files:
        at = datetime.fromtimestamp(path.stat().st_mtime).isoformat(sep=" ", timespec="seconds")
        if is_template(path):
            lists.append(GivenOut(path.name, "", 0, at, trouble=_NO_LIST))
            continue
        try:
            understood = understand_file(path, workspace, FileOptions(), today.date(), lambda title: None)
        except KotrelError as error:
            lists.append(GivenOut(path.name, "", 0, at, trouble=error.message))
            continue
        lists += [GivenOut(path.name, "", 0, at, trouble=why) for why in sheets_not_read(understood)]
        for each in understood:
            about, rows = _given_out(path, at, each.rows)
            lists.append(about)
            if rows is not None:
                here = frames.setdefault(about.record, {})
                here[path.name] = pl.concat([here[path.name], rows], how="diagonal") if path.name in here else rows
    # Of two lists that say different things of one key, the one that was exported last counts, and that is reported.
    written = {path.name: path.stat().st_mtime_ns for path in files}
    why: dict[tuple[str, str], str] = {}
    for name, parts in frames.items():
        frames[name] = {file: parts[file] for file in sorted(parts, key=lambda file: (written[file], file))}
        contradictions = _contradictions(workspace.description.records[name], frames[name])
        why |= {(file, name): said for file, said in contradictions.items()}
    lists = [replace(each, remark=why.get((each.file, each.record), each.remark)) for each in lists]
    make_folder(workspace.hidden)
    mirrored = {name: list(parts.values()) for name, parts in frames.items()}
    write_mirror(workspace.hidden, workspace.description, mirrored, lists, signature)
    return lists


def _contradictions(record: Record, parts: Mapping[str, pl.DataFrame]) -> dict[str, str]:
    """Lists that have keys of an older list with other values → what that means, in words."""
    if len(parts) < 2 or record.nature == "stock":
        return {}
    key, contradictions = list(record.key), {}
    counted = {file: counted_rows(frame, record) for file, frame in parts.items()}
    first, *others = counted
    known = counted[first].with_columns(pl.lit(first).alias(_LIST))
    for file in others:
        mine = counted[file]
        both = known.join(mine.select(key), on=key, how="semi")
        same = both.drop(_LIST).join(mine, on=[*mine.columns], how="semi", nulls_equal=True)
        same = same if set(both.columns) - {_LIST} == set(mine.columns) else same.clear()
        other = both.join(same.select(key), on=key, how="anti")
        if other.height:
            keys = listed([" / ".join(map(str, row)) for row in other.select(key).iter_rows()], 3)
            there = " and ".join(other[_LIST].unique(maintain_order=True))
            verb = "is" if other.height == 1 else "are"
            contradictions[file] = (
                f"{count(other.height, 'key')} of it {verb} in {there} too, with other values ({keys}): this newer list counts"
            )
        known = pl.concat(
            [known.join(mine.select(key), on=key, how="anti"), mine.with_columns(pl.lit(file).alias(_LIST))],
            how="diagonal",
        )
    return contradictions


def _signature(workspace: Workspace, files: list[Path]) -> str:
    """Changes with every file, with the description and with the saved mappings."""
    digest = hashlib.sha256(_READING)
    own = [workspace.folder / FILE, *workspace.folder.glob("*.toml"), *(workspace.folder / "maps").glob("*.toml")]
    for path in [*files, *sorted(set(own))]:
        about = path.stat()
        digest.update(f"{path}|{about.st_mtime_ns}|{about.st_size}|".encode())
    return digest.hexdigest()


def _readable(rows: Rows) -> tuple[Rows, int, int]:
    """The rows that can be trusted, with blanks where a cell could not be read as its field stores it.

    Returns:
        The rows, how many cells of them could not be read, and how many rows are left out: in a line with too few or
        too many columns, values are in other columns than their own.
    """
    unread = 0
    broken = rows_with((group for group in rows.findings if group.field is None), "error")
    values = rows.values.filter(~rows.values[ROW].is_in(broken.implode()))
    for name in rows.fields:
        wrong = values[ROW].is_in(rows.unread(name).implode()) | out_of_form(values[name], rows.record.fields[name])
        if wrong.any():
            unread += int(wrong.sum())
            values = values.with_columns(pl.when(~wrong).then(pl.col(name)).alias(name))
    return replace(rows, values=values), unread, len(broken)
