"""Files that values name: they exist, are of the right kind and are not too large."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import FileFacts, SystemState


def check_named_files(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Pictures that are missing, not pictures, too large, or others than those of the same name;
    a note where nobody knows.
    """
    findings: list[FindingGroup] = []
    for name in rows.fields:
        field = rows.record.fields[name]
        if field.files is None or rows.values[name].null_count() == rows.values.height:
            continue
        values = rows.values.select(ROW, pl.col(name).alias("value")).filter(pl.col("value").is_not_null())
        if field.kind == "list":
            values = values.with_columns(pl.col("value").str.split("; ")).explode("value")
        named = values["value"].unique().to_list()
        known_files = state.files(named) if state.files is not None else None
        if known_files is None:
            message = f"{field.title} not checked: no folder is set (folder under [pictures] in kotrel.toml)"
            findings.append(
                rows.sheet_finding("note", "files-not-looked-at", "files not checked", message, rows.letters.get(name))
            )
            continue
        troubles = {
            value: trouble for value in named if (trouble := _trouble(known_files.get(value), state.largest_file))
        }
        for kind, title in (
            ("file-missing", "not in the folder"),
            ("no-picture", "not a picture"),
            ("file-too-large", "too large"),
            ("picture-differs", "another picture of that name"),
        ):
            mine = {value: message for value, (of, message) in troubles.items() if of == kind}
            bad = values.filter(pl.col("value").is_in(list(mine)))
            if bad.height:
                cells = cells_of(bad[ROW], bad["value"], [mine[value] for value in bad["value"]])
                findings.append(rows.group("error", kind, title, name, cells))
    return findings


def _trouble(facts: FileFacts | None, largest: int) -> tuple[str, str] | None:
    if facts is None:
        return "file-missing", "there is no such file in the picture folder"
    if not facts.is_picture:
        return "no-picture", "the file is not a picture"
    if facts.bytes > largest:
        return "file-too-large", f"{facts.bytes / 1_000_000:.1f} MB; at most {largest / 1_000_000:.1f} MB"
    if facts.differs:
        return "picture-differs", "the service has another picture of that name: give this one another name"
    return None
