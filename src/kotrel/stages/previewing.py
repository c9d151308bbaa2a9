"""Checked rows → a preview of what a load would do."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from kotrel.core.changes import RecordChanges, compare, put_together
from kotrel.core.errors import OutOfReach
from kotrel.stages.checking import Checked, check_all, understand_files
from kotrel.stages.understanding import Understood, Wanted
from kotrel.systems.interface import Entry, Reading, Refusal, Step
from kotrel.workspace.settings import Workspace


@dataclass(frozen=True)
class Preview:
    """What a load would do.

    Attributes:
        changes: in load order.
        before: the load by which the same content was loaded already, or None.
    """

    checked: tuple[Checked, ...]
    changes: tuple[RecordChanges, ...]
    before: Entry | None = None

    @property
    def ok(self) -> bool:
        return all(each.ok for each in self.checked)

    @property
    def touches(self) -> bool:
        return any(each.touches for each in self.changes)

    def counts(self) -> dict[str, dict[str, int]]:
        """Record → how many rows are new, changed, same, refused."""
        counted: dict[str, dict[str, int]] = {}
        for each in self.changes:
            record = counted.setdefault(each.record.name, {})
            for action, number in each.counts.items():
                record[action] = record.get(action, 0) + number
        return counted

    def creates(self) -> dict[str, list[str]]:
        """Record → the codes that are added to that list because other rows use them."""
        found: dict[str, list[str]] = {}
        for each in self.checked:
            if each.created:
                codes = each.rows.values[each.rows.record.code].to_list()
                found.setdefault(each.rows.record.name, []).extend(codes)
        return found


def preview_in(
    understood: Sequence[Understood],
    workspace: Workspace,
    wanted: Wanted,
    reading: Reading,
    step: Step,
    refusals: Sequence[Refusal] = (),
) -> Preview:
    """Checks and compares against one consistent look at the system.

    Args:
        refusals: rows that the system itself has refused already, when the good rows were tried.
    """
    checked = check_all(understood, workspace, wanted, reading, step, refusals)
    changes = []
    for each in checked:
        rows = each.rows
        if not rows.has_key:
            continue
        step(f"comparing {rows.record.title.lower()}")
        carried = [name for name in rows.record.loadable if name in rows.fields]
        first = rows.record.key[0]
        now = each.now
        if now is None or any(name not in now.columns for name in carried):
            now = reading.read(rows.record.name, carried, (first, rows.values[first]))
        changes.append(compare(rows, now))
    order = workspace.description.order
    changes.sort(key=lambda each: order.index(each.record.name))
    return Preview(tuple(checked), tuple(put_together(changes)))


def preview_files(files: Sequence[Path], workspace: Workspace, wanted: Wanted, today: datetime, step: Step) -> Preview:
    """What loading the files would do."""
    understood = understand_files(files, workspace, wanted, today.date(), step)
    content = fingerprint(files, wanted, understood)
    with workspace.system().reading() as reading:
        preview = preview_in(understood, workspace, wanted, reading, step)
        return replace(preview, before=loaded_before(reading.history(), content))


def loaded_before(entries: Sequence[Entry], content: str) -> Entry | None:
    """The load that loaded the same content in the same way, all of it, and still stands."""
    for entry in reversed(entries):
        whole = not any(counts.get("refused") for counts in entry.counts.values())
        if entry.fingerprint == content and entry.kind == "load" and entry.status == "loaded" and whole:
            return entry
    return None


def fingerprint(files: Sequence[Path], wanted: Wanted, understood: Sequence[Understood]) -> str:
    """SHA-256 over the contents of the files and how they are understood, hexadecimal.

    The same file loaded by another match, or from another sheet, is other content.
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
    digest.update(repr(wanted.ways).encode())
    return digest.hexdigest()
