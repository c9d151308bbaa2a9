"""Finds the most similar of some known words, for suggestions; or none, where nothing is similar enough."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

from rapidfuzz import fuzz, process

NEAR_ENOUGH = 70
"""Similarity in per cent; below it, a suggestion would only mislead."""


@lru_cache(8_192)
def folded(text: str) -> str:
    """The letters and digits of a text, ignoring case: ``Item-Code:`` and ``item code`` give the same."""
    return "".join(letter for letter in text.casefold() if letter.isalnum())


def nearest(word: str, known: Iterable[str], near_enough: int = NEAR_ENOUGH) -> str | None:
    """The known word most similar to ``word`` (ignoring case), or None."""
    found = process.extractOne(word, list(known), scorer=fuzz.ratio, processor=str.casefold, score_cutoff=near_enough)
    return found[0] if found else None
