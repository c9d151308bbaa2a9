"""``kotrel write``: the upload file that another program insists on."""

from __future__ import annotations

import argparse
from pathlib import Path

from rich.text import Text

from kotrel.commands._shared import add_documents, add_reading, add_ways, now, wanted_of, workspace_of
from kotrel.reports.findings import checked_json, show_checked
from kotrel.reports.phrases import count
from kotrel.reports.screen import Screen
from kotrel.stages.writing import write_layout

EXAMPLE = """\
kotrel write new-items.xlsx --layout till
    the rows as layouts/till.toml says; what cannot be written is a finding at its cell
kotrel write items.xlsx --layout webshop -o upload.csv
    with prices and stock, if the layout asks for them
kotrel write items.xlsx --layout webshop --only new
    the options of a load say which rows are written, and how they are read"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", metavar="FILE", help="workbook or text file")
    parser.add_argument("--layout", required=True, metavar="NAME", help="layouts/NAME.toml")
    parser.add_argument(
        "-o", "--output", metavar="FILE", help="where to (default: the file's name and the layout's, in this folder)"
    )
    add_reading(parser)
    add_ways(parser)
    add_documents(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    out = Path(args.output) if args.output else None
    with screen.progress(6) as step:
        done = write_layout(Path(args.file), args.layout, out, workspace, wanted_of(args), now(), step)
    ok = bool(done.files)
    if screen.as_json:
        files = [{"file": str(path), "rows": rows} for path, rows in done.files]
        screen.json(
            {
                "ok": ok,
                "files": files,
                "left_out": dict(done.left_out),
                "parts": [checked_json(each) for each in done.checked if each.consequence is None],
            }
        )
        return 0 if ok else 1
    for each in done.checked:
        if each.consequence is None and not each.says_nothing:
            show_checked(screen, each, False, False)
    screen.show("")
    for path, rows in done.files:
        screen.show(f"Written: {path}   {count(rows, 'row')}")
    for title, rows in done.left_out.items():
        screen.show(
            Text(f"Not written, because the layout is not for it: {title}, {count(rows, 'row')}", style="bold yellow")
        )
    if ok and workspace.url.startswith("folder:"):
        screen.show(
            f"Kotrel does not know whether the program reads it. Next: kotrel load {args.file} sends it and keeps account of it."
        )
    if not ok:
        screen.show(
            f"Nothing was written. Next: fix these cells, then write it again: kotrel write {args.file} --layout {args.layout}"
        )
    return 0 if ok else 1
