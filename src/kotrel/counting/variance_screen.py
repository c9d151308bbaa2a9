"""The differences of a count, on the terminal, as JSON and as files."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

import polars as pl
from rich.table import Table
from rich.text import Text

from kotrel.core.columns import decimal_type
from kotrel.core.counting.tolerances import Tolerance
from kotrel.core.counting.variance import CountLine, CountPlace, totals_of
from kotrel.core.phrases import count, listed_and
from kotrel.counting.count_state import State
from kotrel.counting.count_workbooks import variance_book
from kotrel.screen.amounts_shown import money_text, quantity_text
from kotrel.screen.listing import show_more
from kotrel.screen.narrow import give_way
from kotrel.screen.screen import Screen

SHOWN = 25


def show_variance(screen: Screen, state: State, tolerance: Tolerance, every: bool, files: Sequence[Path]) -> None:
    """The differences, worst value first; what to count again; the totals."""
    if screen.as_json:
        screen.json(variance_json(state, files))
        return
    off = worst_lines_first(state.told)
    if off:
        _show_lines(screen, off if every else off[:SHOWN])
        show_more(screen, 0 if every else len(off) - SHOWN, "--all lists them, -o FILE writes them")
    else:
        screen.show("No differences so far.")
    totals = totals_of(state.told, tolerance, state.quiet.height, state.left.height)
    accuracy = (
        "" if totals.accuracy is None else f" · accuracy {totals.accuracy} % of {count(totals.counted, 'line')} counted"
    )
    screen.show(Text(f"net {money_text(totals.net)} · gross {money_text(totals.gross)}{accuracy}", style="bold"))
    _show_open(screen, state)
    for path in files:
        screen.show(f"Written: {path}")
    again = any(line.recount for line in state.told)
    following = f"sheets {state.name} --recount -o sheets" if again else f"post {state.name}"
    screen.show(Text(f"Next: {screen.program} count {following}", style="dim"))


def show_corrections(screen: Screen, state: State, indent: str = "") -> None:
    """Which other counts have posted places of this one since it was frozen."""
    if state.corrected_by:
        which = "counts" if len(state.corrected_by) > 1 else "count"
        said = f"corrected since the freeze by the {which} {listed_and(state.corrected_by)}: what is expected includes that"
        screen.show(Text(f"{indent}{said}", style="bold yellow"))


def _show_lines(screen: Screen, lines: Sequence[CountLine]) -> None:
    figures = ("expected", "counted", "variance", "%", "value")
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for title in ("item", "place", *figures, ""):
        table.add_column(
            title, justify="right" if title in figures else "left", overflow="ellipsis" if title else "fold"
        )
    for line in lines:
        remark = "; ".join(filter(None, (line.recount and f"recount: {line.recount}", *line.remarks)))
        table.add_row(
            Text(line.place.item),
            Text(place_in_words(line.place)),
            quantity_text(line.expected),
            quantity_text(line.counted or Decimal(0)),
            Text(f"{'+' if line.variance > 0 else ''}{quantity_text(line.variance)}", style="bold"),
            "" if line.percent is None else f"{line.percent:+f}",
            money_text(line.value),
            Text(remark, style="yellow" if line.recount else ""),
        )
    screen.show(give_way(table, screen.console.width, ""))


def _show_open(screen: Screen, state: State) -> None:
    left = state.left
    again = [line for line in state.told if line.recount]
    if again:
        undecided = sum(1 for line in again if line.undecided)
        words = f" ({undecided:,} of them cannot be posted before)" if undecided else ""
        screen.show(Text(f"to count again: {count(len(again), 'line')}{words}", style="yellow"))
    if left.height:
        exact = (pl.col(name).cast(decimal_type()).fill_null(0) for name in ("when counted", "cost"))
        value = left.select(next(exact) * next(exact)).sum().item()
        screen.show(f"not counted: {count(left.height, 'line')}, expected value {money_text(value)}")
    if state.posted:
        screen.show(f"posted: {count(len(state.posted), 'line')}")
    show_corrections(screen, state)
    if not state.trading and state.moved:
        screen.show(Text(f"{count(state.moved, 'place')} moved although trading is stopped", style="bold yellow"))


def worst_lines_first(lines: Sequence[CountLine]) -> list[CountLine]:
    """The lines that differ or are to be counted again, the greatest value first."""
    off = [line for line in lines if line.counted is not None and (line.variance or line.recount)]
    return sorted(off, key=lambda line: (-abs(line.value), -abs(line.variance), line.place.number))


def place_in_words(place: CountPlace) -> str:
    return " ".join(filter(None, (place.warehouse, place.bin, place.lot, place.serial)))


def variance_json(state: State, files: Sequence[Path] = ()) -> dict[str, Any]:
    """The variance report as ``--json`` gives it; numbers are texts."""
    totals = state.totals
    return {
        "count": state.name,
        "trading": state.trading,
        "lines": [
            {
                "item": line.place.item,
                "warehouse": line.place.warehouse,
                "bin": line.place.bin,
                "lot": line.place.lot,
                "serial": line.place.serial,
                "unit": line.place.unit,
                "expected": figure_text(line.expected),
                "counted": None if line.counted is None else figure_text(line.counted),
                "variance": None if line.counted is None else figure_text(line.variance),
                "value": f"{line.value:f}",
                "percent": None if line.percent is None or line.counted is None else f"{line.percent:f}",
                "recount": line.recount or None,
                "remarks": list(line.remarks),
            }
            for line in sorted(state.lines, key=lambda each: (-abs(each.value), each.place.number))
        ],
        "totals": {
            "net": f"{totals.net:f}",
            "gross": f"{totals.gross:f}",
            "accuracy": None if totals.accuracy is None else f"{totals.accuracy:f}",
            "counted": totals.counted,
        },
        "not_counted": totals.not_counted,
        "posted": len(state.posted),
        "moved": state.moved,
        "corrected_by": list(state.corrected_by),
        "files": [str(path) for path in files],
    }


def figure_text(value: Decimal) -> str:
    return quantity_text(value).replace(",", "")


def write_variance(state: State, path: Path) -> list[Path]:
    """The variance report as a workbook, and a picture of it beside it."""
    from kotrel.counting.variance_picture import draw_variances
    from kotrel.sheets.table_writing import write_book

    write_book(variance_book(state, worst_lines_first(state.told)), path)
    picture = path.with_suffix(".png")
    drawn = not picture.exists() and draw_variances(state, worst_lines_first(state.told), picture)
    return [path, *([picture] if drawn else [])]
