"""What is in a file, on the terminal and as JSON."""

from __future__ import annotations

from typing import Any

from rich.table import Table as Grid
from rich.text import Text

from kotrel.core.tables.profiling import Look
from kotrel.core.tables.table import Table
from kotrel.reports.phrases import count, listed, short
from kotrel.reports.screen import Screen
from kotrel.stages.inspecting import Inspected


def show_inspected(screen: Screen, inspected: Inspected, typed: str) -> None:
    """Every table with its columns, then the record it probably holds.

    Args:
        typed: the file and the options, as the user typed them.
    """
    for table, looks in inspected.tables:
        _show_table(screen, inspected, table, looks)
    likely = inspected.likely
    if likely is None:
        screen.show(Text("\nIts headings do not match any record of the system.", style="yellow"))
        screen.show(Text(f"Next: kotrel map {typed} RECORD    proposes which column feeds which field", style="dim"))
        screen.show(Text("      kotrel records    shows what the system takes", style="dim"))
        return
    line = Text("\nProbably ").append(likely.record.title.lower(), style="bold").append(" rows")
    if inspected.key:
        line.append(f", identified by {listed([f'“{heading}”' for heading in inspected.key])}")
    fields = count(len(likely.letters), "column matches a field", "columns match fields")
    line.append(f": {fields} of {likely.record.name}")
    if likely.unknown:
        line.append(f"; {count(len(likely.unknown), 'column')} would be left out")
    screen.show(line, Text(f"Next: kotrel check {typed}", style="dim"))


def _show_table(screen: Screen, inspected: Inspected, table: Table, looks: tuple[Look, ...]) -> None:
    title = Text(inspected.file.name, style="bold")
    if table.sheet:
        title.append(f" · sheet “{table.sheet}”", style="")
    where = "row" if table.sheet else "line"
    title.append(f" · headings in {where} {table.heading_row} · {count(table.rows, 'row')}", style="")
    if table.rows:
        title.append(f" ({table.first_row}–{table.last_row})", style="")
    screen.show(title)
    for remark in (*table.hidden.in_words(), *table.remarks):
        screen.show(Text(f"  {remark}", style="dim"))
    grid = Grid(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for heading in ("", "heading", "kind", "filled", "unique", "length", "examples"):
        grid.add_column(
            heading, justify="right" if heading in ("filled", "unique", "length") else "left", overflow="fold"
        )
    for look in looks:
        filled = "all" if look.filled == table.rows else f"{look.filled:,}"
        unique = "all" if look.unique == look.filled and look.filled else f"{look.unique:,}"
        length = str(look.longest) if look.shortest == look.longest else f"{look.shortest}–{look.longest}"
        examples = " · ".join(short(value, 22) for value in look.examples)
        grid.add_row(
            Text(look.column.letter, style="dim"),
            Text(look.column.heading or "(none)", style="bold" if look.column.heading else "dim"),
            look.kind,
            filled,
            unique,
            length if look.filled else "",
            Text(examples),
        )
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
    }
