"""The words of all languages together, as the readers of cells and headings ask for them."""

from __future__ import annotations

from collections.abc import Iterator

from kotrel.core.languages.czech import CZECH
from kotrel.core.languages.danish import DANISH
from kotrel.core.languages.dutch import DUTCH
from kotrel.core.languages.english import ENGLISH
from kotrel.core.languages.french import FRENCH
from kotrel.core.languages.german import GERMAN
from kotrel.core.languages.italian import ITALIAN
from kotrel.core.languages.language import Language
from kotrel.core.languages.polish import POLISH
from kotrel.core.languages.portuguese import PORTUGUESE
from kotrel.core.languages.spanish import SPANISH
from kotrel.core.languages.swedish import SWEDISH

LANGUAGES: tuple[Language, ...] = (
    ENGLISH, GERMAN, FRENCH, DUTCH, SPANISH, ITALIAN, SWEDISH, DANISH, POLISH, CZECH, PORTUGUESE,
)  # fmt: skip
"""Of a word that means two things, the first language that has it wins."""

_IN_OTHER_LETTERS = {
    "yes": "да kyllä da",
    "no": "нет ei нема",
    "totals": "итого yhteensä",
    "sheet": "лист taulukko munka",
}
"""What a cell says in languages whose headings are not read."""


def words_of(what: str) -> frozenset[str]:
    """All words that all languages have for ``yes``, ``no``, ``totals``, ``weekdays``, ``examples``, ``idle``, ``newer``, ``sheet``, ``other``, ``least``, ``more``, ``again`` or ``packs``."""
    found = [word for language in LANGUAGES for word in str(getattr(language, what)).split()]
    found = [word.replace("_", " ") for word in found]
    return frozenset([*found, *_IN_OTHER_LETTERS.get(what, "").split()])


def months() -> Iterator[tuple[int, str]]:
    """Number and name of each month, in all languages."""
    for language in LANGUAGES:
        for number, names in enumerate(language.months.split(), start=1):
            for name in names.split("|"):
                yield number, name


def heading_terms() -> Iterator[tuple[str, str]]:
    """Term and word of all headings, in all languages."""
    for language in LANGUAGES:
        for line in language.headings.split("\n"):
            term, _, words = line.partition(":")
            for word in words.split():
                yield term, word
