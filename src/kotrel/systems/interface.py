"""What Kotrel needs from any business system: reading, loading, outcomes, undo."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, Rest
from kotrel.core.changes.journal import Entry, Refusal, Stamp
from kotrel.core.changes.reversal import InTheWay
from kotrel.core.description.model import Description, Record

Step = Callable[[str], None]
"""Called with the name of each step of a long piece of work as it begins."""


class Refused(Exception):
    """The business system refused rows during a load; none of the load was kept."""

    def __init__(self, refusals: Sequence[Refusal]) -> None:
        super().__init__(f"{len(refusals)} rows refused")
        self.refusals = tuple(refusals)


class ConcurrentChange(Exception):
    """Somebody else changed the same rows during the load; none of the load was kept."""


class Reading(ABC):
    """One consistent look at the system: all reads see the same moment."""

    @abstractmethod
    def read(
        self,
        record: str,
        fields: Sequence[str],
        among: tuple[str, pl.Series] | None = None,
        filled: str | Sequence[str] | None = None,
    ) -> pl.DataFrame:
        """Rows of a record: String columns ``fields`` in canonical text, blank as null.

        Args:
            among: a field and values: only rows whose field has one of them are wanted. More may come back.
            filled: only rows in which this field, or one of these, is filled.
        """

    @abstractmethod
    def require(self, record: str) -> None:
        """Makes sure that the system holds a record as described, with all its fields.

        Raises:
            OutOfReach: it does not.
        """

    @abstractmethod
    def history(self) -> list[Entry]:
        """All loads, the oldest first."""

    @abstractmethod
    def changes_of(self, number: int) -> list[RecordChanges]:
        """What a load did, from the journal, in the order it was done."""


class Writing(Reading):
    """One transaction: what it reads cannot change meanwhile, and nothing is kept unless it succeeds."""

    @abstractmethod
    def apply(self, changes: Sequence[RecordChanges], stamp: Stamp, step: Step) -> int:
        """Makes the changes and writes the journal. Returns the load's number.

        Raises:
            Refused: the system refused rows.
            ConcurrentChange: somebody else changed the same rows meanwhile.
        """

    @abstractmethod
    def refer_to(self, record: Record, keys: pl.DataFrame, going: Sequence[RecordChanges]) -> list[InTheWay]:
        """Rows that refer to the given keys of a record.

        Args:
            going: the changes that are about to happen: rows that will be removed or refer to something else do not count.
        """

    @abstractmethod
    def mark_undone(self, number: int, by: int | None) -> None:
        """Records that a load was undone by another, or (None) that it is in force again."""

    @abstractmethod
    def note_refused(self, changes: Sequence[RecordChanges], stamp: Stamp) -> int:
        """Records a refused load in the journal, and nowhere else. Returns its number."""


class System(ABC):
    """A business system.

    Attributes:
        description: what it takes.
        name: how messages call it.
    """

    description: Description
    name: str

    @abstractmethod
    def reading(self) -> AbstractContextManager[Reading]:
        """A consistent look at the system.

        Raises:
            OutOfReach: it cannot be reached, or is not as described.
        """

    @abstractmethod
    def writing(self) -> AbstractContextManager[Writing]:
        """A transaction: kept if it ends without an exception, otherwise undone completely.

        Raises:
            OutOfReach: it cannot be reached or written, or another load holds it for too long.
        """

    @abstractmethod
    def history(self) -> list[Entry]:
        """All loads, the oldest first."""

    @abstractmethod
    def outcome(self, number: int) -> pl.DataFrame:
        """Row by row what a load did: file, sheet, row, record, key, action, outcome, message."""

    @abstractmethod
    def rest_of(self, number: int) -> list[tuple[str, str, Rest, dict[int, str]]]:
        """The refused rows of a load: file, sheet, the rows as they stood there, and row → its reasons."""
