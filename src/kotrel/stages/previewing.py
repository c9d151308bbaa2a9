"""Files → a preview of what loading them would do."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from kotrel.core.changes.journal import Entry
from kotrel.core.errors import OutOfReach
from kotrel.core.parts import Preview
from kotrel.core.pipeline import preview
from kotrel.stages.checking import business_of, parts_of, understand_files
from kotrel.stages.file_options import Wanted
from kotrel.stages.plans import foreseen
from kotrel.stages.understanding import Understood
from kotrel.systems.interface import Step
from kotrel.workspace.settings import Workspace


def preview_files(files: Sequence[Path], workspace: Workspace, wanted: Wanted, today: datetime, step: Step) -> Preview:
    """What loading the files would do."""
    understood = understand_files(files, workspace, wanted, today.date(), step)
    content = fingerprint(files, wanted, understood)
    parts, business = parts_of(understood, workspace), business_of(workspace, wanted.options, today)
    system = workspace.system()
    with system.reading() as reading:
        found = preview(parts, business, reading, step, with_stakes=True)
        if refusals := foreseen(found, system, reading):
            found = preview(parts, business, reading, step, refusals, with_stakes=True)
        if wanted.options.documents.as_target:
            return found
        return replace(found, before=loaded_before(reading.history(), content))


def loaded_before(entries: Sequence[Entry], content: str) -> Entry | None:
    """The load that already loaded all of the same content in the same way and was not undone, or that was sent with it."""
    for entry in reversed(entries):
        whole = not any(counts.get("refused") for counts in entry.counts.values())
        done = entry.kind == "load" and entry.status in ("loaded", "sent")
        if entry.fingerprint == content and done and whole:
            return entry
    return None


def fingerprint(files: Sequence[Path], wanted: Wanted, understood: Sequence[Understood]) -> str:
    """SHA-256 over the contents of the files and how they are understood, hexadecimal.

    The same file loaded with another match, or from another sheet, is different content.
    """
    digest = hashlib.sha256()
    for path in files:
        try:
            with path.open("rb") as file:
                while part := file.read(1 << 20):
                    digest.update(part)
        except OSError as error:
            raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "file-not-readable") from None
    for each in understood:
        rows = each.rows
        digest.update(repr((rows.record.name, rows.table.sheet, sorted(rows.sources.items()))).encode())
    digest.update(repr(wanted.options).encode())
    return digest.hexdigest()
