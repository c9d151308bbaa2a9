"""Reads a system description (TOML); an error names the line and what is wrong there."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal, get_args

import tomli

from kotrel.core.description.consistency import check_references, check_rule_settings, known_field, names_exist
from kotrel.core.description.description_settings import DEFAULTS, FIELD, RECORD, STORE, SYSTEM
from kotrel.core.description.document_reading import check_document_settings, document_settings, from_ledger
from kotrel.core.description.model import DECIMAL_KINDS, DefaultSet, Description, Field, Kind, Must, Record, Storage
from kotrel.core.description.toml_reading import MOST_DECIMALS, TomlReader, parsed
from kotrel.core.errors import WrongUse
from kotrel.core.similarity import folded, nearest
from kotrel.core.values.code_formats import CODE_RULES

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
            close = nearest(name, fields)
            hint = f"Did you mean “{close}”?" if close else ""
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
    found: dict[str, tuple[str, str]] = {}
    given = reader.table(table.get("yes_no_of", {}), "yes_no_of", *path, "yes_no_of")
    for name in given:
        words = reader.texts(given, name, *path, "yes_no_of")
        if name not in fields or fields[name].kind != "yes_no" or len(words) != 2:
            raise reader.wrong(
                f'“yes_no_of” takes two words for a yes/no field, like {{ active = ["1", "0"] }}, but has “{name}”',
                *path,
                "yes_no_of",
            )
        found[name] = (words[0], words[1])
    return found


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


KINDS: tuple[str, ...] = get_args(Kind)
MUSTS: tuple[str, ...] = get_args(Must)
DEFAULT_DECIMALS = {"number": 3, "quantity": 3, "money": 2}
DEFAULT_LENGTH = {"code": 40, "reference": 40}


def _title(name: str) -> str:
    return name.replace("_", " ").capitalize()


def _field(reader: TomlReader, name: str, raw: Any, *path: str) -> Field:
    table = reader.table(raw, f"field {name}", *path)
    if not name or any(letter.isspace() or not letter.isprintable() for letter in name):
        raise reader.wrong(
            f"field “{name}”: a field's name must not contain spaces",
            *path,
            hint="Use _ instead; the title may have spaces.",
        )
    reader.known_keys(table, FIELD, "a field", *path)
    if "kind" not in table:
        raise reader.wrong(f"field {name} has no kind", *path, hint=f"One of: {', '.join(KINDS)}.")
    kind = reader.one_of(reader.text_of(table, "kind", "", *path), KINDS, "kind", *path)
    choices = reader.texts(table, "choices", *path)
    if (kind == "choice") != bool(choices):
        raise reader.wrong(f"field {name}: kind “choice” needs “choices”, and no other kind may have them", *path)
    to = reader.text_of(table, "to", "", *path) if "to" in table else None
    if (kind == "reference") != (to is not None):
        raise reader.wrong(f"field {name}: kind “reference” needs “to”, and no other kind may have it", *path)
    decimals = reader.whole(table, "decimals", 0, *path, most=MOST_DECIMALS)
    if decimals is not None and kind not in DECIMAL_KINDS:
        raise reader.wrong(f"field {name}: only numbers, quantities and money have decimals", *path, "decimals")
    for key in ("least", "most", "zero_means", "words"):
        if key in table and kind not in DECIMAL_KINDS:
            raise reader.wrong(f"field {name}: “{key}” is only for numbers, quantities and money", *path, key)
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
        within=reader.texts(table, "within", *path),
        default=reader.text_of(table, "default", "", *path) or None,
        default_from=_dotted(reader, reader.text_of(table, "default_from", "", *path), "default_from", *path),
        same_as=_dotted(reader, reader.text_of(table, "same_as", "", *path), "same_as", *path),
        one_of=_dotted_texts(reader, table, "one_of", *path),
        differs_from=reader.text_of(table, "differs_from", "", *path) or None,
        files=_files(reader, table, *path),
        zero_means=reader.text_of(table, "zero_means", "", *path) or None,
        zoned=_flag(reader, table, "zoned", kind == "moment", "a moment", *path),
        numbered=_flag(reader, table, "numbered", kind in ("code", "number"), "a code or a number", *path),
        from_ledger=from_ledger(reader, table, kind, *path),
        fulfils=_flag(reader, table, "fulfils", kind == "reference", "a reference", *path),
        scale=_scale(reader, table, kind, decimals, *path),
        stored=_stored(reader, table, kind, *path),
    )


def _scale(reader: TomlReader, table: Mapping[str, Any], kind: str, decimals: int | None, *path: str) -> int:
    """``scale = 100``: the table holds cents."""
    scale = reader.whole(table, "scale", 1, *path, most=10**6) or 1
    if scale == 1:
        return 1
    if kind not in DECIMAL_KINDS or scale != 10 ** (decimals or 0):
        raise reader.wrong(
            f"“scale” is for numbers with as many decimals: {scale} goes with decimals = {len(str(scale)) - 1}",
            *path,
            "scale",
            hint="Like decimals = 2, scale = 100 for a price that is kept in cents.",
        )
    return scale


def _stored(reader: TomlReader, table: Mapping[str, Any], kind: str, *path: str) -> str:
    """``stored = "YYYYMMDD"``: how the table writes a date."""
    stored = reader.text_of(table, "stored", "", *path)
    if stored and (kind != "date" or any(stored.count(part) != 1 for part in ("YYYY", "MM", "DD"))):
        raise reader.wrong(
            "“stored” is for dates, and has YYYY, MM and DD once each", *path, "stored", hint='Like stored = "YYYYMMDD"'
        )
    return stored


def _dotted_texts(reader: TomlReader, table: Mapping[str, Any], key: str, *path: str) -> tuple[tuple[str, str], ...]:
    dotted = (_dotted(reader, text, key, *path) for text in reader.texts(table, key, *path))
    return tuple(each for each in dotted if each is not None)


def _flag(reader: TomlReader, table: Mapping[str, Any], key: str, fits: bool, what: str, *path: str) -> bool:
    value = table.get(key, False)
    if not isinstance(value, bool) or (value and not fits):
        raise reader.wrong(f"“{key}” is true or false, and only for {what}", *path, key)
    return value


def _files(reader: TomlReader, table: Mapping[str, Any], *path: str) -> Literal["picture"] | None:
    if "files" not in table:
        return None
    reader.one_of(reader.text_of(table, "files", "", *path), ("picture",), "files", *path)
    return "picture"


def _dotted(reader: TomlReader, text: str, key: str, *path: str) -> tuple[str, str] | None:
    """``item.unit`` → the reference field and the field of the record it points at."""
    if not text:
        return None
    reference, dot, name = text.partition(".")
    if not dot or not name:
        raise reader.wrong(
            f"“{key}” needs a reference and a field of the record it points at, like item.unit", *path, key
        )
    return reference, name


def _words(reader: TomlReader, table: Mapping[str, Any], *path: str) -> dict[str, str]:
    """Words that stand for a number, and the numbers."""
    found: dict[str, str] = {}
    given = reader.table(table.get("words", {}), "words", *path, "words")
    for word in given:
        number = reader.decimal(given, word, *path, "words")
        found[folded(word)] = f"{number:f}"
    return found


def _must(reader: TomlReader, table: Mapping[str, Any], *path: str) -> Must:
    return reader.one_of(reader.text_of(table, "must", "may", *path), MUSTS, "must", *path)  # type: ignore[return-value]


def _record(reader: TomlReader, name: str, raw: Any) -> Record:
    path = ("record", name)
    table = reader.table(raw, f"record {name}", *path)
    reader.known_keys(table, RECORD, "a record", *path)
    raw_fields = reader.table(table.get("field", {}), f"the fields of {name}", *path, "field")
    if not raw_fields:
        raise reader.wrong(f"record {name} has no fields", *path, hint=f"Add a table like [record.{name}.field.code].")
    fields = {each: _field(reader, each, value, *path, "field", each) for each, value in raw_fields.items()}
    key = reader.texts(table, "key", *path)
    if len(set(key)) < len(key):
        raise reader.wrong(f"the key of {name} names a field twice", *path, "key")
    if not key:
        raise reader.wrong(
            f"record {name} has no key", *path, hint='Name the field that identifies a row, like key = ["code"].'
        )
    record = Record(
        name=name,
        title=reader.text_of(table, "title", _title(name), *path),
        key=key,
        fields=fields,
        meaning=reader.text_of(table, "meaning", "", *path),
        called=reader.text_of(table, "called", "", *path) or None,
        path=reader.text_of(table, "path", "", *path) or None,
        out_of_use=reader.text_of(table, "out_of_use", "", *path) or None,
        also_known_by=reader.groups(table, "also_known_by", *path),
        other_codes=_dotted_texts(reader, table, "other_codes", *path),
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
    found: dict[tuple[str, str], tuple[str, ...]] = {}
    given = reader.table(table.get("needs", {}), "needs", *path, "needs")
    for name, value in given.items():
        if dotted := _dotted(reader, name, "needs", *path):
            one = isinstance(value, str)
            found[dotted] = (value,) if one else reader.texts(given, name, *path, "needs")
    return found


def read_description(text: str, name: str = "system.toml") -> Description:
    """Reads a system description.

    Args:
        text: the TOML text.
        name: the file's name, for messages.

    Raises:
        WrongUse: with the line and what is wrong there.
    """
    try:
        data = parsed(text)
    except tomli.TOMLDecodeError as error:
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
    found: dict[str, DefaultSet] = {}
    for name, given in reader.table(raw, "defaults", "defaults").items():
        path = ("defaults", name)
        table = reader.table(given, f"defaults {name}", *path)
        reader.known_keys(table, DEFAULTS, "a set of defaults", *path)
        record = reader.one_of(reader.text_of(table, "record", "", *path), tuple(records), "record", *path)
        values = reader.mapping(table, "set", *path)
        for field in values:
            known_field(reader, records[record], field, *path, "set")
        where = reader.text_of(table, "where", "", *path) or None
        found[name] = DefaultSet(name, record, where, values)
    return found
