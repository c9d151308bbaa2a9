"""What all pictures of figures share: quiet axes, and a file that is whole or not there."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from kotrel.core.errors import OutOfReach
from kotrel.sheets.safe_writing import written_whole

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


def quiet_axes(axes: Axes, label: str) -> None:
    """Fine lines behind the bars or boxes, no frame, and what is measured along the bottom."""
    axes.set_xlabel(label)
    axes.grid(axis="x", color="#E4E4E4", linewidth=0.7)
    axes.set_axisbelow(True)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.tick_params(axis="y", length=0)


def save_picture(figure: Figure, path: Path) -> None:
    """Writes a PNG.

    Raises:
        OutOfReach: it cannot be written.
    """
    try:
        with written_whole(path) as temporary:
            figure.savefig(temporary, format="png")
    except OSError as error:
        raise OutOfReach(f"{path} cannot be written: {error.strerror or error}", "", "no-right") from None
