"""Reads the fields of a record from its description: of each only what is set, for most settings mostly are not."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, get_args

from msgspec import Struct

from kotrel.core.description.description_settings import FIELD
from kotrel.core.description.document_reading import from_ledger
from kotrel.core.description.model import DECIMAL_KINDS, Field, Kind, Must
from kotrel.core.description.toml_reading import MOST_DECIMALS, TomlReader
from kotrel.core.errors import WrongUse
from kotrel.core.values.code_formats import CODE_RULES
from kotrel.core.values.same_writing import form_of

KINDS: tuple[str, ...] = get_args(Kind)
MUSTS: tuple[str, ...] = get_args(Must)
DEFAULT_DECIMALS = {"number": 3, "quantity": 3, "money": 2}
DEFAULT_LENGTH = {"code": 40, "reference": 40}


class _FieldTable(Struct, frozen=True):
    """The table of one field; ``kind`` is the field's."""

    reader: TomlReader
    table: Mapping[str, Any]
    kind: str
    path: tuple[str, ...]

    def wrong(self, message: str, *key: str, hint: str = "") -> WrongUse:
        return self.reader.wrong(message, *self.path, *key, hint=hint)

    def text(self, key: str) -> str:
        return self.reader.text_of(self.table, key, "", *self.path)

    def text_or_none(self, key: str) -> str | None:
        return self.text(key) or None

    def texts(self, key: str) -> tuple[str, ...]:
        return self.reader.texts(self.table, key, *self.path)

    def one_of(self, key: str, allowed: tuple[str, ...]) -> str:
        return self.reader.one_of(self.text(key), allowed, key, *self.path)

    def dotted(self, key: str) -> tuple[str, str] | None:
        return dotted(self.reader, self.text(key), key, *self.path)

    def limit(self, key: str) -> Any:
        self.needs_a_number(key)
        return self.reader.decimal(self.table, key, *self.path)

    def needs_a_number(self, key: str) -> None:
        if self.kind not in DECIMAL_KINDS:
            raise self.wrong(f"field {self.path[-1]}: “{key}” is only for numbers, quantities and money", key)

    def length(self, key: str) -> int | None:
        return self.reader.whole(self.table, key, 1, *self.path) or DEFAULT_LENGTH.get(self.kind)

    def decimals(self, key: str) -> int | None:
        if self.kind not in DECIMAL_KINDS:
            raise self.wrong(f"field {self.path[-1]}: only numbers, quantities and money have decimals", key)
        return self.reader.whole(self.table, key, 0, *self.path, most=MOST_DECIMALS)

    def words(self, key: str) -> dict[str, str]:
        """Words that stand for a number, and the numbers."""
        self.needs_a_number(key)
        meanings: dict[str, str] = {}
        given = self.reader.table(self.table[key], key, *self.path, key)
        for word in given:
            number = self.reader.decimal(given, word, *self.path, key)
            meanings[form_of(word)] = f"{number:f}"
        return meanings

    def zero_means(self, key: str) -> str | None:
        self.needs_a_number(key)
        return self.text_or_none(key)

    def scale(self, key: str) -> int:
        """``scale = 100``: the table holds cents."""
        scale = self.reader.whole(self.table, key, 1, *self.path, most=10**6) or 1
        if scale != 1 and (self.kind not in DECIMAL_KINDS or scale != 10 ** self.table.get("decimals", 0)):
            raise self.wrong(
                f"“scale” is for numbers with as many decimals: {scale} goes with decimals = {len(str(scale)) - 1}",
                key,
                hint="Like decimals = 2, scale = 100 for a price that is kept in cents.",
            )
        return scale

    def stored(self, key: str) -> str:
        """``stored = "YYYYMMDD"``: how the table writes a date."""
        stored = self.text(key)
        if stored and (self.kind != "date" or any(stored.count(part) != 1 for part in ("YYYY", "MM", "DD"))):
            raise self.wrong(
                "“stored” is for dates, and has YYYY, MM and DD once each", key, hint='Like stored = "YYYYMMDD"'
            )
        return stored

    def flag(self, key: str) -> bool:
        kinds, what = _FLAGS[key]
        value = self.table[key]
        if not isinstance(value, bool) or (value and self.kind not in kinds):
            raise self.wrong(f"“{key}” is true or false, and only for {what}", key)
        return value


_FLAGS = {
    "zoned": (("moment",), "a moment"),
    "numbered": (("code", "number"), "a code or a number"),
    "fulfils": (("reference",), "a reference"),
}
"""Setting → the kinds of field that may have it, and how messages call them."""
_SETTINGS: Mapping[str, Callable[[_FieldTable, str], Any]] = {
    "title": _FieldTable.text,
    "meaning": _FieldTable.text,
    "example": _FieldTable.text,
    "length": _FieldTable.length,
    "decimals": _FieldTable.decimals,
    "least": _FieldTable.limit,
    "most": _FieldTable.limit,
    "must": lambda field, key: field.one_of(key, MUSTS),
    "to": _FieldTable.text,
    "choices": _FieldTable.texts,
    "check": lambda field, key: field.one_of(key, tuple(CODE_RULES)),
    "unique": _FieldTable.text_or_none,
    "kept_by": lambda field, key: field.one_of(key, ("people", "system")),
    "synonyms": _FieldTable.texts,
    "words": _FieldTable.words,
    "within": _FieldTable.texts,
    "default": _FieldTable.text_or_none,
    "default_from": _FieldTable.dotted,
    "same_as": _FieldTable.dotted,
    "one_of": lambda field, key: dotted_texts(field.reader, field.table, key, *field.path),
    "differs_from": _FieldTable.text_or_none,
    "files": lambda field, key: field.one_of(key, ("picture",)),
    "zero_means": _FieldTable.zero_means,
    "zoned": _FieldTable.flag,
    "numbered": _FieldTable.flag,
    "from_ledger": lambda field, key: from_ledger(field.reader, field.table, field.kind, *field.path),
    "fulfils": _FieldTable.flag,
    "scale": _FieldTable.scale,
    "stored": _FieldTable.stored,
}
"""How each setting but the kind is read. A setting that is not given keeps what :class:`Field` says."""


def read_field(reader: TomlReader, name: str, raw: Any, *path: str) -> Field:
    """One field; ``path`` leads to its table.

    Raises:
        WrongUse: with the line and what is wrong there.
    """
    table = reader.table(raw, f"field {name}", *path)
    if not name or " " in name or not name.isprintable():
        raise reader.wrong(
            f"field “{name}”: a field's name must not contain spaces",
            *path,
            hint="Use _ instead; the title may have spaces.",
        )
    reader.known_keys(table, FIELD, "a field", *path)
    if "kind" not in table:
        raise reader.wrong(f"field {name} has no kind", *path, hint=f"One of: {', '.join(KINDS)}.")
    kind = reader.one_of(reader.text_of(table, "kind", "", *path), KINDS, "kind", *path)
    if (kind == "choice") != bool(table.get("choices")):
        raise reader.wrong(f"field {name}: kind “choice” needs “choices”, and no other kind may have them", *path)
    if (kind == "reference") != ("to" in table):
        raise reader.wrong(f"field {name}: kind “reference” needs “to”, and no other kind may have it", *path)
    usual = {
        "title": title_of(name),
        "length": DEFAULT_LENGTH.get(kind),
        "decimals": DEFAULT_DECIMALS.get(kind),
    }
    field = _FieldTable(reader, table, kind, path)
    given = {key: _SETTINGS[key](field, key) for key in table if key != "kind"}
    return Field(**{"name": name, "kind": kind, **usual, **given})


def title_of(name: str) -> str:
    """The title of a record or a field that has none: its name, as people write it."""
    return name.replace("_", " ").capitalize()


def dotted(reader: TomlReader, text: str, key: str, *path: str) -> tuple[str, str] | None:
    """``item.unit`` → the reference field and the field of the record it points at; None of an empty text."""
    if not text:
        return None
    reference, dot, name = text.partition(".")
    if not dot or not name:
        raise reader.wrong(
            f"“{key}” needs a reference and a field of the record it points at, like item.unit", *path, key
        )
    return reference, name


def dotted_texts(reader: TomlReader, table: Mapping[str, Any], key: str, *path: str) -> tuple[tuple[str, str], ...]:
    """A list of such texts, without its empty ones."""
    parts = (dotted(reader, text, key, *path) for text in reader.texts(table, key, *path))
    return tuple(each for each in parts if each is not None)
