"""Headings that say the opposite of one another: active and inactive are spelled alike, and mean the reverse."""

from __future__ import annotations

from collections.abc import Iterable

from kotrel.core.description.model import Field, Record
from kotrel.core.matching.by_headings import headings_of
from kotrel.core.similarity import folded
from kotrel.core.tables.heading_words import terms_of

_NOT = ("in", "un", "non", "not", "no", "nicht", "non-", "dis", "de", "im", "o", "ikke", "ei", "nie", "niet")
"""What makes a word its opposite, before it."""

_ACTIVE = frozenset(
    {"active", "aktiv", "actif", "activo", "attivo", "ativo", "actief", "aktywny", "aktivni", "isactive"}
)


def are_opposites(one: str, other: str) -> bool:
    """True where one of two folded headings is the other with a word or syllable for not before it."""
    short, long = sorted((one, other), key=len)
    return len(short) > 2 and any(long == before + short for before in map(folded, _NOT))


def opposite_field(heading: str, record: Record) -> Field | None:
    """The yes/no field of which a heading says the opposite, or None."""
    word = folded(heading)
    fitting = [
        field
        for field in record.fields.values()
        if field.kind == "yes_no"
        and not field.is_kept
        and (
            any(are_opposites(word, own) for own in headings_of(field))
            or (word in _ACTIVE and any(terms_of(own) == {"archived"} for own in (field.name, field.title)))
        )
    ]
    return fitting[0] if len(fitting) == 1 else None


def out_of_use(record: Record) -> Field | None:
    """The yes/no field that says a row is no longer used."""
    flags = (each for each in record.fields.values() if each.kind == "yes_no" and not each.is_kept)
    return next((each for each in flags if terms_of(each.title) == {"archived"}), None)


def status_words(words: Iterable[str]) -> dict[str, str]:
    """What words of a status say of being out of use, ``yes`` or ``no``; without those that say neither."""
    said = {
        word: "yes"
        if "archived" in terms_of(word) <= {"archived", "item"}
        else "no"
        if folded(word) in _ACTIVE
        else None
        for word in words
    }
    return {word: each for word, each in said.items() if each is not None}
