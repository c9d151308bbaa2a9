"""Proposes which column feeds which field: by the heading, by a similar spelling, and by the column's content."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from rapidfuzz import fuzz

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.similarity import folded
from kotrel.core.tables.profiling import kind_of
from kotrel.core.tables.table import Column, Table
from kotrel.core.understanding.matching import OWN_HEADINGS, headings_of

LOOK_AT = 5_000
"""A column's content is looked at in this many rows from the top."""
SURE_ENOUGH = 50
"""In per cent; below it nothing is proposed."""


@dataclass(frozen=True)
class Proposal:
    """One field and the column proposed for it.

    Attributes:
        sure: how sure, in per cent.
        why: in words.
    """

    field: Field
    column: Column
    sure: int
    why: str


def propose(table: Table, record: Record, names: Callable[[str], ListNames]) -> tuple[list[Proposal], list[Column]]:
    """The best proposals, at most one column for each field, and the columns left over.

    Args:
        names: record → its codes and names.
    """
    looked = {column.letter: _Content(table, column) for column in table.columns}
    candidates: list[Proposal] = []
    for column in table.columns:
        if folded(column.heading) in OWN_HEADINGS:
            continue
        for field in record.fields.values():
            sure, why = _judge(column, looked[column.letter], field, names)
            if sure >= SURE_ENOUGH:
                candidates.append(Proposal(field, column, sure, why))
    order = {name: place for place, name in enumerate(record.fields)}
    candidates.sort(key=lambda each: (-each.sure, order[each.field.name]))
    taken_fields: set[str] = set()
    taken_columns: set[str] = set()
    chosen: list[Proposal] = []
    for each in candidates:
        if each.field.name not in taken_fields and each.column.letter not in taken_columns:
            taken_fields.add(each.field.name)
            taken_columns.add(each.column.letter)
            chosen.append(each)
    place = {column.letter: number for number, column in enumerate(table.columns)}
    chosen.sort(key=lambda each: place[each.column.letter])
    return chosen, [
        column
        for column in table.columns
        if column.letter not in taken_columns and (column.heading or not table.heading_row)
    ]


class _Content:
    """What the top of a column holds, computed when needed."""

    def __init__(self, table: Table, column: Column) -> None:
        sound = table.cells[column.letter].head(LOOK_AT).drop_nulls().str.strip_chars()
        self.distinct = sound.unique()
        self.count = len(sound)
        self._kind: str | None = None

    @property
    def kind(self) -> str:
        if self._kind is None:
            self._kind = kind_of(self.distinct) if len(self.distinct) else "empty"
        return self._kind

    def share(self, fits: Callable[[str], bool]) -> int:
        """How many of the distinct values fit, in per cent."""
        some = self.distinct.head(300).to_list()
        return 100 * sum(map(fits, some)) // len(some) if some else 0


def _judge(column: Column, content: _Content, field: Field, names: Callable[[str], ListNames]) -> tuple[int, str]:
    """How sure it is that the column feeds the field, and why."""
    heading = folded(column.heading)
    words = headings_of(field)
    if heading and heading in words:
        said = "its heading" if heading in words[:2] else "a usual heading for it"
        return (100 if heading in words[:2] else 95), said
    near = max((int(fuzz.ratio(heading, word)) for word in words), default=0) if heading else 0
    contains = bool(heading) and any(
        len(word) > 3 and (word in heading or heading in word) and len(heading) > 3 for word in words
    )
    by_heading = max(near - 10 if near >= 80 else 0, 65 if contains else 0)
    why = "its heading is spelled similarly" if near >= 80 else "its heading contains the word" if contains else ""
    by_content, seen = _content(content, field, names)
    if by_content < 0:
        # The column's content speaks against it, whatever the heading says.
        return 0, ""
    if by_heading and by_content:
        return min(by_heading + by_content // 3, 94), f"{why}, and {seen}"
    if by_heading:
        return by_heading, why
    return by_content, seen


def _content(content: _Content, field: Field, names: Callable[[str], ListNames]) -> tuple[int, str]:
    """What the values suggest: per cent and the reason; below zero if they speak against the field."""
    if not content.count:
        return 0, ""
    if field.check == "gtin" and field.kind != "list":
        return (
            (85, "it holds valid barcodes") if content.kind == "barcode" else (-1 if content.kind == "text" else 0, "")
        )
    if field.to is not None:
        known = names(field.to)
        on_list = content.share(lambda value: known.code_of(value) is not None)
        if on_list >= 70 and len(content.distinct) <= max(len(known.codes), 1):
            return 55 + on_list // 4, f"{on_list} % of its values are on the {field.to} list"
        return (0 if on_list else -1 if content.kind in ("number", "date", "barcode") else 0), ""
    if field.is_decimal:
        return (0 if content.kind in ("number", "whole number", "yes/no", "code", "empty") else -1), ""
    if field.kind == "date":
        return (40 if content.kind == "date" else -1), "it holds dates"
    if field.kind == "yes_no":
        return (0 if content.kind == "yes/no" or len(content.distinct) <= 4 else -1), ""
    if field.kind == "choice":
        choices = {folded(choice) for choice in field.choices}
        fits = content.share(lambda value: folded(value) in choices)
        return (75, "its values are the choices") if fits >= 90 else (0 if fits else -1, "")
    return 0, ""
