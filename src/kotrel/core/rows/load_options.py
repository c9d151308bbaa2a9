"""How rows are to be loaded, as far as the user may choose."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class LoadOptions:
    """What the user chose; the defaults are the careful ones.

    Attributes:
        only: ``new`` or ``changes``: rows of the other kind are left out; else both are loaded.
        match_on: the field by which the system's rows are found instead of their key.
        blanks: ``keep``: a blank cell changes nothing; ``clear``: it wipes the value.
        duplicates: what a key twice in the sheet is: an ``error``, or the ``first`` or the ``last`` row counts.
        create: lists to which values that are not on them are added.
        defaults: names of sets of defaults to use, besides those that are used by themselves.
        clash: whose value counts where a cell was edited in the ``sheet`` and moved in the ``system``; else an error.
        since: the remembered export that a sheet is compared with; None for the one its stamp names.
    """

    only: Literal["new", "changes"] | None = None
    match_on: str | None = None
    blanks: Literal["keep", "clear"] = "keep"
    duplicates: Literal["error", "first", "last"] = "error"
    create: tuple[str, ...] = ()
    defaults: tuple[str, ...] = ()
    clash: Literal["sheet", "system"] | None = None
    since: str | None = None


DEFAULT_OPTIONS = LoadOptions()
"""What holds where the user says nothing."""
