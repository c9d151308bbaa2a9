"""Units in headings: ``Quantity (COIL)``, ``Qty in boxes``, ``Cost per BOX``."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence

from msgspec import Struct

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.languages.all_languages import words_of
from kotrel.core.matching.heading_meaning import said_by
from kotrel.core.values.measures import one_is
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


def unit_field(record: Record, field: Field) -> str | None:
    """The field with the unit of a measure: ``weight_unit`` for ``weight``, or the one that belongs together with it."""
    groups = [group for group in record.together if field.name in group]
    names = [f"{field.name}_unit", *(name for group in groups for name in group if name.endswith("unit"))]
    return next((name for name in names if name in record.fields and name != field.name), None)


def proposed_units(
    record: Record, headings: Sequence[tuple[Field, str]], names: Callable[[str], ListNames]
) -> tuple[tuple[str, str, str], ...]:
    """The units that headings name where no column has them: the field of the unit, its code, and the heading.

    That of a row is named by its quantities and amounts, if the rows are in a unit of their item's; that of a measure by
    its own heading. None where there are several.

    Args:
        headings: each field with the heading of the column that feeds it.
    """
    said: dict[str, dict[str, str]] = {}
    fed = {field.name for field, _ in headings}
    for field, heading in headings:
        is_of_row = field.kind in ("quantity", "money") and "item" in record.fields and UNIT in record.fields
        name = UNIT if is_of_row else unit_field(record, field)
        to = record.fields[name].to if name is not None and name not in fed else None
        if name is None or to is None:
            continue
        words = unit_words(heading) if is_of_row else measure_words(heading, field)
        if words and (code := unit_said(words, names(to))) is not None:
            said.setdefault(name, {})[code] = heading
    return tuple((name, *next(iter(codes.items()))) for name, codes in said.items() if len(codes) == 1)


def measure_words(heading: str, field: Field) -> list[str]:
    """The words of the heading of a measure that may name its unit: also one that is a unit of measure by itself."""
    says = said_by(heading, field)
    return [*unit_words(heading), *([says.value] if says is not None and says.what == "unit" else [])]


class Converted(Struct, frozen=True):
    """Figures of a measure that are in a unit which the system does not have, as their heading says.

    Attributes:
        unit: the unit in the heading; ``code``: the nearest on the list that it can be converted to.
        number: how many of that one unit is.
        beside: the field with the unit of the measure.
    """

    heading: str
    unit: str
    code: str
    number: str
    beside: str


def conversions_of(
    record: Record, headings: Sequence[tuple[Field, str]], names: Callable[[str], ListNames]
) -> dict[str, Converted]:
    """Field → its conversion, of measures in a unit that is not on the list: ``Weight (g)`` where there are kilograms.

    None where a column has the unit, or where fields that share one would be in several.

    Args:
        headings: each field with the heading of the column that feeds it.
    """
    fed = {field.name for field, _ in headings}
    found: dict[str, Converted] = {}
    shared: dict[str, set[str]] = {}
    for field, heading in headings:
        beside = unit_field(record, field)
        to = record.fields[beside].to if beside is not None else None
        if beside is None or to is None or beside in fed or field.kind in ("quantity", "money"):
            continue
        words, known = measure_words(heading, field), names(to)
        if not words:
            continue
        if (code := unit_said(words, known)) is not None:
            shared.setdefault(beside, set()).add(code)
            continue
        unit = words[-1]
        sizes = {code: number for code in known.codes if (number := one_is(unit, code)) is not None}
        if not sizes:
            continue
        # The nearest in size keeps most of the figures' decimals.
        code = min(sizes, key=lambda each: abs(sizes[each].log10()))
        found[field.name] = Converted(heading, unit, code, f"{sizes[code]:f}", beside)
        shared.setdefault(beside, set()).add(code)
    return {name: each for name, each in found.items() if len(shared[each.beside]) == 1}
