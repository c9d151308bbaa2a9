"""``kotrel preview``: shows what a load would do."""

from __future__ import annotations

import argparse
import hashlib
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import date, datetime
from pathlib import Path

from msgspec.structs import replace

from kotrel.core.changes.journal import Entry
from kotrel.core.errors import OutOfReach
from kotrel.core.loading.load_model import Preview
from kotrel.core.loading.pipeline import preview
from kotrel.loading.file_options import FileOptions
from kotrel.loading.loads.plans import foreseen
from kotrel.loading.loads.preview_screen import nothing_to_do, preview_json, show_preview
from kotrel.loading.opening import now, workspace_of
from kotrel.loading.options import add_files, files_of, wanted_of
from kotrel.loading.sheets_in.checking import business_of, parts_of, understand_files
from kotrel.loading.sheets_in.next_steps import good_rows_step, next_steps, show_steps
from kotrel.loading.sheets_in.sheet_reading import Understood
from kotrel.screen.screen import Screen
from kotrel.systems.interface import Step
from kotrel.workspace.settings import Workspace


def preview_files(
    files: Sequence[Path], workspace: Workspace, wanted: FileOptions, today: datetime, step: Step
) -> Preview:
    """What loading the files would do."""
    understood, content = understood_with_fingerprint(files, workspace, wanted, today.date(), step)
    parts, business = parts_of(understood, workspace), business_of(workspace, wanted.options, today)
    system = workspace.system()
    with system.reading() as reading:
        previewed = preview(parts, business, reading, step, with_stakes=True)
        if refusals := foreseen(previewed, system, reading):
            previewed = preview(parts, business, reading, step, refusals, with_stakes=True)
        if wanted.options.documents.as_target:
            return previewed
        return replace(previewed, before=loaded_before(reading.history(), content))


def loaded_before(entries: Sequence[Entry], content: str) -> Entry | None:
    """The load that already loaded all of the same content in the same way and was not undone,
    or that was sent with it.
    """
    for entry in reversed(entries):
        whole = not any(counts.get("refused") for counts in entry.counts.values())
        done = entry.kind == "load" and entry.status in ("loaded", "sent")
        if entry.fingerprint == content and done and whole:
            return entry
    return None


def understood_with_fingerprint(
    files: Sequence[Path], workspace: Workspace, wanted: FileOptions, today: date, step: Step
) -> tuple[list[Understood], str]:
    """The files understood, and their fingerprint: SHA-256 over their contents and how they are understood, hexadecimal.

    The same file loaded with another match, or from another sheet, is different content.
    """
    with ThreadPoolExecutor(1) as pool:
        goes_on = [True]
        # The contents are digested while they are read.
        digesting = pool.submit(_digest_of, files, goes_on)
        try:
            understood = understand_files(files, workspace, wanted, today, step)
            digest = digesting.result()
        finally:
            goes_on.clear()
    for each in understood:
        rows = each.rows
        digest.update(repr((rows.record.name, rows.table.sheet, sorted(rows.sources.items()))).encode())
    digest.update(repr(wanted.options).encode())
    return understood, digest.hexdigest()


def _digest_of(files: Sequence[Path], goes_on: Sequence[bool]) -> hashlib._Hash:
    """SHA-256 over the contents of files, as long as somebody waits for it."""
    digest = hashlib.sha256()
    for path in files:
        try:
            with path.open("rb") as file:
                while goes_on and (part := file.read(1 << 20)):
                    digest.update(part)
        except OSError as error:
            raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "file-not-readable") from None
    return digest


EXAMPLE = """\
kotrel preview new-items.xlsx
    how many rows are new, changed (from what to what), the same or refused; nothing is changed"""


def arguments(parser: argparse.ArgumentParser) -> None:
    add_files(parser)
    parser.add_argument("--all", action="store_true", help="list each new row and each change")


def run(args: argparse.Namespace, screen: Screen) -> int:
    files = files_of(args)
    workspace = workspace_of(args, screen)
    with screen.progress(5 * len(files)) as step:
        preview = preview_files(files, workspace, wanted_of(args), now(), step)
    if screen.as_json:
        screen.json(preview_json(preview))
        return 0 if preview.ok else 1
    show_preview(screen, preview, args.all)
    screen.show("")
    if not preview.ok:
        screen.show("A load would be refused.")
        show_steps(screen, [*next_steps(preview.checked, [], args, screen), *good_rows_step(preview, args, screen)])
    elif preview.touches and preview.before is not None:
        screen.show(
            f"A load would do nothing: this content was already loaded as {preview.before.name}, and others have changed it since."
        )
        screen.show(f"      {screen.again(args, 'load', '--again')}    loads it again, over what has changed")
    elif not preview.touches:
        screen.show(nothing_to_do(preview))
    else:
        screen.show(f"Nothing has been changed. Next: {screen.again(args, 'load')}")
    return 0 if preview.ok else 1
