"""What a database knows about its tables → a draft of a system description, for a person to read and edit."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.description.description_reading import read_description
from kotrel.core.description.table_facts import (
    CALLED,
    CODE,
    GUESSED_DECIMALS,
    MONEY,
    ColumnFacts,
    ReferenceFacts,
    TableFacts,
    is_bookkeeping,
    is_kept,
    is_marked_deleted,
    is_record_of_changes,
    is_scaled,
    key_of,
    may_refer_to,
    own_value,
)
from kotrel.core.description.toml_reading import quoted_text
from kotrel.core.errors import WrongUse

KEPT = 'kept_by = "system"'
HEAD = """\
# A draft from the database's own catalogue: tables, keys, lengths, required columns and references.
# The catalogue does not say what columns mean. Read this before the first load:
#   - delete the records that people may not load;
#   - give fields titles and synonyms, as in the headings of your sheets: title = "Item code", synonyms = ["article"];
#   - mark what the system keeps itself (stock, average cost): kept_by = "system";
#   - add what belongs together, what is never below zero, and which codes are barcodes: together, least, check.
# docs/reference/system-description.md explains every setting.

[system]
title = "Our system"
decimals = "plain"                     # as the database has them
"""


class _Named(Struct, frozen=True):
    """A table that becomes a record: the record's name, its key,
    and the number column that other tables refer to, if any.
    """

    facts: TableFacts
    record: str
    key: tuple[str, ...]
    id: str | None


def draft_description(tables: Sequence[TableFacts], views: Sequence[str] = ()) -> str:
    """The text of a system description that can be read. What cannot be described is a comment with the reason."""
    wrong: dict[tuple[str, str], str] = {}
    while True:
        text, places = _draft(tables, wrong, views)
        try:
            read_description(text, "draft")
            return text
        except WrongUse as error:
            match = re.search(r", line ([0-9]+): (.*)", error.message)
            line = int(match[1]) if match else 0
            here = [table for table, first in places.items() if first <= line]
            if not match or not here:
                raise
            wrong[here[-1]] = match[2]


Place = tuple[str, str]
"""A table: its schema and its name."""


def _draft(
    tables: Sequence[TableFacts], wrong: Mapping[Place, str], views: Sequence[str]
) -> tuple[str, dict[Place, int]]:
    """The draft, and the line at which each table begins.

    Args:
        wrong: tables that cannot be described, and why.
    """
    change_logs = [each.name for each in tables if is_record_of_changes(each.name) and key_of(each)[0]]
    tables = _with_named_references([each for each in tables if each.name not in change_logs])
    schemas = Counter(each.schema for each in tables if each.schema)
    main = schemas.most_common(1)[0][0] if schemas else ""
    without = [each.name for each in tables if not key_of(each)[0]]
    named: dict[Place, _Named] = {}
    for facts in tables:
        key, number = key_of(facts)
        table_place = (facts.schema, facts.name)
        if key and table_place not in wrong:
            taken = {each.record for each in named.values()}
            named[table_place] = _Named(facts, _free(_plain_name(facts.name, "table"), taken), key, number)
    lines = HEAD.rstrip().split("\n")
    if main:
        lines.append(f"schema = {quoted_text(main)}")
    left_out = {
        "Left out, because they have no key": without,
        "Left out, because by their names the system writes them for itself": change_logs,
        "Views, which can only be read, are left out": views,
    }
    for why, names in left_out.items():
        if names:
            lines += ["", f"# {why}: {_on_one_line(', '.join(names))}"]
    for (_, name), why in wrong.items():
        lines += ["", f"# Left out: {_on_one_line(name)}, because {why}"]
    loose = _circles(named)
    places: dict[Place, int] = {}
    for table_place, each in named.items():
        lines.append("")
        places[table_place] = len(lines) + 1
        lines += _record(each, named, main, loose, tables)
    return "\n".join([*lines, ""]), places


def _on_one_line(names: str) -> str:
    """A comment ends with its line, and a table's name may have any character."""
    return " ".join(names.split())


def _with_named_references(tables: Sequence[TableFacts]) -> list[TableFacts]:
    """The tables with references that no foreign key says,
    where a column has the name of another table and its key's kind.
    """
    done = []
    for table in tables:
        told = {name for reference in table.references for name in reference.columns} | set(table.primary)
        more = [
            reference
            for column in table.columns
            if column.name not in told and (reference := _named_reference(column, table, tables)) is not None
        ]
        done.append(
            replace(table, references=(*table.references, *more), named=frozenset(each.columns[0] for each in more))
        )
    return done


def _named_reference(column: ColumnFacts, table: TableFacts, tables: Sequence[TableFacts]) -> ReferenceFacts | None:
    """What a column refers to by its name; None where it refers to nothing."""
    other = may_refer_to(column, tables)
    if other is None or other is table:
        return None
    key, number = key_of(other)
    # A record that others know by its number is referred to by that alone.
    if number:
        target = number if re.search("(?:id|uuid)$", column.name, re.IGNORECASE) else None
    else:
        target = key[0] if len(key) == 1 else None
    if target is None or other.column(target).kind != column.kind:
        return None
    return ReferenceFacts((column.name,), other.name, (target,), other.schema)


def _field_name(column: ColumnFacts, owner: _Named) -> str:
    """The name of a field: a reference without the ``_id`` of its column, as its heading in a sheet would be."""
    plain = _plain_name(column.name)
    if is_scaled(column):
        return re.sub(r"_[a-z]+(?:_units?)?$", "", plain) or plain
    refers = any(column.name == reference.columns[-1] for reference in owner.facts.references)
    return (
        (
            re.sub(r"_(?:id|fk|uuid)$" if column.name in owner.key else r"_(?:id|fk|uuid|code|no|nr|ref)$", "", plain)
            or plain
        )
        if refers
        else plain
    )


def _plain_name(name: str, otherwise: str = "column") -> str:
    """A name as settings and expressions use it: small Latin letters, digits and ``_``."""
    letters = unicodedata.normalize("NFKD", name.casefold().replace("ß", "ss"))
    plain = re.sub(r"[^a-z0-9]+", "_", "".join(each for each in letters if not unicodedata.combining(each))).strip("_")
    return plain if plain and not plain[0].isdigit() else f"{otherwise}_{plain}".rstrip("_")


def _free(name: str, taken: Collection[str]) -> str:
    """The name, with a number where it is taken."""
    return next(each for each in (name, *(f"{name}_{n}" for n in range(2, len(taken) + 3))) if each not in taken)


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


def _record(
    table: _Named, named: Mapping[Place, _Named], main: str, loose: set[tuple[Place, str]], tables: Sequence[TableFacts]
) -> Iterator[str]:
    facts = table.facts
    fields: dict[str, str] = {}
    for column in facts.columns:
        if column.name != table.id and not is_marked_deleted(column) and not _is_own(table, column):
            fields[column.name] = _free(_field_name(column, table), set(fields.values()))
    called = _called_by(fields, table.key)
    yield f"[record.{table.record}]"
    keys = ", ".join(f'"{fields[name]}"' for name in table.key)
    yield f"key = [{keys}]"
    if facts.nature:
        yield f'nature = "{facts.nature}"'
    if called and called not in table.key:
        yield f'called = "{fields[called]}"'
    yield from _unique_together(table, fields)
    if store := _store(table, fields, main):
        yield f"store = {{ {', '.join(store)} }}"
    yield f"[record.{table.record}.field]"
    for column in facts.columns:
        if column.name in fields:
            said = [column.remark, _advice(table, column, tables, loose), _unchecked(table, column, named, loose)]
            remark = "".join(f"  # {' '.join(words.split())}" for words in said if words)
            yield f"{fields[column.name]} = {{ {', '.join(_field(table, column, fields, named, loose))} }}{remark}"


def _called_by(fields: Mapping[str, str], key: Sequence[str]) -> str | None:
    """The column with the name by which people call a row: “name”, or “group_name” in a list of groups."""
    words = [name for word in CALLED for name in fields if _plain_name(name) == word]
    words += [name for word in CALLED for name in fields if _plain_name(name).endswith(f"_{word}") and name not in key]
    return words[0] if words else None


def _unique_together(each: _Named, fields: Mapping[str, str]) -> Iterator[str]:
    together = [
        group
        for group in each.facts.uniques
        if len(group) > 1 and set(group) != set(each.key) and set(group) <= set(fields)
    ]
    if together:
        groups = ", ".join("[" + ", ".join(f'"{fields[name]}"' for name in group) + "]" for group in together)
        yield f"unique_together = [{groups}]"


def _store(table: _Named, fields: Mapping[str, str], main: str) -> list[str]:
    said = []
    if table.record != table.facts.name:
        said.append(f"table = {quoted_text(table.facts.name)}")
    if table.facts.schema and table.facts.schema != main:
        said.append(f"schema = {quoted_text(table.facts.schema)}")
    said += _inline("columns", {field: name for name, field in fields.items() if name != field})
    if table.id:
        said.append(f"id = {quoted_text(table.id)}")
    own_values = {
        quoted_text(column.name): own_value(column, column.name in table.key, column.name == table.id) or ("", "")
        for column in table.facts.columns
    }
    said += _inline("made", {column: made for column, (made, _) in own_values.items() if made})
    said += _inline("touched", {column: touched for column, (_, touched) in own_values.items() if touched})
    gone = filter(is_marked_deleted, table.facts.columns)
    said += _inline("fixed", {quoted_text(each.name): "0" if each.kind == "yes_no" else "(blank)" for each in gone})
    return said


def _inline(name: str, values: Mapping[str, str]) -> list[str]:
    """A setting that is a table in one line; none where there is nothing to say."""
    if not values:
        return []
    return [f"{name} = {{ {', '.join(f'{key} = {quoted_text(value)}' for key, value in values.items())} }}"]


def _is_own(each: _Named, column: ColumnFacts) -> bool:
    """True for a column that only the system's own code fills: it is no field, and its store says with what."""
    own = own_value(column, column.name in each.key, column.name == each.id)
    return own is not None and not (column.kind == "text" and own[0] == "''")


def _unchecked(each: _Named, column: ColumnFacts, named: Mapping[Place, _Named], loose: set[tuple[Place, str]]) -> str:
    """What of the database's references the draft cannot say."""
    ends = [reference for reference in each.facts.references if reference.columns[-1] == column.name]
    if not ends or ((each.facts.schema, each.facts.name), column.name) in loose or _target(each, column, named):
        return ""
    return f"{' with '.join(reversed(ends[0].columns))} refers to {ends[0].table}: only the database checks that"


def _advice(owner: _Named, column: ColumnFacts, tables: Sequence[TableFacts], loose: set[tuple[Place, str]]) -> str:
    """What a person should decide about a column."""
    place = (owner.facts.schema, owner.facts.name)
    if (place, column.name) in loose:
        return "it refers to a table that refers back to this one: a plain code here"
    if column.name in owner.key and column.always_made:
        return "the database alone gives this number: rows can be changed, but not added"
    if column.name in owner.key and column.made:
        return "the database's own number: a column that people know would be a better key"
    if column.name in owner.facts.named:
        return "by its name, without a foreign key"
    if said := _seen_of(column):
        return said
    if not any(column.name in reference.columns for reference in owner.facts.references):
        other = may_refer_to(column, [table for table in tables if table.name != owner.facts.name])
        if other is not None:
            return f'perhaps kind = "reference", to = "{_plain_name(other.name, "table")}", although there is no foreign key'
    return ""


def _field(
    owner: _Named,
    column: ColumnFacts,
    fields: Mapping[str, str],
    named: Mapping[Place, _Named],
    loose: set[tuple[Place, str]],
) -> Iterator[str]:
    if column.title:
        yield f"title = {quoted_text(column.title)}"
    in_key = column.name in owner.key
    alone = (column.name,) in owner.facts.uniques and not in_key
    target = None if ((owner.facts.schema, owner.facts.name), column.name) in loose else _target(owner, column, named)
    settings = list(_kind(column, in_key, alone) if target is None else _reference(*target, fields))
    yield from settings
    if KEPT in settings:
        return
    if target is None:
        yield from _limits(column, alone, fields)
    if (column.made or is_kept(column)) and not in_key:
        yield KEPT
    elif in_key:
        yield 'must = "always"'
    elif column.must and own_value(column, in_key, column.name == owner.id) is None:
        yield 'must = "new"'


def _reference(other: _Named, within: tuple[str, ...], fields: Mapping[str, str]) -> Iterator[str]:
    yield f'kind = "reference", to = "{other.record}"'
    if within:
        names = ", ".join(f'"{fields[name]}"' for name in within)
        yield f"within = [{names}]"


def _seen_of(column: ColumnFacts) -> str:
    """What the draft took a column for by its name or its values."""
    if is_kept(column):
        return (
            "a trigger of the database writes it" if column.by_trigger else "by its name, the system counts it itself"
        )
    if column.date_form:
        return "by its values, a day"
    return "by its name, it is kept in cents" if is_scaled(column) else ""


def _kind(column: ColumnFacts, in_key: bool, alone: bool) -> Iterator[str]:
    """The kind of a field that refers to no list; one that only the system writes ends with :data:`KEPT`."""
    seen = "" if in_key else _kind_by_values(column)
    if seen:
        yield seen
    elif column.kind == "moment":
        yield 'kind = "moment"'
        if column.zoned:
            yield "zoned = true"
        if is_bookkeeping(column) and not in_key:
            yield KEPT
    elif column.kind == "other":
        yield 'kind = "text"'
        yield KEPT
    elif column.kind == "whole" and in_key:
        yield 'kind = "code"'
    elif column.kind in ("whole", "decimal"):
        kind = "money" if MONEY.search(column.name) and column.kind == "decimal" else "number"
        yield f'kind = "{kind}", decimals = {GUESSED_DECIMALS if column.decimals is None else column.decimals}'
        if column.unsigned:
            yield "least = 0"
    elif column.kind in ("yes_no", "date"):
        yield f'kind = "{column.kind}"'
    else:
        is_code = in_key or alone or column.kind == "uuid" or CODE.search(column.name)
        yield f'kind = "{"code" if is_code else "text"}"'


def _limits(column: ColumnFacts, alone: bool, fields: Mapping[str, str]) -> Iterator[str]:
    """What the values of a field that refers to no list must keep to."""
    if column.length and column.kind in ("text", "uuid") and not column.choices and not column.date_form:
        yield f"length = {column.length}"
    if column.barcodes:
        yield 'check = "gtin"'
    if alone:
        yield f'unique = "{fields[column.name]}"'


def _kind_by_values(column: ColumnFacts) -> str:
    """The kind of a field that its name, or the values in its column, tell; an empty text where they do not."""
    if column.choices:
        return f'kind = "choice", choices = [{", ".join(map(quoted_text, column.choices))}]'
    if column.kind in ("moment", "other"):
        return ""
    if column.date_form:
        return f'kind = "date", stored = {quoted_text(column.date_form)}'
    return 'kind = "money", decimals = 2, scale = 100' if is_scaled(column) else ""


def _rest_of_key(reference: ReferenceFacts, each: _Named, other: _Named) -> tuple[str, ...] | None:
    """The columns that complete the other's key beside the last one; None where the reference is not by its key."""
    rest = reference.columns[:-1]
    if reference.targets == other.key and set(rest) <= set(each.key):
        return rest
    return () if reference.targets == (other.id,) and len(other.key) == 1 else None


def _target(owner: _Named, column: ColumnFacts, named: Mapping[Place, _Named]) -> tuple[_Named, tuple[str, ...]] | None:
    """The record that a column refers to, and the columns that complete a key of several fields."""
    place = (owner.facts.schema, owner.facts.name)
    others = [(reference, named.get(_target_place(place, reference))) for reference in owner.facts.references]
    for reference, other in others:
        if other is not None and column.name == reference.columns[-1]:
            rest = _rest_of_key(reference, owner, other)
            if rest is not None:
                return other, rest
    for reference, other in others:
        if other is not None and other is not owner and column.name in reference.columns[:-1]:
            # What is the beginning of a longer key there refers to what that refers to.
            there = other.facts.column(reference.targets[reference.columns.index(column.name)])
            found = _target(other, there, named)
            if found is not None and not found[1]:
                return found
    return None
