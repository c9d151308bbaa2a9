"""The codes and names on the system's lists, read when somebody asks for them."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

from kotrel.core.description.list_names import ListNames
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace


def names_of(workspace: Workspace, reading: Reading) -> Callable[[str], ListNames]:
    """Record → its codes and names; each list is read once."""

    @cache
    def names(record: str) -> ListNames:
        about = workspace.description.records[record]
        return ListNames(reading.read(record, about.listed), about)

    return names
