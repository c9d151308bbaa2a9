"""What a database knows about its tables → a draft of a system description, for a person to read and edit."""

from __future__ import annotations

import json
import re
import unicodedata
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

from kotrel.core.description.reading import read_description
from kotrel.core.errors import WrongUse


@dataclass(frozen=True)
class ColumnFacts:
    """One column.

    Attributes:
        kind: ``text``, ``whole``, ``decimal``, ``yes_no``, ``date``, ``moment`` (date and time) or ``other``.
        length: most characters, or None.
        decimals: digits after the point, or None where the database does not say.
        must: True where a new row must have a value.
        made: True where the database itself supplies the value.
        choices: the words that the database allows, if it lists them.
        remark: why it is drafted as it is, or an empty text.
    """

    name: str
    kind: str
    length: int | None = None
    decimals: int | None = None
    must: bool = False
    made: bool = False
    choices: tuple[str, ...] = ()
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
    """One table: its columns, its primary key, groups of columns that never repeat, its references."""

    name: str
    schema: str
    columns: tuple[ColumnFacts, ...]
    primary: tuple[str, ...]
    uniques: tuple[tuple[str, ...], ...]
    references: tuple[ReferenceFacts, ...]

    def column(self, name: str) -> ColumnFacts:
        return next(each for each in self.columns if each.name == name)


_CODE = re.compile(r"(?:^|_)(?:code|no|nr|num|number|sku|barcode|ean|gtin|ref|key)(?:_|$)", re.IGNORECASE)
_MONEY = re.compile(r"price|cost|amount|value|total", re.IGNORECASE)
_CALLED = ("name", "description", "title", "descr", "label")

HEAD = """\
# A draft from the database's own catalogue: tables, keys, lengths, required columns and references.
# The catalogue does not say what columns mean. Read this before the first load:
#   - delete the records that people may not load;
#   - give fields titles and synonyms, as in the headings of your sheets: title = "Item code", synonyms = ["article"];
#   - mark what the system keeps itself (stock, average cost): kept_by = "system";
#   - add what belongs together, what is never below zero, and which codes are barcodes: together, least, check.
# docs/system-description.md explains every setting.

[system]
title = "Our system"
decimals = "plain"                     # as the database has them
"""


@dataclass(frozen=True)
class _Named:
    """A table that becomes a record: the record's name, its key, and the number column that other tables refer to, if any."""

    facts: TableFacts
    record: str
    key: tuple[str, ...]
    id: str | None


def draft_description(tables: Sequence[TableFacts]) -> str:
    """The text of a system description that can be read. What cannot be described is a comment with the reason."""
    wrong: dict[tuple[str, str], str] = {}
    while True:
        text, places = _draft(tables, wrong)
        try:
            read_description(text, "draft")
            return text
        except WrongUse as error:
            found = re.search(r", line ([0-9]+): (.*)", error.message)
            line = int(found[1]) if found else 0
            here = [table for table, first in places.items() if first <= line]
            if not found or not here:
                raise
            wrong[here[-1]] = found[2]


Place = tuple[str, str]
"""A table: its schema and its name."""


def _draft(tables: Sequence[TableFacts], wrong: Mapping[Place, str]) -> tuple[str, dict[Place, int]]:
    """The draft, and the line at which each table begins.

    Args:
        wrong: tables that cannot be described, and why.
    """
    schemas = list(dict.fromkeys(each.schema for each in tables if each.schema))
    main = max(schemas, key=lambda name: sum(each.schema == name for each in tables), default="")
    named: dict[Place, _Named] = {}
    without: list[str] = []
    for facts in tables:
        key, number = _key(facts)
        place = (facts.schema, facts.name)
        if key and place not in wrong:
            taken = {each.record for each in named.values()}
            named[place] = _Named(facts, _free(_plain(facts.name, "table"), taken), key, number)
        elif not key:
            without.append(facts.name)
    lines = HEAD.rstrip().split("\n")
    if main:
        lines.append(f"schema = {_quoted(main)}")
    if without:
        lines += ["", f"# Left out, because they have no key: {' '.join(', '.join(without).split())}"]
    for (_, name), why in wrong.items():
        lines += ["", f"# Left out: {' '.join(name.split())}, because {why}"]
    loose = _circles(named)
    places: dict[Place, int] = {}
    for place, each in named.items():
        lines.append("")
        places[place] = len(lines) + 1
        lines += _record(each, named, main, loose)
    return "\n".join([*lines, ""]), places


def _plain(name: str, otherwise: str = "column") -> str:
    """A name as settings and expressions use it: small Latin letters, digits and ``_``."""
    letters = unicodedata.normalize("NFKD", name.casefold().replace("ß", "ss"))
    plain = re.sub(r"[^a-z0-9]+", "_", "".join(each for each in letters if not unicodedata.combining(each))).strip("_")
    return plain if plain and not plain[0].isdigit() else f"{otherwise}_{plain}".rstrip("_")


def _free(name: str, taken: Collection[str]) -> str:
    """The name, with a number where it is taken."""
    return next(each for each in (name, *(f"{name}_{n}" for n in range(2, len(taken) + 3))) if each not in taken)


def _quoted(text: str) -> str:
    """A text as TOML writes it."""
    return json.dumps(text, ensure_ascii=False)


def _key(facts: TableFacts) -> tuple[tuple[str, ...], str | None]:
    """The columns by which people identify a row, and the number that stands for it inside the database."""
    number = None
    if len(facts.primary) == 1 and facts.column(facts.primary[0]).kind == "whole":
        number = facts.primary[0]
        usable = [
            group for group in facts.uniques if number not in group and all(facts.column(name).must for name in group)
        ]
        if usable:
            best = min(usable, key=lambda group: (not any(_CODE.search(name) for name in group), len(group)))
            return best, number
        if facts.column(number).made:
            return (), None
    return facts.primary or next(iter(facts.uniques), ()), None


def _circles(named: Mapping[Place, _Named]) -> set[tuple[Place, str]]:
    """References (table, column) that would close a circle between tables; they become plain codes."""
    loose: set[tuple[Place, str]] = set()
    done: list[Place] = []

    def walk(table: Place, path: list[Place]) -> None:
        for reference in named[table].facts.references:
            target = _target_place(table, reference)
            if target not in named or target == table:
                continue
            if target in path:
                loose.add((table, reference.columns[-1]))
            elif target not in done:
                walk(target, [*path, target])
        done.append(table)

    for table in named:
        if table not in done:
            walk(table, [table])
    return loose


def _target_place(table: Place, reference: ReferenceFacts) -> Place:
    return (reference.schema or table[0], reference.table)


def _record(each: _Named, named: Mapping[Place, _Named], main: str, loose: set[tuple[Place, str]]) -> Iterator[str]:
    facts = each.facts
    fields: dict[str, str] = {}
    for column in facts.columns:
        if column.name != each.id:
            fields[column.name] = _free(_plain(column.name), set(fields.values()))
    called = next((name for word in _CALLED for name in fields if _plain(name) == word), None)
    yield f"[record.{each.record}]"
    keys = ", ".join(f'"{fields[name]}"' for name in each.key)
    yield f"key = [{keys}]"
    if called and called not in each.key:
        yield f'called = "{fields[called]}"'
    together = [
        group for group in facts.uniques if len(group) > 1 and set(group) != set(each.key) and set(group) <= set(fields)
    ]
    if together:
        groups = ", ".join("[" + ", ".join(f'"{fields[name]}"' for name in group) + "]" for group in together)
        yield f"unique_together = [{groups}]"
    if store := _store(each, fields, main):
        yield f"store = {{ {', '.join(store)} }}"
    yield f"[record.{each.record}.field]"
    for column in facts.columns:
        if column.name != each.id:
            remark = f"  # {' '.join(column.remark.split())}" if column.remark else ""
            yield f"{fields[column.name]} = {{ {', '.join(_field(each, column, fields, named, loose))} }}{remark}"


def _store(each: _Named, fields: Mapping[str, str], main: str) -> list[str]:
    said = []
    if each.record != each.facts.name:
        said.append(f"table = {_quoted(each.facts.name)}")
    if each.facts.schema and each.facts.schema != main:
        said.append(f"schema = {_quoted(each.facts.schema)}")
    if others := {field: name for name, field in fields.items() if name != field}:
        said.append("columns = { " + ", ".join(f"{field} = {_quoted(name)}" for field, name in others.items()) + " }")
    if each.id:
        said.append(f"id = {_quoted(each.id)}")
    return said


def _field(
    each: _Named,
    column: ColumnFacts,
    fields: Mapping[str, str],
    named: Mapping[Place, _Named],
    loose: set[tuple[Place, str]],
) -> Iterator[str]:
    in_key = column.name in each.key
    alone = (column.name,) in each.facts.uniques and not in_key
    target = None if ((each.facts.schema, each.facts.name), column.name) in loose else _target(each, column, named)
    if target is not None:
        other, within = target
        yield f'kind = "reference", to = "{other.record}"'
        if within:
            names = ", ".join(f'"{fields[name]}"' for name in within)
            yield f"within = [{names}]"
    elif column.choices and not in_key:
        yield f'kind = "choice", choices = [{", ".join(map(_quoted, column.choices))}]'
    elif column.kind in ("moment", "other"):
        yield 'kind = "text", kept_by = "system"'
        return
    elif column.kind in ("whole", "decimal"):
        money = bool(_MONEY.search(column.name)) and column.kind == "decimal"
        if in_key and column.kind == "whole":
            yield 'kind = "code"'
        else:
            yield f'kind = "{"money" if money else "number"}", decimals = {4 if column.decimals is None else column.decimals}'
    elif column.kind in ("yes_no", "date"):
        yield f'kind = "{column.kind}"'
    else:
        yield f'kind = "{"code" if in_key or alone or _CODE.search(column.name) else "text"}"'
    if column.length and (column.kind == "text"):
        yield f"length = {column.length}"
    if alone and target is None:
        yield f'unique = "{fields[column.name]}"'
    if column.made and not in_key:
        yield 'kept_by = "system"'
    elif in_key:
        yield 'must = "always"'
    elif column.must:
        yield 'must = "new"'


def _target(each: _Named, column: ColumnFacts, named: Mapping[Place, _Named]) -> tuple[_Named, tuple[str, ...]] | None:
    """The record that a column refers to, and the columns that complete a key of several fields."""
    for reference in each.facts.references:
        other = named.get(_target_place((each.facts.schema, each.facts.name), reference))
        if other is None or column.name != reference.columns[-1]:
            continue
        by_id = len(reference.targets) == 1 and reference.targets[0] == other.id
        whole = reference.targets == other.key and all(name in each.key for name in reference.columns[:-1])
        if (by_id and len(other.key) == 1) or whole:
            return other, reference.columns[:-1] if whole else ()
    return None
