"""Values and lists, shortened for the screen."""

from __future__ import annotations

from kotrel.core.phrases import count, listed

__all__ = ["count", "listed", "short"]


def short(text: str | None, most: int = 28) -> str:
    """A value on one line, shortened if it is long; a blank is shown as such."""
    if text is None:
        return "(blank)"
    line = text.replace("\r", "").replace("\n", "⏎")
    return line if len(line) <= most else line[: most - 1] + "…"
