"""A picture of how far prices change: the spread by category, one panel for each list."""

from __future__ import annotations

from pathlib import Path

import polars as pl

from kotrel.pricing.repricing import Repriced, targets_of
from kotrel.sheets.figure_pictures import quiet_axes, save_picture

GROUPS = 16
"""So many categories are drawn, those with most prices first; the others together are one."""


def draw_changes(repriced: Repriced, path: Path) -> bool:
    """Draws the spread of the changes as a PNG; False where there is nothing to draw.

    Raises:
        OutOfReach: it cannot be written.
    """
    old = pl.col("old").cast(pl.Float64)
    frame = repriced.prices.filter(pl.col("old") > 0).select(
        "target",
        pl.col("group").fill_null("(none)"),
        ((pl.col("new").cast(pl.Float64) - old) / old * 100).alias("change"),
    )
    targets = [target for target in targets_of(repriced) if target in set(frame["target"])]
    if not targets:
        return False
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    most = frame["group"].value_counts(sort=True)["group"].head(GROUPS).to_list()
    names = sorted(most) + (["(others)"] if frame["group"].n_unique() > GROUPS else [])
    figure = Figure(figsize=(12.8, max(2.8, 0.42 * len(names) + 1.8)), dpi=100, layout="constrained")
    FigureCanvasAgg(figure)
    axes = figure.subplots(1, len(targets), sharey=True, squeeze=False)[0]
    for axis, target in zip(axes, targets, strict=True):
        mine = frame.filter(pl.col("target") == target).with_columns(
            pl.when(pl.col("group").is_in(most)).then("group").otherwise(pl.lit("(others)")).alias("group")
        )
        values = [mine.filter(pl.col("group") == name)["change"].to_list() for name in names]
        axis.boxplot(
            values,
            orientation="horizontal",
            widths=0.6,
            patch_artist=True,
            medianprops={"color": "#1F3B57", "linewidth": 1.6},
            boxprops={"facecolor": "#C9DCEB", "edgecolor": "#5B7C99"},
            flierprops={"marker": "o", "markersize": 4, "markerfacecolor": "#5B7C99", "markeredgecolor": "none"},
        )
        axis.axvline(0, color="#888888", linewidth=0.8)
        axis.set_title(f"{target}: {mine.height:,} prices", loc="left", fontsize=11)
        quiet_axes(axis, "change in %")
    # After all panels: each one that shares the scale writes its own numbers there.
    axes[0].set_yticks(range(1, len(names) + 1), names)
    axes[0].invert_yaxis()
    figure.suptitle(
        f"{repriced.rules.title}, from {repriced.from_date}", x=0.01, ha="left", fontsize=13, fontweight="bold"
    )
    save_picture(figure, path)
    return True
