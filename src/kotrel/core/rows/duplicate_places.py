"""Where else a value stands: the first places, and how many more there are.

No row names all the others: a key that stands in every row of a large sheet would make a list of each with each.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from kotrel.core.phrases import listed

MOST = 3
"""So many of the places are named."""


def also_in(rows: Sequence[int], own_row: int, place: Callable[[int], str]) -> str:
    """What is said at one of several rows with the same value.

    Args:
        rows: all of them, each once.
        place: a row's place, in words.
    """
    others = [row for row in rows[: MOST + 1] if row != own_row][:MOST]
    return "also in " + listed([place(row) for row in others], MOST, len(rows) - 1)
