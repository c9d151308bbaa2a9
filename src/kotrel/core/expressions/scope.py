"""What an expression may refer to."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from kotrel.core.description.model import Field


@dataclass(frozen=True)
class Scope:
    """What an expression may refer to.

    Attributes:
        fields: fields; their values are in columns with the same names, in canonical text.
        columns: headings (folded) of the sheet's columns → the column's letter; their cells are texts, in
            columns named by :func:`kotrel.core.columns.sheet_column`.
        names: record → (code, name) of its rows, for ``name of``.
        prices: codes of price lists; each is a column with that name, and with ``old`` before it the one before all steps.
        figures: columns of other sheets, as ``sheet.field``; each is a column with that name.
    """

    fields: Mapping[str, Field]
    columns: Mapping[str, str] = field(default_factory=dict)
    names: Callable[[str], Mapping[str, str]] | None = None
    prices: frozenset[str] = frozenset()
    figures: frozenset[str] = frozenset()
