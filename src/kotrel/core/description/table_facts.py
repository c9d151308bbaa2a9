"""What a database knows about its tables, and what their columns' names and kinds say."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class ColumnFacts:
    """One column.

    Attributes:
        kind: ``text``, ``uuid``, ``whole``, ``decimal``, ``yes_no``, ``date``, ``moment`` (date and time) or ``other``.
        length: most characters, or None.
        decimals: digits after the point, or None where the database does not say.
        must: True where a new row must have a value.
        made: True where the database itself supplies the value.
        always_made: True where it takes no other value than its own.
        has_default: True where a blank becomes a default of the database.
        zoned: a moment with its zone.
        choices: the words that the database allows, if it lists them.
        title: what people call it, where its name does not say so.
        remark: why it is drafted as it is, or an empty text.
    """

    name: str
    kind: str
    length: int | None = None
    decimals: int | None = None
    must: bool = False
    made: bool = False
    always_made: bool = False
    has_default: bool = False
    zoned: bool = False
    choices: tuple[str, ...] = ()
    title: str = ""
    remark: str = ""


@dataclass(frozen=True)
class ReferenceFacts:
    """A foreign key: columns → columns of another table."""

    columns: tuple[str, ...]
    table: str
    targets: tuple[str, ...]
    schema: str = ""


@dataclass(frozen=True)
class TableFacts:
    """One table: its columns, its primary key, groups of columns that never repeat, its references.

    Attributes:
        nature: what the record is in a description, where it is not a master record.
    """

    name: str
    schema: str
    columns: tuple[ColumnFacts, ...]
    primary: tuple[str, ...]
    uniques: tuple[tuple[str, ...], ...]
    references: tuple[ReferenceFacts, ...]
    nature: str = ""

    def column(self, name: str) -> ColumnFacts:
        return next(each for each in self.columns if each.name == name)


CODE = re.compile(r"(?:^|_)(?:code|no|nr|num|number|sku|barcode|ean|gtin|ref|key)(?:_|$)", re.IGNORECASE)
MONEY = re.compile(r"price|cost|amount|value|total", re.IGNORECASE)
CALLED = ("name", "description", "title", "descr", "label")
"""Names of columns with a row's name."""


def key_of(facts: TableFacts) -> tuple[tuple[str, ...], str | None]:
    """The columns by which people identify a row, and the number or uuid that stands for it inside the database.

    A table that nothing else identifies has that number as its key.
    """
    number = None
    if len(facts.primary) == 1 and facts.column(facts.primary[0]).kind in ("whole", "uuid"):
        number = facts.primary[0]
        usable = [
            group for group in facts.uniques if number not in group and all(facts.column(name).must for name in group)
        ]
        if usable:
            best = min(usable, key=lambda group: (not any(CODE.search(name) for name in group), len(group)))
            return best, number
    return facts.primary or next(iter(facts.uniques), ()), None


def is_marked_deleted(column: ColumnFacts) -> bool:
    """True for a column that marks rows as deleted: blank, or no, in all others."""
    marks = r"(?:deleted|removed|erased)(?:_at|_on|_by|_time|_date)?|is_deleted|deletedat|gel[öo]scht(?:_am)?"
    return bool(re.fullmatch(marks, column.name, re.IGNORECASE)) and (column.kind == "yes_no" or not column.must)


def is_bookkeeping(column: ColumnFacts) -> bool:
    """True for a moment that the system itself notes: when a row was made or changed."""
    noted = r"(?:created|updated|modified|changed|inserted|entered|made|last_\w+)(?:_at|_on|_time|_date|_ts)?|(?:create|update)_time"
    return column.kind == "moment" and (column.has_default or bool(re.fullmatch(noted, column.name, re.IGNORECASE)))


def may_refer_to(column: ColumnFacts, tables: Sequence[TableFacts]) -> TableFacts | None:
    """The table that a column's name points at, where the database has no foreign key: ``vendor_id``, ``vendor_code``."""
    found = re.fullmatch(r"(\w+?)_(?:id|code|no|nr|key|ref|uuid)", column.name, re.IGNORECASE)
    if not found:
        return None
    name = found[1].casefold()
    names = {name, name + "s", name + "es", name.removesuffix("y") + "ies"}
    return next((table for table in tables if table.name.casefold() in names), None)
