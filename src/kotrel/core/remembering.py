"""What is made of one large object again and again within a command is made once."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import TypeVar

Given = TypeVar("Given")
Made = TypeVar("Made")


def for_the_last(function: Callable[[Given], Made]) -> Callable[[Given], Made]:
    """The function, which remembers the last object that it was given and what it made of it.

    The object is compared by identity: a description is frozen, and too large to be compared by its values.
    """
    last: list[tuple[Given, Made]] = []

    @wraps(function)
    def remembering(given: Given) -> Made:
        if last and last[0][0] is given:
            return last[0][1]
        made = function(given)
        last[:] = [(given, made)]
        return made

    return remembering
