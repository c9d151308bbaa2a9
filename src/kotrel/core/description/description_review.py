"""How sure a system description is, record by record: what is understood, and what a person should look at first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from kotrel.core.description.model import Description, Field, Record
from kotrel.core.description.table_facts import CODE, GUESSED_DECIMALS, MONEY, ColumnFacts, TableFacts, may_refer_to


class RecordReview(Struct, frozen=True):
    """One record.

    Attributes:
        fields: how many it has.
        understood: how many of them are described with certainty, in per cent.
        points: what to look at, the most important first, in words.
    """

    record: str
    fields: int
    understood: int
    points: tuple[str, ...]


def review(description: Description, tables: Sequence[TableFacts]) -> list[RecordReview]:
    """All records, those that need a look most first.

    Args:
        tables: what the database says, or none where nobody asked it.
    """
    found = [_review(record, description, tables) for record in description.records.values()]
    return sorted(found, key=lambda each: (each.understood, -len(each.points), each.record))


def not_described(description: Description, tables: Sequence[TableFacts]) -> list[str]:
    """The names of tables that no record is in."""
    described = {each.storage.table or each.name for each in description.records.values()}
    return [table.name for table in tables if table.name not in described]


def _review(record: Record, description: Description, tables: Sequence[TableFacts]) -> RecordReview:
    facts = next((each for each in tables if each.name == (record.storage.table or record.name)), None)
    columns = {name: _column(facts, record, name) for name in record.fields}
    doubts: dict[str, str] = {}
    points: list[str] = []
    for name in record.key:
        column = columns[name]
        if column is not None and (column.made or column.kind == "uuid"):
            points.append(f"its key {name} is the database's own number, which no sheet has: is there a better one?")
            doubts[name] = "key"
    for name, field in record.fields.items():
        if doubt := _doubt(field, columns[name], record, tables):
            doubts.setdefault(name, doubt)
    points += _points_of(doubts)
    if not any(field.synonyms for field in record.fields.values()):
        points.append("no field has synonyms: add the headings of your sheets")
    if record.called is None and len(record.key) == 1:
        points.append('which field holds its name? Add called = "…", so that sheets may have names instead of codes')
    fields = len(record.fields)
    return RecordReview(record.name, fields, 100 * (fields - len(doubts)) // fields, tuple(points))


def _column(facts: TableFacts | None, record: Record, field: str) -> ColumnFacts | None:
    name = record.storage.columns.get(field, field)
    return next((each for each in facts.columns if each.name == name), None) if facts else None


def _points_of(doubts: Mapping[str, str]) -> list[str]:
    """The doubts on fields, those of one kind together. Doubts on a key are reported elsewhere."""
    kinds: dict[str, list[str]] = {}
    for name, doubt in doubts.items():
        if doubt != "key":
            kinds.setdefault(doubt, []).append(name)
    return [f"{', '.join(names[:4])}{' …' if len(names) > 4 else ''}: {doubt}" for doubt, names in kinds.items()]


def _doubt(field: Field, column: ColumnFacts | None, record: Record, tables: Sequence[TableFacts]) -> str:
    """Why it is not certain that a field is described as it should be; an empty text where it is."""
    if column is None:
        return "" if not tables else "the database has no such column"
    if column.kind == "other":
        return "of a kind that Kotrel only shows"
    others = [table for table in tables if table.name != (record.storage.table or record.name)]
    if field.to is None and field.name not in record.key and may_refer_to(column, others):
        return "perhaps codes of another table"
    if column.kind == "decimal" and column.decimals is None and field.decimals == GUESSED_DECIMALS:
        return _doubt_of_number(field, column)
    if column.kind == "text" and field.kind in ("text", "code"):
        return _doubt_of_text(field, column, record)
    return ""


def _doubt_of_number(field: Field, column: ColumnFacts) -> str:
    if field.kind == "money" and MONEY.search(column.name):
        return "an amount by its name only, with a guessed number of decimals"
    if field.is_decimal:
        return f"a number without fixed decimals: how many does it have? {GUESSED_DECIMALS} is a guess"
    return ""


def _doubt_of_text(field: Field, column: ColumnFacts, record: Record) -> str:
    if column.length is not None and column.length <= 1:
        return "a single letter: yes or no, or a choice?"
    is_guess = field.kind == "code" and CODE.search(column.name) and field.name not in record.key
    return "a code by its name only" if is_guess else ""
