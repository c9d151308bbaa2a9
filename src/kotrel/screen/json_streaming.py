"""JSON written as it is made: a million findings are never all in memory as text or objects."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator, Mapping
from itertools import islice
from typing import Any

TOGETHER = 2_000
"""So many elements are made and written at a time."""


class Streamed:
    """A list within a JSON object whose elements are made one after the other, when they are written."""

    def __init__(self, make: Callable[[], Iterable[Any]]) -> None:
        self._make = make

    def __iter__(self) -> Iterator[Any]:
        return iter(self._make())


def _text(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, default=str)


def _streams(value: Any) -> bool:
    if isinstance(value, Mapping):
        return any(_streams(each) for each in value.values())
    if isinstance(value, list):
        return any(_streams(each) for each in value)
    return isinstance(value, Streamed)


def json_pieces(value: Any) -> Iterator[str]:
    """The JSON of a value, piece by piece, with the streamed lists within it."""
    if isinstance(value, Streamed):
        elements = iter(value)
        yield "["
        between = ""
        while some := list(islice(elements, TOGETHER)):
            yield between + _text(some)[1:-1]
            between = ", "
        yield "]"
    elif isinstance(value, Mapping) and _streams(value):
        yield "{"
        for index, (key, item) in enumerate(value.items()):
            yield f"{', ' if index else ''}{_text(str(key))}: "
            yield from json_pieces(item)
        yield "}"
    elif isinstance(value, list) and _streams(value):
        yield "["
        for index, item in enumerate(value):
            yield ", " if index else ""
            yield from json_pieces(item)
        yield "]"
    else:
        yield _text(value)
