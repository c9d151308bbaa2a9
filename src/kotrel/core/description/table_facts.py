"""What a database knows about its tables, and what their columns' names and kinds say."""

from __future__ import annotations

import re
from collections.abc import Sequence

from msgspec import Struct


class ColumnFacts(Struct, frozen=True):
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
        json: it holds JSON.
        barcodes: nearly all of its values are valid barcodes.
        by_trigger: a trigger of the database writes it.
        unsigned: it takes no number below zero.
        date_form: how its values write dates, where they are whole numbers or texts, such as ``YYYYMMDD``.
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
    json: bool = False
    barcodes: bool = False
    by_trigger: bool = False
    date_form: str = ""
    unsigned: bool = False

    @property
    def is_uuid(self) -> bool:
        """True for a uuid, and for a column of its length and such a name,
        as frameworks keep it where a database has none.
        """
        by_name = (
            self.kind == "text"
            and self.length in (32, 36)
            and re.search(r"(?:^|_)(?:id|uuid|guid)$", self.name, re.IGNORECASE)
        )
        return self.kind == "uuid" or bool(by_name)


class ReferenceFacts(Struct, frozen=True):
    """A foreign key: columns → columns of another table."""

    columns: tuple[str, ...]
    table: str
    targets: tuple[str, ...]
    schema: str = ""


class TableFacts(Struct, frozen=True):
    """One table: its columns, its primary key, groups of columns that never repeat, its references.

    Attributes:
        nature: what the record is in a description, where it is not a master record.
        named: columns whose reference only their name says.
    """

    name: str
    schema: str
    columns: tuple[ColumnFacts, ...]
    primary: tuple[str, ...]
    uniques: tuple[tuple[str, ...], ...]
    references: tuple[ReferenceFacts, ...]
    nature: str = ""
    named: frozenset[str] = frozenset()

    def column(self, name: str) -> ColumnFacts:
        return next(each for each in self.columns if each.name == name)


CODE = re.compile(r"(?:^|_)(?:code|no|nr|num|number|sku|barcode|ean|gtin|ref|key)(?:_|$)", re.IGNORECASE)
GUESSED_DECIMALS = 4
"""The decimals that a draft gives a number of which the database does not say how many it has."""
MONEY = re.compile(r"price|cost|amount|value|total", re.IGNORECASE)
CALLED = ("name", "description", "title", "descr", "label")
"""Names of columns with a row's name."""


def key_of(facts: TableFacts) -> tuple[tuple[str, ...], str | None]:
    """The columns by which people identify a row, and the number or uuid that stands for it inside the database.

    A table that nothing else identifies has that number as its key.
    """
    number = None
    if len(facts.primary) == 1 and (
        facts.column(facts.primary[0]).kind == "whole" or facts.column(facts.primary[0]).is_uuid
    ):
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


_KEPT = re.compile(
    r"(?:^|_)(?:on_hand|in_stock|stock_(?:qty|quantity)|qty_(?:on_hand|reserved|ordered|available)|reserved|allocated|available|balance|"
    r"average_cost|avg_cost|last_(?:cost|price|sold|purchased|movement|receipt)\w*)$",
    re.IGNORECASE,
)
_VERSION = re.compile(r"(?:row_?|lock_?|record_?)?version(?:_no|_number)?|revision|opt_?lock|xmin_copy", re.IGNORECASE)
_AUDIT = re.compile(
    r"(?:^|_)(?:audits?|history|hist|logs?|journal|archive|outbox|migrations?|sessions?|number_ranges?|sequences?|counters?)(?:_|$)",
    re.IGNORECASE,
)
_CENTS = re.compile(r"_(?:cents?|ct|pence|minor(?:_units?)?)$", re.IGNORECASE)
_FREE_TEXT = re.compile(
    r"(?:^|_)(?:notes?|remarks?|comments?|memo|text|info|long_?description|keywords?|slug|url|color|colour|size)(?:_|$)",
    re.IGNORECASE,
)


def is_kept(column: ColumnFacts) -> bool:
    """True for figures that a system counts up itself, and for what one of its triggers writes."""
    return column.by_trigger or (
        column.kind in ("whole", "decimal", "moment", "date") and bool(_KEPT.search(column.name))
    )


def is_version(column: ColumnFacts) -> bool:
    """True for a counter that grows with every change of the row."""
    return column.kind == "whole" and not column.made and bool(_VERSION.fullmatch(column.name))


def is_scaled(column: ColumnFacts) -> bool:
    """True for a whole number of cents."""
    return column.kind == "whole" and bool(_CENTS.search(column.name))


def is_record_of_changes(table: str) -> bool:
    """True for a table that the system writes for itself: what was changed, numbers that were given."""
    return bool(_AUDIT.search(table))


def own_value(column: ColumnFacts, in_key: bool, primary: bool) -> tuple[str, str] | None:
    """What a system's own code fills a required column with that has no default: for new rows, and with every change.

    Returns:
        Two values of ``made`` and ``touched``, each perhaps empty; None where people fill it, or the database does.
    """
    if is_version(column):
        return "", "+1"
    if primary and column.is_uuid and not (column.made or column.has_default or in_key):
        return ("uuid hex" if column.length == 32 else "uuid"), ""
    if not column.must or in_key:
        return None
    if column.kind == "whole" and primary:
        return "next", ""
    return _usual_value(column)


def _usual_value(column: ColumnFacts) -> tuple[str, str] | None:
    """What any system puts into a required column that people do not fill."""
    if is_bookkeeping(column):
        changes = re.match("update|modif|change|last", column.name, re.IGNORECASE)
        return ("", "now") if changes else ("now", "")
    if column.json:
        return "{}", ""
    if column.kind == "text" and _FREE_TEXT.search(column.name) and not column.choices:
        return "''", ""
    return None


def may_refer_to(column: ColumnFacts, tables: Sequence[TableFacts]) -> TableFacts | None:
    """The table that a column's name points at, where the database has no foreign key:
    ``vendor_id``, ``vendor_code``.
    """
    found = re.fullmatch(r"(\w+?)_(?:id|code|no|nr|key|ref|uuid)", column.name, re.IGNORECASE)
    if not found:
        return None
    name = found[1].casefold()
    names = {name, name + "s", name + "es", name.removesuffix("y") + "ies"}
    by_name = [table for table in tables if table.name.casefold() in names]
    # Frameworks put the name of an application before each table's.
    ends = tuple(f"_{each}" for each in names)
    return next(iter(by_name or [table for table in tables if table.name.casefold().endswith(ends)]), None)
