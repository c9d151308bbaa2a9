"""A picture of a count's differences: their value, ranked, and how much of the whole the first ones are."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from kotrel.core.counting.variance import CountLine
from kotrel.core.phrases import plain_number
from kotrel.counting.count_state import State
from kotrel.sheets.figure_pictures import quiet_axes, save_picture

BARS = 24


def draw_variances(state: State, lines: Sequence[CountLine], path: Path) -> bool:
    """Draws the greatest differences by value as a PNG; False where there are none.

    Raises:
        OutOfReach: it cannot be written.
    """
    worth = [line for line in lines if line.value][:BARS]
    if not worth:
        return False
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    figure = Figure(figsize=(12.8, max(3.0, 0.32 * len(worth) + 1.6)), dpi=100, layout="constrained")
    FigureCanvasAgg(figure)
    axis = figure.subplots()
    names = [
        " ".join(filter(None, (line.place.item, line.place.bin, line.place.lot, line.place.serial))) for line in worth
    ]
    values = [float(line.value) for line in worth]
    colours = ["#B3574B" if value < 0 else "#3F7D58" for value in values]
    axis.barh(range(len(worth)), values, color=colours, height=0.7)
    axis.set_yticks(range(len(worth)), names)
    axis.invert_yaxis()
    axis.axvline(0, color="#888888", linewidth=0.8)
    for index, line in enumerate(worth):
        text = f"{'+' if line.variance > 0 else ''}{plain_number(line.variance)} {line.place.unit}"
        left = values[index] < 0
        axis.annotate(
            text,
            (values[index], index),
            xytext=(-5 if left else 5, 0),
            textcoords="offset points",
            va="center",
            ha="right" if left else "left",
            fontsize=9,
            color="#444444",
        )
    low, high = min(0.0, *values), max(0.0, *values)
    room = (high - low) * 0.12
    axis.set_xlim(low - room, high + room)
    quiet_axes(axis, "difference at cost")
    totals = state.totals
    more = f", the {len(worth)} greatest" if len([line for line in lines if line.value]) > BARS else ""
    figure.suptitle(
        f"Count {state.name}: net {totals.net:,.2f}, gross {totals.gross:,.2f}{more}",
        x=0.01,
        ha="left",
        fontsize=13,
        fontweight="bold",
    )
    save_picture(figure, path)
    return True
