"""The order in which records are loaded: each after those it refers to."""

from __future__ import annotations

from collections.abc import Mapping

from kotrel.core.description.model import Record


def load_order(records: Mapping[str, Record]) -> tuple[str, ...]:
    """Names of the records, each after those it refers to.

    Records that do not depend on each other keep the order of the description. A reference to the record itself does
    not count: rows of one record are loaded in one step.

    Raises:
        ValueError: the references form a circle; the message names it.
    """
    placed: dict[str, None] = {}
    waiting: list[str] = []

    def place(name: str) -> None:
        if name in placed:
            return
        if name in waiting:
            circle = [*waiting[waiting.index(name) :], name]
            raise ValueError(" → ".join(circle))
        waiting.append(name)
        for reference in records[name].references:
            if reference.to is not None and reference.to != name:
                place(reference.to)
        for each in records[name].fields.values():
            for record, _ in each.one_of[1:]:
                place(record)
        waiting.pop()
        placed[name] = None

    for name in records:
        place(name)
    return tuple(placed)
