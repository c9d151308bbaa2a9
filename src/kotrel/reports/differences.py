"""What differs between two sheets, on the terminal and as JSON."""

from __future__ import annotations

from typing import Any

import polars as pl
from rich.table import Table
from rich.text import Text

from kotrel.reports.phrases import count, listed, short
from kotrel.reports.screen import Screen
from kotrel.stages.comparing import Compared

SHOWN = 15


def show_compared(screen: Screen, compared: Compared, every: bool) -> None:
    """The counts, then rows changed, added and gone."""
    difference = compared.difference
    key = " and ".join(compared.titles.get(name, name) for name in difference.key)
    how = f"as {compared.record.name}" if compared.record else "column by column, by heading"
    screen.show(
        Text(f"{compared.old.name} → {compared.new.name}", style="bold").append(
            f" · {how} · rows identified by {key}", style=""
        )
    )
    line = Text()
    for number, word, style in (
        (difference.added.height, "added", "green"),
        (difference.gone.height, "gone", "red"),
        (difference.changed_rows, "changed", "yellow"),
        (difference.same, "unchanged", "dim"),
    ):
        line.append(" · " if line else "").append(f"{number:,} {word}", style=style if number else "dim")
    screen.show(line)
    for names, where in ((difference.only_old, "old"), (difference.only_new, "new")):
        if names:
            titles = [compared.titles.get(name, name) for name in names]
            screen.show(Text(f"  only in the {where} sheet and not compared: {listed(titles, 6)}", style="dim"))
    _show_changed(screen, compared, every)
    _show_rows(screen, compared, difference.added, "+", "green", every)
    _show_rows(screen, compared, difference.gone, "−", "red", every)


def _show_changed(screen: Screen, compared: Compared, every: bool) -> None:
    changed = compared.difference.changed
    if not changed.height:
        return
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for heading in ("  key", "column", "from", "to"):
        table.add_column(heading, justify="right" if heading == "from" else "left")
    shown = changed if every else changed.head(SHOWN)
    last = None
    for key, column, before, after in shown.iter_rows():
        title = compared.titles.get(column, column)
        table.add_row(
            Text(f"  {key}" if key != last else ""),
            Text(title),
            Text(short(before, 36), style="red"),
            Text(short(after, 36), style="green"),
        )
        last = key
    screen.show(Text(""), table)
    if shown.height < changed.height:
        screen.show(Text(f"  … {changed.height - shown.height:,} more changes (--all lists them)", style="dim"))


def _show_rows(screen: Screen, compared: Compared, rows: pl.DataFrame, sign: str, style: str, every: bool) -> None:
    if not rows.height:
        return
    screen.show(Text(""))
    shown = rows if every else rows.head(5)
    for row in shown.iter_rows(named=True):
        shown_values = [
            short(value, 30) for name, value in row.items() if value is not None and name not in compared.difference.key
        ][:4]
        key = " / ".join(short(row[name]) for name in compared.difference.key)
        screen.show(Text(f"  {sign} {key}  ", style=style).append("  ".join(shown_values), style="dim"))
    if shown.height < rows.height:
        word = "added" if sign == "+" else "gone"
        screen.show(
            Text(f"    … {count(rows.height - shown.height, 'more row')} {word} (--all lists them)", style="dim")
        )


def compared_json(compared: Compared) -> dict[str, Any]:
    """A comparison as ``--json`` gives it."""
    difference = compared.difference
    return {
        "old": str(compared.old),
        "new": str(compared.new),
        "record": compared.record.name if compared.record else None,
        "key": list(difference.key),
        "counts": {
            "added": difference.added.height,
            "gone": difference.gone.height,
            "changed": difference.changed_rows,
            "same": difference.same,
        },
        "added": difference.added.to_dicts(),
        "gone": difference.gone.to_dicts(),
        "changed": difference.changed.to_dicts(),
        "only_old": list(difference.only_old),
        "only_new": list(difference.only_new),
    }
