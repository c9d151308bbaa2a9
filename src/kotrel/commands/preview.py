"""``kotrel preview``: shows what a load would do."""

from __future__ import annotations

import argparse

from kotrel.commands._shared import add_files, as_typed, files_of, now, wanted_of, workspace_of
from kotrel.reports.previews import preview_json, show_preview
from kotrel.reports.screen import Screen
from kotrel.stages.previewing import preview_files

EXAMPLE = """\
kotrel preview new-items.xlsx
    how many rows are new, changed (from what to what), the same or refused; nothing is changed"""


def arguments(parser: argparse.ArgumentParser) -> None:
    add_files(parser)
    parser.add_argument("--all", action="store_true", help="list each new row and each change")


def run(args: argparse.Namespace, screen: Screen) -> int:
    files = files_of(args)
    workspace = workspace_of(args)
    with screen.progress(5 * len(files)) as step:
        preview = preview_files(files, workspace, wanted_of(args), now(), step)
    if screen.as_json:
        screen.json(preview_json(preview))
        return 0 if preview.ok else 1
    show_preview(screen, preview, args.all)
    names = as_typed(args)
    screen.show("")
    if not preview.ok and preview.touches:
        screen.show("A load would be refused.")
        screen.show(f"Next: kotrel check {names} --all    lists everything to fix")
        screen.show(f"      kotrel load {names} --good-rows    loads the good rows and writes the others to a file")
    elif not preview.ok:
        screen.show(f"A load would be refused. Next: kotrel check {names} --all")
    elif preview.touches and preview.before is not None:
        screen.show(
            f"A load would do nothing: this content was already loaded as {preview.before.name}, and others have changed it since."
        )
        screen.show(f"      kotrel load {names} --again    loads it again, over what has changed")
    elif not preview.touches:
        screen.show("Nothing to do: the system holds all of it already.")
    else:
        screen.show(f"Nothing has been changed. Next: kotrel load {names}")
    return 0 if preview.ok else 1
