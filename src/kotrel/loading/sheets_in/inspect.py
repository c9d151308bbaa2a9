"""``kotrel inspect``: shows what is in a spreadsheet."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from msgspec import Struct
from rich.table import Table as Grid
from rich.text import Text

from kotrel.core.documents.families import readable_records
from kotrel.core.errors import KotrelError, WrongUse
from kotrel.core.matching.by_headings import Matched
from kotrel.core.matching.likely_records import guessed_record
from kotrel.core.phrases import count, listed, listed_and, short
from kotrel.core.tables.profiling import ColumnProfile, look_at
from kotrel.core.tables.table import Table
from kotrel.loading.file_options import FileOptions
from kotrel.loading.options import add_sheet, wanted_of
from kotrel.loading.sheets_in.sheet_choice import match_tables
from kotrel.loading.sheets_in.sheet_reading import tables_in
from kotrel.screen.screen import Screen
from kotrel.systems.interface import Step
from kotrel.workspace.settings import Workspace, find_workspace, open_workspace


class Inspected(Struct, frozen=True):
    """A file's tables with their columns, and how ``kotrel check`` would read it.

    Attributes:
        likely: what would feed which field of which record, in the sheet where most columns do; None where it would
            be refused, or where nobody knows what the system accepts.
        mapping: the saved mapping that would read that sheet, or an empty text.
        trouble: why it would be refused.
        also: the other sheets that would be read, each with its record; ``not_read``: why the others would not be.
        guess: the record that the headings of the first sheet say, where none is recognised.
    """

    file: Path
    tables: tuple[tuple[Table, tuple[ColumnProfile, ...]], ...]
    likely: Matched | None = None
    likely_sheet: str = ""
    mapping: str = ""
    trouble: KotrelError | None = None
    also: tuple[tuple[str, str], ...] = ()
    not_read: tuple[str, ...] = ()
    guess: str = ""

    @property
    def key(self) -> tuple[str, ...]:
        """Headings of the columns for the likely record's key."""
        if self.likely is None:
            return ()
        letters = [self.likely.letters[name] for name in self.likely.record.key if name in self.likely.letters]
        table = next(table for table, _ in self.tables if table.sheet == self.likely_sheet)
        return tuple(column.heading for column in table.columns if column.letter in letters)


def inspect_file(path: Path, wanted: FileOptions, workspace: Workspace | None, step: Step) -> Inspected:
    """Inspects every sheet of a file; without a workspace, records are not reported."""
    step(f"reading {path.name}")
    tables = tables_in(path, wanted)
    looked = []
    for table in tables:
        step(f"looking at {table.sheet or path.name}")
        looked.append((table, tuple(look_at(table))))
    if workspace is None:
        return Inspected(path, tuple(looked))
    try:
        chosen, not_read = match_tables(tables, workspace, wanted, str(path))
    except KotrelError as error:
        guess = guessed_record(tables[0], list(readable_records(workspace.description).values()))
        return Inspected(path, tuple(looked), trouble=error, guess=guess or "")
    best = max(chosen, key=lambda each: len(each.matches[0].letters))
    also = tuple((each.table.sheet, each.matches[0].record.name) for each in chosen if each is not best)
    unread = tuple(each.message for each in not_read)
    return Inspected(path, tuple(looked), best.matches[0], best.table.sheet, best.mapping, None, also, unread)


def show_inspected(screen: Screen, inspected: Inspected, args: argparse.Namespace) -> None:
    """Every table with its columns, then the record it probably holds.

    Args:
        args: the command line.
    """
    for table, looks in inspected.tables:
        _show_table(screen, inspected, table, looks)
    likely = inspected.likely
    if likely is None:
        _show_trouble(screen, inspected.trouble, args, inspected.guess)
        return
    screen.show(_likely_line(inspected, likely))
    for columns in likely.doubled.values():
        both = listed_and([f"{column.letter} “{column.heading}”" for column in columns])
        screen.show(Text(f"Which of the columns {both} counts has to be said.", style="yellow"))
    for sheet, record in inspected.also:
        screen.show(f"Sheet “{sheet}”: read as {record}")
    for said in inspected.not_read:
        screen.show(Text(f"{said[0].upper()}{said[1:]}.", style="yellow"))
    words = ("map", likely.record.name) if likely.doubled else ("check",)
    screen.show(Text(f"Next: {screen.again(args, *words)}", style="dim"))


def _likely_line(inspected: Inspected, likely: Matched) -> Text:
    """What the sheet that is read best would be read as; it is named where there are others."""
    several = bool(inspected.also or inspected.not_read)
    begun = f"read by the mapping {inspected.mapping} as " if inspected.mapping else "probably "
    begun = f"Sheet “{inspected.likely_sheet}”: {begun}" if several else f"{begun[0].upper()}{begun[1:]}"
    line = Text(f"\n{begun}").append(likely.record.title.lower(), style="bold").append(" rows")
    if inspected.key:
        line.append(f", identified by {listed([f'“{heading}”' for heading in inspected.key])}")
    fields = count(len(likely.letters), "column matches a field", "columns match fields")
    line.append(f": {fields} of {likely.record.name}")
    if likely.unknown:
        line.append(f"; {count(len(likely.unknown), 'column')} would be left out")
    return line


def _show_trouble(screen: Screen, trouble: KotrelError | None, args: argparse.Namespace, guess: str) -> None:
    """Why a check would refuse the file, and what to do.

    Args:
        guess: the record that its headings say, or an empty text.
    """
    if trouble is None:
        screen.show(Text("\nThis is no workspace, so nobody knows which records it may hold.", style="yellow"))
        screen.show(Text(f"Next: {screen.program} init    makes a workspace for your business software", style="dim"))
        return
    if trouble.kind != "nothing-recognised":
        screen.show(Text(f"\n{trouble.message[0].upper()}{trouble.message[1:]}.", style="yellow"))
        hint = f"{trouble.hint[:1].lower()}{trouble.hint[1:]}"
        screen.show(Text(f"For {screen.again(args, 'check')}: {hint}", style="dim"))
        return
    screen.show(Text("\nIts headings do not match any record of the system.", style="yellow"))
    screen.show(
        Text(
            f"Next: {screen.again(args, 'map', guess or 'RECORD')}    proposes which column feeds which field",
            style="dim",
        )
    )
    screen.show(Text(f"      {screen.program} records    shows what the system accepts", style="dim"))


def _title(file: str, table: Table) -> Text:
    title = Text(file, style="bold")
    if table.sheet:
        title.append(f" · sheet “{table.sheet}”", style="")
    where = "row" if table.sheet else "line"
    title.append(f" · headings in {where} {table.heading_row} · {count(table.rows, 'row')}", style="")
    if table.rows:
        title.append(f" ({table.first_row}–{table.last_row})", style="")
    return title


def _line(look: ColumnProfile, rows: int) -> list[str | Text]:
    filled = "all" if look.filled == rows else f"{look.filled:,}"
    unique = "all" if look.unique == look.filled and look.filled else f"{look.unique:,}"
    length = str(look.longest) if look.shortest == look.longest else f"{look.shortest}–{look.longest}"
    return [
        Text(look.column.letter, style="dim"),
        Text(look.column.heading or "(none)", style="bold" if look.column.heading else "dim"),
        look.kind,
        filled,
        unique,
        length if look.filled else "",
        Text(" · ".join(short(value, 22) for value in look.examples)),
    ]


def _show_table(screen: Screen, inspected: Inspected, table: Table, looks: tuple[ColumnProfile, ...]) -> None:
    screen.show(_title(inspected.file.name, table))
    for remark in (*table.hidden.in_words(), *table.remarks):
        screen.show(Text(f"  {remark}", style="dim"))
    grid = Grid(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for heading in ("", "heading", "kind", "filled", "unique", "length", "examples"):
        grid.add_column(
            heading, justify="right" if heading in ("filled", "unique", "length") else "left", overflow="fold"
        )
    for look in looks:
        grid.add_row(*_line(look, table.rows))
        for damage in look.damage:
            grid.add_row("", "", "", "", "", "", Text(f"! {damage}", style="yellow"))
    screen.show(grid)


def inspected_json(inspected: Inspected) -> dict[str, Any]:
    """An inspection as ``--json`` gives it."""
    likely = inspected.likely
    return {
        "file": str(inspected.file),
        "sheets": [
            {
                "name": table.sheet,
                "table": {
                    "heading_row": table.heading_row,
                    "first_row": table.first_row,
                    "rows": table.rows,
                    "remarks": [*table.hidden.in_words(), *table.remarks],
                    "columns": [
                        {
                            "heading": look.column.heading,
                            "letter": look.column.letter,
                            "filled": look.filled,
                            "unique": look.unique,
                            "kind": look.kind,
                            "shortest": look.shortest,
                            "longest": look.longest,
                            "examples": list(look.examples),
                            "damage": list(look.damage),
                        }
                        for look in looks
                    ],
                },
            }
            for table, looks in inspected.tables
        ],
        "likely": {
            "record": likely.record.name if likely else None,
            "key": list(inspected.key),
            "sheet": inspected.likely_sheet,
        },
        "also": [{"sheet": sheet, "record": record} for sheet, record in inspected.also],
        "not_read": list(inspected.not_read),
    }


EXAMPLE = """\
kotrel inspect new-items.xlsx
    every table in it: the columns, how full and how unique they are, what kind of values, examples, damage"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", metavar="FILE", help="a workbook or text file")
    add_sheet(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = None
    try:
        folder = find_workspace(Path(args.workspace) if args.workspace else None, Path.cwd())
    except WrongUse:
        # Any sheet can be inspected; only a guess at its record needs a system.
        if args.workspace:
            raise
    else:
        workspace = open_workspace(folder)
    with screen.progress(4) as step:
        inspected = inspect_file(Path(args.file), wanted_of(args), workspace, step)
    screen.json(inspected_json(inspected)) if screen.as_json else show_inspected(screen, inspected, args)
    return 0
