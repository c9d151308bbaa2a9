"""The system description: what a business system takes, as plain data.

Everything that has to know about records and fields asks these objects: templates, matching, tidying, checks,
previews, the load order and the practice system's tables. Nothing here knows an item from a price by name.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Literal

Kind = Literal["code", "text", "number", "quantity", "money", "date", "yes_no", "choice", "list", "reference", "file"]
Must = Literal["always", "new", "may"]

DECIMAL_KINDS = ("number", "quantity", "money")
"""Kinds whose values are exact decimals."""


@dataclass(frozen=True)
class Field:
    """One field of a record.

    Attributes:
        name: its name in settings, expressions and JSON.
        title: what people call it; the heading in templates and exports.
        kind: what a value is; see :data:`Kind`.
        meaning: one line for people who fill it in.
        example: one value as a person would type it.
        length: most characters a value may have, or None.
        decimals: digits after the point for the decimal kinds (0 for whole numbers), else None.
        least, most: the range of the decimal kinds, both ends allowed.
        must: ``always`` in every row, ``new`` for new rows only, ``may`` stay empty.
        to: the record that a reference points at.
        choices: the words a choice allows.
        check: the name of a rule for the shape of a code (``gtin``).
        unique: name of a group of fields whose values never occur twice among all rows of the record.
        kept_by: ``system`` where the system works the value out itself; such a field is never loaded.
        synonyms: other headings people use for it.
        words: words that may stand for a number, folded, and the number: ``{"ask": "0"}``.
    """

    name: str
    title: str
    kind: Kind
    meaning: str = ""
    example: str = ""
    length: int | None = None
    decimals: int | None = None
    least: Decimal | None = None
    most: Decimal | None = None
    must: Must = "may"
    to: str | None = None
    choices: tuple[str, ...] = ()
    check: str | None = None
    unique: str | None = None
    kept_by: Literal["people", "system"] = "people"
    synonyms: tuple[str, ...] = ()
    words: Mapping[str, str] = field(default_factory=dict)

    @property
    def is_decimal(self) -> bool:
        return self.kind in DECIMAL_KINDS

    @property
    def is_kept(self) -> bool:
        """True where the system itself works the value out."""
        return self.kept_by == "system"


@dataclass(frozen=True)
class Record:
    """One record type: its fields and the rules that hold for a whole row.

    Attributes:
        key: names of the fields that tell one row from another.
        called: the field that holds a row's name, or None.
        path: the field that points at the row's parent in the same record, or None.
        also_known_by: other groups of fields by which people find a row.
        together: groups of fields that are given all or not at all.
    """

    name: str
    title: str
    key: tuple[str, ...]
    fields: Mapping[str, Field]
    meaning: str = ""
    called: str | None = None
    path: str | None = None
    also_known_by: tuple[tuple[str, ...], ...] = ()
    together: tuple[tuple[str, ...], ...] = ()
    synonyms: tuple[str, ...] = ()

    @property
    def references(self) -> Iterator[Field]:
        """The fields that point at another record (or at this one)."""
        return (each for each in self.fields.values() if each.to is not None)

    @property
    def loadable(self) -> tuple[str, ...]:
        """Names of the fields that people may load, in the description's order."""
        return tuple(name for name, each in self.fields.items() if not each.is_kept)

    def unique_groups(self) -> dict[str, tuple[str, ...]]:
        """Group name → the fields whose values together never occur twice."""
        groups: dict[str, list[str]] = {}
        for each in self.fields.values():
            if each.unique:
                groups.setdefault(each.unique, []).append(each.name)
        return {name: tuple(names) for name, names in groups.items()}


@dataclass(frozen=True)
class Description:
    """A whole business system.

    Attributes:
        title: what people call the system.
        schema: the database schema its tables stand in, or an empty text.
        records: by name, in the order of the description file.
    """

    title: str
    records: Mapping[str, Record]
    schema: str = ""
    order: tuple[str, ...] = field(default=())

    def in_load_order(self) -> list[Record]:
        """All records, each after those it refers to."""
        return [self.records[name] for name in self.order]


def load_order(records: Mapping[str, Record]) -> tuple[str, ...]:
    """Names of the records so that what is referred to comes before what refers to it.

    Records that do not depend on each other keep the order of the description. A reference to the record itself does
    not count: rows of one record are loaded in one step.

    Raises:
        ValueError: the references go round in a circle; the message names it.
    """
    placed: dict[str, None] = {}
    waiting: list[str] = []

    def place(name: str) -> None:
        if name in placed:
            return
        if name in waiting:
            circle = [*waiting[waiting.index(name) :], name]
            raise ValueError(" → ".join(circle))
        waiting.append(name)
        for reference in records[name].references:
            if reference.to is not None and reference.to != name:
                place(reference.to)
        waiting.pop()
        placed[name] = None

    for name in records:
        place(name)
    return tuple(placed)
