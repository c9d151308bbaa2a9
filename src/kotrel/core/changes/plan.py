"""A plan: everything that a system is asked to do at once, for real or on trial. A load is one, and so is an undo."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date

from msgspec import Struct, field

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.journal import Stamp


class Undoing(Struct, frozen=True):
    """Which load a plan takes back, and how.

    Attributes:
        of: its number.
        partial: only the rows that can be undone.
        day: the date of documents that take others back.
    """

    of: int
    partial: bool
    day: date


class Plan(Struct, frozen=True):
    """A change set and what it is for.

    Attributes:
        changes: in the order in which they are to be made, each row with what it was before.
        follows: record → keys (parts joined by `` / ``) of rows that no sheet has and that follow from others; what
            documents post to the ledger follows too, and is not listed.
        undone: loads that this plan takes back as a whole.
        undoing: for an undo, what it takes back.
        wait: False to do not wait for the system to finish.
    """

    changes: tuple[RecordChanges, ...]
    stamp: Stamp
    follows: Mapping[str, frozenset[str]] = field(default_factory=dict)
    undone: tuple[int, ...] = ()
    undoing: Undoing | None = None
    wait: bool = True
