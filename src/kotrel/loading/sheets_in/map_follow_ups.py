"""What ``kotrel map`` asks after the columns: fields that the answers left without a source."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Sequence

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.phrases import listed
from kotrel.core.tables.table import Table
from kotrel.loading.sheets_in.map_questions import about_missing, about_value
from kotrel.loading.sheets_in.mapping_answers import feed
from kotrel.loading.sheets_in.mapping_proposals import Mapped
from kotrel.screen.dialogue import DialogueQuestion, Document

DIGITS = 5
"""Digits of a made code, where no code of the system begins like it."""


def follow_up_questions(
    mapped: Mapped, document: Document, names: Callable[[str], ListNames]
) -> list[DialogueQuestion]:
    """Questions on the key, on what new rows require, and on what a supplier's own code needs beside it.

    Args:
        document: the mapping with the answers so far; what it feeds is not asked.
        names: record → its codes and names.
    """
    record, fed = mapped.record, document["field"]
    open_ = {
        name: field
        for name, field in record.fields.items()
        if name not in fed and name not in mapped.missing and not _fills_itself(field)
    }
    questions = []
    for name in record.key:
        if (field := open_.get(name)) is not None:
            plain = field.kind == "code" and len(record.key) == 1
            questions.append(
                _about_key(mapped.table, record, field, names) if plain else about_missing(mapped.table, field, names)
            )
    for name, field in open_.items():
        if name not in record.key and field.must != "may" and not field.same_as:
            questions.append(about_missing(mapped.table, field, names))
    return questions + _about_partners(mapped, fed, names)


def _fills_itself(field: Field) -> bool:
    return bool(field.default or field.default_from or field.numbered)


def _about_partners(mapped: Mapped, fed: Collection[str], names: Callable[[str], ListNames]) -> list[DialogueQuestion]:
    """What a supplier's own code needs beside it."""
    fields = mapped.record.fields
    questions = []
    for group in mapped.record.also_known_by:
        there = [name for name in group if name in fed]
        for name in group if there and len(group) > 1 else ():
            if name not in fed:
                questions.append(_about_partner(mapped.table, fields[there[0]], fields[name], names))
    return questions


def _about_key(table: Table, record: Record, field: Field, names: Callable[[str], ListNames]) -> DialogueQuestion:
    """How the codes of new rows are made."""
    known = names(record.name).codes
    beginnings = _beginnings(known)

    def take(document: Document, said: str) -> str | None:
        if not said:
            return None
        if said.startswith("="):
            column = next((each for each in table.columns if each.letter == said[1:].upper()), None)
            if column is None:
                return f"there is no column {said[1:].upper()}"
            feed(document, field.name, {"column": column.heading or said.upper()})
            return None
        if not re.fullmatch(r"[\w./-]+", said) or said[-1].isdigit():
            return "type how the codes begin, such as PNT-, without the number"
        digits = next((width for beginning, width in beginnings.items() if beginning == said), DIGITS)
        feed(document, field.name, {"make": f"'{said}' + next({digits})"})
        return None

    some = f" Codes of the system begin with {listed(list(beginnings), 6)}." if beginnings else ""
    asked = (
        f"No column has {field.title.lower()}, so Kotrel can make it for new rows: the next free number behind a beginning.{some} "
        "Type the beginning, the letter of a column like =C, or Enter to leave it open"
    )
    return DialogueQuestion(asked, take)


def _beginnings(codes: Sequence[str]) -> dict[str, int]:
    """How codes begin before their number, the commonest first, and how many digits the number has."""
    counted: dict[tuple[str, int], int] = {}
    for code in codes:
        if found := re.fullmatch(r"(\D*[^\d\s])(\d{2,})", code):
            at = found[1], len(found[2])
            counted[at] = counted.get(at, 0) + 1
    widths: dict[str, int] = {}
    for (beginning, width), _ in sorted(counted.items(), key=lambda each: -each[1]):
        widths.setdefault(beginning, width)
    return widths


def _about_partner(table: Table, has: Field, field: Field, names: Callable[[str], ListNames]) -> DialogueQuestion:
    asked = (
        f"{has.title} identifies a row only together with {field.title.lower()}, which no column has. "
        "Type it for all rows, the letter of a column like =C, or Enter to leave it open"
    )
    return about_value(table, field, names, asked, "fixed")
