"""Yes and no, in the words that people use."""

from __future__ import annotations

from kotrel.core.languages.all_languages import words_of
from kotrel.core.values.lookalikes import without_lookalikes

YES = words_of("yes")
NO = words_of("no")


def read_yes_no(text: str) -> str | None:
    """``yes`` or ``no``, or None for any other word."""
    for word in (text.strip().casefold(), without_lookalikes(text).casefold()):
        if word in YES or word in NO:
            return "yes" if word in YES else "no"
    return None
