"""Finds the most similar of some known words, for suggestions; or none, where nothing is similar enough."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import cached_property, lru_cache

NEAR_ENOUGH = 70
"""Similarity in per cent; below it, a suggestion would only mislead."""
COMPARED = 20_000_000
"""Comparisons that suggestions for one column may take: some seconds."""


FORMER = {
    "--what-can": "--partial", "--empty-too": "--with-empty", "--learn": "--ask", "--from": "--result", "--out": "--output",
    "variant_of": "parent_item", "print_note": "note_on_documents", "middle": "mid",
}  # fmt: skip
"""Names that have ended → what they are called now. They are known for a hint only."""


@lru_cache(8_192)
def folded(text: str) -> str:
    """The letters and digits of a text, ignoring case: ``Item-Code:`` and ``item code`` give the same."""
    return "".join(letter for letter in text.casefold() if letter.isalnum())


def nearest(word: str, known: Iterable[str], near_enough: int = NEAR_ENOUGH) -> str | None:
    """The known word most similar to ``word`` (ignoring case), or what a name that has ended is called now; or None."""
    known = list(known)
    if FORMER.get(word) in known:
        return FORMER[word]
    # Only a suggestion needs it, and every command would wait for it.
    from rapidfuzz import fuzz, process

    found = process.extractOne(word, known, scorer=fuzz.ratio, processor=str.casefold, score_cutoff=near_enough)
    return found[0] if found else None


def did_you_mean(word: str, known: Iterable[str], otherwise: str = "") -> str:
    """What to do about a word that is not known: the known one that resembles it, or else ``otherwise``."""
    close = nearest(word, known)
    return f"Did you mean {close}?" if close else otherwise


def nearest_few(word: str, known: Iterable[str], most: int = 3) -> list[str]:
    """The known words that are similar to ``word``, the most similar first;
    what it is called now alone, if it has ended.
    """
    known = list(known)
    if FORMER.get(word) in known:
        return [FORMER[word]]
    from rapidfuzz import fuzz, process

    found = process.extract(
        word, known, scorer=fuzz.ratio, processor=str.casefold, score_cutoff=NEAR_ENOUGH, limit=most
    )
    return [each[0] for each in found]


def slips_between(one: str, other: str, most: int | None = None) -> int:
    """Letters more, less or other, and neighbours exchanged, that make one text the other.

    Args:
        most: where it takes more, any greater number will do.
    """
    from rapidfuzz.distance import OSA

    return int(OSA.distance(one, other, score_cutoff=most))


class Nearest:
    """Many searches for the nearest of the same known words, which are folded once.

    In a long list a search takes a while: after :data:`COMPARED` comparisons in all, nothing more is found.
    """

    def __init__(self, known: Sequence[str]) -> None:
        self._known = known
        self._compared = 0

    @cached_property
    def _folded(self) -> list[str]:
        return [each.casefold() for each in self._known]

    def of(self, word: str) -> str | None:
        """The known word most similar to ``word``, as :func:`nearest` finds it."""
        if self._compared > COMPARED:
            return None
        self._compared += len(self._known)
        from rapidfuzz import fuzz, process

        found = process.extractOne(word.casefold(), self._folded, scorer=fuzz.ratio, score_cutoff=NEAR_ENOUGH)
        return self._known[found[2]] if found else None
