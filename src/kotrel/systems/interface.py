"""What Kotrel needs from any business system: reading, loading, outcomes, undo."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING, Literal

import polars as pl
from msgspec import Struct

from kotrel.core.changes.outcome_page import OutcomePage, page_of
from kotrel.core.description.in_words import shown
from kotrel.core.description.model import Description, Record

if TYPE_CHECKING:
    from kotrel.core.changes.change_set import RecordChanges, RefusedRows
    from kotrel.core.changes.journal import Entry, Stamp
    from kotrel.core.changes.plan import Plan
    from kotrel.core.changes.reversal import UndoConflict
    from kotrel.core.changes.system_remarks import Refusal
    from kotrel.core.rows.system_state import FileFacts
    from kotrel.core.stock.sums import LedgerQuery

Step = Callable[[str], None]
"""Called with the name of each step of a long piece of work as it begins."""


class Refused(Exception):
    """The business system refused rows during a load; none of the load was kept."""

    def __init__(self, refusals: Sequence[Refusal]) -> None:
        super().__init__(f"{len(refusals)} rows refused")
        self.refusals = tuple(refusals)


class Altered(Struct, frozen=True):
    """One value that came out otherwise than it was sent, because the system's own rules changed it.

    Attributes:
        sent, stored: canonical text, blank as None.
    """

    record: str
    file: str
    sheet: str
    row: int
    key: str
    field: str
    sent: str | None
    stored: str | None

    def in_words(self, record: Record) -> str:
        """What the system did, for its row in the outcome."""
        field = record.fields[self.field]
        title = field.title
        if self.stored is None:
            return f"the system emptied {title}"
        stored = shown(self.stored, field)
        return f"the system put {stored} into {title}" + (f", not {shown(self.sent, field)}" if self.sent else "")


class Receipt(Struct, frozen=True):
    """What a system says of a plan that it took.

    Attributes:
        number: of the load; 0 where there is none: it was a trial, or the system has not given one yet.
        altered: what came out otherwise than it was sent.
        status: ``loaded``; or ``sent`` where the system answers later.
        reference: what to ask for later, or an empty text.
        files: what was written for a program that reads files.
        remarks: what else has to be said, in words.
    """

    number: int
    altered: tuple[Altered, ...] = ()
    status: Literal["loaded", "sent"] = "loaded"
    reference: str = ""
    files: tuple[str, ...] = ()
    remarks: tuple[str, ...] = ()


class Abilities(Struct, frozen=True):
    """What a system can do.

    Attributes:
        answers: when it says what became of a load: ``at once``, or ``later``.
        trial: it can try a plan without keeping anything of it.
        sums: it has a ledger, or can be asked for sums of one.
        removes: it can remove a row that was new.
        foresees: it is known beforehand which rows it would not take (:meth:`Reading.foreseen`).
    """

    answers: Literal["at once", "later"] = "at once"
    trial: bool = True
    sums: bool = True
    removes: bool = True
    foresees: bool = False


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

    def as_of(self, record: str) -> str | None:
        """When what is read of a record was given out (local time, ISO); None where it is read as it is now."""
        del record
        return None

    def foreseen(self, plan: Plan) -> Sequence[Refusal]:
        """The rows of a plan that are known beforehand not to be taken."""
        del plan
        return ()

    def refused_later(self, number: int) -> frozenset[int]:
        """The rows of a load that the system refused after it had been sent."""
        del number
        return frozenset()

    @abstractmethod
    def require(self, record: str) -> None:
        """Makes sure that the system holds a record as described, with all its fields.

        Raises:
            OutOfReach: it does not.
        """

    @abstractmethod
    def replaced_otherwise(self, changes: RecordChanges) -> list[tuple[int, str, str]]:
        """Row, field and what the system really holds, where a change would replace more than is shown of it."""

    @abstractmethod
    def ledger_sums(self, query: LedgerQuery) -> pl.DataFrame:
        """Sums of what documents posted, added up by the system: the cost grows with what is asked, not with the
        ledger.

        Returns:
            String columns ``by`` and :data:`kotrel.core.stock.sums.SUMS`; no rows where the system has no ledger.
        """

    @abstractmethod
    def movements_since(self, moment: str, among: Sequence[tuple[str, pl.Series]] = ()) -> pl.DataFrame:
        """What moved on hand after a moment: String columns item, warehouse, bin, lot, serial, ``quantity`` and
        ``posted_at``.

        Raises:
            OutOfReach: the ledger does not say when movements were posted.
        """

    @abstractmethod
    def loads_of(self, record: str, keys: Sequence[str]) -> dict[str, int]:
        """Key (parts joined by `` / ``) → the last load that touched that row of a record; only those that one did."""

    @abstractmethod
    def history(self) -> list[Entry]:
        """All loads, the oldest first."""

    @abstractmethod
    def trouble_with(self, number: int) -> str:
        """What is wrong with the journal of a load: a line or its entry lost or changed since;
        an empty text where nothing is.
        """

    @abstractmethod
    def changes_of(self, number: int) -> list[RecordChanges]:
        """What a load did, from the journal, in the order it was done."""


class Writing(Reading):
    """One transaction: what it reads cannot change meanwhile, and nothing is kept unless it succeeds."""

    @abstractmethod
    def take(self, plan: Plan, step: Step) -> Receipt:
        """Does what a plan says, writes the journal, and marks what the plan takes back.

        Raises:
            Refused: the system refused rows.
            ConcurrentChange: somebody else changed the same rows meanwhile.
        """

    @abstractmethod
    def try_out(self, plan: Plan, step: Step) -> Receipt:
        """Lets the system itself check a plan; nothing of it is kept.

        Raises:
            Refused: the system would refuse rows.
            ConcurrentChange: somebody else changed the same rows meanwhile.
        """

    def beyond(self, reversal: Sequence[RecordChanges]) -> list[UndoConflict]:
        """Of changes that are to take a load back, what this system has no way to do; most can do everything."""
        del reversal
        return []

    @abstractmethod
    def note_refused(self, changes: Sequence[RecordChanges], stamp: Stamp) -> int:
        """Records a refused load in the journal, and nowhere else. Returns its number."""


class System(ABC):
    """A business system.

    Attributes:
        description: what it takes.
        name: how messages call it.
        can: what it can do.
    """

    description: Description
    name: str
    can: Abilities = Abilities()

    @abstractmethod
    def reading(self) -> AbstractContextManager[Reading]:
        """A consistent look at the system.

        Raises:
            OutOfReach: it cannot be reached, or is not as described.
        """

    def reading_back(self) -> AbstractContextManager[Reading]:
        """A look at what is certainly there, without what was sent and is not answered."""
        return self.reading()

    def pictures_kept(self, names: Sequence[str]) -> Mapping[str, FileFacts] | None:
        """Of pictures' names, those that the system keeps, with what it knows of them;
        None where it keeps no pictures.
        """
        del names
        return None

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
    def audited_history(self, newest: int | None = None) -> list[Entry]:
        """All loads, the oldest first, each with what is wrong with its journal.

        Args:
            newest: the number of loads whose lines are proved, from the last one back; None for all. Entries are proved
                of all.
        """

    @abstractmethod
    def settle(self) -> None:
        """Waits until a load in progress is over, also one whose client is gone while the system still finishes it.

        Raises:
            OutOfReach: it takes too long.
        """

    @abstractmethod
    def outcome(self, number: int) -> pl.DataFrame:
        """Row by row what a load did: file, sheet, row, record, key, action, outcome, message."""

    def outcome_page(self, number: int, most: int) -> OutcomePage:
        """The first rows of it, and how many came out how."""
        return page_of(self.outcome(number), most)

    @abstractmethod
    def rest_of(self, number: int) -> list[tuple[str, str, RefusedRows, dict[int, str]]]:
        """The refused rows of a load: file, sheet, the rows as they stood there, and row → its reasons."""
