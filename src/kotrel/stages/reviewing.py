"""The system description held against the database itself: how sure it is, and what to look at first."""

from __future__ import annotations

from dataclasses import dataclass

from kotrel.core.description.reviewing import RecordReview, not_described, review
from kotrel.workspace.creating import facts_of
from kotrel.workspace.settings import Workspace


@dataclass(frozen=True)
class Reviewed:
    """The records, those that need a look most first, and the tables that no record describes."""

    records: tuple[RecordReview, ...]
    left: tuple[str, ...]

    @property
    def understood(self) -> int:
        """How many of all fields are described with certainty, in per cent."""
        fields = sum(each.fields for each in self.records)
        return sum(each.understood * each.fields for each in self.records) // max(fields, 1)


def review_workspace(workspace: Workspace) -> Reviewed:
    """Reviews a workspace's description.

    Raises:
        OutOfReach: the database cannot be reached.
    """
    facts = facts_of(workspace.url, workspace.folder)
    found = review(workspace.description, facts)
    return Reviewed(tuple(found), tuple(not_described(workspace.description, facts)))
