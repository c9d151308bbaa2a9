"""Named sets of defaults for new rows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class DefaultSet:
    """A named set of values for the blank fields of new rows, such as those that every paint has.

    Attributes:
        where: an expression that picks the rows it applies to by itself, or None if the user has to name it.
        values: field → value.
    """

    name: str
    record: str
    where: str | None
    values: Mapping[str, str]
