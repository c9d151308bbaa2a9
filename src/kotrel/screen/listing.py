"""Lists on the screen: columns without lines between them, and how many rows are not shown."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from rich.table import Table
from rich.text import Text

from kotrel.screen.screen import Screen


def listing(headings: Iterable[str], right: Collection[str] = (), indent: int = 0) -> Table:
    """A table for the screen in which nothing is cut: what is too long goes on in the next line.

    Args:
        right: headings of the columns whose figures stand at the right.
        indent: spaces before each line.
    """
    table = Table(box=None, padding=(0, 2, 0, indent), header_style="dim")
    for heading in headings:
        table.add_column(heading, justify="right" if heading in right else "left", overflow="fold")
    return table


def show_more(screen: Screen, number: int, way: str = "--all lists them", indent: int = 2) -> None:
    """Says how many rows are not shown, and what shows them; nothing where all are."""
    if number > 0:
        screen.show(Text(f"{' ' * indent}… {number:,} more ({way})", style="dim"))
