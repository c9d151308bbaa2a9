"""What an expression may refer to."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct, field

from kotrel.core.description.model import Field
from kotrel.core.phrases import listed_and
from kotrel.core.similarity import folded, nearest


class Scope(Struct, frozen=True):
    """What an expression may refer to.

    Attributes:
        fields: fields; their values are in columns with the same names, in canonical text.
        columns: headings (folded) of the sheet's columns, and their letters like ``=C`` → the letters of the columns
            that this means; their cells are texts, in columns named by :func:`kotrel.core.columns.sheet_column`.
        names: record → code and name (or the code again) of its rows, for ``name of``, and for texts that are compared
            with a code.
        found: field and text → the code of the one row that the text means, where the field's list is too large to be
            read as a whole; None where it is not.
        prices: codes of price lists; each is a column with that name, and with ``old`` before it the one before all
            steps.
        figures: columns of other sheets, as ``sheet.field``; each is a column with that name.
    """

    fields: Mapping[str, Field]
    columns: Mapping[str, Sequence[str]] = field(default_factory=dict)
    names: Callable[[str], Mapping[str, str]] | None = None
    prices: frozenset[str] = frozenset()
    figures: frozenset[str] = frozenset()
    found: Callable[[Field, str], str | None] | None = None

    def letters_of(self, heading: str) -> Sequence[str]:
        """The letters of the columns with a heading, or of the one with a letter written like ``=C``."""
        is_letter = re.fullmatch(r"=[A-Za-z]{1,3}", heading) is not None
        return self.columns.get(heading.upper() if is_letter else folded(heading), ())

    def not_one_column(self, heading: str, letters: Sequence[str]) -> tuple[str, str]:
        """What is wrong with a heading that no column has, or several have; and what to do."""
        if letters:
            hint = f"Write the letter of the one that is meant, like [={letters[0]}]."
            return f"the columns {listed_and(letters)} are headed “{heading}”", hint
        close = nearest(folded(heading), self.columns)
        hint = (
            f"Did you mean column {self.columns[close][0]}?" if close else "Write the column's heading in the brackets."
        )
        return f"there is no column headed “{heading}”", hint
