"""Reads a system description (TOML); an error names the line and what is wrong there."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from kotrel.core.description.consistency import check_references, check_rule_settings, known_field, names_exist
from kotrel.core.description.description_settings import DEFAULTS, RECORD, STORE, SYSTEM
from kotrel.core.description.document_reading import check_document_settings, document_settings
from kotrel.core.description.field_reading import dotted, dotted_texts, read_field, title_of
from kotrel.core.description.model import DefaultSet, Description, Field, Record, Storage
from kotrel.core.description.toml_reading import NotToml, TomlReader, parsed
from kotrel.core.errors import WrongUse
from kotrel.core.similarity import did_you_mean

BLANK = "(blank)"
"""Said of a fixed column that holds nothing."""


def storage_of(reader: TomlReader, raw: Any, fields: Mapping[str, Field], *path: str) -> Storage:
    """Where the rows are: ``store = { table = "goods", columns = { code = "goods_no" } }``."""
    if raw is None:
        return Storage()
    table = reader.table(raw, "store", *path)
    reader.known_keys(table, STORE, "a store", *path)
    columns = reader.mapping(table, "columns", *path)
    for name in columns:
        if name not in fields:
            hint = did_you_mean(name, fields)
            raise reader.wrong(f"“store” names a field “{name}” that is not described", *path, "columns", hint=hint)
    words = reader.texts(table, "yes_no", *path)
    if words and len(words) != 2:
        raise reader.wrong('“yes_no” takes two words, like ["Y", "N"]', *path, "yes_no")
    return Storage(
        table=reader.text_of(table, "table", "", *path) or None,
        schema=reader.text_of(table, "schema", "", *path) or None,
        columns=columns,
        fixed={
            name: None if value == BLANK else value for name, value in reader.mapping(table, "fixed", *path).items()
        },
        made=reader.mapping(table, "made", *path),
        touched=reader.mapping(table, "touched", *path),
        id=reader.text_of(table, "id", "", *path) or None,
        yes_no=(words[0], words[1]) if words else None,
        yes_no_of=_words_of(reader, table, fields, *path),
    )


def _words_of(
    reader: TomlReader, table: Mapping[str, Any], fields: Mapping[str, Field], *path: str
) -> dict[str, tuple[str, str]]:
    """``yes_no_of = { active = ["1", "0"] }``: how single fields store yes and no."""
    record_words: dict[str, tuple[str, str]] = {}
    given = reader.table(table.get("yes_no_of", {}), "yes_no_of", *path, "yes_no_of")
    for name in given:
        words = reader.texts(given, name, *path, "yes_no_of")
        if name not in fields or fields[name].kind != "yes_no" or len(words) != 2:
            raise reader.wrong(
                f'“yes_no_of” takes two words for a yes/no field, like {{ active = ["1", "0"] }}, but has “{name}”',
                *path,
                "yes_no_of",
            )
        record_words[name] = (words[0], words[1])
    return record_words


def load_order(records: Mapping[str, Record]) -> tuple[str, ...]:
    """Names of the records, each after those it refers to.

    Records that do not depend on each other keep the order of the description. A reference to the record itself does
    not count: rows of one record are loaded in one step.

    Raises:
        ValueError: the references form a circle; the message names it.
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
        for each in records[name].fields.values():
            for record, _ in each.one_of[1:]:
                place(record)
        waiting.pop()
        placed[name] = None

    for name in records:
        place(name)
    return tuple(placed)


def _record(reader: TomlReader, name: str, raw: Any) -> Record:
    path = ("record", name)
    table = reader.table(raw, f"record {name}", *path)
    reader.known_keys(table, RECORD, "a record", *path)
    raw_fields = reader.table(table.get("field", {}), f"the fields of {name}", *path, "field")
    if not raw_fields:
        raise reader.wrong(f"record {name} has no fields", *path, hint=f"Add a table like [record.{name}.field.code].")
    fields = {each: read_field(reader, each, value, *path, "field", each) for each, value in raw_fields.items()}
    key = reader.texts(table, "key", *path)
    if len(set(key)) < len(key):
        raise reader.wrong(f"the key of {name} names a field twice", *path, "key")
    if not key:
        raise reader.wrong(
            f"record {name} has no key", *path, hint='Name the field that identifies a row, like key = ["code"].'
        )
    record = Record(
        name=name,
        title=reader.text_of(table, "title", title_of(name), *path),
        key=key,
        fields=fields,
        meaning=reader.text_of(table, "meaning", "", *path),
        called=reader.text_of(table, "called", "", *path) or None,
        path=reader.text_of(table, "path", "", *path) or None,
        out_of_use=reader.text_of(table, "out_of_use", "", *path) or None,
        also_known_by=reader.groups(table, "also_known_by", *path),
        other_codes=dotted_texts(reader, table, "other_codes", *path),
        together=reader.groups(table, "together", *path),
        synonyms=reader.texts(table, "synonyms", *path),
        unique_together=reader.groups(table, "unique_together", *path),
        exactly_one=reader.groups(table, "exactly_one", *path),
        in_order=reader.groups(table, "in_order", *path),
        no_circle=reader.groups(table, "no_circle", *path),
        period=_period(reader, table, fields, key, *path),
        needs=_needs(reader, table, *path),
        **document_settings(reader, table, *path),
        storage=storage_of(reader, table.get("store"), fields, *path, "store"),
    )
    names_exist(reader, record, path)
    return record


def _period(
    reader: TomlReader, table: Mapping[str, Any], fields: Mapping[str, Field], key: Sequence[str], *path: str
) -> tuple[str, str] | None:
    names = reader.texts(table, "period", *path)
    if not names:
        return None
    dates = [name for name in names if name in fields and fields[name].kind == "date"]
    if len(names) != 2 or len(dates) != 2 or names[0] not in key or names[1] in key:
        raise reader.wrong(
            "“period” names two dates: the first day, which is part of the key, and the last", *path, "period"
        )
    return names[0], names[1]


def _needs(reader: TomlReader, table: Mapping[str, Any], *path: str) -> dict[tuple[str, str], tuple[str, ...]]:
    needs: dict[tuple[str, str], tuple[str, ...]] = {}
    given = reader.table(table.get("needs", {}), "needs", *path, "needs")
    for name, value in given.items():
        if parts := dotted(reader, name, "needs", *path):
            one = isinstance(value, str)
            needs[parts] = (value,) if one else reader.texts(given, name, *path, "needs")
    return needs


_MOST_READ = 8
_READ: dict[str, Description] = {}
"""Descriptions that were read, by their texts."""


def read_description(text: str, name: str = "system.toml") -> Description:
    """Reads a system description; the same text again is the same description, which nothing changes.

    Args:
        text: the TOML text.
        name: the file's name, for messages.

    Raises:
        WrongUse: with the line and what is wrong there.
    """
    known = _READ.get(text)
    if known is None:
        known = _described(text, name)
        # A service opens its workspace for each request.
        if len(_READ) >= _MOST_READ:
            _READ.clear()
        _READ[text] = known
    return known


def _described(text: str, name: str) -> Description:
    try:
        data = parsed(text)
    except NotToml as error:
        raise WrongUse(f"{name}: {error}", "Correct that line; the file is TOML.", "wrong-description") from None
    reader = TomlReader(text, name)
    reader.known_keys(data, ("system", "record", "defaults"), "a system description")
    system = reader.table(data.get("system", {}), "system", "system")
    reader.known_keys(system, SYSTEM, "the system", "system")
    raw_records = reader.table(data.get("record", {}), "record", "record")
    if not raw_records:
        raise reader.wrong("no record is described", hint="Add a table like [record.item].")
    records = {each: _record(reader, each, value) for each, value in raw_records.items()}
    for record in records.values():
        check_references(reader, record, records)
        check_rule_settings(reader, record, records)
    check_document_settings(reader, records)
    try:
        order = load_order(records)
    except ValueError as circle:
        first = str(circle).split(" → ", maxsplit=1)[0]
        raise reader.wrong(f"the references form a circle: {circle}", "record", first) from None
    decimals = reader.one_of(
        reader.text_of(system, "decimals", "scaled", "system"), ("scaled", "plain"), "decimals", "system"
    )
    return Description(
        title=reader.text_of(system, "title", "Business system", "system"),
        schema=reader.text_of(system, "schema", "", "system"),
        records=records,
        order=order,
        defaults=_default_sets(reader, data.get("defaults", {}), records),
        scaled=decimals == "scaled",
    )


def _default_sets(reader: TomlReader, raw: Any, records: Mapping[str, Record]) -> dict[str, DefaultSet]:
    """``[defaults.paint]``: the record, where it is used, and the values to set."""
    sets: dict[str, DefaultSet] = {}
    for name, given in reader.table(raw, "defaults", "defaults").items():
        path = ("defaults", name)
        table = reader.table(given, f"defaults {name}", *path)
        reader.known_keys(table, DEFAULTS, "a set of defaults", *path)
        record = reader.one_of(reader.text_of(table, "record", "", *path), tuple(records), "record", *path)
        values = reader.mapping(table, "set", *path)
        for field in values:
            known_field(reader, records[record], field, *path, "set")
        where = reader.text_of(table, "where", "", *path) or None
        sets[name] = DefaultSet(name, record, where, values)
    return sets
