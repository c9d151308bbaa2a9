"""What a record may be called, and which one a wrong name may mean."""

from __future__ import annotations

from kotrel.core.description.model import Description
from kotrel.core.phrases import count, listed_and
from kotrel.core.similarity import folded, nearest_few


def meant(name: str, description: Description) -> str:
    """What to do about a name that no record has: the records whose name or title is near it, three at most."""
    records = description.records
    titled = [each.name for each in records.values() if folded(each.title) == folded(name)]
    near = titled or nearest_few(name, records)
    if near:
        return f"Did you mean {listed_and(near, 'or')}?"
    return f"kotrel records lists the {count(len(records), 'record')} that there are."
