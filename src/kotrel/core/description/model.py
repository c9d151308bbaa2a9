"""The system description: what a business system takes, as plain data.

Everything that needs to know about records and fields uses these objects: templates, matching, tidying, checks,
previews, the load order and the practice system's tables. Prices, stock and counts go by the names of a few records
and fields, which ``docs/reference/system-description.md`` lists under "Names that have a meaning".
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from decimal import Decimal
from typing import Literal

from msgspec import Struct, field


class DefaultSet(Struct, frozen=True):
    """A named set of values for the blank fields of new rows, such as those that every paint has.

    Attributes:
        where: an expression that picks the rows it applies to by itself, or None if the user has to name it.
        values: field → value.
    """

    name: str
    record: str
    where: str | None
    values: Mapping[str, str]


Kind = Literal[
    "code", "text", "number", "quantity", "money", "date", "moment", "yes_no", "choice", "list", "reference", "file"
]
Must = Literal["always", "new", "may"]
Nature = Literal["master", "document", "ledger", "balance", "stock"]
Effect = Literal["in", "out", "move", "revalue", "none"]
FromLedger = Literal["on hand", "on order", "reserved", "average cost", "last moved"]

DECIMAL_KINDS = ("number", "quantity", "money")
"""Kinds whose values are exact decimals."""


class Field(Struct, frozen=True):
    """One field of a record.

    Attributes:
        name: its name in settings, expressions and JSON.
        title: what people call it; used as the heading in templates and exports.
        kind: what a value is; see :data:`Kind`.
        meaning: one line for people who fill it in.
        example: one value as a person would type it.
        length: the most characters a value may have, or None.
        decimals: digits after the point for the decimal kinds (0 for whole numbers), else None.
        least, most: the range of the decimal kinds, both ends included.
        must: ``always`` in every row, ``new`` for new rows only, ``may`` stay empty.
        to: the record that a reference points at.
        choices: the words a choice allows.
        check: the name of a code format (``gtin``), or None.
        unique: name of a group of fields; no value may be on two rows of the record in any of them.
        kept_by: ``system`` where the system works the value out itself; such a field is never loaded.
        synonyms: other headings people use for it.
        words: words that stand for a number, in their form, and the number: ``{"ASK": "0"}``.
        within: where the record referred to has a key of several fields: this record's fields for
            the others of that key, in its order (a bin belongs to a warehouse).
        default: what a new row gets if the field is blank, or None.
        default_from: ``reference.field``: a blank gets the value in that field of the row referred to.
        same_as: ``reference.field``: the value must be the one in that field of the row referred to.
        one_of: where its values may come from: first ``reference.field``, the row referred to; then ``record.field``,
            the rows of other records that refer to the same row (a price's unit: the item's, or one that has a
            conversion).
        differs_from: another field of the row, whose value it must not have.
        files: ``picture`` where the values name files of that kind.
        zoned: of a moment: it is kept with its zone; else it is the clock's time at the place.
        zero_means: what a zero means, in words; a load warns of each.
        numbered: part of a key that Kotrel counts up within the rest of the key, where the sheet has no column for it.
        from_ledger: what of the ledger it shows for the row's own movements; the table has no column for it.
        fulfils: of a document's line: it names the order that the line's goods come from, or go out for.
        scale: of the decimal kinds: a table that Kotrel did not create holds the value times this, as a whole
            number.
        stored: of a date: how such a table writes it, with YYYY, MM and DD; empty for a real date or ISO text.
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
    within: tuple[str, ...] = ()
    default: str | None = None
    default_from: tuple[str, str] | None = None
    same_as: tuple[str, str] | None = None
    one_of: tuple[tuple[str, str], ...] = ()
    differs_from: str | None = None
    files: Literal["picture"] | None = None
    zero_means: str | None = None
    zoned: bool = False
    numbered: bool = False
    from_ledger: FromLedger | None = None
    fulfils: bool = False
    scale: int = 1
    stored: str = ""

    @property
    def is_percentage(self) -> bool:
        """True for a number of per cent: only there does a per cent sign belong."""
        return self.kind == "number" and ("%" in self.title or "percent" in self.name)

    @property
    def is_decimal(self) -> bool:
        return self.kind in DECIMAL_KINDS

    @property
    def is_kept(self) -> bool:
        """True where the system itself works the value out."""
        return self.kept_by == "system"


class Storage(Struct, frozen=True):
    """Where a record's rows are in a database whose tables differ from the description.

    Attributes:
        table: the table's name, or None for the record's own name.
        schema: the table's schema, or None for the description's.
        columns: field → column, where they differ.
        fixed: column → the text that it holds in every row of this record, or None where it is null; other rows do not
            belong to it.
        made: column → what gives a new row's value where the table itself has none: ``uuid``, ``uuid7``, ``uuid hex``,
            ``now``, ``next`` (the highest number there and one), a constant (``'text'``, a number, ``true``, JSON), or
            a sequence.
        touched: column → what a row gets there whenever it is added or changed: the same, and ``+1`` for a counter.
        id: the number column that other tables refer to instead of the key, or None.
        yes_no: how yes and no are stored in a text or number column, or None for a real yes/no column.
        yes_no_of: field → the same for a single field.
    """

    table: str | None = None
    schema: str | None = None
    columns: Mapping[str, str] = field(default_factory=dict)
    fixed: Mapping[str, str | None] = field(default_factory=dict)
    made: Mapping[str, str] = field(default_factory=dict)
    touched: Mapping[str, str] = field(default_factory=dict)
    id: str | None = None
    yes_no: tuple[str, str] | None = None
    yes_no_of: Mapping[str, tuple[str, str]] = field(default_factory=dict)

    def words_of(self, field: Field) -> tuple[str, str] | None:
        """The stored words for yes and no of a yes/no field, or None where its column is a real one."""
        return (self.yes_no_of.get(field.name) or self.yes_no) if field.kind == "yes_no" else None


class Record(Struct, frozen=True):
    """One record type: its fields, and the rules on whole rows.

    Attributes:
        key: names of the fields that identify a row.
        called: the field that holds a row's name, or None.
        path: the field that points at the row's parent in the same record, or None.
        out_of_use: the yes/no field that says a row is kept but no longer used; such a row is never suggested, or None.
        also_known_by: other groups of fields that identify a row.
        other_codes: record and field of codes elsewhere that lead to a row of this record, by that record's reference
            to it.
        together: groups of fields that are all filled or all blank.
        unique_together: groups of fields whose values together are on one row only; rows where one is blank do not
            count.
        exactly_one: groups of fields of which every row fills exactly one.
        in_order: pairs of fields, the first never after (or above) the second.
        no_circle: pairs of fields with codes of one record: going from the first to the second never leads back.
        period: the fields of the first and the last day (blank for none) in which a row counts. The first is part of
            the key: of the rows whose key differs in it alone, one follows the other.
        needs: ``reference.field`` → the values of which the row referred to must have one in that field.
        nature: ``master``: rows are added and changed; ``document``: posted once, never changed; ``ledger``: what
            documents post; ``balance``: what the ledger comes to by place, kept by the system; ``stock``: what is on
            hand where, in a system without a ledger.
        part_of: the record whose rows these belong to: a document's lines, or a line's lots; None for others.
        effect: of a document on stock: ``in``, ``out``, ``move``, ``revalue``, or ``none``.
        counts_as: what a document without an effect on stock counts as: ``reserved`` or ``on order``; None for neither.
        storage: where its rows are in a database.
    """

    name: str
    title: str
    key: tuple[str, ...]
    fields: Mapping[str, Field]
    meaning: str = ""
    called: str | None = None
    path: str | None = None
    out_of_use: str | None = None
    also_known_by: tuple[tuple[str, ...], ...] = ()
    other_codes: tuple[tuple[str, str], ...] = ()
    together: tuple[tuple[str, ...], ...] = ()
    synonyms: tuple[str, ...] = ()
    unique_together: tuple[tuple[str, ...], ...] = ()
    exactly_one: tuple[tuple[str, ...], ...] = ()
    in_order: tuple[tuple[str, ...], ...] = ()
    no_circle: tuple[tuple[str, ...], ...] = ()
    period: tuple[str, str] | None = None
    needs: Mapping[tuple[str, str], tuple[str, ...]] = field(default_factory=dict)
    nature: Nature = "master"
    part_of: str | None = None
    effect: Effect = "none"
    counts_as: str | None = None
    storage: Storage = field(default_factory=Storage)

    @property
    def is_posted(self) -> bool:
        """True for documents, their parts, the ledger and its balances: nobody changes their rows."""
        return self.nature in ("document", "ledger", "balance") or self.part_of is not None

    @property
    def is_kept(self) -> bool:
        """True for the ledger and its balances: the system keeps them, and nobody has a sheet of their rows."""
        return self.nature in ("ledger", "balance")

    @property
    def code(self) -> str:
        """The field that a reference to the record names: the last of its key."""
        return self.key[-1]

    @property
    def listed(self) -> tuple[str, ...]:
        """What is read of a whole list: its key, and its names, parents and which rows are out of use,
        if it has them.
        """
        others = (each for each in (self.called, self.path, self.out_of_use) if each)
        return tuple(dict.fromkeys((*self.key, *others)))

    @property
    def circles(self) -> tuple[tuple[str, str], ...]:
        """All pairs of fields that must not form a circle."""
        path = ((self.code, self.path),) if self.path else ()
        return (*path, *((first, second) for first, second in self.no_circle))

    @property
    def references(self) -> Iterator[Field]:
        """The fields that point at another record (or at this one)."""
        return (each for each in self.fields.values() if each.to is not None)

    @property
    def loadable(self) -> tuple[str, ...]:
        """Names of the fields that people may load, in the description's order."""
        return tuple(name for name, each in self.fields.items() if not each.is_kept)

    def unique_groups(self) -> dict[str, tuple[str, ...]]:
        """Group name → its fields: no value may be on two rows in any of them."""
        groups: dict[str, list[str]] = {}
        for each in self.fields.values():
            if each.unique:
                groups.setdefault(each.unique, []).append(each.name)
        return {name: tuple(names) for name, names in groups.items()}


class Description(Struct, frozen=True):
    """A whole business system.

    Attributes:
        title: what people call the system.
        schema: the database schema its tables stand in, or an empty text.
        records: by name, in the order of the description file.
        defaults: sets of values for new rows, by name.
        scaled: True where a database without exact decimals stores them as whole numbers, scaled by their decimals.
    """

    title: str
    records: Mapping[str, Record]
    schema: str = ""
    order: tuple[str, ...] = ()
    defaults: Mapping[str, DefaultSet] = field(default_factory=dict)
    scaled: bool = True

    @property
    def ledger(self) -> Record | None:
        """The record that documents post to, or None where Kotrel knows of none."""
        return next((each for each in self.records.values() if each.nature == "ledger"), None)

    @property
    def balances(self) -> Record | None:
        """The record of what the ledger comes to by place, or None where the system keeps none."""
        return next((each for each in self.records.values() if each.nature == "balance"), None)

    def has(self, record: str, *fields: str) -> bool:
        """Whether there is a record of that name, with all these fields."""
        return record in self.records and set(fields) <= set(self.records[record].fields)

    @property
    def conversions(self) -> Record | None:
        """The record of how many base units of an item are in one of its other units,
        or None where Kotrel knows of none.
        """
        return self.records["unit_conversion"] if self.has("unit_conversion", "item", "unit", "factor") else None

    @property
    def stock_list(self) -> Record | None:
        """The record that says what is on hand where, in a system without a ledger; None where there is none."""
        return next((each for each in self.records.values() if each.nature == "stock"), None)

    @property
    def stock_places(self) -> Record | None:
        """The record whose fields say what is known of stock and its places: the ledger, or the stock list."""
        return self.ledger or self.stock_list

    def in_load_order(self) -> list[Record]:
        """All records, each after those it refers to."""
        return [self.records[name] for name in self.order]


CURRENCY_FIELD = "currency"
DECIMALS_FIELD = "decimals"
PRICE_LIST = "price_list"


def currency_source(record: Record) -> str | None:
    """The field that says the currency of a record's amounts: the price list of its key, or its own field.

    Returns:
        None where its amounts are in the workspace's currency.
    """
    return list_field(record) or (CURRENCY_FIELD if CURRENCY_FIELD in record.fields else None)


def list_field(record: Record) -> str | None:
    """The field of the key that names the price list of a record's rows; None where they are on none."""
    return next((name for name in record.key if record.fields[name].to == PRICE_LIST), None)
