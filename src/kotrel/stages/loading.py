"""Checked rows → a preview of what a load would do; and the load itself, all or nothing."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from kotrel.core.changes import RecordChanges, compare, put_together
from kotrel.core.errors import OutOfReach
from kotrel.core.findings import cells_of
from kotrel.stages.checking import Checked, check_all, understand_files
from kotrel.stages.understanding import Understood, Wanted
from kotrel.systems.interface import Moved, Reading, Refused, Stamp, Step
from kotrel.workspace.settings import Workspace

TRIES = 3
"""So often a load is tried anew when somebody else changes the same rows while it runs."""


@dataclass(frozen=True)
class Preview:
    """What a load would do."""

    checked: tuple[Checked, ...]
    changes: tuple[RecordChanges, ...]

    @property
    def ok(self) -> bool:
        return all(each.ok for each in self.checked)

    @property
    def touches(self) -> bool:
        return any(each.touches for each in self.changes)

    def counts(self) -> dict[str, dict[str, int]]:
        """Record → how many rows are new, changed, same, refused."""
        return {each.record.name: each.counts for each in self.changes}


@dataclass(frozen=True)
class Loaded:
    """How a load ended: ``loaded``, ``refused`` or ``nothing to do``; the number only where it was loaded."""

    status: str
    number: int | None
    preview: Preview


def preview_in(understood: Sequence[Understood], workspace: Workspace, reading: Reading, step: Step) -> Preview:
    """Checks and compares against one consistent look at the system."""
    checked = check_all(understood, workspace.description, workspace.conventions, reading, step)
    changes = []
    for each in checked:
        rows = each.rows
        if not rows.has_key:
            continue
        step(f"comparing {rows.record.title.lower()}")
        carried = [name for name in rows.record.loadable if name in rows.fields]
        first = rows.record.key[0]
        now = reading.read(rows.record.name, carried, (first, rows.values[first]))
        changes.append(compare(rows, now))
    return Preview(tuple(checked), tuple(put_together(changes)))


def preview_files(files: Sequence[Path], workspace: Workspace, wanted: Wanted, today: datetime, step: Step) -> Preview:
    """What loading the files would do."""
    understood = understand_files(files, workspace, wanted, today.date(), step)
    with workspace.system().reading() as reading:
        return preview_in(understood, workspace, reading, step)


def load_files(
    files: Sequence[Path],
    workspace: Workspace,
    wanted: Wanted,
    who: str,
    remark: str,
    at: datetime,
    step: Step,
    agree: Callable[[Preview], bool] | None = None,
) -> Loaded:
    """Loads files, all or nothing.

    Args:
        agree: shown the preview and asked, where there is a person to ask; the load goes on only when what it would
            do is still what was shown.

    Raises:
        OutOfReach: the system cannot be reached, or others kept changing the same rows.
    """
    understood = understand_files(files, workspace, wanted, at.date(), step)
    system = workspace.system()
    shown: Preview | None = None
    if agree is not None:
        with system.reading() as reading:
            shown = preview_in(understood, workspace, reading, step)
        if not shown.ok or not shown.touches:
            return _not_loaded(shown)
        if not agree(shown):
            return Loaded("not loaded", None, shown)
    stamp = Stamp(at, who, tuple(path.name for path in files), fingerprint(files), remark)
    for _ in range(TRIES):
        preview: Preview | None = None
        try:
            with system.writing() as writing:
                preview = preview_in(understood, workspace, writing, step)
                if not preview.ok or not preview.touches:
                    return _not_loaded(preview)
                if shown is not None and not _same(shown, preview):
                    raise OutOfReach(
                        "the system changed while you looked at the preview; nothing was loaded",
                        "Run it again and look at the new preview.",
                        "changed-meanwhile",
                    )
                number = writing.apply(preview.changes, stamp, step)
            return Loaded("loaded", number, preview)
        except Refused as refused:
            assert preview is not None
            return Loaded("refused", None, _with_refusals(preview, refused))
        except Moved:
            step("somebody else changed the same rows: once more")
    raise OutOfReach(
        "others keep changing the same rows; nothing was loaded",
        "Run it again when they are done.",
        "changed-meanwhile",
    )


def _not_loaded(preview: Preview) -> Loaded:
    return Loaded("nothing to do" if preview.ok else "refused", None, preview)


def _same(shown: Preview, now: Preview) -> bool:
    return all(
        first.fields == second.fields and first.frame.equals(second.frame)
        for first, second in zip(shown.changes, now.changes, strict=True)
    )


def _with_refusals(preview: Preview, refused: Refused) -> Preview:
    """The preview with what the business system itself refused as findings: it is the second line behind the checks."""
    checked = []
    for each in preview.checked:
        mine = [refusal for refusal in refused.refusals if refusal.record == each.rows.record.name]
        if mine:
            cells = cells_of(
                [r.row for r in mine], [r.key for r in mine], [f"the system says: {r.message}" for r in mine]
            )
            key = each.rows.record.key[0]
            group = each.rows.group("error", "refused-by-system", "refused by the system itself", key, cells)
            each = Checked(each.rows.with_findings([group]), each.remarks)
        checked.append(each)
    return Preview(tuple(checked), preview.changes)


def fingerprint(files: Sequence[Path]) -> str:
    """SHA-256 over the contents of the files, hexadecimal."""
    digest = hashlib.sha256()
    for path in files:
        try:
            with path.open("rb") as file:
                while part := file.read(1 << 20):
                    digest.update(part)
        except OSError as error:
            raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "file-not-readable") from None
    return digest.hexdigest()
