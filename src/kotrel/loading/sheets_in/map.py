"""``kotrel map``: proposes which column feeds which field, and saves it for people to edit."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from rich.table import Table as Grid
from rich.text import Text

from kotrel.core.phrases import listed
from kotrel.loading.opening import workspace_of
from kotrel.loading.options import add_sheet, wanted_of
from kotrel.loading.sheets_in.mapping_proposals import Mapped, map_file
from kotrel.screen.screen import Screen


def show_mapped(screen: Screen, mapped: Mapped) -> None:
    """Field ← column, how sure and why; then the columns left out and the fields missing."""
    title = Text(Path(mapped.table.file).name, style="bold")
    if mapped.table.sheet:
        title.append(f" · sheet “{mapped.table.sheet}”", style="")
    screen.show(title.append(f" as {mapped.record.name}", style=""))
    grid = Grid(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for heading in ("", "column", "", "feeds", "sure", "because"):
        grid.add_column(heading, justify="right" if heading == "sure" else "left", overflow="fold")
    for each in mapped.proposals:
        style = "" if each.sure >= 90 else "yellow"
        grid.add_row(
            Text(each.column.letter, style="dim"),
            Text(each.column.heading or "(none)", style="bold"),
            "→",
            each.field.name,
            Text(f"{each.sure} %", style=style),
            Text(each.why, style=style),
        )
    if mapped.wide is not None:
        wide = mapped.wide
        heads = listed([column.heading for column in wide.columns], 6)
        grid.add_row(
            "",
            Text(heads, style="bold"),
            "→",
            f"{wide.value.name}, by {wide.by.name}",
            "100 %",
            "headings on that list",
        )
    screen.show(grid)
    if mapped.left:
        left = listed([f"{column.letter} “{column.heading}”" for column in mapped.left], 8)
        screen.show(Text(f"Undecided: {left}", style="dim"))
    for asked in mapped.habits.questions():
        screen.show(Text(f"Is this so: {asked}", style="yellow"))
    if mapped.missing:
        screen.show(Text(f"New rows also need: {', '.join(mapped.missing)}", style="yellow"))
        screen.show(Text("  In the saved mapping, give each a column, a fixed value or a default.", style="dim"))
    if mapped.others:
        sheets = listed([f"“{name}”" for name in mapped.others], 6)
        screen.show(
            Text(
                f"Not looked at for this: {sheets}. The mapping also reads sheets that have its headings.", style="dim"
            )
        )
    screen.show(
        Text(f"Saved as {_shown(mapped.path)}. Read it and edit what is wrong.").append(
            f"  Next: {mapped.next}",
            style="dim",
        )
    )


def _shown(path: Path) -> str:
    return f"{path.parent.name}/{path.name}"


def mapped_json(mapped: Mapped) -> dict[str, Any]:
    """A proposed mapping as ``--json`` gives it."""
    return {
        "file": mapped.table.file,
        "record": mapped.record.name,
        "map": mapped.path.stem,
        "fields": [
            {
                "field": each.field.name,
                "column": each.column.heading,
                "letter": each.column.letter,
                "sure": each.sure,
                "why": each.why,
            }
            for each in mapped.proposals
        ],
        "repeat": None
        if mapped.wide is None
        else {
            "field": mapped.wide.by.name,
            "value": mapped.wide.value.name,
            "columns": [c.heading for c in mapped.wide.columns],
        },
        "left": [{"column": column.heading, "letter": column.letter} for column in mapped.left],
        "missing": list(mapped.missing),
        "questions": mapped.habits.questions(),
        "other_sheets": list(mapped.others),
    }


EXAMPLE = """\
kotrel map keldrift.xlsx item --name keldrift
    proposes a mapping, shows how sure it is and why, and saves it in maps/keldrift.toml"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", metavar="FILE", help="workbook or text file")
    parser.add_argument("record", metavar="RECORD", help="what its rows are")
    parser.add_argument("--name", metavar="NAME", help="the name to save it under (default: the file's name)")
    add_sheet(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args)
    with screen.progress(3) as step:
        mapped = map_file(Path(args.file), args.record, args.name, workspace, wanted_of(args), step)
    screen.json(mapped_json(mapped)) if screen.as_json else show_mapped(screen, mapped)
    return 0
