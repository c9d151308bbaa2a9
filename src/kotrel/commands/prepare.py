"""``kotrel prepare``: writes the sheet as Kotrel understood it."""

from __future__ import annotations

import argparse
from pathlib import Path

from kotrel.commands._shared import add_reading, now, wanted_of, workspace_of
from kotrel.reports.findings import checked_json, counts_line, headline
from kotrel.reports.screen import Screen
from kotrel.stages.preparing import prepare_file

EXAMPLE = """\
kotrel prepare keldrift.xlsx -o keldrift-items.xlsx
    matched, tidied and calculated, in the shape of the template: to read, pass on or load later"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", metavar="FILE", help="workbook or text file")
    parser.add_argument("-o", "--output", required=True, metavar="OUT", help="where to: .xlsx, .ods, .csv or .tsv")
    add_reading(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    with screen.progress(5) as step:
        checked = prepare_file(Path(args.file), Path(args.output), workspace, wanted_of(args), now(), step)
    ok = all(each.ok for each in checked)
    if screen.as_json:
        screen.json({"ok": ok, "written": args.output, "parts": [checked_json(each) for each in checked]})
        return 0 if ok else 1
    for each in checked:
        screen.show(headline(each.rows), counts_line(each))
        for remark in each.remarks:
            screen.show(f"  {remark}")
    screen.show(f"Written: {args.output}")
    if not ok:
        screen.show(
            f"What is wrong is in it as it was, behind #N/A where only the sheet shows it. Next: kotrel check {args.output}"
        )
    else:
        screen.show(f"Next: kotrel preview {args.output}")
    return 0 if ok else 1
