"""Reads a system description (TOML) and refuses a wrong one with its line and what is wrong."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Mapping
from decimal import Decimal, InvalidOperation
from typing import Any, get_args

from kotrel.core.codes import CODE_RULES
from kotrel.core.description import DECIMAL_KINDS, Description, Field, Kind, Must, Record, load_order
from kotrel.core.errors import WrongUse
from kotrel.core.nearness import folded, nearest
from kotrel.core.toml_lines import line_of

DEFAULT_DECIMALS = {"number": 3, "quantity": 3, "money": 2}
DEFAULT_LENGTH = {"code": 40, "reference": 40}


class _Reader:
    """One description file: its text, to find lines in, and its name for messages."""

    def __init__(self, text: str, name: str) -> None:
        self.text = text
        self.name = name

    def wrong(self, message: str, *path: str, hint: str = "") -> WrongUse:
        line = line_of(self.text, *path)
        return WrongUse(f"{self.name}, line {line}: {message}", hint, "wrong-description")

    def known_keys(self, table: Mapping[str, Any], allowed: tuple[str, ...], what: str, *path: str) -> None:
        for key in table:
            if key not in allowed:
                close = nearest(key, allowed)
                hint = f"Did you mean “{close}”?" if close else f"Known are: {', '.join(allowed)}."
                raise self.wrong(f"“{key}” is not a setting of {what}", *path, key, hint=hint)

    def text_of(self, table: Mapping[str, Any], key: str, default: str, *path: str) -> str:
        value = table.get(key, default)
        if not isinstance(value, str):
            raise self.wrong(f"“{key}” has to be a text in quotes", *path, key)
        return value

    def whole(self, table: Mapping[str, Any], key: str, least: int, *path: str) -> int | None:
        value = table.get(key)
        if value is None:
            return None
        if isinstance(value, bool) or not isinstance(value, int) or value < least:
            raise self.wrong(f"“{key}” has to be a whole number from {least} up", *path, key)
        return value

    def one_of(self, value: str, allowed: tuple[str, ...], key: str, *path: str) -> str:
        if value not in allowed:
            close = nearest(value, allowed)
            hint = (f"Did you mean “{close}”? " if close else "") + f"It is one of: {', '.join(allowed)}."
            raise self.wrong(f"{key} “{value}” is not known", *path, key, hint=hint)
        return value

    def texts(self, table: Mapping[str, Any], key: str, *path: str) -> tuple[str, ...]:
        value = table.get(key, [])
        if not isinstance(value, list) or not all(isinstance(each, str) for each in value):
            raise self.wrong(f'“{key}” has to be a list of texts, like ["one", "two"]', *path, key)
        return tuple(value)

    def groups(self, table: Mapping[str, Any], key: str, *path: str) -> tuple[tuple[str, ...], ...]:
        value = table.get(key, [])
        fits = isinstance(value, list) and all(
            isinstance(group, list) and group and all(isinstance(each, str) for each in group) for group in value
        )
        if not fits:
            raise self.wrong(f'“{key}” has to be a list of groups of fields, like [["one", "two"]]', *path, key)
        return tuple(tuple(group) for group in value)

    def table(self, value: Any, what: str, *path: str) -> Mapping[str, Any]:
        if not isinstance(value, dict):
            raise self.wrong(f"{what} has to be a table, like [{'.'.join(path)}]", *path)
        return value

    def decimal(self, table: Mapping[str, Any], key: str, *path: str) -> Decimal | None:
        value = table.get(key)
        if value is None:
            return None
        try:
            # Text keeps "0.1" exact; whole numbers may stand without quotes.
            if isinstance(value, bool) or not isinstance(value, int | str):
                raise InvalidOperation
            return Decimal(value)
        except InvalidOperation:
            raise self.wrong(
                f'“{key}” has to be a whole number, or a decimal in quotes like "0.5"', *path, key
            ) from None


_FIELD_KEYS = (
    "title", "kind", "meaning", "example", "length", "decimals", "least", "most", "must", "to", "choices", "check",
    "unique", "kept_by", "synonyms", "words",
)  # fmt: skip
_RECORD_KEYS = (
    "title", "meaning", "key", "called", "path", "also_known_by", "together", "synonyms", "field",
)  # fmt: skip


def _title(name: str) -> str:
    return name.replace("_", " ").capitalize()


def _field(reader: _Reader, name: str, raw: Any, *path: str) -> Field:
    table = reader.table(raw, f"field {name}", *path)
    reader.known_keys(table, _FIELD_KEYS, "a field", *path)
    if "kind" not in table:
        raise reader.wrong(f"field {name} has no kind", *path, hint=f"One of: {', '.join(get_args(Kind))}.")
    kind = reader.one_of(reader.text_of(table, "kind", "", *path), get_args(Kind), "kind", *path)
    choices = reader.texts(table, "choices", *path)
    if (kind == "choice") != bool(choices):
        raise reader.wrong(f"field {name}: a choice needs “choices”, and only a choice may have them", *path)
    to = table.get("to")
    if (kind == "reference") != isinstance(to, str):
        raise reader.wrong(f"field {name}: a reference needs “to”, and only a reference may have it", *path)
    decimals = reader.whole(table, "decimals", 0, *path)
    if decimals is not None and kind not in DECIMAL_KINDS:
        raise reader.wrong(f"field {name}: only numbers, quantities and money have decimals", *path, "decimals")
    check = table.get("check")
    if check is not None:
        reader.one_of(reader.text_of(table, "check", "", *path), tuple(CODE_RULES), "check", *path)
    return Field(
        name=name,
        title=reader.text_of(table, "title", _title(name), *path),
        kind=kind,  # type: ignore[arg-type]
        meaning=reader.text_of(table, "meaning", "", *path),
        example=reader.text_of(table, "example", "", *path),
        length=reader.whole(table, "length", 1, *path) or DEFAULT_LENGTH.get(kind),
        decimals=decimals if decimals is not None else DEFAULT_DECIMALS.get(kind),
        least=reader.decimal(table, "least", *path),
        most=reader.decimal(table, "most", *path),
        must=_must(reader, table, *path),
        to=to,
        choices=choices,
        check=check,
        unique=reader.text_of(table, "unique", "", *path) or None,
        kept_by=reader.one_of(
            reader.text_of(table, "kept_by", "people", *path), ("people", "system"), "kept_by", *path
        ),  # type: ignore[arg-type]
        synonyms=reader.texts(table, "synonyms", *path),
        words=_words(reader, table, *path),
    )


def _words(reader: _Reader, table: Mapping[str, Any], *path: str) -> dict[str, str]:
    """Words that may stand for a number, and the numbers."""
    found: dict[str, str] = {}
    given = reader.table(table.get("words", {}), "words", *path, "words")
    for word in given:
        number = reader.decimal(given, word, *path, "words")
        found[folded(word)] = f"{number:f}"
    return found


def _must(reader: _Reader, table: Mapping[str, Any], *path: str) -> Must:
    return reader.one_of(reader.text_of(table, "must", "may", *path), get_args(Must), "must", *path)  # type: ignore[return-value]


def _record(reader: _Reader, name: str, raw: Any) -> Record:
    path = ("record", name)
    table = reader.table(raw, f"record {name}", *path)
    reader.known_keys(table, _RECORD_KEYS, "a record", *path)
    raw_fields = reader.table(table.get("field", {}), f"the fields of {name}", *path, "field")
    if not raw_fields:
        raise reader.wrong(f"record {name} has no fields", *path, hint=f"Add a table like [record.{name}.field.code].")
    fields = {each: _field(reader, each, value, *path, "field", each) for each, value in raw_fields.items()}
    key = reader.texts(table, "key", *path)
    if not key:
        raise reader.wrong(f"record {name} has no key", *path, hint='Say which field names a row, like key = ["code"].')
    record = Record(
        name=name,
        title=reader.text_of(table, "title", _title(name), *path),
        key=key,
        fields=fields,
        meaning=reader.text_of(table, "meaning", "", *path),
        called=reader.text_of(table, "called", "", *path) or None,
        path=reader.text_of(table, "path", "", *path) or None,
        also_known_by=reader.groups(table, "also_known_by", *path),
        together=reader.groups(table, "together", *path),
        synonyms=reader.texts(table, "synonyms", *path),
    )
    _names_exist(reader, record, path)
    return record


def _names_exist(reader: _Reader, record: Record, path: tuple[str, ...]) -> None:
    """Every field that a record rule names has to be one of the record's fields."""
    rules: list[tuple[str, tuple[str, ...]]] = [
        ("key", record.key),
        ("called", (record.called,) if record.called else ()),
        ("path", (record.path,) if record.path else ()),
        *(("also_known_by", group) for group in record.also_known_by),
        *(("together", group) for group in record.together),
    ]
    for rule, names in rules:
        for each in names:
            if each not in record.fields:
                close = nearest(each, tuple(record.fields))
                hint = f"Did you mean “{close}”?" if close else ""
                raise reader.wrong(
                    f"{rule} names a field “{each}” that {record.name} does not have", *path, rule, hint=hint
                )
    for each in record.key:
        if record.fields[each].is_kept:
            raise reader.wrong(f"the key “{each}” of {record.name} cannot be kept by the system", *path, "key")


def read_description(text: str, name: str = "system.toml") -> Description:
    """Reads a system description.

    Args:
        text: the TOML text.
        name: the file's name, for messages.

    Raises:
        WrongUse: with the line and what is wrong there.
    """
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise WrongUse(f"{name}: {error}", "Mend that line; the file is TOML.", "wrong-description") from None
    reader = _Reader(text, name)
    reader.known_keys(data, ("system", "record"), "a system description")
    system = reader.table(data.get("system", {}), "system", "system")
    reader.known_keys(system, ("title", "schema"), "the system", "system")
    raw_records = reader.table(data.get("record", {}), "record", "record")
    if not raw_records:
        raise reader.wrong("no record is described", hint="Add a table like [record.item].")
    records = {each: _record(reader, each, value) for each, value in raw_records.items()}
    _check_references(reader, records, _one_key_field)
    try:
        order = load_order(records)
    except ValueError as circle:
        first = str(circle).split(" → ", maxsplit=1)[0]
        raise reader.wrong(f"the references go round in a circle: {circle}", "record", first) from None
    return Description(
        title=reader.text_of(system, "title", "Business system", "system"),
        schema=reader.text_of(system, "schema", "", "system"),
        records=records,
        order=order,
    )


def _one_key_field(record: Record) -> bool:
    return len(record.key) == 1


def _check_references(reader: _Reader, records: Mapping[str, Record], allowed: Callable[[Record], bool]) -> None:
    for record in records.values():
        for each in record.references:
            path = ("record", record.name, "field", each.name)
            target = records.get(each.to or "")
            if target is None:
                close = nearest(each.to or "", tuple(records))
                hint = f"Did you mean “{close}”?" if close else f"Described are: {', '.join(records)}."
                raise reader.wrong(
                    f"field {each.name} refers to “{each.to}”, which is not described", *path, "to", hint=hint
                )
            if not allowed(target):
                raise reader.wrong(
                    f"field {each.name} refers to {target.name}, whose key has several fields", *path, "to"
                )
