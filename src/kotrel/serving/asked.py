"""What a client asks for, taken apart: a member that is not as the protocol says is named in the answer."""

from __future__ import annotations

from typing import Any

import polars as pl

from kotrel.serving.requests import Wrong

MOST = 2_147_483_647
"""The largest number in an address or a body: that of a load, a row, a piece."""


class Asked:
    """The members of a JSON object.

    Raises:
        Wrong: it is no object; each method: the member is not what it must be.
    """

    def __init__(self, said: Any, what: str = "the body") -> None:
        if not isinstance(said, dict):
            raise Wrong(422, f"{what} is a JSON object", "wrong-body")
        self._said = said

    def text(self, name: str) -> str | None:
        """A text; None where it is not there, or null."""
        value = self._said.get(name)
        if value is not None and not isinstance(value, str):
            raise _wrong(name, "a text")
        return value

    def needed(self, name: str) -> str:
        """A text that must be there."""
        value = self.text(name)
        if not value:
            raise _wrong(name, "a text, and must be there")
        return value

    def texts(self, name: str) -> list[str]:
        """A list of texts; an empty one where it is not there, or null."""
        value = self._said.get(name)
        if value is None:
            return []
        if not isinstance(value, list) or not all(isinstance(each, str) for each in value):
            raise _wrong(name, "a list of texts")
        return value

    def count(self, name: str, default: int) -> int:
        """A whole number from 0 on."""
        value = self._said.get(name)
        if value is None:
            return default
        if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= MOST:
            raise _wrong(name, "a whole number")
        return value

    def condition(self, name: str) -> tuple[str, pl.Series] | None:
        """A field and the values that are wanted of it; None where it is not there, or null."""
        value = self._said.get(name)
        return _condition(value, name) if value else None

    def conditions(self, name: str) -> list[tuple[str, pl.Series]]:
        """Several of them."""
        value = self._said.get(name) or []
        if not isinstance(value, list):
            raise _wrong(name, "a list of objects with field and values")
        return [_condition(each, name) for each in value]


def _condition(said: Any, name: str) -> tuple[str, pl.Series]:
    values = said.get("values") if isinstance(said, dict) else None
    if not isinstance(values, list) or not all(each is None or isinstance(each, str) for each in values):
        raise _wrong(name, "an object with field and values, which is a list of texts")
    field = Asked(said).needed("field")
    return field, pl.Series(field, values, dtype=pl.String)


def _wrong(name: str, what: str) -> Wrong:
    return Wrong(422, f"“{name}” is {what}", "wrong-body")
