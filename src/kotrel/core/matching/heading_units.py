"""Units in headings: ``Quantity (COIL)``, ``Qty in boxes``, ``Cost per BOX``."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.languages.all_languages import words_of
from kotrel.core.values.month_names import plain_letters

_PACKS = words_of("packs")
UNIT = "unit"
"""What the field with the unit of a row is called."""

_IN_BRACKETS = re.compile(
    r"[\[(]\s*(?:in|per|pro|par|je|por|pr|za|na|för)?\s*([^\W\d_][^\[\]()]*?)\s*[\])]", re.IGNORECASE
)
_AT_THE_END = re.compile(r"(?:,|/|\b(?:in|per|pro|par|je|por|pr|za|na|för)\b)\s*([^\W\d_][\w ]*)$", re.IGNORECASE)


def unit_words(heading: str) -> list[str]:
    """The words of a heading that may name a unit."""
    return [found[1] for pattern in (_IN_BRACKETS, _AT_THE_END) for found in pattern.finditer(heading.strip())]


def singulars(word: str) -> list[str]:
    """A word and its singular, as a list may have it."""
    word = word.strip().rstrip(".")
    endings = [
        word[: -len(end)] for end in ("es", "s", "n", "en") if word.lower().endswith(end) and len(word) > len(end) + 1
    ]
    return [word, *endings]


def unit_said(words: Iterable[str], known: ListNames) -> str | None:
    """The code of the one unit on the list that the words of a heading name, or None."""
    forms = [form for word in words for form in singulars(word)]
    codes = [next(iter(found)) for form in forms if len(found := known.codes_of(form)) == 1]
    return codes[0] if len(set(codes)) == 1 else None


def pack_said(words: Iterable[str]) -> str | None:
    """The word of a heading that names what several pieces come in, on whatever list that is, or None."""
    return next((word for word in words if any(plain_letters(form) in _PACKS for form in singulars(word))), None)


def proposed_unit(
    record: Record, headings: Sequence[tuple[Field, str]], names: Callable[[str], ListNames]
) -> tuple[str, str] | None:
    """The unit that the headings of quantities and amounts name, and the heading, where no column has the unit of rows
    that are in one of their item's; None where none does, or they name several.

    Args:
        headings: each field with the heading of the column that feeds it.
    """
    unit = record.fields.get(UNIT)
    if unit is None or unit.to is None or "item" not in record.fields or any(field is unit for field, _ in headings):
        return None
    said = {
        code: heading
        for field, heading in headings
        if field.kind in ("quantity", "money") and (words := unit_words(heading))
        if (code := unit_said(words, names(unit.to))) is not None
    }
    return next(iter(said.items())) if len(said) == 1 else None
