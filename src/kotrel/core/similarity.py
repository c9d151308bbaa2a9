"""The nearest of some known words, for suggestions: near enough to be useful, or nothing."""

from __future__ import annotations

from collections.abc import Iterable

from rapidfuzz import fuzz, process

NEAR_ENOUGH = 70
"""Similarity in per cent below which a suggestion would only mislead."""


def folded(text: str) -> str:
    """The letters and digits of a text without case: ``Item-Code:`` and ``item code`` are the same words."""
    return "".join(letter for letter in text.casefold() if letter.isalnum())


def nearest(word: str, known: Iterable[str], near_enough: int = NEAR_ENOUGH) -> str | None:
    """The known word most like ``word`` (case does not count), or None where none comes near."""
    found = process.extractOne(word, list(known), scorer=fuzz.ratio, processor=str.casefold, score_cutoff=near_enough)
    return found[0] if found else None
