"""Load options: what the user may choose about a load."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from msgspec import Struct, field
from msgspec.structs import replace

Only = Literal["new", "changes"]

ALL = "all"
"""Instead of codes that are new: all that the system does not have."""


class DocumentOptions(Struct, frozen=True):
    """What the user says of documents where the sheet does not; all are texts as they go into cells, or None.

    Attributes:
        number: the document's number.
        date: the posting date, ISO.
        as_target: the quantities are what stock is to be; the difference is posted.
    """

    number: str | None = None
    date: str | None = None
    warehouse: str | None = None
    account: str | None = None
    as_target: bool = False


class LoadOptions(Struct, frozen=True):
    """What the user chose; the defaults are the careful choices.

    Attributes:
        only: ``new`` or ``changes``: rows of the other kind are left out; None loads both.
        only_of: record → the same for its rows alone.
        match_on: the field by which existing rows are found, instead of their key.
        blanks: ``keep``: a blank cell changes nothing; ``clear``: it clears the value.
        duplicates: where a key is in the sheet twice: an ``error``, or use the ``first`` or ``last`` row.
        create: lists to which new values are added.
        defaults: names of sets of defaults to use, besides those that apply by themselves.
        clash: whose value to use where a cell was edited in the ``sheet`` and changed in the ``system``; None is an
            error.
        new_codes: codes that are new although they look like existing ones; ``all`` for every one.
        after_end: ``resume``: what was in force before a row begins again after its end; ``nothing``: nothing does;
            None asks.
        since: the remembered export to compare with; None for the one that the sheet's stamp names.
        documents: what is said of documents.
    """

    only: Only | None = None
    only_of: Mapping[str, Only] = field(default_factory=dict)
    match_on: str | None = None
    blanks: Literal["keep", "clear"] = "keep"
    duplicates: Literal["error", "first", "last"] = "error"
    create: tuple[str, ...] = ()
    defaults: tuple[str, ...] = ()
    clash: Literal["sheet", "system"] | None = None
    new_codes: tuple[str, ...] = ()
    after_end: Literal["resume", "nothing"] | None = None
    since: str | None = None
    documents: DocumentOptions = field(default_factory=DocumentOptions)

    def of(self, record: str) -> LoadOptions:
        """The options for the rows of one record."""
        return replace(self, only=self.only_of.get(record, self.only), only_of={}) if self.only_of else self


DEFAULT_OPTIONS = LoadOptions()
"""What applies if the user chooses nothing."""
