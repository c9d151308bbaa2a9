"""The codes and names on the system's lists, read when somebody asks for them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.errors import WrongUse
from kotrel.core.expressions.literals import NotOfField
from kotrel.core.resolving.other_codes import which_row
from kotrel.core.rows.system_state import SystemState
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace


def names_of(workspace: Workspace, reading: Reading) -> Callable[[str], ListNames]:
    """Record → its codes and names; each list is read once."""

    @cache
    def names(record: str) -> ListNames:
        about = workspace.description.records[record]
        return ListNames(reading.read(record, about.listed), about)

    return names


def called_in(names: Callable[[str], ListNames]) -> Callable[[str], Mapping[str, str]]:
    """Record → code and name of its rows, or the code again where a row has no name."""
    return lambda record: {code: names(record).names.get(code, code) for code in names(record).codes}


def found_in(workspace: Workspace, reading: Reading, own: Record | None = None) -> Callable[[Field, str], str | None]:
    """Field and text → the item that the text is a code of, found as wherever an item's code is typed; None for other
    fields.

    Args:
        own: the record whose rows are chosen: its own code is one too.
    """
    description = workspace.description
    state = SystemState(description, reading.read)
    places = description.stock_places
    items = {"item", places.fields["item"].to if places is not None else None}

    def found(field: Field, text: str) -> str | None:
        to = own.name if own is not None and own.key == (field.name,) else field.to
        if to not in items:
            return None
        try:
            return which_row(description.records[str(to)], text, state).code
        except WrongUse as error:
            raise NotOfField(error.message, error.hint) from None

    return found
