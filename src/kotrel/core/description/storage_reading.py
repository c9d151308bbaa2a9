"""Reads where a record's rows are: the ``store`` of a record."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kotrel.core.description.model import Field, Storage
from kotrel.core.description.toml_reading import TomlReader
from kotrel.core.similarity import nearest

BLANK = "(blank)"
"""Said of a fixed column that holds nothing."""


def storage_of(reader: TomlReader, raw: Any, fields: Mapping[str, Field], *path: str) -> Storage:
    """Where the rows are: ``store = { table = "goods", columns = { code = "goods_no" } }``."""
    if raw is None:
        return Storage()
    table = reader.table(raw, "store", *path)
    reader.known_keys(
        table, ("table", "schema", "columns", "fixed", "made", "id", "yes_no", "yes_no_of"), "a store", *path
    )
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
